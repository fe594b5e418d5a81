"""What the files of a production take; packages whose files are not kept any more by its rule."""

import os
from pathlib import Path

from django.db import transaction
from django.urls import reverse
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread import store
from jaythread.bell import actions as bell
from jaythread.brought.models import Brought
from jaythread.delivery.models import Delivery, State
from jaythread.errors import Refused
from jaythread.front_door import whole
from jaythread.keeping.models import Housekeeping
from jaythread.plates.models import Plate
from jaythread.productions.models import Production, Shot
from jaythread.productions.policies import User, require
from jaythread.receiving.models import Sending
from jaythread.tryouts import ahead

MOST_KEPT, MOST_GB = 1000, 1_000_000


def folders(shot: Shot) -> dict[str, list[Path]]:
    """Where the files of a shot lie: of its plates, its packages, and all else."""
    own = [store.folder(f"{kind}/{shot.pk}") for kind in ("fringes", "taught")]
    return {
        "plates": [plate.folder for plate in Plate.objects.filter(shot=shot)],
        "packages": [delivery.folder for delivery in Delivery.objects.filter(matte__shot=shot)],
        "others": [*(brought.folder for brought in Brought.objects.filter(shot=shot)), *own, ahead.folder_of(shot)],
    }


def _bytes(folder: Path, seen: set[tuple[int, int]]) -> int:
    """What the files of a folder take; one that several packages have is counted once."""
    if store.shared() is not None:
        return store.size(folder)
    total = 0
    for where, _, names in os.walk(folder):
        for name in names:
            try:
                it = os.stat(Path(where) / name)
            except FileNotFoundError:  # taken away meanwhile
                continue
            if (it.st_dev, it.st_ino) not in seen:
                seen.add((it.st_dev, it.st_ino))
                total += it.st_blocks * 512
    return total


def measure(production_id: int) -> Housekeeping:
    """Add up what a production's files take, removed shots among them; its leads are told once when it is at their mark."""
    row, _ = Housekeeping.objects.get_or_create(production_id=production_id)
    seen: set[tuple[int, int]] = set()
    sums = dict.fromkeys(("plates", "packages", "others"), 0)
    for shot in [*Shot.objects.filter(production=production_id), *Shot.objects.filter(removed_from=production_id)]:
        for kind, places in folders(shot).items():
            sums[kind] += sum(_bytes(place, seen) for place in places)
    was_told = row.told
    for kind, total in sums.items():
        setattr(row, kind, total)
    row.measured, row.told = timezone.now(), row.over
    row.save(update_fields=[*sums, "measured", "told"])
    if row.over and not was_told:
        place = Production.objects.get(pk=production_id)
        says = f"{place} takes {row.total / 1e9:.1f} GB, and you wanted to be told at {row.warn_at} GB."
        bell.tell(bell.who_may(place, "manage"), place, says, reverse("production", args=[production_id]))
    return row


def rule(user: User, production_id: int, keep: str, warn_at: str) -> Housekeeping:
    """How many packages of each matte keep their files, and when the leads are told; nothing is all, and never. Measured anew soon."""
    place = require(user, production_id, "manage")
    numbers = {}
    for name, said, least, most in (("keep", keep, 1, MOST_KEPT), ("warn_at", warn_at, 1, MOST_GB)):
        number = whole(said) if said.strip() else None
        if said.strip() and (number is None or not least <= number <= most):
            raise Refused(f"Say a whole number from {least} to {most}, or nothing.")
        numbers[name] = number
    row, _ = Housekeeping.objects.update_or_create(production=place.production, defaults={**numbers, "told": False})
    app.configure_task("keeping.look_after", queue="jobs").defer(production_id=production_id)
    return row


def clear_packages(production_id: int) -> int:
    """Take away the files of packages that the rule does not keep; what they were made from stays, and asked for again they come out the
    same. Those on their way, or with a link that is good still, are kept. Returns how many."""
    row = Housekeeping.objects.filter(production=production_id).first()
    if row is None or row.keep is None:
        return 0
    newest: dict[tuple[object, str], int] = {}
    gone = 0
    proved = Delivery.objects.filter(matte__shot__production=production_id, state=State.PROVED).order_by("-version")
    for delivery in proved.select_related("matte").prefetch_related("links", "sendings"):
        of = (delivery.matte_id, delivery.name)
        newest[of] = newest.get(of, 0) + 1
        if newest[of] > row.keep and not _wanted(delivery):
            gone += _clear(delivery)
    return gone


def _wanted(delivery: Delivery) -> bool:
    now = timezone.now()
    out = any(one.under_way or one.state == Sending.State.RECEIVED for one in delivery.sendings.all())
    return out or any(not link.revoked and link.until > now for link in delivery.links.all())


def _clear(delivery: Delivery) -> bool:
    with transaction.atomic():
        mine = Delivery.objects.select_for_update().filter(pk=delivery.pk, state=State.PROVED)
        if not mine.update(state=State.CLEARED):
            return False
    store.drop(delivery.folder)
    return True


def look_after(production_id: int) -> None:
    """What the rule says of a production, and how much it takes then."""
    clear_packages(production_id)
    measure(production_id)


def look_after_all() -> None:
    """The same for every production."""
    for production_id in Production.objects.filter(shelf=False).values_list("pk", flat=True):
        look_after(production_id)
