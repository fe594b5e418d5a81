"""What a package's pictures show: mattes, cut-outs, mattes packed into channels, the subject over a colour.

All is made in float at the plate's size, brought to the size asked for, and turned into the numbers of the format last.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.errors import BadPicture, BadRecipe
from roto.matte.matting.foreground import foreground
from roto.matte.render import Solver, render
from roto.matte.stack import Matte
from roto.package.formats import Format
from roto.package.names import safe
from roto.package.recipe import PACKED, Recipe
from roto.picture import display
from roto.tryout import laying

Picture = NDArray[np.float32]
BLEED = 4
"""px: how far the subject's colour goes on beyond a straight cut-out, so that scaling it later draws in nothing else"""
STEPS = {"8": 255, "16": 65535}


@dataclass(frozen=True, kw_only=True)
class Look:
    """A tryout to be delivered. picture: of a frame, linear light (h, w, 3). numbers: the same as it is displayed, in whole numbers of 8 or
    16 bits. key: a name for all that a frame of it is made from."""

    name: str
    picture: Callable[[int], Picture]
    numbers: Callable[[int, str], NDArray[Any]]
    key: Callable[[int], str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Sources:
    """What a package is made from. mattes: the first gives shot, size and range. plate: pixels (h, w, 3) of a frame in their own depth;
    None where there is none. space: the plate's colour space. fringes: solves those of the mattes. missing: frames without a picture.
    look: the tryout that is delivered, where the recipe's content is one."""

    mattes: tuple[Matte, ...]
    plate: Callable[[int], NDArray[Any]] | None = None
    space: str = "display"
    fringes: Solver | None = None
    missing: frozenset[int] = frozenset()
    look: Look | None = None

    @property
    def first(self) -> Matte:
        """The matte that gives the package its size and rate."""
        return self.mattes[0]


def check(sources: Sources, recipe: Recipe) -> None:
    """BadRecipe when the recipe cannot be made from these."""
    if len(sources.mattes) > 1 and not recipe.several:
        raise BadRecipe("mattes", "this recipe delivers one matte; choose one, or a recipe that packs several.")
    if recipe.content == "packed" and len(sources.mattes) > PACKED:
        raise BadRecipe("mattes", f"R, G, B and A hold {PACKED} mattes; leave {len(sources.mattes) - PACKED} out, or use channels by name.")
    names = [safe(m.name) for m in sources.mattes]
    if recipe.content == "layers" and len(set(names)) != len(names):
        raise BadRecipe("mattes", "two mattes would get the same channel name; rename one of them.")
    size, kind = recipe.picture_size(sources.first.size), recipe.kind
    if kind.padded(size) != size and not recipe.pad:
        odd = " and ".join(name for name, side in zip(("width", "height"), size, strict=True) if side % 2)
        why = f"{kind.says} holds even sizes only, and {size[0]} x {size[1]} has an odd {odd}."
        raise BadRecipe("pad", f"{why} Let it be padded, or choose another format.")
    if recipe.content == "tryout" and sources.look is None:
        raise BadRecipe("content", "is a tryout: choose which.")
    if recipe.needs_plate and sources.plate is None:
        raise BadRecipe("content", "needs the plate's picture, and there is none here.")


def channels(sources: Sources, recipe: Recipe) -> tuple[str, ...]:
    """The names of the channels of what is made."""
    if recipe.content == "layers":
        return tuple(f"{safe(m.name)}.Y" for m in sources.mattes)
    if recipe.content == "packed":
        return tuple("RGBA"[: 4 if len(sources.mattes) == PACKED else 3])
    return ("Y",) if recipe.content in ("matte", "inverted") else tuple("RGB" if recipe.flattened else "RGBA")


def alpha_of(sources: Sources, at: int, frame: int) -> Picture:
    """Alpha 0..1 (h, w) of one of the mattes at a frame."""
    return render(sources.mattes[at], frame, fringes=sources.fringes).alpha


def _own_colour(picture: Picture, alpha: Picture) -> Picture:
    """The subject's own colour (h, w, 3) where alpha is not 1; the picture elsewhere. It is worked out in the box where it matters."""
    partly = (alpha > 0) & (alpha < 1)
    if not partly.any():
        return picture
    rows, columns = (np.flatnonzero(partly.any(axis=axis)) for axis in (1, 0))
    margin = 4 * BLEED
    box = (
        slice(max(0, rows[0] - margin), rows[-1] + margin + 1),
        slice(max(0, columns[0] - margin), columns[-1] + margin + 1),
    )
    made = foreground(picture[box], alpha[box])
    out = picture.copy()
    out[box] = np.where((alpha[box] < 1)[:, :, None], np.maximum(made, 0.0), picture[box]).astype(np.float32)
    return out


def cut_out(picture: Picture, alpha: Picture) -> Picture:
    """Colours and alpha (h, w, 4), straight: the subject's own colour up to BLEED px beyond it, black farther out."""
    colour = _own_colour(picture, alpha)
    near = cv2.dilate((alpha > 0).astype(np.uint8), np.ones((2 * BLEED + 1, 2 * BLEED + 1), np.uint8)) > 0
    return np.dstack([np.where(near[:, :, None], colour, np.float32(0)), alpha])


def resized(picture: Picture, size: tuple[int, int]) -> Picture:
    """A picture (h, w) or (h, w, c) at another size: mean over areas when it gets smaller, cubic when larger. Colours must be
    premultiplied and linear light."""
    height, width = picture.shape[:2]
    if (width, height) == size:
        return picture
    smaller = size[0] <= width and size[1] <= height
    made = cv2.resize(picture, size, interpolation=cv2.INTER_AREA if smaller else cv2.INTER_CUBIC)
    return made.astype(np.float32).reshape(size[1], size[0], *picture.shape[2:])


def _at_size(straight: Picture, size: tuple[int, int], linear: bool) -> Picture:
    """A straight cut-out (h, w, 4) at another size: premultiplied and in linear light while it is resampled."""
    if straight.shape[1::-1] == size:
        return straight
    colour = straight[:, :, :3] if linear else display.light(straight[:, :, :3])
    made = resized(np.dstack([colour * straight[:, :, 3:], straight[:, :, 3:]]).astype(np.float32), size)
    alpha = np.clip(made[:, :, 3:], 0.0, 1.0)
    colour = np.where(alpha > 1e-6, np.maximum(made[:, :, :3], 0.0) / np.maximum(alpha, 1e-6), 0.0)  # cubics swing below black
    return np.dstack([colour if linear else display.shown(colour), alpha]).astype(np.float32)


def picture(sources: Sources, recipe: Recipe, frame: int) -> Picture:
    """What is delivered of a frame: float32 (h, w) or (h, w, c) of the size asked for, channels as `channels` names them."""
    size = recipe.picture_size(sources.first.size)
    if recipe.content in ("matte", "inverted"):
        alpha = np.clip(resized(alpha_of(sources, 0, frame), size), 0.0, 1.0)
        return 1 - alpha if recipe.content == "inverted" else alpha
    if recipe.several:
        made = [np.clip(resized(alpha_of(sources, at, frame), size), 0.0, 1.0) for at in range(len(sources.mattes))]
        made += [np.zeros_like(made[0])] * (len(channels(sources, recipe)) - len(made))
        return np.dstack(made)
    linear = recipe.kind.linear
    if recipe.content == "tryout":
        made_look = _look(sources, recipe, frame)
        return np.maximum(made_look, 0.0) if linear else laying.shown(made_look)
    straight = _at_size(cut_out(plate_of(sources, frame, linear), alpha_of(sources, 0, frame)), size, linear)
    if recipe.content == "straight":
        return straight
    premultiplied = straight[:, :, :3] * straight[:, :, 3:]
    if recipe.content == "premultiplied":
        return np.dstack([premultiplied, straight[:, :, 3]])
    colour = np.array(recipe.colour, np.float32)
    if linear:
        colour = display.light(colour).astype(np.float32)
    return premultiplied + (1 - straight[:, :, 3:]) * colour


def _look(sources: Sources, recipe: Recipe, frame: int) -> Picture:
    """A frame of the tryout that is delivered, linear light; below black where something was sharpened or taken away."""
    assert sources.look is not None, "see `check`"
    return resized(sources.look.picture(frame), recipe.picture_size(sources.first.size))


def whole_numbers(sources: Sources, recipe: Recipe, frame: int) -> NDArray[Any]:
    """What is delivered of a frame in whole numbers, for formats that have them; plain mattes straight from the row loop."""
    kind = recipe.kind
    plain = recipe.content in ("matte", "inverted") and kind.depth in STEPS
    if plain and recipe.picture_size(sources.first.size) == sources.first.size:
        made = render(sources.first, frame, depth=kind.depth, fringes=sources.fringes).alpha
        return made if recipe.content == "matte" else made.dtype.type(STEPS[kind.depth]) - made
    if recipe.content == "tryout" and not kind.linear and kind.depth in STEPS:
        if sources.look is not None and recipe.picture_size(sources.first.size) == sources.first.size:
            return sources.look.numbers(frame, kind.depth)
        return laying.numbers(_look(sources, recipe, frame), kind.depth)
    return numbers(picture(sources, recipe, frame), kind)


def plate_of(sources: Sources, frame: int, linear: bool) -> Picture:
    """The plate's colours (h, w, 3) as they are displayed, or in linear light. BadPicture where the frame has none."""
    if sources.plate is None:
        raise BadPicture(f"Frame {frame} of the plate is missing.")
    pixels = sources.plate(frame)
    width, height = sources.first.size
    if pixels.shape[:2] != (height, width):
        raise BadPicture(f"Frame {frame} of the plate is {pixels.shape[1]} x {pixels.shape[0]} pixels instead of {width} x {height}.")
    return display.to_light(pixels, sources.space) if linear else display.to_shown(pixels, sources.space)


def plate_picture(sources: Sources, recipe: Recipe, frame: int) -> Picture:
    """The plate of a frame as it lies beside the matte: (h, w, 3) of the same size and light."""
    linear = recipe.kind.linear
    made = plate_of(sources, frame, True)
    made = resized(made, recipe.picture_size(sources.first.size))
    return made if linear else np.clip(display.shown(made), 0.0, 1.0).astype(np.float32)


def numbers(values: NDArray[Any], kind: Format) -> NDArray[Any]:
    """Values 0..1 in the numbers of a format, rounded to the nearest: uint8, uint16, or float32 as they are."""
    if kind.depth not in STEPS or values.dtype.kind == "u":
        return values
    top = STEPS[kind.depth]
    return np.rint(np.clip(values, 0.0, 1.0) * np.float32(top)).astype(np.uint8 if top == 255 else np.uint16)
