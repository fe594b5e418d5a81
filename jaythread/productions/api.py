"""Productions and their shots, for scripts."""

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Router
from typing_extensions import TypedDict

from jaythread.productions.models import Membership
from jaythread.productions.policies import account, require

router = Router(tags=["productions"])


class ProductionOut(TypedDict):
    """role: one's own. archived: since when it is looked at only."""

    id: int
    name: str
    role: str
    archived: datetime | None


class ShotOut(TypedDict):
    """first, last: its range; working: the frames that matter. rate: frames a second, as a fraction. size: px, width and height."""

    id: int
    name: str
    first: int
    last: int
    working: list[int]
    rate: str
    size: list[int]
    mattes: list[str]


@router.get("/productions", response=list[ProductionOut])
def my_productions(request: HttpRequest) -> Any:
    """The productions that one is in."""
    mine = Membership.objects.filter(user_id=account(request.user)).select_related("production").order_by("production__name")
    return [{"id": m.production_id, "name": m.production.name, "role": m.role, "archived": m.production.archived} for m in mine]


@router.get("/productions/{production_id}/shots", response=list[ShotOut])
def shots_of(request: HttpRequest, production_id: int) -> Any:
    """The shots of a production."""
    place = require(request.user, production_id, "look").production
    return [
        {
            "id": s.pk, "name": s.name, "first": s.first, "last": s.last, "working": list(s.working), "rate": str(s.rate),
            "size": [s.width, s.height], "mattes": [m.name for m in s.mattes.all()],
        }
        for s in place.shots.prefetch_related("mattes").order_by("name")
    ]  # fmt: skip
