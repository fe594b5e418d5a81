"""The kinds of values that edits are made of."""

from typing import Annotated, Literal

from pydantic import Field

from roto.matte.profile import NAMES, OWN

Six = Annotated[list[float], Field(min_length=6, max_length=6)]
Name = Annotated[str, Field(min_length=1, max_length=60)]
Profile = Annotated[str, Field(pattern=f"^({'|'.join(NAMES)}|{OWN.pattern})$")]
Mode = Literal["add", "cut", "keep", "solve"]
Spread = Literal["here", "all", "on"]
"""which keys a change touches: the one here (made where there is none), all of them, or those from here on, all by the same offset"""
