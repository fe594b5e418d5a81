"""What belongs into a package beside the pictures: shapes, tracks, the piece of the time line, so that others can go on."""

from collections.abc import Sequence
from pathlib import Path

import opentimelineio as otio

from roto.exchange import document, editorial, svg, track_table
from roto.exchange.editorial import Marker, Media
from roto.matte.stack import Matte
from roto.package.make import PLATE, Plan
from roto.package.manifest import alpha_says, write_text
from roto.package.names import around_number, safe
from roto.track.ride import carrier_of
from roto.track.track import Track

SHAPES, TRACKS = "shapes", "tracks"
"""folders in a package"""


def tracks_of(matte: Matte) -> list[Track]:
    """The tracks that carry something in a matte."""
    carriers = [carrier_of(e.shape) for e in matte.entries]
    return list({c.track.id: c.track for c in carriers if c is not None and c.track is not None}.values())


def write_all(plan: Plan, folder: Path, tracks: Sequence[Track] = (), notes: Sequence[Marker] = (), plate_name: str = "") -> list[str]:
    """Write what the recipe asks for; returns the paths from the package's folder, in order. tracks: further ones of the shot. notes:
    frames as the shot numbers them. plate_name: of the shot's plate, for the time line."""
    recipe = plan.recipe
    made: dict[str, str] = {}
    for matte in plan.sources.mattes:
        stem = f"{safe(matte.shot, 'shot')}_{safe(matte.name)}"
        if recipe.shapes:
            made[f"{SHAPES}/{stem}.shapes.json"] = document.dumps(matte)
        if recipe.svg:
            made[f"{SHAPES}/{stem}.svg"] = svg.whole_range(matte)
            made[f"{SHAPES}/{stem}.{plan.first}.svg"] = svg.one_frame(matte, plan.first)
    if recipe.tracks:
        every = {t.id: t for t in [*tracks, *(t for m in plan.sources.mattes for t in tracks_of(m))]}
        for track in every.values():
            name = f"{TRACKS}/{safe(track.name, 'track')}"
            made[f"{name}.csv" if f"{name}.csv" not in made else f"{name}-{safe(track.id)[:8]}.csv"] = track_table.table(track)
    if recipe.editorial:
        line = timeline(plan, notes, plate_name)
        stem = safe(f"{plan.matte.shot}_{plan.matte.name}")
        made[f"{stem}.otio"] = editorial.as_otio(line)
        made[f"{stem}.edl"] = editorial.as_edl(line)
    for name, text in made.items():
        write_text(folder / name, text)
    return list(made)


def timeline(plan: Plan, notes: Sequence[Marker], plate_name: str) -> otio.schema.Timeline:
    """The plate (where it is known by name or lies beside) below, the matte above, notes as markers on it."""
    first, count = plan.pieces[0].number, len(plan.pieces)
    by_frame = {p.frame: p.number for p in plan.pieces}
    media = []
    if plan.plate_names:
        media.append(_media(plan, plan.plate_names, f"./{PLATE}/", "none"))
    elif plate_name:
        media.append(Media(name=plate_name, first=min(by_frame), frames=count, folder=""))
    media.append(_media(plan, plan.names, "./", alpha_says(plan.recipe.content)))
    said = [
        Marker(frame=by_frame[n.frame], says=n.says, by=n.by, last=None if n.last is None else by_frame.get(n.last))
        for n in notes
        if n.frame in by_frame
    ]
    return editorial.timeline(f"{plan.matte.shot} {plan.matte.name}", plan.matte.rate, media, said, first)


def _media(plan: Plan, names: Sequence[str], folder: str, alpha: str) -> Media:
    first, count = plan.pieces[0].number, len(plan.pieces)
    if plan.recipe.kind.movie:
        return Media(name=names[0], first=first, frames=count, folder=folder, alpha=alpha)
    digits = plan.recipe.digits(list(plan.pieces))
    said = {"shot": plan.matte.shot, "matte": plan.matte_name, "version": plan.version, "recipe": plan.recipe_name}
    pattern = plan.recipe.part_pattern("plate" if names is plan.plate_names else "")
    if names is plan.plate_names:
        said["matte"] = "plate"
    before, after = around_number(pattern, plan.recipe.kind.ending, **said)  # type: ignore[arg-type]
    return Media(name=before.rstrip("._- "), first=first, frames=count, stills=(before, after, digits), folder=folder, alpha=alpha)
