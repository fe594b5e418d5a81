"""Which frame of a clip is shown when: begun somewhere, reversed, quicker or slower, held, and what follows beyond its ends."""

import numpy as np

from roto.motion import interpolate
from roto.tryout.model import Clip, keys_of


def clip_frame(clip: Clip, frame: int, own: tuple[int, int], first: int, pace: float = 1.0) -> int | None:
    """The frame of a clip with frames own[0]..own[1] that a tryout which begins on `first` shows on one of its frames; None beyond its ends
    where it ends there. pace: its frames in the time of one of the tryout's.

    Speeds are summed from the frame on which it begins: each frame goes on by the mean of the speeds at its two ends. The nearest whole
    frame is shown, an earlier one where two are as near.
    """
    if clip.hold is not None:
        return min(max(clip.hold, own[0]), own[1])
    begin = first if clip.begin is None else clip.begin
    start = clip.start if clip.start is not None else own[1] if clip.reversed else own[0]
    if clip.begin is None and clip.start is None and not clip.reversed and not clip.shot:
        start = begin  # this shot's own plate: each frame shows itself
    gone = travelled(clip, begin, frame) * pace
    at = int(np.ceil(start + (-gone if clip.reversed else gone) - 0.5 - 1e-9))
    if own[0] <= at <= own[1]:
        return at
    if clip.beyond == "end":
        return None
    if clip.beyond == "hold":
        return min(max(at, own[0]), own[1])
    return own[0] + (at - own[0]) % (own[1] - own[0] + 1)


def travelled(clip: Clip, begin: int, frame: int) -> float:
    """Frames of the clip that go by from one frame of the tryout to another (negative before it begins)."""
    keys = keys_of(clip.speed, 1, "speed")
    if keys is None:
        return float(frame - begin)
    low, high = min(begin, frame), max(begin, frame)
    if low == high:
        return 0.0
    times = np.arange(low, high + 1)
    speeds = interpolate.evaluate(keys, times, times, within=True)[:, 0, 0]
    total = float((speeds[1:] + speeds[:-1]).sum() / 2)
    return total if frame >= begin else -total
