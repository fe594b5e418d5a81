"""What the lines of a tryout are laid on."""

import numpy as np
from numpy.typing import NDArray

from roto.tryout.laying import Box
from roto.tryout.placing import Picture


class Canvas:
    """What lines are laid on: black, or a picture that covers all and is there already, of which no more is copied than something is laid
    on. light: float32 (h, w, 3), valid in `box`. clip: the shot and frame that lie below."""

    def __init__(self, size: tuple[int, int], below: Picture | None = None, clip: tuple[str, int] | None = None) -> None:
        self.clip, self._below = clip, below
        kind = np.zeros if below is None else np.empty
        self.light: NDArray[np.float32] = kind((size[1], size[0], 3), np.float32)
        self.box: Box = (0, 0, *size) if below is None else (0, 0, 0, 0)

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
