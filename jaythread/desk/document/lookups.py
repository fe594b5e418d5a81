"""Finding what a command or a question names in a shot, and names that are free."""

import uuid
from typing import Any, TypeVar

from jaythread.desk.models import Matte, Shape, StackEntry, Track, Tryout
from jaythread.errors import NotThere, Refused
from jaythread.prepared import Prepared
from jaythread.productions.models import Shot
from roto.motion.shape import GROUP

T = TypeVar("T")
NOT_IN_NAMES = '/\\:*?"<>|.'
"""signs that some file system refuses, and the full stop that parts a file's name"""


def as_uuid(text: str) -> uuid.UUID:
    """An id that a page has sent; refused when it is none."""
    try:
        return uuid.UUID(text)
    except ValueError as error:
        raise Refused(f"'{text}' is not an id.") from error


def new_id(text: str, model: type[Shape] | type[Matte] | type[StackEntry] | type[Track] | type[Tryout]) -> str:
    """An id that a page has made for something new; refused when it is taken."""
    key = as_uuid(text)
    if model.objects.filter(pk=key).exists():
        raise Refused("That id is taken.")
    return str(key)


def _there(row: T | None, what: str) -> T:
    if row is None:
        raise NotThere(f"That {what} is not there any more.")
    return row


_shape = Prepared(lambda pk, shot: Shape.objects.filter(pk=pk, shot=shot).order_by(), uuid.UUID(int=1), 1_000_001)


def shape_row(shot: Shot, shape_id: str) -> Shape:
    """A shape of the shot; NotThere when there is none."""
    return _there(_shape.first(as_uuid(shape_id), shot.pk), "shape")


def matte_row(shot: Shot, matte_id: str) -> Matte:
    """A matte of the shot; NotThere when there is none."""
    return _there(Matte.objects.filter(pk=as_uuid(matte_id), shot=shot).first(), "matte")


def line_row(shot: Shot, entry_id: str) -> StackEntry:
    """A line of a stack of the shot; NotThere when there is none."""
    lines = StackEntry.objects.select_related("shape", "matte")
    return _there(lines.filter(pk=as_uuid(entry_id), matte__shot=shot).first(), "line of the stack")


def not_both_as_one(shot: Shot, inner: list[str], outer: list[str]) -> None:
    """Refused where a group that counts as one in a matte would ride on another that does: there is one such line above a shape."""
    lines = StackEntry.objects.filter(matte__shot=shot, shape__kind=GROUP).select_related("shape", "matte")
    below = {e.matte_id: e for e in lines if str(e.shape_id) in inner}
    for above in [e for e in lines if str(e.shape_id) in outer and e.matte_id in below]:
        names = f"{below[above.matte_id].shape.name} and of {above.shape.name}"
        raise Refused(
            f"In the matte {above.matte.name} the shapes of {names} count as one each. Let one of the two count one by one first."
        )


def track_row(shot: Shot, track_id: str) -> Track:
    """A track of the shot; NotThere when there is none."""
    return _there(Track.objects.filter(pk=as_uuid(track_id), shot=shot).first(), "track")


def tryout_row(shot: Shot, tryout_id: str) -> Tryout:
    """A tryout of the shot; NotThere when there is none."""
    return _there(Tryout.objects.filter(pk=as_uuid(tryout_id), shot=shot).first(), "tryout")


def free_tryout_name(shot: Shot, wanted: str) -> str:
    """A name that no tryout of the shot has."""
    return _free(wanted.strip()[:40] or "tryout", set(shot.tryouts.values_list("name", flat=True)), 40)


def _free(wanted: str, taken: set[str], most: int = 60) -> str:
    return next(n for n in (wanted, *(f"{wanted[: most - 6]} {k}" for k in range(2, 10_000))) if n not in taken)


def free_shape_name(shot: Shot, wanted: str) -> str:
    """A name that no shape of the shot has."""
    return _free(wanted, set(shot.shapes.values_list("name", flat=True)))


def free_track_name(shot: Shot, wanted: str) -> str:
    """A name that no track of the shot has."""
    return _free(wanted, set(shot.tracks.values_list("name", flat=True)))


def matte_name(shot: Shot, name: str, but: uuid.UUID | None = None) -> str:
    """A name that a matte of this shot may have, tidied. but: the matte that is renamed."""
    name = name.strip()[:40]
    if not name or any(c in name for c in NOT_IN_NAMES):
        raise Refused('Give the matte a name without / \\ : * ? " < > | and full stops, for example kite.')
    if any(m.name.lower() == name.lower() and m.pk != but for m in shot.mattes.all()):
        raise Refused(f"There is a matte '{name}' in this shot already.")
    return name


def entry_on_top(matte: Matte, shape_id: str, mode: str) -> dict[str, Any]:
    """A new line on top of a matte's stack, as the journal keeps it."""
    top = matte.entries.order_by("-order").values_list("order", flat=True).first()
    return {
        "matte": str(matte.pk), "shape": shape_id, "order": (top or 0.0) + 1.0, "mode": mode, "inverted": False, "opacity": 1.0,
    }  # fmt: skip
