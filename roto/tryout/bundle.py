"""A tryout on its way to somewhere else: its document with the mattes and tracks that it needs, as one JSON file.

Plates and graphics are given beside it, as folders and files.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.errors import BadTryout
from roto.exchange import document as shapes
from roto.exchange.document import track_from_json, track_to_json
from roto.matte.matting.fringe import Fringes, InMemory
from roto.matte.modes import SOLVE
from roto.matte.render import render
from roto.matte.stack import Matte
from roto.picture import display, stills
from roto.picture.sequence import arrange
from roto.track.track import Track
from roto.tryout import document
from roto.tryout.compose import Film, Sources
from roto.tryout.document import Tryout
from roto.tryout.graphics import premultiplied, read
from roto.tryout.placing import Picture

FORMAT = "tryout with its mattes"


@dataclass(frozen=True, slots=True, kw_only=True)
class Bundle:
    """A tryout, its mattes by id, and its tracks by id."""

    tryout: Tryout
    mattes: Mapping[str, Matte]
    tracks: Mapping[str, Track]


def dumps(bundle: Bundle) -> str:
    """The file's text."""
    data = {
        "format": FORMAT,
        "version": 1,
        "tryout": document.to_json(bundle.tryout),
        "mattes": {key: shapes.to_json(matte) for key, matte in bundle.mattes.items()},
        "tracks": [track_to_json(track) for track in bundle.tracks.values()],
    }
    return json.dumps(data, indent=1)


def loads(text: str | bytes) -> Bundle:
    """From the file's text; a tryout document by itself will do. BadTryout, or BadDocument of a matte, where something is wrong."""
    try:
        data = json.loads(text)
    except ValueError as error:
        raise BadTryout("file", "is no JSON.") from error
    if not isinstance(data, dict) or data.get("format") not in (FORMAT, document.FORMAT):
        raise BadTryout("format", f"must be '{FORMAT}' or '{document.FORMAT}'.")
    if data["format"] == document.FORMAT:
        return Bundle(tryout=document.from_json(data), mattes={}, tracks={})
    rows = data.get("tracks", [])
    return Bundle(
        tryout=document.from_json(data.get("tryout")),
        mattes={key: shapes.from_json(one) for key, one in data.get("mattes", {}).items()},
        tracks={row["id"]: track_from_json(row, f"tracks[{k}]") for k, row in enumerate(rows)},
    )


def from_folders(bundle: Bundle, folders: Mapping[str, Path], graphics: Mapping[str, Path], space: str = "display") -> Sources:
    """What a bundle is made from, plates being folders of numbered stills: "" for the shot's own, others by the clip's name. graphics:
    files by id."""
    files = {name: arrange([path.name for path in folder.iterdir()]).files for name, folder in folders.items()}

    def pixels(name: str, frame: int) -> NDArray[Any]:
        if frame not in files[name]:
            raise BadTryout("clip", f"{folders[name]} has no still of frame {frame}.")
        return np.asarray(stills.read(folders[name] / files[name][frame])[..., :3])

    def shown(frame: int) -> Picture:
        return display.to_screen(pixels("", frame), space).astype(np.float32) / np.float32(255)

    films = {}
    for name, found in files.items():
        height, width = pixels(name, min(found)).shape[:2]
        films[name] = Film(frames=(min(found), max(found)), size=(width, height))
    films.setdefault("", Film(frames=bundle.tryout.frames, size=bundle.tryout.size))

    def matte(name: str, matte_id: str, frame: int, grow: float) -> NDArray[np.float32]:
        if name or matte_id not in bundle.mattes:
            raise BadTryout("matte", f"the matte {matte_id} is not in the file.")
        it = bundle.mattes[matte_id].grown(grow)
        solver = Fringes(shown, str, InMemory()) if any(e.mode == SOLVE for e in it.entries) else None
        return render(it, frame, fringes=solver).alpha

    def graphic(file: str, alpha: str) -> Picture:
        if file not in graphics:
            raise BadTryout("file", f"the graphic {file} is not given.")
        return premultiplied(read(graphics[file]), alpha)

    def picture(name: str, frame: int, width: int) -> NDArray[np.float32]:
        return display.to_light(pixels(name, frame), space)

    return Sources(films=films, picture=picture, matte=matte, graphic=graphic, tracks=dict(bundle.tracks))
