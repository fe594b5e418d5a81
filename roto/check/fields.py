"""The inner loops over the small pictures of the check: compiled, since each is many passes over little otherwise."""

import numpy as np

from roto.jit import kernel


@kernel
def within(flow, weight, out):
    """Flows (h, w, n) times a weight (h, w), into `out`, which it returns."""
    height, width, count = flow.shape
    for y in range(height):
        for x in range(width):
            for c in range(count):
                out[y, x, c] = flow[y, x, c] * weight[y, x]
    return out


@kernel
def means(sums, near, out):
    """Sums of flows (h, w, n) over how much (h, w) there was to be summed, into `out`, which it returns."""
    height, width, count = sums.shape
    for y in range(height):
        for x in range(width):
            part = max(near[y, x], np.float32(1e-6))
            for c in range(count):
                out[y, x, c] = sums[y, x, c] / part
    return out


@kernel
def lay_on(near, mean, whole, known):
    """Means (h, w, n), where something was near and nothing is known yet, onto the `whole`."""
    height, width, count = mean.shape
    for y in range(height):
        for x in range(width):
            fresh = min(near[y, x] * np.float32(50), np.float32(1)) * (np.float32(1) - known[y, x])
            for c in range(count):
                whole[y, x, c] += fresh * mean[y, x, c]
            known[y, x] += fresh


@kernel
def lay_where(flow, weight, out):
    """Flows (h, w, n) onto others where the weight (h, w) is not 0."""
    height, width, count = flow.shape
    for y in range(height):
        for x in range(width):
            if weight[y, x] > 0:
                for c in range(count):
                    out[y, x, c] = flow[y, x, c]


@kernel
def left_over(here, found, out):
    """What values (h, w) have more than what was found for them, into `out`; 0 where nothing (NaN) was."""
    height, width = here.shape
    for y in range(height):
        for x in range(width):
            left = here[y, x] - found[y, x]
            out[y, x] = left if left == left else np.float32(0)
    return out


@kernel
def _least(one, other):
    """The smaller of two differences where both are of one sign, else 0."""
    zero = np.float32(0)
    return max(min(one, other), zero) + min(max(one, other), zero)


@kernel
def apart(before, after, here, one, other, out):
    """Of two differences and that to the mean of two others, all (h, w), the least where all three are of one sign, else 0; into `out`."""
    height, width = here.shape
    half = np.float32(0.5)
    for y in range(height):
        for x in range(width):
            out[y, x] = _least(_least(before[y, x], after[y, x]), here[y, x] - (one[y, x] * half + other[y, x] * half))
    return out


@kernel
def alike(grey, found, where, weight, right, bottom):
    """Of two pictures (h, w) within a weight (h, w): how many px are wanted; how many of these are found, at places (h, w, 2) up to `right`
    and `bottom`; and the sums over these of the squares of the one, the squares of the other, and the products, each about its mean."""
    height, width = grey.shape
    wanted, count, one, other, ones, others, both = 0, 0, 0.0, 0.0, 0.0, 0.0, 0.0
    for y in range(height):
        for x in range(width):
            if weight[y, x] > 0:
                wanted += 1
                if 0.0 <= where[y, x, 0] <= right and 0.0 <= where[y, x, 1] <= bottom:
                    a, b = float(grey[y, x]), float(found[y, x])
                    count += 1
                    one += a
                    other += b
                    ones += a * a
                    others += b * b
                    both += a * b
    many = max(count, 1)
    return wanted, count, ones - one * one / many, others - other * other / many, both - one * other / many


@kernel
def forget_beyond(left, flow, x0, y0, right, bottom, still):
    """Set values (h, w) to 0 where a flow (h, w, 2) may come from beyond a picture's border, or go there. x0, y0: where the part lies in
    the picture; right, bottom: its last column and row; still: what moves less goes nowhere."""
    height, width = left.shape
    for y in range(height):
        down = min(y0 + y, bottom - y0 - y)
        for x in range(width):
            along, away = abs(flow[y, x, 0]), abs(flow[y, x, 1])
            if (along > still and min(x0 + x, right - x0 - x) < along + 2) or (away > still and down < away + 2):
                left[y, x] = 0
