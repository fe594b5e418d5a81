"""What many tests share: the people of the production, a small drawn plate, a way to do the waiting background work."""

import contextlib
import os
import threading
import uuid
from pathlib import Path

import cv2
import numpy as np
import pytest
from django.core.cache import cache
from hypothesis import settings as hypothesis_settings
from werkzeug.serving import make_server

from bench.app import create

# The first example of a run may have to compile the core. A change is judged by its own examples, not by those of the day;
# HYPOTHESIS_PROFILE set to "explore" looks for others.
hypothesis_settings.register_profile("plain", deadline=None, derandomize=True)
hypothesis_settings.register_profile("explore", deadline=None)
hypothesis_settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "plain"))

FIRST, LAST = 1001, 1008
SIZE = (96, 64)


def picture(frame: int, size: tuple[int, int] = SIZE, depth: type = np.uint8) -> np.ndarray:
    """A little kite (a tilted square) flying to the right over a shaded ground."""
    width, height = size
    x, y = np.meshgrid(np.arange(width), np.arange(height))
    ground = np.stack([60 + x % 90, 90 + y, 120 + 0 * x], axis=2).clip(0, 255)
    middle = 20 + 6 * (frame - FIRST)
    ground[np.abs(x - middle) + np.abs(y - 30) < 12] = (180, 60, 50)
    return ground.astype(np.uint8) if depth is np.uint8 else (ground * 257).astype(np.uint16)


def write_stills(folder: Path, first: int = FIRST, last: int = LAST, name: str = "KITE_010.{:04d}.png", **more) -> list[Path]:
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    for frame in range(first, last + 1):
        path = folder / name.format(frame)
        cv2.imwrite(str(path), picture(frame, **more)[:, :, ::-1])
        out.append(path)
    return out


@pytest.fixture
def small_trees(monkeypatch):
    """Taught lines are taught quickly: trees of few leaves are enough for what tests draw."""
    monkeypatch.setattr("roto.matte.teaching.trees.LEAVES", 12)


@pytest.fixture(autouse=True)
def own_files(settings, tmp_path):
    """Each test has a folder of files of its own; passwords are hashed quickly; nobody has guessed anything yet."""
    cache.clear()
    settings.MEDIA_ROOT = tmp_path / "files"
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix):
    """A database a process. Server threads give their connections back at once, so that the tests' database can be dropped."""
    from django.db import connections

    connections.databases["default"]["CONN_MAX_AGE"] = 0


@pytest.fixture
def people(django_user_model):
    """Three seats in one production, and somebody without any."""
    make = django_user_model.objects.create_user
    return {name: make(name, password="saltmarsh") for name in ("marta", "rafe", "noor", "otto")}


@pytest.fixture
def production(people):
    from jaythread.productions import actions

    it = actions.make_production(people["marta"], "Saltmarsh")
    actions.invite(people["marta"], it.pk, "rafe", "artist")
    actions.invite(people["marta"], it.pk, "noor", "receiver")
    return it


@pytest.fixture
def shot(production, people, tmp_path):
    """A shot whose plate is decoded, with an empty matte 'kite'."""
    from jaythread.desk.edit import actions as desk
    from jaythread.plates import actions as plates

    stills = write_stills(tmp_path / "given")
    it = plates.bring_in_folder(people["rafe"], production.pk, "KITE_010", tmp_path / "given", [p.name for p in stills])
    plates.decode(it.plates.get().pk)
    desk.edit(people["rafe"], it.pk, uuid.uuid4(), None, command(do="new matte", matte=str(uuid.uuid4()), name="kite"))
    it.refresh_from_db()
    return it


def command(**said):
    """A command as the page would send it."""
    from pydantic import TypeAdapter

    from jaythread.desk.edit import commands

    return TypeAdapter(commands.Command).validate_python(said)


def edited(who, shot, **said):
    """Make an edit as a page does; the shot is as it is then."""
    from jaythread.desk.edit import actions

    made = actions.edit(who, shot.pk, uuid.uuid4(), None, command(**said))
    shot.refresh_from_db()
    return made


def trace(shot, who, points=((10, 20), (40, 20), (40, 50), (10, 50)), frame=FIRST, mode="add", name="kite body") -> str:
    """Trace a shape with corners; returns its id."""
    from jaythread.desk.edit import actions

    shape = str(uuid.uuid4())
    said = command(
        do="trace", shape=shape, entry=str(uuid.uuid4()), matte=str(shot.mattes.first().pk), name=name, frame=frame, mode=mode,
        points=[[x, y, 0, 0, 0, 0] for x, y in points], curves=[False] * len(points),
    )  # fmt: skip
    actions.edit(who, shot.pk, uuid.uuid4(), None, said)
    return shape


def ask(who, shot, kind: str, subject, **settings):
    """Ask for work as a page does; it is queued, or done when it is short."""
    from jaythread.jobs import actions

    return actions.ask(who, shot.pk, kind, str(subject), settings)


def carry_out(job):
    """Do a job that was asked for, as a worker does; returns it as it stands then."""
    from jaythread.jobs import actions

    actions.carry_out(job.pk)
    job.refresh_from_db()
    return job


def lose_the_database():
    """The server ends our connection, as it does when it is stopped; raises what Django raises then."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("select pg_terminate_backend(pg_backend_pid())")


@contextlib.contextmanager
def serving(app):
    """A web application on a free loopback port; its address."""
    server = make_server("127.0.0.1", 0, app, threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.port}"
    finally:
        server.shutdown()
        server.server_close()


@pytest.fixture
def standing_bench(tmp_path, settings):
    """A real receiving bench on a free loopback port: its application and its address."""
    app = create(tmp_path / "bench", "secret")
    with serving(app) as address:
        settings.BENCH, settings.BENCH_TOKEN, settings.BENCH_TOKEN_FILE = address, "secret", tmp_path / "none"
        yield app, address
