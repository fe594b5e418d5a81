"""The kinds of values that commands are made of."""

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import AfterValidator, AliasChoices, Field

from roto.matte.feather.profile import NAMES, OWN
from roto.matte.modes import MODES


def _written(text: str) -> str:
    if not text.isprintable():
        raise ValueError("has a character in it that cannot be written; type it anew")
    return text


Frame = Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
"""a frame's number: the plate's own, or one that a key may stand on beyond it"""
Text = Annotated[str, AfterValidator(_written)]
Six = Annotated[list[float], Field(min_length=6, max_length=6)]
Name = Annotated[Text, Field(min_length=1, max_length=60)]
Profile = Annotated[str, Field(pattern=f"^({'|'.join(NAMES)}|{OWN.pattern})$")]
Mode = Annotated[str, Field(pattern=f"^({'|'.join(MODES)})$")]
"""how a line of a stack combines: a key of `roto.matte.modes.MODES`"""
Lens = Literal["bell", "disc"]
"""what lens softness is of: the sigma of a bell, or the radius of a disc"""
Colour = Annotated[int, Field(ge=0, le=7)]
Channel = Literal["form", "placement", "settings", "reach"]
Channels = Annotated[list[Channel], Field(min_length=1)]
Span = tuple[Frame, Frame]
Scope = Literal["here", "all", "on"]
"""which keys a change touches: the one here (made where there is none), all of them, or those from here on, all by the same offset"""


Kind = Literal["hold", "straight", "flowing"]
"""how the stretch after a key runs"""


class Scoped(Schema):
    """What a change says that may be for more than the key of one frame. kind: of a key that it makes."""

    frame: Frame
    scope: Scope = Field("here", validation_alias=AliasChoices("scope", "spread"))
    kind: Kind = "flowing"

    @property
    def first(self) -> int | None:
        """The frame from which keys are changed; None for all of them."""
        return int(self.frame) if self.scope == "on" else None

    @property
    def where(self) -> str:
        """The scope in words."""
        return {"here": f"on {self.frame}", "all": "on all keys", "on": f"from {self.frame} on"}[self.scope]


def given(command: Any, *but: str) -> dict[str, Any]:
    """The fields of a command that were said, without its name and those named."""
    return {k: v for k, v in command.dict(exclude={"do", *but}).items() if v is not None}
