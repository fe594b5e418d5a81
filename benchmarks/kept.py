"""What artists make a house keep and work out beside edits and drafts, measured: stills of a plate in a shared store, delivered frames,
edits, frames of an outline that bends with its picture."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np

from benchmarks import scenes
from benchmarks.bending import Plate
from benchmarks.bodies import turning
from benchmarks.killing import STORE
from roto.matte.render import render
from roto.picture import png

STILLS = 8
"""of full HD, with grain, that are taken in"""
BENT = 12
"""frames that an outline is followed for"""
PLATES = """
import django, os, shutil, time, uuid
from pathlib import Path
django.setup()
import cv2, numpy as np
from django.contrib.auth import get_user_model
from benchmarks.clips import texture
from benchmarks.kept import STILLS
from jaythread import store
from jaythread.plates import actions as plates
from jaythread.productions import actions as productions
folder = Path(os.environ["JAY_FILES"]) / "given"
folder.mkdir(parents=True)
rng = np.random.default_rng(4)
ground = np.dstack([texture((1920, 1080), seed) for seed in range(3)])
names = [f"KITE.{1001 + k}.png" for k in range(STILLS)]
for k, name in enumerate(names):
    still = np.roll(ground, 3 * k, axis=1) + rng.normal(0, 0.01, ground.shape)
    cv2.imwrite(str(folder / name), np.clip(255 * still + 0.5, 0, 255).astype(np.uint8))
user = get_user_model().objects.create_user("ines", password=uuid.uuid4().hex)
production = productions.make_production(user, "Saltmarsh stills")
begun = time.process_time()
plate = plates.bring_in_folder(user, production.pk, "KITE_900", folder, names).plates.get()
plates.decode(plate.pk)
plate.refresh_from_db()
taken = time.process_time() - begun
kept = sum(store.shared().sizes("").values())
shutil.rmtree(plate.folder)
begun = time.perf_counter()
store.bring(plate.folder)
print("kept", plate.state, kept / STILLS, taken / STILLS, (time.perf_counter() - begun) / STILLS)
"""
EDIT = """
import django
django.setup()
from django.db import connection
with connection.cursor() as cursor:
    cursor.execute("vacuum full desk_edit")
    cursor.execute("select pg_total_relation_size('desk_edit') / count(*) from desk_edit")
    print("edit", cursor.fetchone()[0])
"""


@dataclass(frozen=True, kw_only=True)
class Kept:
    """Bytes. still: of a plate's frame in the store, with the pictures that are derived from it; delivered: a frame of a matte of twelve
    shapes, 16 bits; edit: in the database. Seconds. taken_in: of a core, for a still; brought: until a still lies at hand on another
    machine; bent: of a core, for a frame of an outline that bends with its picture, 960 x 540, one way."""

    still: float
    delivered: float
    edit: float
    taken_in: float
    brought: float
    bent: float


def measured(env: dict[str, str]) -> Kept:
    """All of it, with the database of `env`, in which some edits were made."""
    still, taken_in, brought = _plates(env)
    edit = float(_words(env, EDIT, "edit")[0])
    return Kept(still=still, taken_in=taken_in, brought=brought, edit=edit, delivered=_delivered(), bent=_bent())


@contextmanager
def _store(port: str, env: dict[str, str]) -> Iterator[None]:
    """The stand-in for a shared store, in a process of its own."""
    running = subprocess.Popen([sys.executable, "-c", STORE, port], env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    try:
        assert running.stdout is not None and running.stdout.readline().strip() == "ready"
        yield
    finally:
        running.terminate()
        running.wait(20)


def _plates(env: dict[str, str]) -> list[float]:
    port = subprocess.run([sys.executable, "ops/free_port.py"], check=True, capture_output=True, text=True).stdout.strip()
    keys = {"AWS_ACCESS_KEY_ID": "saltmarsh", "AWS_SECRET_ACCESS_KEY": "saltmarsh", "JAY_STORE_REGION": "us-east-1"}
    with tempfile.TemporaryDirectory() as name:
        own = env | keys | {"JAY_FILES": name, "JAY_STORE": "s3://saltmarsh/house", "JAY_STORE_AT": f"http://127.0.0.1:{port}"}
        with _store(port, own):
            state, *figures = _words(own, PLATES, "kept")
    assert state == "ready", state
    return [float(one) for one in figures]


def _words(env: dict[str, str], script: str, word: str) -> list[str]:
    """What a script prints after a word."""
    out = subprocess.run([sys.executable, "-c", script], env=env, check=True, capture_output=True, text=True).stdout.splitlines()
    return next(line.split()[1:] for line in out if line.startswith(f"{word} "))


def _delivered() -> float:
    return float(np.mean([len(png.encode(render(scenes.twelve(1.1), frame, depth="16").alpha)) for frame in (5, 50, 95)]))


def _bent() -> float:
    drawing = Plate(turning()).drawing([0])
    drawing.onwards(0, 1)  # what is made once
    begin = os.times()
    drawing.onwards(0, BENT)
    end = os.times()
    assert len(drawing.known) == BENT + 1, drawing.why
    return (end.user + end.system - begin.user - begin.system) / BENT
