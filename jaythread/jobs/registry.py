"""The kinds of long work. A room that has some registers it here; nothing else of the job machinery is its own."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel

from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.productions.models import Shot


class NoSettings(BaseModel):
    """For work that asks for nothing beside its subject."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Prepared:
    """What asking for a job comes to. total: how many steps it has, as far as is known."""

    total: int = 0
    settings: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of long work.

    name: as it is stored and asked for. may: what the role of whoever asks must include. busy: the sentence when one is under way
    for that subject already. settings: what may be said beside the subject. prepare: looks whether it can be done, from the shot,
    the subject and the settings; None where a page does not ask for it. run: does it, and returns the sentence that it ends with; it may
    run again after it was killed. ended: told when it is over, however that was. at_once: so many steps are done before asking returns.
    long: nobody sits and waits for it, so that what somebody at the desk asked for goes before it. warm: a worker that did it before has
    what it needs in memory, and is given it again.
    """

    name: str
    may: str
    run: Callable[[Job, Progress], str]
    busy: str = "That is under way already."
    settings: type[BaseModel] = NoSettings
    prepare: Callable[[Shot, str, Any], Prepared] | None = None
    ended: Callable[[Job], None] | None = None
    at_once: int = 0
    long: bool = False
    warm: bool = False


KINDS: dict[str, Kind] = {}


def register(kind: Kind) -> Kind:
    """Make a kind of work known."""
    KINDS[kind.name] = kind
    return kind
