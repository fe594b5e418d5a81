"""The shot PIER_050: somebody in a long coat walks along the pier, behind its posts; the camera is held by hand."""

from functools import lru_cache

import cv2
import numpy as np

from demo.sprites import Picture, Pose, Sprite, curve, draw, fill, noise, stroke

STEP = 26.0
"""frames of one step of both legs"""
COAT = ((120, 20), (182, 46), (204, 150), (214, 280), (226, 400), (120, 414), (14, 400), (28, 280), (38, 150), (58, 46))
HEAD = ((70, 14), (112, 30), (124, 74), (104, 118), (66, 126), (32, 106), (20, 66), (34, 28))
ARM = ((30, 12), (54, 20), (60, 110), (56, 196), (40, 226), (20, 214), (12, 110), (10, 26))
LEG = ((40, 8), (66, 14), (62, 110), (58, 190), (84, 214), (78, 226), (24, 224), (26, 110), (18, 16))
"""places on the sprites' outlines, which run smoothly through them"""
POSTS = (640.0, 1010.0, 1420.0)
"""where the posts stand, px from the left, when the camera is at rest"""
POST = ((12, 6), (68, 6), (70, 700), (10, 700))
"""corners of a post on its sprite"""
ANCHORS = {"coat": (120, 60), "head": (72, 120), "arm": (36, 24), "leg": (42, 20), "post": (40, 10)}


def shake(t: float) -> tuple[float, float]:
    """How far (px) the hand has moved the picture."""
    return 7 * np.sin(t / 6.3) + 4 * np.sin(t / 2.9 + 1), 5 * np.sin(t / 5.1) + 3 * np.sin(t / 3.3 + 2)


def _at(t: float, x: float, y: float, turn: float) -> Pose:
    """A part of the walker, from where the neck is: it goes on, and bobs with each step."""
    dx, dy = shake(t)
    bob = 5 * np.cos(4 * np.pi * t / STEP)
    return Pose(430 + 10.4 * t + dx + x, 452 + bob + dy + y, turn, 1.12)


def swing(t: float, degrees: float, late: float = 0.0) -> float:
    """Degrees that a limb has swung."""
    return float(degrees * np.sin(2 * np.pi * (t / STEP + late)))


def coat_pose(t: float) -> Pose:
    return _at(t, 0, 0, swing(2 * t, 1.2))


def head_pose(t: float) -> Pose:
    return _at(t, 6, -32, 2.0 * float(np.sin(t / 14)))


def arm_pose(t: float) -> Pose:
    return _at(t, 4, 40, swing(t, 20))


def leg_pose(t: float) -> Pose:
    return _at(t, -6, 340, swing(t, -19))


def other_leg_pose(t: float) -> Pose:
    return _at(t, 8, 340, swing(t, 19))


def post_pose(x: float, t: float) -> Pose:
    """A post, moved by the hand alone."""
    dx, dy = shake(t)
    return Pose(x + dx, 420 + dy, 0, 1.0)


def walker() -> dict[str, Sprite]:
    """The walker's parts by name, and a post."""

    def coat(canvas: Picture, k: float) -> None:
        fill(canvas, curve(COAT), (0.33, 0.37, 0.30), k)
        mask = canvas[:, :, 3].copy()
        for x in range(40, 220, 34):
            stroke(canvas, [(x, 40), (x + 12, 420)], (0.25, 0.29, 0.24), 4, k)
        stroke(canvas, [(30, 250), (216, 246)], (0.22, 0.18, 0.14), 9, k)
        canvas *= (mask > 0)[:, :, None]

    def head(canvas: Picture, k: float) -> None:
        fill(canvas, curve(HEAD), (0.75, 0.57, 0.46), k)
        mask = canvas[:, :, 3].copy()
        fill(canvas, [(0, 0), (160, 0), (160, 50), (0, 62)], (0.52, 0.24, 0.20), k)
        stroke(canvas, [(0, 62), (160, 50)], (0.40, 0.18, 0.15), 6, k)
        canvas *= (mask > 0)[:, :, None]

    def arm(canvas: Picture, k: float) -> None:
        fill(canvas, curve(ARM), (0.38, 0.42, 0.34), k)
        mask = canvas[:, :, 3].copy()
        fill(canvas, [(0, 186), (80, 182), (80, 240), (0, 240)], (0.75, 0.57, 0.46), k)
        canvas *= (mask > 0)[:, :, None]

    def leg(canvas: Picture, k: float) -> None:
        fill(canvas, curve(LEG), (0.24, 0.27, 0.32), k)
        mask = canvas[:, :, 3].copy()
        fill(canvas, [(0, 178), (100, 178), (100, 240), (0, 240)], (0.20, 0.15, 0.11), k)
        canvas *= (mask > 0)[:, :, None]

    def post(canvas: Picture, k: float) -> None:
        fill(canvas, POST, (0.46, 0.39, 0.30), k)
        for y in range(40, 700, 57):
            stroke(canvas, [(14, y), (66, y + 9)], (0.34, 0.28, 0.21), 3, k)
        fill(canvas, [(10, 120), (70, 120), (70, 140), (10, 140)], (0.70, 0.66, 0.55), k)

    return {
        "coat": draw(240, 430, ANCHORS["coat"], coat, 61, 0.09, 0.8),
        "head": draw(150, 140, ANCHORS["head"], head, 62, 0.06, 0.8),
        "arm": draw(80, 240, ANCHORS["arm"], arm, 63, 0.08, 0.8),
        "leg": draw(100, 240, ANCHORS["leg"], leg, 64, 0.08, 0.8),
        "post": draw(80, 710, ANCHORS["post"], post, 65, 0.12, 1.2),
    }


@lru_cache(maxsize=1)
def ground() -> Picture:
    """Sea and sky, and the planks of the pier."""
    rng = np.random.default_rng(57)
    y = np.linspace(0, 1, 1080, dtype=np.float32)[:, None, None]
    out = np.repeat(np.array([0.66, 0.72, 0.76]) * (1 - y) + np.array([0.84, 0.82, 0.76]) * y, 1920, axis=1).astype(np.float32)
    out += noise(rng, 1080, 1920, (30, 90, 240))[:, :, None] * 0.04
    sea = np.array([0.38, 0.48, 0.53], np.float32) + noise(rng, 1080, 1920, (3, 9, 40))[:, :, None] * 0.07
    out[560:] = sea[560:]
    planks = np.array([0.55, 0.48, 0.38], np.float32) + noise(rng, 1080, 1920, (2, 7, 60))[:, :, None] * 0.07
    out[900:] = planks[900:]
    for edge in range(900, 1080, 30):
        cv2.line(out, (0, edge), (1919, edge + 6), (0.34, 0.29, 0.23), 3, cv2.LINE_AA)
    return cv2.GaussianBlur(out, (0, 0), 2.2)
