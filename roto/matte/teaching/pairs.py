"""Whether a matte belongs to the picture that it stands beside: its edges fall on the picture's edges better than on those of the frames
around it."""

from collections.abc import Mapping

import cv2
import numpy as np

from roto.matte.teaching.looking import Grey

BETTER = 1.25
"""times as well must it lie on another frame to be thought that one's"""
AN_EDGE = 1.0
"""times as steep as it is around there must the picture be under a matte's edge to be thought its edge at all"""
LEAST = 0.05
"""of alpha a pixel: what counts as edge"""


def lies(alpha: Grey, picture: Grey) -> float:
    """How well the edges of a matte (h, w) lie on those of a picture (h, w, 3), both 0..1: the picture's slope across the edge beside its
    slope around there; 0 where the matte has no edge."""
    ax, ay = (cv2.Sobel(cv2.GaussianBlur(alpha, (0, 0), 0.8), cv2.CV_32F, *way, ksize=3) / 8 for way in ((1, 0), (0, 1)))
    grey = cv2.GaussianBlur(picture.mean(axis=2), (0, 0), 0.8)
    px, py = (cv2.Sobel(grey, cv2.CV_32F, *way, ksize=3) / 8 for way in ((1, 0), (0, 1)))
    steep = np.hypot(ax, ay)
    edge = steep > LEAST
    if not edge.any():
        return 0.0
    around = cv2.blur(np.hypot(px, py), (15, 15)) + np.float32(1e-3)
    across = np.abs(ax * px + ay * py)[edge] / steep[edge] / around[edge]
    return float((across * steep[edge]).sum() / steep[edge].sum())


def better_on(alpha: Grey, frame: int, pictures: Mapping[int, Grey]) -> int | None:
    """The frame among these pictures, of the matte's size, that a matte lies clearly better on than on its own; None where it is right."""
    how_well = {f: lies(alpha, picture) for f, picture in pictures.items()}
    best = max(how_well, key=lambda f: how_well[f])
    return best if best != frame and how_well[best] > max(AN_EDGE, BETTER * how_well[frame]) else None
