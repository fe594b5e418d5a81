"""What the lines of a tryout are laid on."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.picture import display
from roto.tryout.laying import Box
from roto.tryout.model import Line
from roto.tryout.placing import Picture


class Coded:
    """A picture (h, w, 3) of 8 bits as it is displayed, in linear light of which no more is made than is asked for."""

    def __init__(self, codes: NDArray[np.uint8]) -> None:
        self._codes = codes

    def __getitem__(self, where: tuple[slice, slice]) -> NDArray[np.float32]:
        return display.light_of_codes(self._codes[where])


class Canvas:
    """What lines are laid on: black, or a picture that covers all and is there already, of which no more is copied than something is laid
    on. light: float32 (h, w, 3), valid in `box`. clip: the shot and frame that lie below, which `line` shows."""

    def __init__(
        self, size: tuple[int, int], below: Picture | Coded | None = None, line: Line | None = None, clip: tuple[str, int] | None = None
    ) -> None:
        self.clip, self._line, self._below = clip, line, below
        kind = np.zeros if below is None else np.empty
        self.light: NDArray[np.float32] = kind((size[1], size[0], 3), np.float32)
        self.box: Box = (0, 0, *size) if below is None else (0, 0, 0, 0)

    @property
    def laid_on(self) -> bool:
        """Whether anything was laid on what lies below."""
        return self.box[0] < self.box[2]

    def begins_with(self, line: Line) -> bool:
        """Whether what lies below shows what a line shows: then the line changes something only where others have. Such are words that
        somebody walks before."""
        first = self._line
        if first is None or line.done.added or line.done.shadow is not None or (line.through is not None and line.through.along):
            return False
        return line.shows == first.shows and line.place == first.place and replace(line.done, opacity=first.done.opacity) == first.done

    def below(self, box: Box) -> Picture:
        """What lies below, in a box."""
        assert self._below is not None, "something begins it"
        return self._below[box[1] : box[3], box[0] : box[2]]

    def open(self, region: Box) -> NDArray[np.float32]:
        """The light, valid in a region too."""
        if self._below is not None:
            if self.box[0] == self.box[2]:
                self.box = (region[0], region[1], region[0], region[3])  # as high as that, and still of no width
            x0, y0, x1, y1 = self.box
            left, top, right, bottom = min(x0, region[0]), min(y0, region[1]), max(x1, region[2]), max(y1, region[3])
            for rows, columns in (
                (slice(top, y0), slice(left, right)), (slice(y1, bottom), slice(left, right)),
                (slice(y0, y1), slice(left, x0)), (slice(y0, y1), slice(x1, right)),
            ):  # fmt: skip
                self.light[rows, columns] = self._below[rows, columns]
            self.box = (left, top, right, bottom)
        return self.light

    def whole(self) -> NDArray[np.float32]:
        """All of it."""
        return self.open((0, 0, self.light.shape[1], self.light.shape[0]))
