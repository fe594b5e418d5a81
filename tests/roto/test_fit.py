"""How well an outline lies on the picture's edge: known by drawing the picture from an outline, and moving that."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks import fitting
from benchmarks.clips import texture
from roto.matte.render import render
from roto.motion import edits, placement
from roto.motion.keys import Keys
from roto.track import edge_fit, mixing

from .build import blob, matte, shape

SIZE = (200, 160)
BACK, FRONT = texture(SIZE, 8, 3.0) * 0.1 + 0.25, texture(SIZE, 9, 3.0) * 0.1 + 0.5


def plate(it, frame, grain=0.01, soft=0.0, flat=False):
    """A picture (h, w, 3) in which a shape's own alpha parts two textures; flat: there is no edge at all."""
    alpha = render(matte(edits.soften(it, 1, inner=soft, outer=soft), size=SIZE), frame).alpha
    front = BACK if flat else FRONT
    grey = alpha * front + (1 - alpha) * BACK + np.random.default_rng(frame).normal(0, grain, alpha.shape)
    return np.repeat(grey[..., None], 3, axis=2).astype(np.float32)


def lies(it, picture, points, others=None, window=edge_fit.WINDOW):
    segments, t = edge_fit.parameters(points[None])
    return edge_fit.measure(picture, points, segments, t, others, window), segments, t


def outline(it, frame=1):
    return it.outlines(np.array([frame]))[0]


@pytest.mark.parametrize("soft", [0.0, 2.0, 4.0])
@pytest.mark.parametrize("by", [-3.0, 0.0, 2.5])
def test_an_outline_that_is_off_is_off_by_that(soft, by):
    it = shape(blob(10, (100, 80), 50, rough=0.05))
    here, _, _ = lies(it, plate(it, 1, soft=soft), outline(edits.place(it, 1, size=1 + by / 50, about=(100.0, 80.0))))
    assert here.known > 0.8 and np.nanmedian(here.offset) == pytest.approx(-by, abs=0.4)
    assert np.nanmedian(np.abs(here.offset + by)) < 0.5


def test_where_there_is_no_edge_nothing_is_known_and_covered_or_outside_it_is_neither():
    it = shape(blob(10, (100, 80), 50, rough=0.05))
    here, _, _ = lies(it, plate(it, 1, flat=True), outline(it))
    assert here.known < 0.15
    cover = np.zeros(SIZE[::-1], np.float32)
    cover[:, 100:] = 1
    half, _, _ = lies(it, plate(it, 1), outline(it), cover)
    assert 0.4 < half.known < 0.6 and np.isnan(half.offset[half.places[:, 0] > 101]).all()
    out = edits.place(it, 1, (100.0, 0.0))
    gone, _, _ = lies(out, plate(it, 1), outline(out))
    assert np.isnan(gone.offset[gone.places[:, 0] > 200]).all()


@given(st.integers(0, 30))
def test_points_pulled_come_back_to_the_edge_as_one(seed):
    it = shape(blob(9, (100, 80), 48, seed=2, rough=0.08))
    rng = np.random.default_rng(seed)
    angle = rng.uniform(0, 2 * np.pi)
    shaken = outline(it).copy()
    shaken[:, :2] += 2.0 * np.array([np.cos(angle), np.sin(angle)]) + rng.uniform(-1, 1, (9, 2))
    here, segments, t = lies(it, plate(it, 1), shaken)
    back = edge_fit.pulled(shaken, here, segments, t, range(9))

    def away(points):
        true, _ = edge_fit.places_at(outline(it), np.repeat(np.arange(9), 800), np.tile(np.linspace(0, 1, 800), 9))
        ours, _ = edge_fit.places_at(points, segments, t)
        return np.hypot(*(ours[:, None] - true[None]).transpose(2, 0, 1)).min(axis=1).mean()

    assert away(back) < 0.5 and away(back) < away(shaken)
    only = edge_fit.pulled(shaken, here, segments, t, [3])
    assert np.array_equal(np.delete(only, 3, axis=0), np.delete(shaken, 3, axis=0))


@pytest.mark.parametrize("in_light", [True, False])
@pytest.mark.parametrize("smear", [0.0, 4.0])
def test_an_exact_outline_stays_whether_its_edge_was_mixed_in_light_or_as_displayed(in_light, smear):
    it = fitting.plate(7, smear, in_light)
    told, off = [], {True: [], False: []}
    for picture, true in zip(it.pictures, it.outlines, strict=True):
        segments, t = edge_fit.parameters(true[None])
        for light in (True, False):
            here = edge_fit.measure(picture, true, segments, t, light=light)
            off[light].append(np.abs(here.offset).mean())
            told += [mixing.profile(picture, here)] if not light else []
    assert mixing.in_light(told) == in_light
    assert max(off[in_light]) < 0.3 < min(off[not in_light])
    assert mixing.in_light([]) and mixing.in_light(told[:0])  # what is filmed is mixed in light


def moving(spoilt=None, by=(3.0, 0.0)):
    """A shape keyed well on every eighth frame of 33, one of its keys perhaps spoilt; and as it truly is."""
    frames = np.arange(1, 34, 8)
    place = Keys.build(frames, [placement.values((0.9 * (f - 17), 8 * np.sin(f / 9)), 0.6 * (f - 17)) for f in frames])
    true = shape(blob(10, (100, 80), 42, rough=0.06), place=place)
    if spoilt is None:
        return true
    return replace(true, place=edits.place(true, spoilt, by).place)


EVERY = np.arange(1, 34)


def fits(true, outlines):
    """What is measured of outlines (33, 10, 6) of every frame on plates of the true shape."""
    segments, t = edge_fit.parameters(outlines)
    pictures = [cv2.GaussianBlur(plate(true, int(frame)), (0, 0), 0.8) for frame in EVERY]
    return [
        edge_fit.by_segment(edge_fit.measure(p, points, segments, t), segments, 10) for p, points in zip(pictures, outlines, strict=True)
    ]


def test_the_frame_of_a_spoilt_key_is_the_weakest():
    right = 0
    for seed in range(10):
        rng = np.random.default_rng(seed)
        spoilt, angle = int(rng.choice([9, 17, 25])), rng.uniform(0, 2 * np.pi)
        true, ours = moving(), moving(spoilt, (3 * np.cos(angle), 3 * np.sin(angle)))
        outlines = ours.outlines(EVERY)
        scores = edge_fit.scores_over_time(fits(true, outlines))
        right += edge_fit.weakest(scores, np.isin(EVERY, ours.place.frames), 1)[:1] == [spoilt]
        assert scores[spoilt - 1] > edge_fit.WEAK > np.nanmedian(scores)
    assert right >= 9


def test_the_frame_on_which_one_point_is_spoilt_is_the_weakest():
    right = 0
    for seed in range(10):
        rng = np.random.default_rng(seed)
        spoilt, point = int(rng.choice([9, 17, 25])), int(rng.integers(10))
        true = ours = moving()
        for frame in true.place.frames:
            ours = edits.key_here(ours, "form", int(frame))
        at, outward = edge_fit.places_at(ours.outlines(np.array([spoilt]))[0], np.array([point]), np.array([0.0]))
        there = ours.outlines(np.array([spoilt]))[0, point].copy()
        there[:2] = at[0] + rng.choice([-3.0, 3.0]) * outward[0]
        outlines = edits.move_points(ours, spoilt, {point: there}).outlines(EVERY)
        worst = edge_fit.stretches_over_time(fits(true, outlines))
        right += edge_fit.weakest(worst[:, 1], np.isin(EVERY, ours.place.frames), 1)[:1] == [spoilt]
        assert worst[spoilt - 1, 0] >= worst[spoilt - 1, 1] > edge_fit.WEAK > np.nanmedian(worst[:, 0])
    assert right >= 9


def test_who_traces_inside_is_not_told_so_and_what_is_unknown_has_no_score():
    usual = [[(0.7, 0.7, 0.2, 0.7)] * 4 for _ in range(12)]
    assert np.nanmax(edge_fit.scores_over_time(usual)) < 1e-9
    far = [[(4.0, 4.0, 0.2, 4.0)] * 4 for _ in range(12)]
    assert edge_fit.scores_over_time(far)[0] == pytest.approx(4.0 - edge_fit.HABIT)
    none = [[(None, 0.0, 0.0, None)] * 4, None, *usual]
    assert np.isnan(edge_fit.scores_over_time(none)[:2]).all()
    assert np.isnan(edge_fit.stretches_over_time(none)[:2]).all() and (edge_fit.stretches_over_time(usual) == 0).all()
    assert edge_fit.stretches_over_time([[(0.1, 0.1, 1.0, 3.0)]])[0] == pytest.approx([np.sqrt(9 - edge_fit.HABIT**2), 0.0])


def test_the_next_key_goes_where_it_is_off_and_far_from_keys():
    scores = np.array([0.1, 0.2, 1.4, 1.5, 1.4, 0.2, 0.1, 1.6, 0.1])
    assert edge_fit.where_to_key(scores, [1, 7, 8], 1) == 4
    assert edge_fit.where_to_key(np.full(9, 0.2), [1, 9], 1) is None
    assert edge_fit.where_to_key(np.full(9, np.nan), [1], 1) is None
