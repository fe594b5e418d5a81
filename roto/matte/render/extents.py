"""How far an outline reaches, at several moments: asked for every line of every picture."""

import numpy as np

from roto.jit import kernel


@kernel
def extents(points):
    """Of an outline (T, n, 6) at T moments, by axis (2, 3): the least and the most that its points and tangents reach to at any of them,
    px, and by how much it may swing out between two of them: as far as any point goes from one to the next, and its tangents reach."""
    moments, count, _ = points.shape
    out = np.zeros((2, 3))
    for axis in range(2):
        low, high, before, beyond, way = np.inf, -np.inf, 0.0, 0.0, 0.0
        for t in range(moments):
            for i in range(count):
                at, back, on = points[t, i, axis], points[t, i, axis + 2], points[t, i, axis + 4]
                low, high = min(low, at), max(high, at)
                before, beyond = min(before, back, on), max(beyond, back, on)
                if t:
                    way = max(way, abs(at - points[t - 1, i, axis]))
        out[axis, 0], out[axis, 1], out[axis, 2] = low + before, high + beyond, way + (beyond - before if moments > 1 else 0.0)
    return out
