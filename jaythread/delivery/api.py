"""Deliveries, for scripts: ask for one, see how it stands, fetch the package."""

from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.delivery import actions, packing, recipes
from jaythread.delivery.models import Delivery
from jaythread.delivery.policies import delivery_for, package_for
from jaythread.desk.models import Matte
from jaythread.errors import NotThere
from jaythread.productions.models import Shot
from jaythread.productions.policies import shot_for

router = Router(tags=["deliveries"])
Name = Annotated[str, Field(max_length=80)]


class DeliveryOut(TypedDict):
    """name: of what is delivered, a matte or a tryout. state: waiting, rendering, reading back, paused, held up, proved, failed, cancelled
    or cleared. message: why it is held up; wrong: why it failed. open: things about it that somebody still has to answer for."""

    id: int
    shot: int
    name: str
    version: int
    recipe: str
    first: int | None
    last: int | None
    state: str
    message: str
    wrong: list[str]
    open: int
    made: datetime
    ended: datetime | None


class DeliveryIn(Schema):
    """mattes: by name. recipe: by name, one of the production's or one to start from; first, last: the working range when left out."""

    mattes: Annotated[list[Name], Field(min_length=1, max_length=40)]
    recipe: Name = actions.PLAIN
    first: int | None = None
    last: int | None = None


def _said(it: Delivery) -> dict[str, Any]:
    return {
        "id": it.pk, "shot": it.matte.shot_id, "name": it.name, "version": it.version, "recipe": it.recipe_name, "first": it.first,
        "last": it.last, "state": it.state, "message": it.message, "wrong": it.wrong, "open": len(it.open_odd), "made": it.made,
        "ended": it.ended,
    }  # fmt: skip


@router.get("/shots/{shot_id}/deliveries", response=list[DeliveryOut])
def deliveries_of(request: HttpRequest, shot_id: int) -> Any:
    """The deliveries of a shot, the newest first."""
    shot = shot_for(request.user, shot_id, "look")
    return [_said(it) for it in Delivery.objects.filter(matte__shot=shot).select_related("matte")]


@router.post("/shots/{shot_id}/deliveries", response=list[DeliveryOut])
def ask_delivery(request: HttpRequest, shot_id: int, body: DeliveryIn) -> Any:
    """Ask for a delivery; of several mattes one each, where the recipe does not pack them together."""
    shot = shot_for(request.user, shot_id, "deliver")
    recipe = recipes.chosen(shot.production_id, body.recipe)
    ids = [_matte(shot, name).pk for name in body.mattes]
    return [_said(it) for it in actions.ask_each(request.user, shot_id, ids, recipe.core, recipe.name, body.first, body.last)]


def _matte(shot: Shot, name: str) -> Matte:
    found = shot.mattes.filter(name=name).first()
    if found is None:
        raise NotThere(f"{shot} has no matte '{name}'. It has: {', '.join(m.name for m in shot.mattes.all()) or 'none'}.")
    return found


@router.get("/deliveries/{delivery_id}", response=DeliveryOut)
def delivery_state(request: HttpRequest, delivery_id: int) -> Any:
    """How a delivery stands."""
    return _said(delivery_for(request.user, delivery_id, "look"))


@router.get("/deliveries/{delivery_id}/package")
def fetch_package(request: HttpRequest, delivery_id: int) -> Any:
    """The package of a proved delivery, as one zip."""
    return packing.download(package_for(request.user, delivery_id))
