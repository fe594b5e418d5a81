"""Commands on keys: making, moving, copying, retiming and taking them away."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.edit.registry import Outcome, command, shape_command
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Channel, Channels, Frame, Kind, Span
from roto.curve import take_keys as curve
from roto.motion import edits, retime
from roto.motion.shape import Shape as CoreShape
from roto.motion.shared_edge import share_edge

Reshaped = tuple[CoreShape, str]


class OneKey(Schema):
    """What commands on one key say."""

    shape: str
    channel: Channel
    frame: Frame


class SomeKeys(Schema):
    """What commands on the keys of several channels say."""

    shape: str
    channels: Channels


class KeyHere(OneKey):
    """A key that changes nothing."""

    do: Literal["key here"]


@shape_command(KeyHere)
def key_here(shape: CoreShape, said: KeyHere) -> Reshaped:
    """A key more."""
    return edits.key_here(shape, said.channel, said.frame), f"keyed the {said.channel} of {shape.name} on {said.frame} as it was"


class MoveKey(OneKey):
    """A key brought to another frame."""

    do: Literal["move key"]
    to: Frame


@shape_command(MoveKey)
def move_key(shape: CoreShape, said: MoveKey) -> Reshaped:
    """A key elsewhere."""
    new = edits.move_key(shape, said.channel, said.frame, said.to)
    return new, f"moved the {said.channel} key of {shape.name} from {said.frame} to {said.to}"


class KeyKind(OneKey):
    """How the stretch after a key runs."""

    do: Literal["key kind"]
    kind: Kind


@shape_command(KeyKind)
def key_kind(shape: CoreShape, said: KeyKind) -> Reshaped:
    """A key of another kind."""
    new = edits.key_kind(shape, said.channel, said.frame, said.kind)
    return new, f"made the {said.channel} key of {shape.name} on {said.frame} {said.kind}"


class DropKey(OneKey):
    """Take a key away."""

    do: Literal["drop key"]


@shape_command(DropKey)
def drop_key(shape: CoreShape, said: DropKey) -> Reshaped:
    """A key less."""
    return edits.drop_key(shape, said.channel, said.frame), f"removed the {said.channel} key of {shape.name} on {said.frame}"


class FlowAgain(OneKey):
    """A key takes its speed from its neighbours again, where earlier corrections made it stand."""

    do: Literal["flow again"]


@shape_command(FlowAgain)
def flow_again(shape: CoreShape, said: FlowAgain) -> Reshaped:
    """A key that flows."""
    return edits.flow_again(shape, said.channel, said.frame), f"let the {said.channel} of {shape.name} flow again on {said.frame}"


class CopyKey(OneKey):
    """What a key holds, keyed on another frame too."""

    do: Literal["copy key"]
    to: Frame


@shape_command(CopyKey)
def copy_key(shape: CoreShape, said: CopyKey) -> Reshaped:
    """A key once more."""
    new = retime.copy_key(shape, said.channel, said.frame, said.to)
    return new, f"copied the {said.channel} key of {shape.name} from {said.frame} to {said.to}"


class ShiftKeys(SomeKeys):
    """All keys of some channels moved by so many frames."""

    do: Literal["shift keys"]
    by: Frame


@shape_command(ShiftKeys)
def shift_keys(shape: CoreShape, said: ShiftKeys) -> Reshaped:
    """Keys later or earlier."""
    return retime.shift_keys(shape, said.channels, said.by), f"shifted the keys of {shape.name} by {said.by:+d}"


class StretchKeys(SomeKeys):
    """The keys within a span brought to another span."""

    do: Literal["stretch keys"]
    span: Span
    to: Span


@shape_command(StretchKeys)
def stretch_keys(shape: CoreShape, said: StretchKeys) -> Reshaped:
    """Keys at another pace."""
    new = retime.stretch_keys(shape, said.channels, said.span, said.to)
    return new, f"stretched the keys of {shape.name} from {said.span[0]}-{said.span[1]} to {said.to[0]}-{said.to[1]}"


class RetimeKeys(Schema):
    """Some keys of a channel brought to other frames: from which to which."""

    do: Literal["retime keys"]
    shape: str
    channel: Channel
    moves: Annotated[dict[Frame, Frame], Field(min_length=1)]


@shape_command(RetimeKeys)
def retime_keys(shape: CoreShape, said: RetimeKeys) -> Reshaped:
    """Some keys elsewhere."""
    many = f"{len(said.moves)} keys" if len(said.moves) > 1 else "a key"
    return retime.retime_keys(shape, said.channel, said.moves), f"moved {many} of the {said.channel} of {shape.name}"


class ReverseKeys(SomeKeys):
    """The keys within a span run backwards in it."""

    do: Literal["reverse keys"]
    span: Span


@shape_command(ReverseKeys)
def reverse_keys(shape: CoreShape, said: ReverseKeys) -> Reshaped:
    """Keys backwards."""
    return retime.reverse_keys(shape, said.channels, said.span), f"reversed the keys of {shape.name} on {said.span[0]}-{said.span[1]}"


class OnlyKey(SomeKeys):
    """One key here; all others of these channels taken away."""

    do: Literal["only key"]
    frame: Frame


@shape_command(OnlyKey)
def only_key(shape: CoreShape, said: OnlyKey) -> Reshaped:
    """One key alone."""
    return retime.only_key(shape, said.channels, said.frame), f"took away all keys of {shape.name} but one on {said.frame}"


class TakeKeys(SomeKeys):
    """The keys of another shape in place of one's own."""

    do: Literal["take keys"]
    other: str


@command(TakeKeys)
def take_keys(session: Session, said: TakeKeys) -> Outcome:
    """The keys of another shape."""
    other = session.shape(said.other)

    def taken(shape: CoreShape) -> Reshaped:
        new = curve.take_keys(shape, other, said.channels)
        return new, f"gave {shape.name} the {' and '.join(said.channels)} keys of {other.name}"

    return session.reshaped(said.shape, taken)


class ShareEdge(Schema):
    """A stretch of points becomes that of a neighbour's outline which runs beside it on this frame, points and keys."""

    do: Literal["share edge"]
    shape: str
    other: str
    points: Annotated[list[int], Field(min_length=2)]
    frame: Frame


@command(ShareEdge)
def shared_edge(session: Session, said: ShareEdge) -> Outcome:
    """The edge of a neighbour."""
    other = session.shape(said.other)

    def shared(shape: CoreShape) -> Reshaped:
        return share_edge(shape, other, said.points, said.frame), f"let {shape.name} share the edge of {other.name}"

    return session.reshaped(said.shape, shared)
