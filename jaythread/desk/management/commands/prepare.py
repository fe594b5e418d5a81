"""What has to be there before anybody signs in: the tables, and the people of the demo production."""

from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand

from jaythread.productions.models import Membership, Production, Role

PEOPLE = {"marta": Role.LEAD, "rafe": Role.ARTIST, "noor": Role.RECEIVER}
PASSWORD = "saltmarsh"


class Command(BaseCommand):
    help = "Bring the database up to date and make the accounts of the demo production, when they are not there."

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0)
        production, _ = Production.objects.get_or_create(name="Saltmarsh")
        for name, role in PEOPLE.items():
            user, made = get_user_model().objects.get_or_create(username=name)
            if made:
                user.set_password(PASSWORD)
                user.save()
            Membership.objects.get_or_create(production=production, user=user, defaults={"role": role})
