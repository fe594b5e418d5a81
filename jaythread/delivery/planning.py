"""From a delivery's rows to the core's plan of it."""

import base64
from dataclasses import replace
from typing import Any

import numpy as np

from jaythread.delivery import looks
from jaythread.delivery.models import Delivery
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Matte as MatteRow
from jaythread.errors import NotThere
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from roto.errors import BadPicture
from roto.exchange import document
from roto.matte.modes import FOUND
from roto.matte.stack import Matte
from roto.package import compose, make, sheet
from roto.package.compose import Sources
from roto.package.make import Plan
from roto.package.recipe import Recipe
from roto.picture import display, stills

PREVIEW = 320
"""px: width of the picture that shows what a recipe makes"""


def sources(
    shot: Shot, plate: Plate | None, mattes: tuple[Matte, ...], offset: int | None = None, tryout: dict[str, Any] | None = None
) -> Sources:
    """What a package of these mattes is made from. offset: the plate's, where it was another one when the package was asked for. tryout: of
    a look, frozen."""
    fringes = ShotFringes(shot)
    for matte in mattes:
        fringes.ready(matte)
    ready = plate is not None and plate.state == State.READY
    missing: frozenset[int] = frozenset()
    if plate is not None and not plate.holds:
        missing = frozenset(gap - plate.offset + (plate.offset if offset is None else offset) for gap in plate.gaps)
    solves = any(e.mode in FOUND for m in mattes for e in m.entries)

    def picture(frame: int) -> Any:
        path = plate.still(frame, offset) if plate is not None else None
        if path is None or not path.exists():
            raise BadPicture(
                f"Frame {frame} of the plate is missing. Bring its picture back, then go on; or let the recipe leave such frames out."
            )
        return stills.read(path)

    return Sources(
        missing=missing if ready else frozenset(),
        mattes=mattes,
        plate=picture if ready else None,
        space=plate.space if plate else "display",
        fringes=fringes if solves else None,
        look=looks.look_of(shot, tryout, mattes) if tryout else None,
    )


def named(plate: Plate | None, offset: int | None = None) -> Any:
    """Names the plate's pictures: a plate's stills never change, another version is another plate."""
    if plate is None:
        return None
    by = plate.offset if offset is None else offset
    held = {gap - plate.offset for gap in plate.gaps} if plate.holds else set()
    return lambda frame: f"{plate.pk} {frame - by}{' held' if frame - by in held else ''}"


def as_the_plate(recipe: Recipe, shot: Shot) -> Recipe:
    """A recipe with what it takes from the shot: the proportions of a pixel, where it says none."""
    return recipe if recipe.pixel_aspect else replace(recipe, pixel_aspect=shot.pixel_aspect)


def next_version(matte: MatteRow) -> int:
    """The number of the package that would be the matte's next one."""
    return int(matte.deliveries.order_by("-version").values_list("version", flat=True).first() or 0) + 1


def plan_of(delivery: Delivery) -> Plan:
    """The plan of a delivery, as it was asked for."""
    mattes = tuple(document.loads(text) for text in [delivery.document, *delivery.others])
    return make.plan(
        sources(delivery.matte.shot, delivery.plate, mattes, delivery.plate_offset, delivery.tryout),
        delivery.core_recipe,
        first=delivery.first,
        last=delivery.last,
        version=delivery.version,
        recipe_name=delivery.recipe_name,
        named=named(delivery.plate, delivery.plate_offset),
    )


def mattes_of(delivery: Delivery) -> list[MatteRow]:
    """The mattes that a package holds: the one it is of, and those beside it that are still there."""
    names = [document.loads(text).name for text in delivery.others]
    return [delivery.matte, *MatteRow.objects.filter(shot=delivery.matte.shot_id, name__in=names).exclude(pk=delivery.matte_id)]


def shown(
    shot: Shot,
    mattes: tuple[Matte, ...],
    recipe: Recipe,
    first: int | None,
    last: int | None,
    name: str,
    version: int,
    tryout: dict[str, Any] | None = None,
) -> dict[str, Any]:
    """What follows from a recipe's settings for these mattes, before anything is made."""
    recipe, plate = as_the_plate(recipe, shot), shot.plates.first()
    plan = make.plan(
        sources(shot, plate, mattes, tryout=tryout), recipe, first=first, last=last, version=version, recipe_name=name, named=named(plate)
    )
    pieces, kind = plan.pieces, recipe.kind
    middle = pieces[len(pieces) // 2]
    low, high = min(p.frame for p in pieces), max(p.frame for p in pieces)
    spare = (plan.first - low, high - plan.last)
    one = len(pieces) == 1
    lines = [f"1 frame, number {middle.number}" if one else f"{len(pieces)} frames, numbered {pieces[0].number} to {pieces[-1].number}"]
    lines[0] += ", the last frame of the shot first" if recipe.reverse else ""
    gone = abs(pieces[-1].number - pieces[0].number) + 1 - len(pieces)
    if gone:
        lines.append(f"{gone} left out, since the plate has no picture of {'it' if gone == 1 else 'them'}")
    if recipe.spare:
        lines.append(
            f"{spare[0]} spare frames before and {spare[1]} after the piece that matters"
            + ("" if spare == (recipe.spare,) * 2 else ": the plate has no more")
        )
    return {
        "example": plan.names[0],
        "last": plan.names[-1],
        "lines": lines,
        "size": list(plan.size),
        "channels": list(plan.channels),
        "kind": kind.says,
        "picture": picture_of(plan, middle.frame),
        "pictured": middle.number,
        "pairs": [[p.number, p.frame] for p in (*pieces[:2], pieces[-1])],
    }


def picture_of(plan: Plan, frame: int) -> str:
    """How a frame will look, small, as an address that holds the picture itself; empty where the plate has no picture of it."""
    try:
        made = compose.picture(plan.sources, plan.recipe, frame)
    except (BadPicture, NotThere):
        return ""
    if plan.recipe.kind.linear and plan.recipe.content not in ("matte", "inverted", "packed", "layers"):
        colours = display.shown(np.clip(made[:, :, :3], 0, 1))
        made = np.dstack([colours, made[:, :, 3]]) if made.shape[2] == 4 else colours
    if plan.recipe.content == "premultiplied":  # what is sent: black where nothing is
        made = made[:, :, :3]
    small = sheet.small(made.astype(np.float32), PREVIEW)
    return "data:image/png;base64," + base64.b64encode(stills.encode_picture(small, ".png")).decode()
