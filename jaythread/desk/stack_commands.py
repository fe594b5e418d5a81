"""What an edit may say about the stack, mattes and the shutter."""

from typing import Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.vocabulary import Frame, Mode, Text


class ChangeEntry(Schema):
    """A line of the stack."""

    do: Literal["entry"]
    entry: str
    mode: Mode | None = None
    inverted: bool | None = None
    opacity: float | None = Field(None, ge=0, le=1)
    order: float | None = None


class AddLine(Schema):
    """A shape that is there already, on top of another matte's stack (or once more of its own)."""

    do: Literal["add line"]
    entry: str
    matte: str
    shape: str
    mode: Mode = "add"


class DropLine(Schema):
    """A line of a stack taken away; the shape stays in the shot."""

    do: Literal["drop line"]
    entry: str


class CopyMatte(Schema):
    """A matte with the same stack as another; both use the same shapes."""

    do: Literal["copy matte"]
    matte: str
    of: str
    name: Text


class NewMatte(Schema):
    """A matte with an empty stack."""

    do: Literal["new matte"]
    matte: str
    name: Text


class ChangeMatte(Schema):
    """The whole matte."""

    do: Literal["matte"]
    matte: str
    name: Text | None = None
    inverted: bool | None = None


class ShiftMatte(Schema):
    """Key the edge shift of a whole matte (px); without a number its key on that frame is taken away."""

    do: Literal["shift matte"]
    matte: str
    frame: Frame
    shift: float | None = Field(None, ge=-1000, le=1000)


class RemoveMatte(Schema):
    """A matte with its stack; its shapes stay."""

    do: Literal["remove matte"]
    matte: str


class ChangeShutter(Schema):
    """The shot's shutter: angle and phase in degrees (no phase: centred)."""

    do: Literal["shutter"]
    angle: float = Field(ge=0, le=360)
    phase: float | None = Field(None, ge=-360, le=360)
