"""What a delivered picture amounts to, in a few numbers: taken before it is written, and again after it was read back."""

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Bytes
from roto.package import sums
from roto.picture.reading_png import GreyRows


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """Of the matte of a picture (its alpha, or its channels together). area: px that it covers. x, y: its centre in px, the middle of the
    picture where it is empty. zeros, ones: px that are exactly 0 and exactly 1. box: what holds all that is not 0: x0, y0, x1, y1."""

    area: float
    x: float
    y: float
    zeros: int
    ones: int
    box: tuple[int, int, int, int]

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Self:
        """From what `to_json` gave."""
        return cls(**{**data, "box": tuple(data["box"])})


OF_COLOURS = ("over", "tryout")
"""contents without a matte of their own"""


@lru_cache
def _halves(kind: str) -> NDArray[np.float32]:
    """What every code of a half float stands for, with either byte first."""
    return np.arange(65536, dtype=np.uint16).view(kind).astype(np.float32)


class Measuring:
    """Measures a picture strip by strip, from the top down: what was just read is still in the processor's cache."""

    def __init__(self) -> None:
        self.height, self.width, self.top = 0, 0, 1.0
        self._line: NDArray[Any] = np.empty(0)
        self._sums = np.array([0.0, 0.0, 0.0, 0.0, 0.0, -1.0, -1.0, 0.0, 0.0])

    def add(self, alpha: NDArray[Any]) -> None:
        """The next rows (h, w), as wide as those before: uint8 or uint16 (either byte first), 1 being full scale, or float or half 0..1."""
        rows = alpha if alpha.strides[1] == alpha.itemsize else np.ascontiguousarray(alpha)
        self._add(rows.view(np.uint8), rows.dtype)

    def add_grey(self, strip: GreyRows) -> None:
        """The next rows, as they lie in a PNG."""
        self._add(strip.rows, strip.kind, skip=1, up=strip.up)

    def add_picture(self, pixels: NDArray[Any], content: str) -> None:
        """The next rows of a picture as it is delivered, see `alpha_in`."""
        if pixels.ndim == 3 and content in OF_COLOURS and pixels.dtype in (np.uint8, np.uint16) and pixels.dtype.isnative:
            rows = np.ascontiguousarray(pixels[:, :, :3]).reshape(len(pixels), -1)
            sums.add_colours(rows, np.iinfo(pixels.dtype).max, self.height, self._sums)
            self.height, self.width = self.height + len(pixels), pixels.shape[1]
        else:
            self.add(alpha_in(pixels, content))

    def _add(self, rows: Bytes, form: np.dtype[Any], skip: int = 0, up: bool = False) -> None:
        if not self._line.size:
            self._line = np.zeros((rows.shape[1] - skip) // form.itemsize, form)
        line, size = self._line, form.itemsize
        self.width = len(line)
        self.top = float(np.iinfo(form).max) if form.kind == "u" else 1.0
        words = line.view(np.uint64) if line.nbytes % 8 == 0 else np.empty(0, np.uint64)
        whole = np.full(8 // size, self.top, form).view(np.uint64)[0]
        codes = line if size == 4 else line.view(np.uint8 if size == 1 else np.uint16)
        kind = sums.LOOKED_UP if form.kind != "u" else sums.WHOLE if form.isnative else sums.SWAPPED
        table = _halves(form.str) if form.kind == "f" and size == 2 else np.empty(0, np.float32)
        sums.add_rows(rows, skip, up, line.view(np.uint8), codes, words, whole, table, self.top, kind, self.height, self._sums)
        self.height += len(rows)

    def measure(self) -> Measure:
        """Of all rows so far."""
        out, total = self._sums, float(self._sums[0])
        x, y = (out[1] / total + 0.5, out[2] / total + 0.5) if total > 0 else (self.width / 2, self.height / 2)
        box = (int(out[5]), int(out[6]), int(out[7]), int(out[8])) if out[6] >= 0 else (0, 0, 0, 0)
        return Measure(area=total / self.top, x=float(x), y=float(y), zeros=int(out[3]), ones=int(out[4]), box=box)


def measure(pixels: NDArray[Any], content: str = "matte") -> Measure:
    """Of a whole picture as it is delivered; see `alpha_in`, and for a matte `Measuring.add`."""
    it = Measuring()
    it.add_picture(pixels, content)
    return it.measure()


def alpha_in(pixels: NDArray[Any], content: str) -> NDArray[Any]:
    """The matte in a picture as it is delivered: alpha where there is one, the first channel of several mattes, else the picture.

    pixels (h, w) or (h, w, c). content: a key of CONTENTS. Of a picture without a matte of its own, the mean of colours.
    """
    if pixels.ndim == 2:
        return pixels
    if content in ("straight", "premultiplied"):
        return pixels[:, :, 3]
    if content in OF_COLOURS:
        return _mean_of_colours(pixels)
    return pixels[:, :, 0]


def _mean_of_colours(pixels: NDArray[Any]) -> NDArray[np.float32]:
    """0..1 (h, w), of the first three channels."""
    whole = np.float32(3 * (np.iinfo(pixels.dtype).max if pixels.dtype.kind == "u" else 1))
    wide = {np.dtype(np.uint8): cv2.CV_16U, np.dtype(np.uint16): cv2.CV_32S}.get(pixels.dtype)
    if wide is None:
        total = np.add(pixels[:, :, 0], pixels[:, :, 1], dtype=np.float32) + pixels[:, :, 2]
    else:
        one, other, third = cv2.split(pixels)[:3]
        total = np.asarray(cv2.add(cv2.add(one, other, dtype=wide), third, dtype=wide))
    return np.asarray(total / whole, dtype=np.float32)
