"""Rendering: from the shapes of a matte, at moments of an exposure, to alpha."""

from roto.matte.render.again import Kept, render_again, touched_since
from roto.matte.render.boxes import touched_box, touched_boxes
from roto.matte.render.exposure import TOGETHER, Live, live_at
from roto.matte.render.frame import live_of, render, render_each, rough_cap
from roto.matte.render.layers import samples_wanted
from roto.matte.render.results import DEPTHS, FRINGE, Box, Rendered, Solved, Solver

__all__ = [
    "DEPTHS", "FRINGE", "TOGETHER", "Box", "Kept", "Live", "Rendered", "Solved", "Solver",
    "live_at", "live_of", "render", "render_again", "render_each", "rough_cap", "samples_wanted",
    "touched_box", "touched_boxes", "touched_since",
]  # fmt: skip
