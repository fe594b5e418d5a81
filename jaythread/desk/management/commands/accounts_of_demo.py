"""The people of the demo production."""

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from jaythread.productions.models import Membership, Production, Role

PEOPLE = {"marta": Role.LEAD, "rafe": Role.ARTIST, "noor": Role.RECEIVER}
PASSWORD = "saltmarsh"


class Command(BaseCommand):
    help = "Make the accounts of the demo production, when they are not there."

    def handle(self, *args: object, **options: object) -> None:
        production, _ = Production.objects.get_or_create(name="Saltmarsh")
        for name, role in PEOPLE.items():
            user, made = get_user_model().objects.get_or_create(username=name)
            if made:
                user.set_password(PASSWORD)
                user.save()
            Membership.objects.get_or_create(production=production, user=user, defaults={"role": role})
