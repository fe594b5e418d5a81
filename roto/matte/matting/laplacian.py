"""Alpha solved from a picture where it is unknown, from where it is known.

He, Sun, Tang: Fast matting using large kernel matting Laplacian matrices (CVPR 2010), after Levin, Lischinski, Weiss: A closed-form
solution to natural image matting (PAMI 2008): within each small window alpha is an affine function of colour. The Laplacian is never
written down; it is applied by box filters, and SciPy's conjugate gradients find the unknown values.
"""

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse.linalg import LinearOperator, cg

from roto.tolerances import MATTING_REGULAR, MATTING_REST

RADIUS = 12
"""px: windows are 2 RADIUS + 1 wide. Measured on the tufts of the demo's hat: 7 px leaves a mean error of 0.023, 12 px 0.019, 20 px 0.034;
windows of 3 x 3, as in the first paper, 0.05, since thin tufts cut off what lies between them."""
MOST_TURNS = 200
"""of the conjugate gradients: some 20 are needed; this many end the work in any case"""

Plane = NDArray[np.float64]
"""throughout in double precision: where a window holds two flat colours only, its inverse is huge and its products nearly cancel"""


def _box(plane: Plane, radius: int) -> Plane:
    size = (2 * radius + 1, 2 * radius + 1)
    return np.asarray(cv2.boxFilter(plane, -1, size, normalize=False, borderType=cv2.BORDER_CONSTANT), dtype=np.float64)


class Laplacian:
    """The large-kernel matting Laplacian of a picture (h, w, 3), float32 0..1, both sides longer than a window."""

    def __init__(self, picture: NDArray[np.float32], radius: int = RADIUS, regular: float = MATTING_REGULAR) -> None:
        height, width = picture.shape[:2]
        self.radius = radius
        self.colours = [np.ascontiguousarray(picture[:, :, c], dtype=np.float64) for c in range(3)]
        area = float((2 * radius + 1) ** 2)
        self.inside = np.zeros((height, width))  # the middles of windows that lie wholly within the picture
        self.inside[radius : height - radius, radius : width - radius] = 1.0
        mean = [_box(c, radius) / area for c in self.colours]
        spread = {}
        for i in range(3):
            for j in range(i, 3):
                spread[i, j] = _box(self.colours[i] * self.colours[j], radius) / area - mean[i] * mean[j]
                if i == j:
                    spread[i, j] += regular / area
        self.inverse = _inverted(spread, self.inside / area)
        self.pulled = [self._by_inverse(mean, i) for i in range(3)]
        self.part = self.inside / area + sum(m * p for m, p in zip(mean, self.pulled, strict=True))
        self.count = _box(self.inside, radius)

    def _by_inverse(self, planes: list[Plane], i: int) -> Plane:
        return sum((self.inverse[min(i, j), max(i, j)] * planes[j] for j in range(1, 3)), self.inverse[0, i] * planes[0])

    def diagonal(self) -> Plane:
        """The Laplacian's diagonal (h, w)."""
        out = _box(self.inside - self.part, self.radius)
        summed = {key: _box(v, self.radius) for key, v in self.inverse.items()}
        for i in range(3):
            pull = 2.0 * _box(self.pulled[i], self.radius)
            for j in range(3):
                pull -= summed[min(i, j), max(i, j)] * self.colours[j]
            out += self.colours[i] * pull
        return out

    def __call__(self, alpha: Plane) -> Plane:
        """The Laplacian applied to (h, w) of alpha."""
        total = _box(alpha, self.radius)
        products = [_box(alpha * c, self.radius) for c in self.colours]
        out = self.count * alpha
        rest = total * self.part
        for i in range(3):
            rest -= products[i] * self.pulled[i]
            out += self.colours[i] * _box(total * self.pulled[i] - self._by_inverse(products, i), self.radius)
        return out - _box(rest, self.radius)


def _inverted(spread: dict[tuple[int, int], Plane], times: Plane) -> dict[tuple[int, int], Plane]:
    """The inverses of symmetrical 3 x 3 matrices, given and returned by their upper triangle, times a plane."""
    a, b, c, d, e, f = (spread[key] for key in ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2)))
    cofactors = {
        (0, 0): d * f - e * e, (0, 1): c * e - b * f, (0, 2): b * e - c * d,
        (1, 1): a * f - c * c, (1, 2): b * c - a * e, (2, 2): a * d - b * b,
    }  # fmt: skip
    scale = times / (a * cofactors[0, 0] + b * cofactors[0, 1] + c * cofactors[0, 2])
    return {key: value * scale for key, value in cofactors.items()}


def solve_alpha(
    picture: NDArray[np.float32], known: NDArray[np.float32], unknown: NDArray[np.bool_], *, radius: int = RADIUS
) -> NDArray[np.float32]:
    """Alpha (h, w), 0..1: as `known` has it, but where it is unknown, solved from the picture (h, w, 3; float32 0..1).

    Nothing is known of what no window joins to a known place; that becomes 0.
    """
    height, width = unknown.shape
    room = [(max(0, 2 * radius + 1 - n),) * 2 for n in (height, width)]  # a small picture is mirrored until a window has room
    if any(r[0] for r in room):
        picture = np.pad(picture, (*room, (0, 0)), mode="symmetric")
        known, unknown = np.pad(known, room, mode="symmetric"), np.pad(unknown, room, mode="symmetric")
    laplacian = Laplacian(picture, radius)
    fixed = np.where(unknown, 0.0, known).astype(np.float64)
    plane = np.zeros_like(fixed)

    def push(values: Plane) -> Plane:
        plane[unknown] = values
        return np.asarray(laplacian(plane)[unknown])

    diagonal = laplacian.diagonal()[unknown]
    quick = np.where(diagonal > 0, 1.0 / np.maximum(diagonal, 1e-12), 0.0)
    count = len(diagonal)
    operator = LinearOperator((count, count), matvec=push, dtype=np.float64)
    nearly = LinearOperator((count, count), matvec=lambda values: quick * values, dtype=np.float64)
    found, _ = cg(operator, -laplacian(fixed)[unknown], rtol=MATTING_REST, maxiter=MOST_TURNS, M=nearly)
    fixed[unknown] = found
    out = np.clip(fixed, 0.0, 1.0)
    (top, _), (left, _) = room
    return np.ascontiguousarray(out[top : top + height, left : left + width], dtype=np.float32)
