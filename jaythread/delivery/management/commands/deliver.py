"""Ask for a delivery and see it through."""

import time
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from jaythread.delivery import actions, packing, scripting
from jaythread.delivery.models import Delivery, State
from roto.errors import RotoError


class Command(BaseCommand):
    help = "Deliver mattes of a shot by a recipe. Waits until it is proved and prints where the package is; 1 when it is not."

    def add_arguments(self, parser: Any) -> None:
        scripting.shot_arguments(parser)
        scripting.recipe_arguments(parser)
        parser.add_argument("--here", action="store_true", help="make it in this process, not by the workers")
        parser.add_argument("--no-wait", action="store_true", help="only ask for it, and print its number")

    def handle(self, *args: object, **options: Any) -> None:
        user, shot = scripting.found(options)
        try:
            recipe, name = scripting.recipe(shot, options["recipe"])
            rows = scripting.mattes(shot, options["matte"])
            it = actions.ask(user, shot.pk, [row.pk for row in rows], recipe, name, options["first"], options["last"])
            if options["here"]:
                actions.deliver(it.pk)
        except RotoError as error:
            raise CommandError(error.message) from error
        if options["no_wait"]:
            self.stdout.write(str(it.pk))
            return
        self.see_through(it)

    def see_through(self, it: Delivery) -> None:
        said = ""
        while True:
            it.refresh_from_db()
            now = f"{it.state}: {it.frames.filter(done=True).count()} of {it.frames.count()} frames"
            if now != said and it.busy:
                self.stderr.write(now)
                said = now
            if not it.busy:
                break
            time.sleep(0.5)
        if it.state != State.PROVED:
            raise CommandError("\n".join([f"Delivery {it.pk} is {it.state}.", it.message, *it.wrong]).strip())
        for row in it.open_odd:
            self.stderr.write(f"To look at: {row['says']}")
        self.stdout.write(f"{it.pk}\t{packing.zip_path(it)}")
