"""The register of commands: what an edit may say, and what it does. A command is registered where it is written, and nowhere else."""

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Lock
from typing import TYPE_CHECKING, Any, get_args

from cachetools import LRUCache
from ninja import Schema

from jaythread.desk.edit.row_changes import CHANNELS, Change
from jaythread.desk.edit.types import Scoped
from roto.motion.edits import new_keys_as
from roto.motion.shape import Shape as CoreShape
from roto.track.track import Track as CoreTrack

if TYPE_CHECKING:
    from jaythread.desk.edit.session import Session


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a command comes to: the sentence for the journal, the changed rows, and shapes as they were and as they become (those that a
    changed group carries too). track: of a command about a track, what it becomes, for a preview."""

    summary: str
    rows: list[Change]
    before: list[CoreShape] = field(default_factory=list)
    after: list[CoreShape] = field(default_factory=list)
    track: CoreTrack | None = None

    @property
    def only_reshapes(self) -> bool:
        """Whether it changes nothing but shapes that are there before and after: then a picture of them can be begun at once."""
        same = [s.id for s in self.before] == [s.id for s in self.after] != []
        return same and all(c["table"] == "shape" or c["table"] in CHANNELS for c in self.rows)


Handler = Callable[["Session", Any], Outcome]
Reshape = Callable[[CoreShape, Any], tuple[CoreShape, str]]
"""a shape as a command makes it, and the sentence"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Command:
    """do: its name. schema: what it may say. handler: what it does, looking at the present state and writing nothing. reshape: of one that
    changes a single shape by itself, just that: it serves the preview while dragging too. long: it takes seconds, and gives what it made
    of the same shape at once when it is asked again: so it is done once before the shot is locked."""

    do: str
    schema: type[Schema]
    handler: Handler
    reshape: Reshape | None = None
    long: bool = False


@dataclass(frozen=True, slots=True)
class _Last:
    """What a command made of a shape."""

    old: CoreShape
    said: Any
    new: CoreShape
    summary: str


MOST = 16 << 20
"""bytes of shapes as commands made them last that are kept: what is dragged is asked for again as it is let go, and as it is saved"""
_last: LRUCache[str, _Last] = LRUCache(MOST, getsizeof=lambda one: one.old.nbytes + one.new.nbytes + 1000)
_lock = Lock()

COMMANDS: dict[str, Command] = {}


def _named(schema: type[Schema]) -> str:
    return str(get_args(schema.model_fields["do"].annotation)[0])


def command(schema: type[Schema]) -> Callable[[Handler], Handler]:
    """Registers the handler of a command."""

    def register(handler: Handler) -> Handler:
        COMMANDS[_named(schema)] = Command(do=_named(schema), schema=schema, handler=handler)
        return handler

    return register


def shape_command(schema: type[Schema], long: bool = False) -> Callable[[Reshape], Reshape]:
    """Registers a command that changes one shape, by what it makes of it."""

    def register(reshape: Reshape) -> Reshape:
        def made(old: CoreShape, said: Any) -> tuple[CoreShape, str]:
            with _lock:
                last = _last.get(old.id)
            if last is not None and last.old is old and last.said == said:
                return last.new, last.summary
            new, summary = reshape(old, said)
            new = new_keys_as(old, new, said.frame, said.kind) if isinstance(said, Scoped) else new
            if old.nbytes + new.nbytes < MOST // 8:
                with _lock:
                    _last[old.id] = _Last(old, said, new, summary)
            return new, summary

        def handler(session: "Session", said: Any) -> Outcome:
            return session.reshaped(said.shape, lambda old: made(old, said))

        COMMANDS[_named(schema)] = Command(do=_named(schema), schema=schema, handler=handler, reshape=made, long=long)
        return reshape

    return register


def command_of(said: Any) -> Command:
    """The command that something said is; a second name of it counts as the first."""
    found = COMMANDS.get(said.do)
    return found if found is not None else next(c for c in COMMANDS.values() if isinstance(said, c.schema))
