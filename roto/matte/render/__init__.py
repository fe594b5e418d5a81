"""Rendering: from the shapes of a matte, at moments of an exposure, to alpha."""

from roto.matte.render.boxes import touched_box, touched_boxes
from roto.matte.render.frame import render, render_each
from roto.matte.render.layers import samples_wanted
from roto.matte.render.results import DEPTHS, FRINGE, Box, Rendered, Solved, Solver

__all__ = [
    "DEPTHS", "FRINGE", "Box", "Rendered", "Solved", "Solver", "render", "render_each", "samples_wanted", "touched_box", "touched_boxes",
]  # fmt: skip
