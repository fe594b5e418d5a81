"""The kinds of values that edits are made of."""

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from roto.matte.feather.profile import NAMES, OWN


def _written(text: str) -> str:
    if any(ord(c) < 32 or ord(c) == 127 for c in text):
        raise ValueError("has a character in it that cannot be written; type it anew")
    return text


Frame = Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
"""a frame's number: the plate's own, or one that a key may stand on beyond it"""
Text = Annotated[str, AfterValidator(_written)]
Six = Annotated[list[float], Field(min_length=6, max_length=6)]
Name = Annotated[Text, Field(min_length=1, max_length=60)]
Profile = Annotated[str, Field(pattern=f"^({'|'.join(NAMES)}|{OWN.pattern})$")]
Mode = Literal["add", "cut", "keep", "solve"]
Spread = Literal["here", "all", "on"]
"""which keys a change touches: the one here (made where there is none), all of them, or those from here on, all by the same offset"""
