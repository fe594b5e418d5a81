"""The made-up production: its plates are the pictures that its true mattes say they are, drawn without the core."""

import sys
from dataclasses import replace
from subprocess import run

import cv2
import numpy as np
import pytest

from benchmarks.truth import demo_matte
from demo.scenes import scenes
from demo.tracing import finished
from roto.matte.render import render

SCENES = {s.name: s for s in scenes()}
NAMES = ("KITE_010", "MILL_040", "MAKER_030", "FERRY_020", "PIER_050")


def test_the_shots_are_as_large_and_long_as_promised():
    assert set(NAMES) <= set(SCENES)
    assert SCENES["PIER_050"].frames == 100
    for name in ("KITE_010", "MAKER_030", "PIER_050"):
        assert (SCENES[name].width, SCENES[name].height) == (1920, 1080) and SCENES[name].frames >= 72
    for name in ("MILL_040", "FERRY_020"):
        assert SCENES[name].width >= 1280 and SCENES[name].height >= 720 and SCENES[name].frames >= 48


@pytest.mark.parametrize("name", NAMES)
def test_a_frame_is_drawn_alike_each_time_and_holds_picture_and_matte(name):
    it = SCENES[name]
    frame = it.first + it.frames // 2
    (plate, alpha), (again, same) = it.draw(frame), it.draw(frame)
    assert plate.shape == (it.height, it.width, 3) and plate.dtype == np.uint8 and alpha.shape == plate.shape[:2]
    assert np.array_equal(plate, again) and np.array_equal(alpha, same)
    assert alpha.min() >= 0 and alpha.max() <= 1 + 1e-5 and 0.005 < alpha.mean() < 0.9
    soft = (alpha > 0.01) & (alpha < 0.99)
    assert 500 < soft.sum() < 0.5 * alpha.size  # edges that are soft or blurred, and much that is neither
    assert plate.std() > 15 and np.abs(np.diff(plate[::7].astype(int), axis=1)).mean() > 0.8  # textured and grained, no flat cartoon


@pytest.mark.parametrize("name", NAMES)
def test_where_nothing_of_the_subject_is_the_ground_shows(name):
    """The plate without its layers differs from the plate only where some layer is."""
    it = replace(SCENES[name], grain=0.0)
    frame = it.first + 5
    plate, _ = it.draw(frame)
    bare, nothing = replace(it, layers=()).draw(frame)
    everything = replace(it, layers=tuple(replace(layer, subject=True) for layer in it.layers)).draw(frame)[1]
    assert not nothing.any()
    outside = cv2.dilate((everything > 0).astype(np.uint8), np.ones((5, 5), np.uint8)) == 0
    assert outside.mean() > 0.1 and np.abs(plate.astype(int) - bare)[outside].max() <= 1
    assert np.abs(plate.astype(int) - bare)[everything > 0.9].mean() > 5


@pytest.mark.parametrize("name", ["KITE_010", "MILL_040"])
def test_more_exposures_change_the_true_matte_little(name):
    it = SCENES[name]
    frame = it.first + it.frames // 3
    few, many = it.draw(frame)[1], replace(it, exposures=4 * it.exposures).draw(frame)[1]
    edge = (many > 0.001) & (many < 0.999)
    assert np.abs(few - many)[edge].mean() < 0.02 and abs(few.sum() / many.sum() - 1) < 0.002


def test_the_subject_moves_and_grain_is_new_on_each_frame():
    it = SCENES["KITE_010"]
    one, two = it.draw(it.first), it.draw(it.first + 1)
    assert np.abs(one[1] - two[1]).sum() > 100
    still = (one[1] == 0) & (two[1] == 0)
    noise = (one[0].astype(float) - two[0])[still]
    assert 1.0 < noise.std() < 12.0 and abs(noise.mean()) < 1.0


def test_the_demo_is_drawn_without_the_core():
    """Its truth would prove nothing if it came from what it is to judge."""
    code = (
        "import sys, demo.scenes, demo.sprites, demo.drawing; sys.exit(any(m.split('.')[0] in ('roto', 'jaythread') for m in sys.modules))"
    )
    assert run([sys.executable, "-c", code], check=False).returncode == 0


@pytest.mark.parametrize("name", [n for n in NAMES if n != "PIER_050"])  # nothing is traced in that one
def test_the_benchmarks_mattes_of_the_demos_edits_cover_what_the_true_ones_do(name):
    it = SCENES[name]
    matte = demo_matte(it, finished)
    frame = it.first + it.frames // 2
    alpha, true = render(replace(matte, entries=tuple(e for e in matte.entries if e.mode != "solve")), frame).alpha, it.draw(frame)[1]
    assert np.minimum(alpha, true).sum() > 0.9 * np.maximum(alpha, true).sum()
