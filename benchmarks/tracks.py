"""What follows the picture, and how few keys are needed: on plates and motions with known truth that are not the demo's."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

from benchmarks.clips import Clip, texture, turning
from benchmarks.truth import demo_matte
from demo.scenes import scenes
from demo.tracing import finished
from roto.arrays import Floats
from roto.matte.render import render
from roto.motion import correct, edits, interpolate, placement
from roto.motion.keys import STRAIGHT, Keys
from roto.motion.shape import Shape
from roto.motion.steady_form import steady
from roto.picture import display, stills
from roto.track import edge_fit
from roto.track.align import PERSPECTIVE, grey_of, mapped
from roto.track.follow import Follower, Step, around_point
from roto.track.thin import baked, looked_at, thin
from roto.track.track import Carrier, Track

Row = tuple[str, str, str]
SPOT = np.array([[45.3, 35.2]])
WANTED = 0.5
"""px: the 95th percentile of the distance that no frame may pass"""


def _off(clip: Clip, steps: list[Step], spots: Floats) -> Floats:
    home = clip.at(0, spots)
    return np.array([np.hypot(*(mapped(s.map, home) - clip.at(s.frame, spots)).T) for s in steps if s.map is not None])


def tilting(frame: int) -> Floats:
    """A card of 360 x 300 px in perspective, tilting and going across over 90 frames."""
    t = frame / 90
    ends = np.array([[200 + 80 * t, 90 + 20 * t], [560 + 120 * t, 100 - 10 * t], [540 + 150 * t, 380 + 30 * t], [190 + 40 * t, 400.0]])
    ends[3, 1] += 10 * np.sin(frame / 9)
    begin = np.array([[0, 0], [360, 0], [360, 300], [0, 300]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(begin, ends.astype(np.float32)), np.float64)


def _plane(clip: Clip, spots: Floats) -> Follower:
    quad = clip.at(0, spots)
    low, high = np.floor(quad.min(axis=0)).astype(int), np.ceil(quad.max(axis=0)).astype(int)
    mask = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
    cv2.fillPoly(mask, [np.rint(quad - low).astype(np.int32)], (1,))
    return Follower(clip.grey, 0, (low[0], low[1], high[0], high[1]), mask > 0, model=PERSPECTIVE)


def following() -> list[Row]:
    """How exactly a point and a plane are followed, and what that costs beside reading the frames."""
    clip = Clip(turning(), light=lambda f: 1 + 0.15 * f / 100)
    steps = list(Follower(clip.grey, 0, around_point(*clip.at(0, SPOT)[0], 18)).follow(range(1, 101)))
    error = _off(clip, steps, SPOT)
    rows = [(
        "a point over 100 frames: grain, 15 % light, 30 degrees, 35 % larger",
        f"{len(steps)} frames, RMS {np.sqrt((error**2).mean()):.3f} px, largest {error.max():.3f}",
        "0.1, 0.4",
    )]  # fmt: skip

    def bar(frame: int) -> tuple[float, float, float, float] | None:
        return (200 + (frame - 40) * 60, 0, 320 + (frame - 40) * 60, 540) if 40 <= frame < 48 else None

    plane = Clip(tilting, size=(960, 540), card=(360, 300), light=lambda f: 1 + 0.1 * np.sin(f / 30), cover=bar)
    corners = np.array([[30.0, 30], [330, 30], [330, 270], [30, 270]])
    steps = list(_plane(plane, corners).follow(range(1, 91)))
    error = _off(plane, steps, corners)
    text = f"{len(steps)} frames, corners RMS {np.sqrt((error**2).mean()):.3f} px, largest {error.max():.3f}"
    while_covered = np.sqrt((error[39:47] ** 2).mean())
    rows.append(("a plane in perspective over 90 frames", f"{text}; while something passes {while_covered:.3f}", "RMS 0.05"))
    return rows + _costs()


def _costs(frames: int = 100) -> list[Row]:
    """Full HD from PNG stills: following against bare decoding."""
    big = texture((1100, 800), 4, 3.0)
    ground = texture((1920, 1080), 5, 4.0)
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for frame in range(frames):
            way = np.array([[1, 0.0005 * frame, 300 + 1.7 * frame], [0, 1, 100 + 0.8 * frame], [0, 1e-7 * frame, 1]])
            card = cv2.warpPerspective(big, way, (1920, 1080), flags=cv2.INTER_CUBIC, borderValue=-1)
            grey = np.where(card >= 0, card, ground) + np.random.default_rng(frame).normal(0, 0.01, ground.shape)
            path = Path(folder) / f"{frame}.png"
            stills.write_picture(path, np.repeat((np.clip(grey, 0, 1) * 255).astype(np.uint8)[..., None], 3, axis=2))
            paths.append(path)
        begin = time.perf_counter()
        read = [display.to_screen(stills.read(path), "display") for path in paths]
        decoding = time.perf_counter() - begin

        def took(follower: Follower) -> tuple[int, float]:
            begin = time.perf_counter()
            done = sum(step.map is not None for step in follower.follow(range(1, frames)))
            return done, time.perf_counter() - begin

        def picture(frame: int) -> np.ndarray:
            return grey_of(read[frame])

        for what, follower, most in (
            ("a point", Follower(picture, 0, around_point(700, 450, 16)), "0.5"),
            ("a plane of a quarter of the picture", Follower(picture, 0, (360, 140, 1320, 680), model=PERSPECTIVE), "3"),
        ):
            list(follower.follow(range(1, 3)))  # compiled by now
            done, seconds = took(follower)
            rows.append((f"following {what}, {done} frames of full HD, of bare decoding", f"{seconds / decoding:.2f}", most))
    return rows


def _apart(outlines: Floats, wanted: Floats) -> Floats:
    """The 95th percentile of the distance on each frame, px; places (F, m, 2) of both."""
    return np.asarray(np.percentile(np.hypot(*(outlines - wanted).transpose(2, 0, 1)), 95, axis=1))


def _hand(frames: np.ndarray, seed: int = 1) -> Floats:
    """How a camera in the hand sways (F, 2), px: slow bends, no trembling."""
    rng = np.random.default_rng(seed)
    return np.asarray(sum(a * np.sin(frames[:, None] / p + rng.uniform(0, 6, 2)) for a, p in ((6.0, 17.0), (2.5, 7.0), (0.8, 3.1))))


def plank() -> tuple[Shape, np.ndarray]:
    """A plank that turns by 200 degrees in 48 frames, speeding up and slowing down, filmed by hand; keyed on every frame."""
    frames = np.arange(1, 49)
    turn = 100 * (1 - np.cos(np.pi * (frames - 1) / 47))
    sway = _hand(frames)
    values = np.stack([placement.values((3.0 * f + x, y), a) for f, a, (x, y) in zip(frames, turn, sway, strict=True)])
    box = np.array([[200.0, 200], [420, 200], [420, 240], [200, 240]])
    points = np.concatenate([box, np.zeros((4, 4))], axis=1)
    it = edits.trace("plank", "plank", 1, points, [False] * 4)
    return replace(it, place=Keys.build(frames, values)), frames


def limb() -> tuple[Shape, np.ndarray]:
    """An arm of two parts that swing against each other over 72 frames, filmed by hand; its form keyed on every frame."""
    frames = np.arange(1, 73)
    sway = _hand(frames, 2)
    upper, lower = np.radians(30 * np.sin(frames / 11)), np.radians(30 * np.sin(frames / 11) + 35 * np.sin(frames / 8 + 1))
    outlines = []
    for a, b, shift in zip(upper, lower, sway, strict=True):
        down, across = np.array([np.sin(a), np.cos(a)]), np.array([np.cos(a), -np.sin(a)])
        fore, wide = np.array([np.sin(b), np.cos(b)]), np.array([np.cos(b), -np.sin(b)])
        shoulder = np.array([300.0, 150]) + shift
        elbow = shoulder + 150 * down
        hand = elbow + 140 * fore
        middle = (across + wide) / np.linalg.norm(across + wide)
        ends = [
            shoulder + 24 * across,
            elbow + 20 * middle,
            hand + 13 * wide,
            hand - 13 * wide,
            elbow - 20 * middle,
            shoulder - 24 * across,
        ]
        outlines.append(np.concatenate([np.array(ends), np.zeros((6, 4))], axis=1))
    it = edits.trace("limb", "limb", 1, outlines[0], [False] * 6)
    return replace(it, form=Keys.build(frames, np.array(outlines))), frames


def _evenly(dense: Shape, frames: np.ndarray, wanted: Floats) -> int:
    """Keys needed with evenly spaced form keys of every point and straight in-betweens."""
    for count in range(2, len(frames)):
        on = np.unique(np.rint(np.linspace(0, len(frames) - 1, count)).astype(int))
        few = replace(dense, form=Keys.build(frames[on], dense.form.values[on], kinds=[STRAIGHT] * len(on)))
        if _apart(looked_at(few.outlines(frames)), wanted).max() <= WANTED:
            return len(on)
    return len(frames)


def _suggested(dense: Shape, frames: np.ndarray, wanted: Floats, look: Callable[[Shape], Floats]) -> int:
    """Keyed frames needed when each key goes where the product says: it is traced there, by placement and form, one after the other."""
    base = steady(dense).shape

    def keyed_there(few: Shape, frame: int) -> Shape:
        at = int(np.searchsorted(frames, frame))
        form = correct.put(few.form, frame, base.form.values[at], np.ones(base.form.parts, bool), together=True)
        return replace(few, form=form, place=correct.put(few.place, frame, base.place.values[at], np.ones(3, bool)))

    first = [base.form.values[:1], base.place.values[:1]]
    few = replace(base, form=Keys.build(frames[:1], first[0]), place=Keys.build(frames[:1], first[1]))
    few, keyed = keyed_there(few, int(frames[-1])), [int(frames[0]), int(frames[-1])]
    while True:
        off = _apart(look(few), wanted)
        if off.max() <= WANTED:
            return len(keyed)
        told = edge_fit.where_to_key(off, keyed, int(frames[0]))
        keyed.append(told if told is not None else int(frames[off.argmax()]))
        few = keyed_there(few, keyed[-1])


def _halving(dense: Shape, frames: np.ndarray, wanted: Floats) -> int:
    """Form keys needed in the order ends, middle, quarters: every stretch that is off is halved, until none is."""
    whole = np.ones(dense.form.parts, bool)
    few = replace(dense, form=Keys.build(frames[:1], dense.form.values[:1]))
    few = replace(few, form=correct.put(few.form, int(frames[-1]), dense.form.values[-1], whole, together=True))
    while True:
        off = _apart(looked_at(few.outlines(frames)), wanted)
        if off.max() <= WANTED:
            return len(few.form.frames)
        at = np.searchsorted(frames, few.form.frames)
        for a, b in pairwise(at.tolist()):
            if b - a > 1 and off[a:b].max() > WANTED:
                middle = (a + b) // 2
                few = replace(few, form=correct.put(few.form, int(frames[middle]), dense.form.values[middle], whole, together=True))


def corrections() -> list[Row]:
    """How far a correction goes: a point moved on some frame of a shape that is keyed every 9 frames, on two motions."""
    rng, far, moved = np.random.default_rng(4), [], []
    for it, frames in (plank(), limb()):
        keys = Keys.build(frames[::9], baked(it, frames).form.values[::9])
        for _ in range(100):
            frame, part = int(rng.integers(frames[0], keys.frames[-1])), int(rng.integers(keys.parts))
            by = np.exp(rng.uniform(np.log(0.3), np.log(30))) * np.array([1.0, 0.0])
            was = interpolate.evaluate(keys, frames, frames)
            here = interpolate.evaluate(keys, frame, frame)[0]
            here[part, :2] += by
            after = interpolate.evaluate(correct.put(keys, frame, here, np.arange(keys.parts) == part, together=True), frames, frames)
            off = np.hypot(*(after - was)[:, part, :2].T)
            far.append(float(off.max() / by[0]))
            moved.append(int((off > 1e-6).sum()))
    box = edits.key_here(edits.trace("box", "box", 1, _box(), [False] * 4), "form", 31)
    corner = box.outlines(np.array([3]))[0, 2] + [4.2, 4.2, 0, 0, 0, 0]
    gone = edits.move_points(box, 3, {2: corner}).outlines(np.arange(1, 32))[:, 2, :2] - _box()[2, :2]
    return [
        ("a corner dragged by 5.9 px on frame 3 of 1 to 31: how far it goes, px", f"{np.hypot(*gone.T).max():.1f}", "at most 6.5"),
        ("one point corrected: the frame that moves furthest, of the correction", f"{max(far):.2f} of {len(far)}", "at most 1.1"),
        (
            "frames that move with it, keys every 9 frames",
            f"{np.mean(moved):.0f} on average, {max(moved)} at most",
            "two stretches a side: 35",
        ),
    ]


def _box() -> np.ndarray:
    return np.concatenate([np.array([[20.0, 20], [120, 20], [120, 90], [20, 90]]), np.zeros((4, 4))], axis=1)


def keys() -> list[Row]:
    """Keys needed to keep the worst frame within 0.5 px."""
    rows = []
    for name, (it, frames) in (("a turning plank", plank()), ("a swinging limb of two parts", limb())):
        wanted = looked_at(it.outlines(frames))
        dense = baked(it, frames)
        even = _evenly(dense, frames, wanted)
        ours = _suggested(dense, frames, wanted, lambda s, f=frames: looked_at(s.outlines(f)))  # type: ignore[misc]
        thinned = thin(dense, WANTED).shape
        few = len(np.union1d(thinned.form.frames, thinned.place.frames))
        rows.append((
            f"keys for {name}, {len(frames)} frames: even and straight; where the product says; by halves; thinned",
            f"{even}; {ours} ({ours / even:.2f}); {_halving(dense, frames, wanted)}; {few}",
            "at most 1/3; no more than that",
        ))  # fmt: skip
    it, frames = plank()
    wanted = looked_at(it.outlines(frames))
    dense = baked(it, frames)
    even = _evenly(dense, frames, wanted)
    corners = it.outlines(frames)[:, :, :2] + np.random.default_rng(3).normal(0, 0.05, (len(frames), 4, 2))  # as exact as it is followed
    track = Track(id="t", name="t", home=1, points=Keys.build(frames, corners), confidence=np.ones(len(frames)), manual=frozenset([1]))
    riding = replace(dense, rides=(Carrier(track=track, how=PERSPECTIVE),))
    within = replace(dense, form=Keys.build(frames, riding.within_rides(dense.form.values, frames, frames)), rides=riding.rides)
    ours = _suggested(within, frames, wanted, lambda s: looked_at(s.outlines(frames)))
    rows += corrections()
    rows.append(("the plank riding on its track", f"{ours} of {even} ({ours / even:.2f})", "at most 1/5"))
    return rows


def pull() -> list[Row]:
    """Outlines of the demo displaced by up to 3 px, and pulled back to the edge: mean distance from the true outline where it is known."""
    rows = []
    for name in ("KITE_010", "MAKER_030", "MILL_040"):
        scene = next(s for s in scenes() if s.name == name)
        matte = demo_matte(scene, finished)
        before, after = [], []
        for frame in (scene.first + 5, scene.first + scene.frames // 2):
            plate = scene.draw(frame)[0].astype(np.float32) / np.float32(255)
            for entry in matte.entries:
                if entry.mode == "solve" or entry.shape.kind != "closed":
                    continue
                beside = tuple(e for e in matte.entries if e is not entry and e.mode == "add")
                others = render(replace(matte, entries=beside), frame).alpha if entry.mode == "add" else None
                points = entry.shape.outlines(np.array([frame]))
                segments, t = edge_fit.parameters(points)
                rng = np.random.default_rng(frame)
                shaken = points[0].copy()
                angle = rng.uniform(0, 2 * np.pi)
                shaken[:, :2] += 2 * np.array([np.cos(angle), np.sin(angle)]) + rng.uniform(-0.7, 0.7, (len(shaken), 2))
                found = edge_fit.measure(plate, shaken, segments, t, others, edge_fit.window_of(shaken))
                if found.known < 0.2:
                    continue
                back = edge_fit.pulled(shaken, found, segments, t, range(len(shaken)))
                known = np.isfinite(found.offset)
                for points_, into in ((shaken, before), (back, after)):
                    into.extend(_distances(points_, points[0], segments[known], t[known]))
        rows.append((
            f"outlines of {name} displaced by up to 3 px, and pulled: mean distance from the true one",
            f"{np.mean(before):.2f} px, then {np.mean(after):.2f}",
            "0.5",
        ))  # fmt: skip
    return rows


def _distances(points: Floats, true: Floats, segments: np.ndarray, t: Floats) -> list[float]:
    """px from places of an outline to the nearest of another."""
    fine = np.tile(np.linspace(0, 1, 600, endpoint=False), len(true))
    all_of_it, _ = edge_fit.places_at(true, np.repeat(np.arange(len(true)), 600), fine)
    ours, _ = edge_fit.places_at(points, segments, t)
    return [m.distance for m in cv2.BFMatcher(cv2.NORM_L2).match(ours.astype(np.float32), all_of_it.astype(np.float32))]
