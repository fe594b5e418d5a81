"""What an edit may say. Importing this makes all commands known."""

from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

from ninja import Schema
from pydantic import AliasChoices, Field

from jaythread.desk.edit import registry
from jaythread.desk.edit.commands import groups, keys, lines, mattes, outlines, past, shapes, shots, stack, tracks, tryouts
from jaythread.desk.edit.registry import COMMANDS

__all__ = [
    "COMMANDS",
    "Command",
    "Single",
    "Together",
    "groups",
    "keys",
    "lines",
    "mattes",
    "outlines",
    "parts_of",
    "past",
    "shapes",
    "shots",
    "stack",
    "tracks",
    "tryouts",
]

if TYPE_CHECKING:
    Single = Any
else:
    Single = Annotated[Union[tuple(c.schema for c in registry.COMMANDS.values())], Field(discriminator="do")]  # noqa: UP007


class Together(Schema):
    """Several commands that are one act: done, and taken back, at once."""

    do: Literal["together"]
    summary: Annotated[str, Field(min_length=1, max_length=200, validation_alias=AliasChoices("summary", "says"))]
    commands: Annotated[list[Single], Field(min_length=1, max_length=200)]


if TYPE_CHECKING:
    Command = Any
else:
    Command = Annotated[Union[(*(c.schema for c in registry.COMMANDS.values()), Together)], Field(discriminator="do")]


def parts_of(command: Any) -> list[Any]:
    """The single commands that a command consists of."""
    return list(command.commands) if isinstance(command, Together) else [command]
