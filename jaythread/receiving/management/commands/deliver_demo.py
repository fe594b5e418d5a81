"""Deliver two mattes of the demo production, so that its pages open on something: one package is proved, one comes back with a note."""

import time
from collections.abc import Callable
from typing import Any

import requests
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from jaythread.delivery import actions as delivering
from jaythread.delivery.models import Delivery, State
from jaythread.productions.models import Shot
from jaythread.receiving import actions
from jaythread.receiving.models import Sending

NOTE = {
    "at": "6",
    "x": "700",
    "y": "200",
    "says": "The tip of the sail is cut off square here. Can it end as in the picture?",
    "by": "noor",
}
PATIENCE = 900.0
"""seconds for drawing, decoding and making; the demo is there without these packages as well"""


class Command(BaseCommand):
    help = "Deliver two mattes of the demo production that have no package yet."

    def add_arguments(self, parser) -> None:  # type: ignore[no-untyped-def]
        parser.add_argument("--here", action="store_true", help="do the work here and now, without workers")

    def handle(self, *args: object, **options: Any) -> None:
        self.here = bool(options["here"])
        kite, mill = self.delivered("KITE_010"), self.delivered("MILL_040")
        if kite is not None:
            self.stdout.write("A package of KITE_010 is proved.")
        if mill is not None and self.returned(mill):
            self.stdout.write("A package of MILL_040 has come back with a note.")
        self.stdout.flush()

    def delivered(self, name: str) -> Delivery | None:
        """The newest package of a shot's first matte, which is asked for where there is none; None where it does not come about."""
        shot = Shot.objects.filter(production__name="Saltmarsh", name=name).first()
        matte = shot.mattes.first() if shot else None
        if shot is None or matte is None or not self.until(lambda: shot.plates.filter(state="ready").exists()):
            return None
        artist = get_user_model().objects.get(username="rafe")
        made = matte.deliveries.first() or delivering.ask(artist, shot.pk, matte.pk)
        if self.here:
            delivering.deliver(made.pk)
        if not self.until(lambda: Delivery.objects.filter(pk=made.pk, state=State.PROVED).exists()):
            return None
        made.refresh_from_db()
        if made.open_odd:
            delivering.accept(artist, made.pk)
        return Delivery.objects.get(pk=made.pk)

    def returned(self, package: Delivery) -> bool:
        """Hand a package over, and answer it on the receiving bench as a receiver would."""
        if package.sendings.exists():
            return False
        it = actions.send(get_user_model().objects.get(username="rafe"), package.pk)
        if self.here:
            actions.carry_out(it.pk)
        if not self.until(lambda: Sending.objects.filter(pk=it.pk, state=Sending.State.RECEIVED).exists()):
            return False
        it.refresh_from_db()
        there = actions.point().address
        try:
            requests.post(f"{there}/packages/{it.remote}/answer", data={"answer": "return", **NOTE}, timeout=20)
        except requests.RequestException:
            return False
        return actions.look(it).state == Sending.State.RETURNED

    def until(self, there: Callable[[], bool]) -> bool:
        """Wait for what workers do."""
        end = time.monotonic() + (0 if self.here else PATIENCE)
        while not there():
            if time.monotonic() >= end:
                return False
            time.sleep(1.0)
        return True
