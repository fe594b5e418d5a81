"""Back up the house."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from jaythread.keeping import backup
from roto.errors import RotoError


class Command(BaseCommand):
    help = "Write the database and all files into one tar, while people work."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("target", type=Path, help="the file to be made, best on another disk")

    def handle(self, *args: object, **options: Any) -> None:
        try:
            made = backup.make(options["target"], self.stdout.write)
        except RotoError as error:
            raise CommandError(error.message) from error
        except OSError as error:
            raise CommandError(f"It cannot be written: {error.strerror or error}.") from error
        self.stdout.write(f"{options['target']}: the database, and files: {made['files']}, {made['bytes'] / 1e9:.2f} GB.")
