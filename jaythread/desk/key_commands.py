"""What an edit may say about keys: making, moving, copying, retiming and taking them away."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.vocabulary import Frame
from roto.motion import edits, retime
from roto.motion.shape import Shape as CoreShape
from roto.motion.shared_edge import share_edge
from roto.motion.steady_form import steady

Channel = Literal["form", "placement", "settings", "reach"]


class KeyHere(Schema):
    """A key that changes nothing."""

    do: Literal["key here"]
    shape: str
    channel: Channel
    frame: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return edits.key_here(shape, self.channel, self.frame)

    def says(self, shape: CoreShape) -> str:
        return f"keyed the {self.channel} of {shape.name} on {self.frame} as it was"


class MoveKey(Schema):
    """A key brought to another frame."""

    do: Literal["move key"]
    shape: str
    channel: Channel
    frame: Frame
    to: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return edits.move_key(shape, self.channel, self.frame, self.to)

    def says(self, shape: CoreShape) -> str:
        return f"moved the {self.channel} key of {shape.name} from {self.frame} to {self.to}"


class KeyKind(Schema):
    """How the stretch after a key runs."""

    do: Literal["key kind"]
    shape: str
    channel: Channel
    frame: Frame
    kind: Literal["hold", "straight", "flowing"]

    def on(self, shape: CoreShape) -> CoreShape:
        return edits.key_kind(shape, self.channel, self.frame, self.kind)

    def says(self, shape: CoreShape) -> str:
        return f"made the {self.channel} key of {shape.name} on {self.frame} {self.kind}"


class DropKey(Schema):
    """Take a key away."""

    do: Literal["drop key"]
    shape: str
    channel: Channel
    frame: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return edits.drop_key(shape, self.channel, self.frame)

    def says(self, shape: CoreShape) -> str:
        return f"removed the {self.channel} key of {shape.name} on {self.frame}"


Channels = Annotated[list[Channel], Field(min_length=1)]
Span = tuple[Frame, Frame]


class ShiftKeys(Schema):
    """All keys of some channels moved by so many frames."""

    do: Literal["shift keys"]
    shape: str
    channels: Channels
    by: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.shift_keys(shape, self.channels, self.by)

    def says(self, shape: CoreShape) -> str:
        return f"shifted the keys of {shape.name} by {self.by:+d}"


class StretchKeys(Schema):
    """The keys within a span brought to another span."""

    do: Literal["stretch keys"]
    shape: str
    channels: Channels
    span: Span
    to: Span

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.stretch_keys(shape, self.channels, self.span, self.to)

    def says(self, shape: CoreShape) -> str:
        return f"stretched the keys of {shape.name} from {self.span[0]}-{self.span[1]} to {self.to[0]}-{self.to[1]}"


class RetimeKeys(Schema):
    """Some keys of a channel brought to other frames: from which to which."""

    do: Literal["retime keys"]
    shape: str
    channel: Channel
    moves: Annotated[dict[Frame, Frame], Field(min_length=1)]

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.retime_keys(shape, self.channel, self.moves)

    def says(self, shape: CoreShape) -> str:
        many = f"{len(self.moves)} keys" if len(self.moves) > 1 else "a key"
        return f"moved {many} of the {self.channel} of {shape.name}"


class ReverseKeys(Schema):
    """The keys within a span run backwards in it."""

    do: Literal["reverse keys"]
    shape: str
    channels: Channels
    span: Span

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.reverse_keys(shape, self.channels, self.span)

    def says(self, shape: CoreShape) -> str:
        return f"reversed the keys of {shape.name} on {self.span[0]}-{self.span[1]}"


class OnlyKey(Schema):
    """One key here; all others of these channels taken away."""

    do: Literal["only key"]
    shape: str
    channels: Channels
    frame: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.only_key(shape, self.channels, self.frame)

    def says(self, shape: CoreShape) -> str:
        return f"took away all keys of {shape.name} but one on {self.frame}"


class CopyKey(Schema):
    """What a key holds, keyed on another frame too."""

    do: Literal["copy key"]
    shape: str
    channel: Channel
    frame: Frame
    to: Frame

    def on(self, shape: CoreShape) -> CoreShape:
        return retime.copy_key(shape, self.channel, self.frame, self.to)

    def says(self, shape: CoreShape) -> str:
        return f"copied the {self.channel} key of {shape.name} from {self.frame} to {self.to}"


class TakeKeys(Schema):
    """The keys of another shape in place of one's own."""

    do: Literal["take keys"]
    shape: str
    other: str
    channels: Channels

    def between(self, shape: CoreShape, other: CoreShape) -> CoreShape:
        return retime.take_keys(shape, other, self.channels)

    def says(self, shape: CoreShape) -> str:
        return f"gave {shape.name} the {' and '.join(self.channels)} keys of another shape"


class ShareEdge(Schema):
    """A stretch of points becomes that of a neighbour's outline which runs beside it on this frame, points and keys."""

    do: Literal["share edge"]
    shape: str
    other: str
    points: Annotated[list[int], Field(min_length=2)]
    frame: Frame

    def between(self, shape: CoreShape, other: CoreShape) -> CoreShape:
        return share_edge(shape, other, self.points, self.frame)

    def says(self, shape: CoreShape) -> str:
        return f"let {shape.name} share a neighbour's edge"


class Steady(Schema):
    """Move, turn and size that hide in form keys, out into placement keys."""

    do: Literal["steady"]
    shape: str

    def on(self, shape: CoreShape) -> CoreShape:
        return steady(shape).shape

    def says(self, shape: CoreShape) -> str:
        done = steady(shape)
        return f"steadied the form of {shape.name}: its points now move by {done.after:.1f} px at most instead of {done.before:.1f}"


Between = TakeKeys | ShareEdge
"""commands that need another shape of the shot as well"""
OnKeys = (
    Steady
    | ShareEdge
    | KeyHere
    | MoveKey
    | KeyKind
    | DropKey
    | ShiftKeys
    | StretchKeys
    | RetimeKeys
    | ReverseKeys
    | OnlyKey
    | CopyKey
    | TakeKeys
)
