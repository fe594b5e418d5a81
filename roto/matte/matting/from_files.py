"""Lines of the stack whose alpha was made elsewhere and brought in as files. Within the line's shape alpha is what the file says."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.errors import NoSource
from roto.matte.matting.fringe import Fringes, band_shape
from roto.matte.matting.temporal import stored
from roto.matte.render import Solved, render, touched_boxes
from roto.matte.stack import Entry, Matte


class FromFiles:
    """alpha: the matte (h, w), 0..1, of a brought-in matte by its name and a number of its files; None where it has none. number: of its
    name and a frame, which of its files stands there. fringes: what asks."""

    def __init__(
        self, fringes: Fringes, alpha: Callable[[str, int], NDArray[np.float32] | None], number: Callable[[str, int], int]
    ) -> None:
        self.fringes, self.alpha, self.number = fringes, alpha, number

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """The file's alpha within the line's shape. Raises NoSource where there is no file and all is waited for."""
        entry = matte.entries[at]
        band = replace(matte, entries=(Entry(shape=band_shape(entry.shape)),), inverted=False, shift=())
        box = touched_boxes(band, [band.entries[0].shape], [frame])[frame]
        if box[2] <= box[0] or box[3] <= box[1]:
            return None
        files = entry.source.files
        found = self.alpha(files, self.number(files, frame))
        if found is None:
            if self.fringes.whole:
                raise NoSource(f"'{entry.shape.name}' has no file of frame {frame}: bring it in, or let the line not be live there.")
            return None
        x0, y0, x1, y1 = box
        cover = stored(render(band, frame, box=box).alpha)
        return Solved(box=box, alpha=np.ascontiguousarray(found[y0:y1, x0:x1]), cover=cover, unknown=cover > 0, steady=True)

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """Nothing of it is taught."""
        return None

    def whole_keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, the file: it does not change under its name."""
        files = matte.entries[at].source.files
        return {f: f"{files} {self.number(files, f)}" for f in frames}
