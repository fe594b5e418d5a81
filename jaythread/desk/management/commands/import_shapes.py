"""Shapes from a file into a shot."""

from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError

from jaythread.desk.exchange import documents
from jaythread.productions.models import Shot
from roto.errors import RotoError


class Command(BaseCommand):
    help = "Take a shape document or an SVG file in as a new matte of a shot; prints the matte's name and a report."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("production")
        parser.add_argument("shot")
        parser.add_argument("file", type=Path)
        parser.add_argument("--as", dest="account", required=True, help="the account that it is done for; its role counts")
        parser.add_argument("--frame", type=int, help="on which outlines from SVG are keyed; the shot's first when left out")

    def handle(self, *args: object, **options: Any) -> None:
        user = get_user_model().objects.filter(username=options["account"]).first()
        shot = Shot.objects.filter(name=options["shot"], production__name=options["production"]).first()
        path: Path = options["file"]
        if user is None or shot is None:
            raise CommandError(f"There is no account '{options['account']}'." if user is None else f"There is no shot '{options['shot']}'.")
        try:
            if path.stat().st_size > documents.LARGEST:
                raise CommandError(f"{path.name} has {path.stat().st_size >> 20} MB; {documents.LARGEST >> 20} are the most that is taken.")
            matte, report = documents.take_in(user, shot.pk, path.read_bytes(), path.stem, options["frame"])
        except (RotoError, OSError) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{matte.name}\n" + "\n".join(report))
