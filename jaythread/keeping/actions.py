"""What can be done with a whole shot. A removed one is taken off its production onto the shelf, which is nobody's, so that no page, api or
link leads to it; a lead brings it back, or its files go when KEPT is over."""

from datetime import datetime, timedelta
from pathlib import Path

from django.db import transaction
from django.utils import timezone

from jaythread import store
from jaythread.delivery.models import Delivery
from jaythread.desk.models import Edit, Tryout
from jaythread.errors import NotThere, Refused
from jaythread.front_door import shot_name
from jaythread.keeping.space import folders
from jaythread.productions.models import Production, Shot
from jaythread.productions.policies import User, require, shot_for
from jaythread.receiving.models import Sending

KEPT = timedelta(days=30)
"""how long a removed shot may be brought back"""
SHELF = "Removed shots"


@transaction.atomic
def rename(user: User, shot_id: int, name: str) -> Shot:
    """Give a shot another name. Packages that were made keep the one they have."""
    shot = shot_for(user, shot_id, "bring in", lock=True)
    name = shot_name(name)
    if shot.production.shots.filter(name__iexact=name).exclude(pk=shot.pk).exists():
        raise Refused(f"There is a shot called '{name}' here already. Choose another name.")
    if (shows := _shown_by(shot)) is not None:
        raise Refused(f"The tryout '{shows.name}' of {shows.shot} shows {shot} by its name. Take it out there first.")
    shot.name = name
    shot.save(update_fields=["name"])
    return shot


def _shown_by(shot: Shot) -> Tryout | None:
    """A tryout of another shot that shows this one."""
    others = Tryout.objects.filter(shot__production=shot.production_id).exclude(shot=shot).select_related("shot")
    return next((row for row in others if shot.name in row.to_core().clips()), None)


@transaction.atomic
def move(user: User, shot_id: int, production_id: int) -> Shot:
    """Take a shot to another production of which one is lead as well. All of it goes along but for what is the production's own: recipes,
    and who is in it."""
    shot = shot_for(user, shot_id, "manage", lock=True)
    there = require(user, production_id, "manage").production
    if there.pk == shot.production_id:
        raise Refused(f"{shot} is in {there} already.")
    if there.shots.filter(name__iexact=shot.name).exists():
        raise Refused(f"There is a shot called '{shot}' in {there} already. Rename one of them first.")
    if (shows := _shown_by(shot)) is not None:
        raise Refused(f"The tryout '{shows.name}' of {shows.shot} shows {shot}. Take it out there first.")
    elsewhere = sorted({name for row in shot.tryouts.all() for name in row.to_core().clips()} & set(_names_beside(shot)))
    if elsewhere:
        raise Refused(f"A tryout of {shot} shows {', '.join(elsewhere)}, which would stay here. Take it out first.")
    shot.production = there
    shot.save(update_fields=["production"])
    return shot


def _names_beside(shot: Shot) -> list[str]:
    return list(shot.production.shots.exclude(pk=shot.pk).values_list("name", flat=True))


@transaction.atomic
def remove(user: User, shot_id: int) -> Shot:
    """Take a shot off its production. All of it is kept for KEPT."""
    shot = shot_for(user, shot_id, "manage", lock=True)
    shelf, _ = Production.objects.get_or_create(shelf=True, defaults={"name": SHELF})
    shot.removed, shot.removed_from, shot.removed_name = timezone.now(), shot.production, shot.name
    shot.production, shot.name = shelf, f"shot {shot.pk}"
    shot.save(update_fields=["removed", "removed_from", "removed_name", "production", "name"])
    return shot


@transaction.atomic
def bring_back(user: User, shot_id: int) -> Shot:
    """Put a removed shot back where it was. NotThere for all that is not on the shelf, Refused where its name is taken by now."""
    shot = Shot.objects.select_for_update(of=("self",)).filter(pk=shot_id, removed__isnull=False).first()
    if shot is None or shot.removed_from is None:
        raise NotThere()
    require(user, shot.removed_from.pk, "manage")
    if shot.removed_from.shots.filter(name__iexact=shot.removed_name).exists():
        raise Refused(f"There is a shot called '{shot.removed_name}' here by now. Rename that one first.")
    shot.production, shot.name = shot.removed_from, shot.removed_name
    shot.removed, shot.removed_from, shot.removed_name = None, None, ""
    shot.save(update_fields=["removed", "removed_from", "removed_name", "production", "name"])
    return shot


def clear_out(now: datetime | None = None) -> int:
    """Take away for good what was removed longer than KEPT ago, with its files; returns how many shots that were."""
    over = Shot.objects.filter(removed__lt=(now or timezone.now()) - KEPT)
    count = 0
    for shot in over:
        for folder in _clear(shot):
            store.drop(folder)
        count += 1
    return count


@transaction.atomic
def _clear(shot: Shot) -> list[Path]:
    """Take away the rows of a shot; returns the folders of its files, to be taken away once that is committed."""
    places = [place for some in folders(shot).values() for place in some]
    deliveries = Delivery.objects.filter(matte__shot=shot)
    Sending.objects.filter(delivery__in=deliveries).delete()
    deliveries.delete()
    Edit.objects.filter(shot=shot).update(reverses=None, follows=None)
    shot.delete()
    return places
