"""Prove a package that was delivered, again."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from jaythread import store
from jaythread.delivery import making
from jaythread.delivery.models import Delivery, State
from jaythread.delivery.planning import plan_of
from roto.errors import RotoError
from roto.package.statistics import Measure


class Command(BaseCommand):
    help = "Read a delivered package back once more, every file of it, and compare it with its shapes; 1 when something is wrong."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("delivery", type=int, help="its number, as the address of its page has it")

    def handle(self, *args: object, **options: Any) -> None:
        it = Delivery.objects.select_related("matte__shot", "plate").filter(pk=options["delivery"], state=State.PROVED).first()
        if it is None:
            raise CommandError(f"There is no proved delivery {options['delivery']}.")
        made = {row.at: Measure.from_json(row.measured) for row in it.frames.all() if row.measured}
        try:
            receipt = making.read_back(plan_of(it), store.bring(it.package), made, lambda done, of: None, set())
        except RotoError as error:
            raise CommandError(error.message) from error
        if not receipt.proved:
            raise CommandError("\n".join(receipt.wrong))
        for line in receipt.says:
            self.stdout.write(line)
