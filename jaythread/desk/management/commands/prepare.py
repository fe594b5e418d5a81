"""What has to be there before anybody signs in: the tables, and the people of the demo production, or else the first keeper."""

from argparse import ArgumentParser

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand

from jaythread.accounts import people
from jaythread.productions.models import Membership, Production, Role

PEOPLE = {"marta": Role.LEAD, "rafe": Role.ARTIST, "noor": Role.RECEIVER}
KEEPER = "marta"
PASSWORD = "saltmarsh"


class Command(BaseCommand):
    help = "Bring the database up to date and make the accounts of the demo production, when they are not there."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--empty", action="store_true", help="no demo: make the first keeper, and say how they get in")

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0)
        if settings.CACHES["default"]["BACKEND"].endswith("DatabaseCache"):
            call_command("createcachetable", verbosity=0)
        if options["empty"]:
            self.first_keeper()
        else:
            self.demo()

    def first_keeper(self) -> None:
        keeper = get_user_model().objects.filter(is_superuser=True, is_active=True).order_by("pk").first()
        if keeper is None:
            keeper = people.make("keeper")
            keeper.is_superuser = keeper.is_staff = True
            keeper.save(update_fields=["is_superuser", "is_staff"])
        if not keeper.has_usable_password():
            self.stdout.write(f"Nobody is in yet. Set the password of the first account, '{keeper}', here: {people.way_in(keeper)}")

    def demo(self) -> None:
        production, _ = Production.objects.get_or_create(name="Saltmarsh")
        for name, role in PEOPLE.items():
            user, made = get_user_model().objects.get_or_create(username=name)
            if made:
                user.set_password(PASSWORD)
                user.is_superuser = user.is_staff = name == KEEPER
                user.save()
            Membership.objects.get_or_create(production=production, user=user, defaults={"role": role})
