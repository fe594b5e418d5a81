"""What the api says of notes, and of all that is new at a shot."""

from typing_extensions import TypedDict

from jaythread.desk.api.schemas import ChangedOut
from jaythread.jobs.api import JobOut


class AnswerOut(TypedDict):
    by: str
    text: str


class SeenNoteOut(TypedDict):
    """What was noted, as it is shown to whoever looks."""

    id: int
    frame: int
    last: int | None
    x: float | None
    y: float | None
    strokes: list[list[tuple[float, float]]]
    text: str
    by: str
    state: str


class NoteOut(SeenNoteOut):
    """A note with all that became of it."""

    to: str | None
    package: str
    reason: str
    settled_by: str
    version: str
    pasted: bool
    answers: list[AnswerOut]


class NoteMadeOut(TypedDict):
    """A note that was made."""

    id: int


class NewsOut(TypedDict):
    """All that has changed. moment: to be named in the next question. here: who else looks at the shot."""

    edits: ChangedOut
    jobs: list[JobOut]
    moment: str
    notes: list[NoteOut]
    here: list[str]
