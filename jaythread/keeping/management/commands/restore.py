"""Bring a backup back."""

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from jaythread.delivery.models import Delivery, State
from jaythread.keeping import backup
from roto.errors import RotoError


class Command(BaseCommand):
    help = "Bring a backup back into an empty database and an empty folder of files, and prove all packages in it."
    requires_system_checks: list[str] = []
    requires_migrations_checks = False

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("source", type=Path)
        parser.add_argument("--no-prove", action="store_true", help="do not read the packages back")

    def handle(self, *args: object, **options: Any) -> None:
        try:
            back = backup.bring_back(options["source"], self.stdout.write)
        except RotoError as error:
            raise CommandError(error.message) from error
        except OSError as error:
            raise CommandError(f"It cannot be brought back: {error.strerror or error}.") from error
        call_command("migrate", verbosity=0)  # a backup of an older version is brought up to date
        self.stdout.write(f"The database is back, and its files: {back['files']}.")
        if not options["no_prove"]:
            self.prove()

    def prove(self) -> None:
        """Every package that was proved is read once more."""
        wrong = 0
        for delivery in Delivery.objects.filter(state=State.PROVED).order_by("pk"):
            try:
                call_command("verify", delivery.pk, stdout=open("/dev/null", "w"))  # noqa: SIM115 - what is right needs no lines
            except CommandError as error:
                wrong += 1
                self.stderr.write(f"{delivery}: {error}")
        if wrong:
            raise CommandError(f"Packages that are not what they were: {wrong}.")
        self.stdout.write("All packages in it are proved.")
