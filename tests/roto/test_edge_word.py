"""The edge's own word on what the inside carries, and what is thought of two runs that go apart."""

import numpy as np
import pytest

from roto.track import between, edge_word, sheet
from roto.track.bend import Drawn
from roto.track.between import Drawing
from roto.track.sheet import Lattice

SIZE, FRAMES = (200, 150), 9
LATTICE = Lattice.around(np.array([20.0, 20.0]), np.array([140.0, 130.0]), 24.0)
TURN = np.arange(96) / 96 * 2 * np.pi


def outline(frame: int, larger: float = 0.0) -> np.ndarray:
    """An oval that goes to the right by 4 px a frame."""
    return np.stack([70 + 4 * frame + (40 + larger) * np.cos(TURN), 75 + (30 + larger) * np.sin(TURN)], axis=1)


def picture(frame: int, flat: bool = False) -> np.ndarray:
    """Plain cloth on a plain ground, in linear light, its edge a px soft; or nothing at all."""
    across, down = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    far = np.hypot((across - 70 - 4 * frame) / 40, (down - 75) / 30)
    alpha = np.clip(0.5 + (1 - far) * 34, 0, 1) * (0 if flat else 1)
    grain = np.random.default_rng(frame).normal(0, 0.002, (*SIZE[::-1], 3))
    return (0.1 + alpha[..., None] * [0.05, 0.1, 0.3] + grain).astype(np.float32)


def heard(off: float, says: float, larger: tuple[float, float] = (0.0, 0.0), flat: bool = False) -> dict[int, tuple[float, float]]:
    """Sheets that lie `off` px too far down and say that they are off by `says`: by frame, px that the outline is off across itself then,
    and what is said of it. larger: px by which the outlines of both keys are traced too large."""
    rest = LATTICE.rest()
    sheets = {f: (rest + np.array([4.0 * f, off]), says) for f in range(1, FRAMES - 1)}
    ends = tuple(
        edge_word.End(frame=f, outline=outline(f, by), spots=outline(0, by)) for f, by in zip((0, FRAMES - 1), larger, strict=True)
    )
    found = edge_word.corrected(LATTICE, sheets, ends, lambda f: picture(f, flat), lambda f: None)
    return {f: (edge_word.across(outline(f), sheet.bent(LATTICE, c[None], outline(0)[None])[0][0]), said) for f, (c, said) in found.items()}


def test_an_unsure_inside_is_held_by_a_clear_edge_and_is_surer_then():
    told = heard(off=1.5, says=1.5)
    assert max(apart for apart, _ in told.values()) < 0.25 and all(said < 0.5 for _, said in told.values())


def test_the_habit_of_tracing_is_kept():
    """Who traced both keys 0.7 px too large wants it so between them."""
    told = heard(off=1.5, says=1.5, larger=(0.7, 0.7))
    assert max(apart for apart, _ in told.values()) < 0.3


@pytest.mark.parametrize(
    ("off", "says", "larger", "flat"),
    [(0.2, 0.05, (0.0, 0.0), False), (0.5, 0.5, (-1.0, 1.0), False), (1.5, 1.5, (0.0, 0.0), True)],
    ids=["a sure inside", "keys that do not agree on the edge", "no edge"],
)
def test_elsewhere_what_is_drawn_stays(off, says, larger, flat):
    told = heard(off, says, larger, flat)
    assert all(apart == pytest.approx(off, abs=0.1) and said <= says for apart, said in told.values())


class Run:
    """A run from a key that says it is sure, and swings out by so many px in the middle of the way."""

    def __init__(self, key: int, swings: float) -> None:
        self.key, self.swings, self.lattice = key, swings, LATTICE
        self.picture, self.hidden = (lambda f: picture(f, flat=True)), (lambda f: None)

    def follow(self, frames):
        for f in frames:
            by = self.swings * np.sin(np.pi * f / (FRAMES - 1))
            yield Drawn(frame=f, control=LATTICE.rest() + np.array([4.0 * (f - self.key), by]), unsure=0.01)

    def places(self, control):
        return sheet.bent(LATTICE, control[None], outline(self.key)[None])[0][0]


@pytest.mark.parametrize(("swings", "sure"), [(0.0, True), (4.0, False)])
def test_two_runs_that_go_apart_are_not_believed_whatever_they_say(swings, sure):
    runs = {0: Run(0, 0.0), FRAMES - 1: Run(FRAMES - 1, swings)}
    drawing = Drawing(bender=runs.__getitem__, outlines={f: outline(f) for f in runs}, home=0, lattice=LATTICE)
    drawing.between(0, FRAMES - 1)
    said = [between.confidence(drawing.known[f].off) for f in range(2, FRAMES - 2)]
    assert all((one > 0.9) if sure else (one < 0.5) for one in said)
