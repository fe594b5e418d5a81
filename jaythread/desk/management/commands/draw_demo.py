"""Draw the demo production's shots, trace a part of them, and have two mattes delivered."""

import shutil
import signal
import sys
import uuid
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand
from pydantic import TypeAdapter

from demo.drawing import draw_frame
from demo.scenes import Scene, scenes
from demo.tracing import traced
from demo.tryouts import tried
from jaythread import store
from jaythread.desk.edit import actions as desk
from jaythread.desk.edit import commands
from jaythread.plates import actions as plates
from jaythread.productions.models import Production


class Command(BaseCommand):
    help = "Draw the shots of the demo production that are not there yet."

    def add_arguments(self, parser) -> None:  # type: ignore[no-untyped-def]
        parser.add_argument("--shots", nargs="*", help="only these")

    def handle(self, *args: object, **options: object) -> None:
        production = Production.objects.get(name="Saltmarsh")
        artist = get_user_model().objects.get(username="rafe")
        wanted: Any = options["shots"]
        for scene in scenes():
            if (wanted and scene.name not in wanted) or production.shots.filter(name=scene.name).exists():
                continue
            if production.removed_shots.filter(removed_name=scene.name).exists():
                continue
            folder = store.folder(f"incoming/demo-{scene.name}")
            shutil.rmtree(folder, ignore_errors=True)
            folder.mkdir(parents=True)
            names = self.draw(scene, folder)
            shot = plates.bring_in_folder(artist, production.pk, scene.name, folder, names)
            shot.rate_over = scene.rate
            shot.save(update_fields=["rate_over"])
            matte = str(uuid.uuid4())
            edits = traced(scene, matte)
            for command in [{"do": "new matte", "matte": matte, "name": scene.matte}, *edits, *tried(scene, matte, edits)]:
                desk.edit(artist, shot.pk, uuid.uuid4(), None, parsed(command))
            self.stdout.write(f"{scene.name} is drawn; its plate is being decoded.")
        if not wanted:
            call_command("deliver_demo", stdout=self.stdout)  # by name: handing over stands above the desk

    def draw(self, scene: Scene, folder: Path) -> list[str]:
        frames = range(scene.first, scene.first + scene.frames)
        names = []
        before = signal.signal(signal.SIGTERM, _stop)  # otherwise the pool's processes outlive this one
        pool = ProcessPoolExecutor(2, mp_context=get_context("spawn"))
        try:
            jobs = [pool.submit(draw_frame, scene.name, frame, str(folder)) for frame in frames]
            for done, job in enumerate(jobs, 1):
                names.append(job.result())
                if done % 12 == 0 or done == len(jobs):
                    self.stdout.write(f"Drawing {scene.name}: {done} of {len(jobs)} frames")
                    self.stdout.flush()
        finally:
            pool.shutdown(cancel_futures=True)
            signal.signal(signal.SIGTERM, before)
        return names


def _stop(*_: object) -> None:
    sys.exit(143)


def parsed(command: dict[str, object]) -> object:
    """A command as the page would send it."""
    return TypeAdapter(commands.Command).validate_python(command)
