"""What is done to a premultiplied picture (h, w, 4) in linear light: light and colour, blur, blocks, a flat colour, a shadow.

Blurs are OpenCV's, separable; beyond the border the last pixel goes on.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.motion import interpolate
from roto.tryout.drawing import colour
from roto.tryout.model import Channel, Done, Shadow, keys_of
from roto.tryout.placing import Picture, resized

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""brightness of linear red, green and blue (ITU-R BT.709)"""


def blurred(picture: Picture, px: float) -> Picture:
    """Blurred by a bell that reaches about `px` pixels, half of which is its standard deviation."""
    if px <= 0.05:
        return picture
    made = np.asarray(cv2.GaussianBlur(picture, (0, 0), px / 2, borderType=cv2.BORDER_REPLICATE), np.float32)
    return made.reshape(picture.shape)


def blocks(picture: Picture, side: int) -> Picture:
    """In blocks of that many pixels, each the mean of what it covers, counted from the left top corner."""
    h, w = picture.shape[:2]
    if side <= 1:
        return picture
    down, right = -h % side, -w % side
    whole = cv2.copyMakeBorder(picture, 0, down, 0, right, cv2.BORDER_REPLICATE)
    small = resized(np.asarray(whole, np.float32), ((w + right) // side, (h + down) // side))
    return np.asarray(np.repeat(np.repeat(small, side, axis=0), side, axis=1)[:h, :w])


def number(channel: Channel, frame: int, rest: float) -> float:
    """One keyed number at a frame, never beyond the keys beside it."""
    keys = keys_of(channel, 1, "keys")
    return rest if keys is None else float(interpolate.evaluate(keys, frame, frame, within=True)[0, 0, 0])


def gains(done: Done, frame: int) -> NDArray[np.float32]:
    """By how much red, green and blue are multiplied at a frame: gain and exposure."""
    keys = keys_of(done.gain, 3, "gain")
    gain = np.ones(3) if keys is None else interpolate.evaluate(keys, frame, frame, within=True)[0, :, 0]
    return (gain * 2.0**done.exposure).astype(np.float32)


def coloured(picture: Picture, done: Done, frame: int) -> Picture:
    """Exposure, gain, saturation and tint."""
    gain = gains(done, frame)
    if (gain == 1).all() and done.saturation == 1 and not done.tinted:
        return picture
    rgb = picture[:, :, :3] * gain
    if done.saturation != 1 or done.tinted:
        luma = (rgb @ LUMA)[:, :, None]
        rgb = np.maximum(luma + np.float32(done.saturation) * (rgb - luma), 0)
        tint = colour(done.tint)
        rgb = rgb + np.float32(done.tinted) * (luma * tint / max(float(tint @ LUMA), 1e-4) - rgb)
    return np.dstack([rgb, picture[:, :, 3]]).astype(np.float32)


def finished(picture: Picture, done: Done, frame: int, scale: float) -> Picture:
    """All that is done to what is shown before it is seen through anything."""
    out = coloured(picture, done, frame)
    if done.flat:
        return np.dstack([out[:, :, 3:] * colour(done.flat), out[:, :, 3]]).astype(np.float32)
    if done.blocks > 1:
        out = blocks(out, max(1, round(done.blocks * scale)))
    return blurred(out, done.blur * scale)


def shadow(alpha: NDArray[np.float32], said: Shadow, scale: float) -> NDArray[np.float32]:
    """How dark (h, w) the shadow of alpha (h, w) is: moved, blurred, weakened."""
    turn = np.radians(said.turn)
    move = np.array([[1, 0, np.cos(turn) * said.away * scale], [0, 1, np.sin(turn) * said.away * scale]])
    moved = cv2.warpAffine(alpha, move, alpha.shape[::-1], flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    if said.blur * scale > 0.05:
        moved = cv2.GaussianBlur(moved, (0, 0), said.blur * scale / 2, borderType=cv2.BORDER_CONSTANT)
    return moved.astype(np.float32) * np.float32(said.strength)
