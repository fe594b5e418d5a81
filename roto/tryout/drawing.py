"""What a line shows when it is drawn rather than filmed: words, colours, bars, bands of light.

Each answers with a premultiplied picture (h, w, 4), float32, in linear light. scale: how many times as large as the tryout it is made.
"""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from roto.arrays import Floats
from roto.picture import display
from roto.tryout.model import Bars, Flat, Light, Words
from roto.tryout.placing import Box, Picture

FACES = Path(__file__).with_name("faces")
GLOW = 0.6
"""how bright a glow is beside its core"""
WIDEST = 8192
"""px: of words; wider ones are drawn at this size and enlarged"""


def colour(text: str) -> NDArray[np.float32]:
    """Red, green, blue in linear light of a colour like #c08030."""
    bytes_ = np.array([int(text[k : k + 2], 16) for k in (1, 3, 5)])
    return display.light(bytes_ / 255).astype(np.float32)


def covered(alpha: NDArray[np.floating], rgb: NDArray[np.float32]) -> Picture:
    """A colour as far as alpha (h, w) goes, premultiplied."""
    some = alpha.astype(np.float32)[:, :, None]
    return np.concatenate([some * rgb, some], axis=2)


@lru_cache(maxsize=64)
def _face(face: str, weight: int, size: float) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(FACES / f"atkinson-hyperlegible-{face}-latin-{weight}-normal.woff2", size)


@lru_cache(maxsize=32)
def words(said: Words, scale: float) -> Picture:
    """The words with their outline, in a picture that just holds them."""
    font = _face(said.face, said.weight, max(1.0, said.size * scale))
    around = said.outline * scale
    align = {"left": "left", "middle": "center", "right": "right"}[said.align]
    spacing = said.size * scale * said.spacing - font.getbbox("A", stroke_width=0)[3]
    draw = ImageDraw.Draw(Image.new("L", (1, 1)))
    text = said.text or " "
    x0, y0, x1, y1 = draw.multiline_textbbox((0, 0), text, font=font, spacing=spacing, align=align, stroke_width=around)
    margin = 2
    size = (max(1, int(np.ceil(x1 - x0)) + 2 * margin), max(1, int(np.ceil(y1 - y0)) + 2 * margin))
    if max(size) > WIDEST:
        return words(said, scale * WIDEST / max(size) * 0.99)

    def drawn(stroke: float) -> NDArray[np.float32]:
        page = Image.new("L", size)
        at = (margin - x0, margin - y0)
        ImageDraw.Draw(page).multiline_text(at, text, fill=255, font=font, spacing=spacing, align=align, stroke_width=stroke)
        return np.asarray(page, np.float32) / np.float32(255)

    inside = drawn(0)
    out = covered(inside, colour(said.colour))
    if around:
        out = out + covered(drawn(around), colour(said.outline_colour)) * (1 - inside)[:, :, None]
    out.setflags(write=False)
    return out


def flat(said: Flat, size: tuple[int, int]) -> Picture:
    """The colour over a picture of that size; an even passage is even as it is displayed."""
    one = colour(said.colour)
    if not said.to:
        return np.ascontiguousarray(np.broadcast_to(np.append(one, np.float32(1)), (size[1], size[0], 4)))
    x, y = _middles(size)
    turn = np.radians(said.turn)
    along = x * np.cos(turn) + y * np.sin(turn)
    ends = [np.cos(turn) * a * size[0] + np.sin(turn) * b * size[1] for a in (0, 1) for b in (0, 1)]
    share = ((along - min(ends)) / max(1e-9, max(ends) - min(ends)))[:, :, None].astype(np.float32)
    shown = display.shown(one) + share * (display.shown(colour(said.to)) - display.shown(one))
    return np.concatenate([display.light(shown), np.ones_like(share)], axis=2).astype(np.float32)


def _middles(size: tuple[int, int]) -> tuple[Floats, Floats]:
    """Places (1, w) and (h, 1) of the middles of pixels."""
    x, y = (np.arange(side, dtype=np.float64) + 0.5 for side in size)
    return x[None, :], y[:, None]


def bars(said: Bars, size: tuple[int, int]) -> Picture:
    """Bars above and below, or at both sides, that leave a picture of the proportion; the edge's pixels by the area that is covered."""
    w, h = size
    x, y = _middles(size)
    turn = np.radians(said.turn)
    lies = said.proportion >= w / h
    half = w / said.proportion / 2 if lies else h * said.proportion / 2
    away = (y - h / 2) * np.cos(turn) - (x - w / 2) * np.sin(turn) if lies else (x - w / 2) * np.cos(turn) + (y - h / 2) * np.sin(turn)
    step = abs(np.cos(turn)) + abs(np.sin(turn))  # a pixel is so wide across a leaning edge
    return covered(np.clip(0.5 + (np.abs(away) - half) / step, 0, 1), colour(said.colour))


def light(said: Light, one: Floats, other: Floats, box: Box, scale: float) -> Picture:
    """The band between two places (2,), px of the picture, in a box of it: a core of full light, and a glow that falls off as a bell."""
    x0, y0, x1, y1 = box
    x, y = (np.arange(x0, x1) + 0.5)[None, :] - one[0], (np.arange(y0, y1) + 0.5)[:, None] - one[1]
    way = other - one
    long = max(float(np.hypot(*way)), 1e-6)
    along = np.clip((x * way[0] + y * way[1]) / long**2, 0, 1)
    off = np.hypot(x - along * way[0], y - along * way[1])
    thick = 1 - said.taper * np.abs(2 * along - 1) ** 2
    core = np.clip(0.5 + said.core * scale * thick - off, 0, 1)
    glow = np.exp(-0.5 * (off / np.maximum(said.glow * scale * thick / 2, 1e-6)) ** 2) if said.glow else np.zeros_like(core)
    return covered(core + GLOW * glow * (1 - core), colour(said.colour))


def light_box(said: Light, one: Floats, other: Floats, target: tuple[int, int], scale: float) -> Box | None:
    """Where the band may be seen."""
    pad = 2 + (said.core + 2.2 * said.glow) * scale
    low, high = np.minimum(one, other) - pad, np.maximum(one, other) + pad
    box = (max(0, int(low[0])), max(0, int(low[1])), min(target[0], int(high[0]) + 1), min(target[1], int(high[1]) + 1))
    return box if box[0] < box[2] and box[1] < box[3] else None
