"""What can be done with deliveries: ask for one, stop it and go on, accept what is odd about it."""

import uuid
from collections.abc import Sequence

from django.db import transaction

from jaythread import store
from jaythread.delivery import looks, making, packing, planning, policies
from jaythread.delivery.models import Chunk, DeliveredFrame, Delivery, State
from jaythread.desk.document import core_cache
from jaythread.desk.policies import matte_for
from jaythread.errors import Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.exchange import document
from roto.package import make, manifest
from roto.package.recipe import STARTERS, Recipe

PLAIN = "compositor, stills of 16 bits"
"""the recipe when none is said"""


@transaction.atomic
def ask(
    user: User,
    shot_id: int,
    mattes: uuid.UUID | Sequence[uuid.UUID],
    recipe: Recipe | None = None,
    recipe_name: str = "",
    first: int | None = None,
    last: int | None = None,
    tryout: uuid.UUID | None = None,
) -> Delivery:
    """A new delivery of a matte, or of several in one file, or of a tryout with its own mattes, by a recipe, over the working range where
    no other frames are said. The shapes are frozen as they are now."""
    ids = [mattes] if isinstance(mattes, uuid.UUID) else list(mattes)
    look = None
    if recipe is not None and recipe.content == "tryout":
        if tryout is None:
            raise Refused("Choose the tryout that is to be delivered.")
        look = looks.frozen(shot_for(user, shot_id, "deliver"), tryout)
        ids = [uuid.UUID(one) for one in look["mattes"]]
    if not ids:
        raise Refused("Choose what is to be delivered: a matte at least.")
    shot, matte = matte_for(user, shot_id, ids[0], "deliver")
    shot = Shot.objects.select_for_update().get(pk=shot.pk)
    rows = [matte, *(matte_for(user, shot_id, other, "deliver")[1] for other in ids[1:])]
    cores = [core_cache.matte(shot, row) for row in rows]
    for row, core in zip(rows, cores, strict=True):
        if not core.entries and look is None:
            raise Refused(f"The matte '{row.name}' has no shape yet. Trace one first, then deliver it.")
    if recipe is None:
        recipe, recipe_name = STARTERS[PLAIN][1], PLAIN
    plate = shot.plates.first()
    recipe = planning.as_the_plate(recipe, shot)
    version = planning.next_version(matte)
    first, last = shot.working[0] if first is None else first, shot.working[1] if last is None else last
    if look is not None:
        looks.check(shot, look, tuple(cores))
    made_from = planning.sources(shot, plate, tuple(cores), tryout=look)
    plan = make.plan(made_from, recipe, first=first, last=last, version=version, recipe_name=recipe_name)  # says what cannot be made
    delivery = Delivery.objects.create(
        matte=matte,
        user_id=account(user),
        version=version,
        revision=shot.revision,
        document=document.dumps(cores[0]),
        others=[document.dumps(core) for core in cores[1:]],
        tryout=look,
        recipe=recipe.to_json(),
        recipe_name=recipe_name,
        first=plan.first,
        last=plan.last,
        plate=plate,
        plate_offset=plate.offset if plate else 0,
    )
    movie = recipe.kind.movie
    DeliveredFrame.objects.bulk_create(
        DeliveredFrame(delivery=delivery, at=k, number=p.number, frame=p.frame, name=plan.names[0 if movie else k])
        for k, p in enumerate(plan.pieces)
    )
    making.queue("delivery.begin", delivery_id=delivery.pk)
    return delivery


@transaction.atomic
def ask_each(
    user: User,
    shot_id: int,
    mattes: Sequence[uuid.UUID],
    recipe: Recipe | None,
    recipe_name: str,
    first: int | None,
    last: int | None,
    tryout: uuid.UUID | None = None,
) -> list[Delivery]:
    """One delivery of several mattes where the recipe takes several, or else one of each; all of them, or none."""
    if recipe is not None and recipe.content == "tryout":
        return [ask(user, shot_id, mattes, recipe, recipe_name, first, last, tryout)]
    together = len(mattes) < 2 or (recipe is not None and recipe.several)
    return [ask(user, shot_id, ids, recipe, recipe_name, first, last) for ids in ([list(mattes)] if together else [[m] for m in mattes])]


def deliver(delivery_id: int) -> None:
    """All of it here and now: for commands and tests; the page leaves it to the workers."""
    making.begin(delivery_id)
    for chunk in list(Chunk.objects.filter(delivery_id=delivery_id).values_list("pk", flat=True)):
        making.chunk(delivery_id, chunk)
    making.finish(delivery_id)


def _mine(user: User, delivery_id: int) -> Delivery:
    policies.delivery_for(user, delivery_id, "deliver")
    return Delivery.objects.select_for_update().get(pk=delivery_id)


@transaction.atomic
def cancel(user: User, delivery_id: int) -> Delivery:
    """Ask a delivery to stop for good."""
    delivery = _mine(user, delivery_id)
    if not delivery.busy and not delivery.stopped:
        raise Refused("This delivery has ended already.")
    Delivery.objects.filter(pk=delivery.pk).update(cancel=True)
    if delivery.state == State.WAITING or delivery.stopped:
        making.end(delivery, State.CANCELLED)
    return delivery


@transaction.atomic
def pause(user: User, delivery_id: int) -> Delivery:
    """Let a delivery rest; what is made stays."""
    delivery = _mine(user, delivery_id)
    if delivery.state not in (State.WAITING, State.RENDERING):
        raise Refused("Only what is waiting or being rendered can be paused.")
    Delivery.objects.filter(pk=delivery.pk).update(state=State.PAUSED)
    return delivery


@transaction.atomic
def go_on(user: User, delivery_id: int) -> Delivery:
    """Take a delivery up again that was paused or held up."""
    delivery = _mine(user, delivery_id)
    if not delivery.stopped:
        raise Refused("This delivery is not paused.")
    making.go_on(delivery)
    return delivery


@transaction.atomic
def accept(user: User, delivery_id: int, frames: Sequence[int] | None = None) -> Delivery:
    """Somebody has looked at what is odd, and it is meant so; the package's receipt says it from now on."""
    delivery = _mine(user, delivery_id)
    if delivery.state != State.PROVED:
        raise Refused("Only what is odd about a proved delivery can be accepted.")
    for row in delivery.odd:
        if frames is None or row["frame"] in frames:
            row["accepted"] = True
    delivery.save(update_fields=["odd"])
    package = store.bring(delivery.package)
    packing.say_it(delivery, planning.plan_of(delivery), manifest.load(package))
    packing.pack(delivery)
    return delivery
