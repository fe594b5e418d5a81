"""Which frame to finish next."""

from collections.abc import Mapping, Sequence

import cv2
import numpy as np

from roto.arrays import Floats
from roto.matte.teaching.looking import Grey

APART = 2
"""frames: nearer to a finished one nothing new is learned"""
Described = Mapping[str, Floats]
"""by what is said of a frame (`SAYS`), its numbers"""
SAYS = {
    "pose": "its outline looks otherwise",
    "size": "it is of another size",
    "place": "it is elsewhere in the picture",
    "ground": "it stands before another ground",
    "blur": "it is blurred otherwise",
}


def described(outline: Floats, picture: Grey, scale: float) -> Described:
    """What a frame is like: from the band's outline (n, 2) in plate px, and a small picture (h, w, 3), 0..1, so many times as large."""
    middle = outline.mean(axis=0)
    from_there = np.hypot(*(outline - middle).T)
    size = float(from_there.mean()) + 1e-6
    h, w = picture.shape[:2]
    x0, y0 = np.clip(np.floor(outline.min(axis=0) * scale), 0, [w - 1, h - 1]).astype(int)
    x1, y1 = np.clip(np.ceil(outline.max(axis=0) * scale), [x0 + 1, y0 + 1], [w, h]).astype(int)
    there = np.ascontiguousarray(picture[y0:y1, x0:x1])
    sharp = float(np.abs(cv2.Laplacian(there.mean(axis=2), cv2.CV_32F)).mean())
    return {
        "pose": np.concatenate([from_there / size, ((outline - middle) / size).ravel() * 0.5]),
        "size": np.array([np.log(size)]),
        "place": middle * scale / np.array([w, h]),
        "ground": np.concatenate([there.mean(axis=(0, 1)), there.std(axis=(0, 1))]).astype(np.float64),
        "blur": np.array([np.log(sharp + 1e-4)]),
    }


def differs_most(frames: Mapping[int, Described], finished: Sequence[int]) -> tuple[int, str] | None:
    """The frame that is least like any finished one, and what is most different there; the most usual frame where none is finished.

    The spread of each thing over all frames is its measure. None where all are finished, or too near.
    """
    numbers = sorted(frames)
    free = [f for f in numbers if all(abs(f - one) >= APART for one in finished)]
    if not free:
        return None
    apart = {}
    for what in SAYS:
        rows = np.stack([frames[f][what] for f in numbers])
        far = np.sqrt(((rows[:, None] - rows[None]) ** 2).sum(axis=2))
        apart[what] = far / (float(far.mean()) + 1e-9) if far.max() > 1e-6 else np.zeros_like(far)
    total = sum(apart.values(), np.zeros((len(numbers), len(numbers))))
    at = {f: k for k, f in enumerate(numbers)}
    known = [at[f] for f in finished if f in at]
    if not known:
        return min(free, key=lambda f: float(total[at[f]].sum())), "it is most like all the others"
    best = max(free, key=lambda f: float(total[at[f], known].min()))
    near = min(known, key=lambda k: float(total[at[best], k]))
    return best, SAYS[max(SAYS, key=lambda what: float(apart[what][at[best], near]))]


def least_sure(doubts: Mapping[int, float], finished: Sequence[int]) -> int | None:
    """The frame of which a model is least sure (`Model.said`); None where all are finished, or too near."""
    free = {f: doubt for f, doubt in doubts.items() if all(abs(f - one) >= APART for one in finished)}
    return max(free, key=lambda f: free[f]) if free else None
