"""One's own preferences, for the desk."""

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from jaythread.accounts import actions

router = Router(tags=["accounts"])
Key = Annotated[str, Field(min_length=1, max_length=30)]


class KeysIn(Schema):
    """An act's name to the keys that the person has chosen for it."""

    keys: Annotated[dict[Annotated[str, Field(max_length=40)], Annotated[list[Key], Field(max_length=4)]], Field(max_length=300)]


class KeysOut(Schema):
    """All keys that the person has chosen."""

    keys: dict[str, list[str]]


@router.post("/me/keys", response=KeysOut)
def keep_keys(request: HttpRequest, body: KeysIn) -> Any:
    return {"keys": actions.keep(request.user, keys=body.keys).keys}


class KeyKindIn(Schema):
    """How the stretch after a new key runs."""

    kind: Literal["hold", "straight", "flowing"]


class KeyKindOut(Schema):
    kind: str


@router.post("/me/key-kind", response=KeyKindOut)
def keep_key_kind(request: HttpRequest, body: KeyKindIn) -> Any:
    """The kind of the keys that this person makes from now on."""
    return {"kind": actions.keep(request.user, key_kind=body.kind).key_kind}
