"""What the desk's api answers, as types: the serializers make it, the OpenAPI document says it."""

from typing import Any, NotRequired

from typing_extensions import TypedDict

Row = list[float]


class KeyOut(TypedDict):
    """A key on the thread board. kind: 0 hold, 1 straight, 2 flowing. parts: what it holds; full: whether that is all there is. settled:
    whether earlier corrections fixed a speed of it."""

    frame: int
    kind: int
    parts: list[int]
    full: bool
    settled: bool


class CarrierOut(TypedDict):
    """What a shape rides on."""

    track: str | None
    how: str
    byGroup: bool


class ShapeOut(TypedDict):
    """A shape with its evaluated outlines: base64 of little-endian float32 (frames, points, 6). soft, placed: a row a frame, or one row."""

    id: str
    name: str
    kind: str
    group: str | None
    carrier: CarrierOut | None
    locked: bool
    revision: int
    colour: int
    profile: str
    blur: bool
    lensKind: str
    pivot: tuple[float, float]
    curves: list[bool]
    live: list[list[int]]
    form: list[KeyOut]
    placement: list[KeyOut]
    settings: list[KeyOut]
    reach: list[KeyOut]
    reaches: list[list[Row | None]] | None
    soft: list[Row]
    placed: list[Row]
    outlines: str | None
    opening: str | None


class TrackOut(TypedDict):
    """A track. path: base64 of little-endian float32 (frames, points, 2). next: frames where a key would help most, of one that bends."""

    id: str
    name: str
    revision: int
    home: int
    frames: list[int]
    confidence: list[float]
    manual: list[int]
    parts: int
    hows: list[str]
    patch: dict[str, Any] | None
    path: str
    next: list[int]


class LineOut(TypedDict):
    """A line of a stack. within: the line of the group that it counts within."""

    id: str
    shape: str
    order: float
    mode: str
    inverted: bool
    opacity: float
    within: str | None


class MatteOut(TypedDict):
    """A matte with its stack. shift: keys of its edge shift, frame and px; shifts: on every frame. lens and lenses: the
    same of its lens softness."""

    id: str
    name: str
    inverted: bool
    shift: list[tuple[int, float]]
    shifts: list[float]
    lens: list[tuple[int, float]]
    lenses: list[float]
    lensKind: str
    sentence: str
    stack: list[LineOut]


class ShutterOut(TypedDict):
    angle: float
    phase: float | None


class TryoutOut(TypedDict):
    """A tryout: lines as the tryout document has them, bottom first, and what each says."""

    id: str
    name: str
    revision: int
    lines: list[dict[str, Any]]
    sentences: list[str]


class HeadOut(TypedDict):
    """What may change with every edit beside shapes."""

    revision: int
    shutter: ShutterOut
    working: tuple[int, int]
    numbers: str
    mattes: list[MatteOut]
    tracks: list[TrackOut]
    tryouts: list[TryoutOut]
    undo: str | None
    redo: str | None


class ShotOut(TypedDict):
    id: int
    name: str
    first: int
    last: int
    size: tuple[int, int]
    rate: float
    rateText: str
    pixelAspect: float


class PlateOut(TypedDict):
    """The plate. version: a part of its pictures' addresses. missing: frames without a picture."""

    id: int
    state: str
    version: str
    missing: list[int]
    cuts: list[int]


class ClipOut(TypedDict):
    """Another plate of the production."""

    id: int
    version: str
    name: str
    first: int
    last: int


class NamedOut(TypedDict):
    id: int
    name: str


class ModeOut(TypedDict):
    """A way in which a line combines. offer, outside: the words to choose it by, for a shape and for its outside."""

    key: str
    offer: str
    outside: str
    solves: bool


class NamedMatteOut(TypedDict):
    id: str
    name: str


class BroughtOut(TypedDict):
    """A matte of the shot that was brought in from files."""

    id: int
    name: str


class OtherShotOut(NamedOut):
    """A shot that something can be copied to, with its mattes."""

    mattes: list[NamedMatteOut]


class DeskOut(HeadOut):
    """All that the desk needs to open."""

    shot: ShotOut
    plate: PlateOut | None
    clips: list[ClipOut]
    shots: list[OtherShotOut]
    brought: list[BroughtOut]
    modes: list[ModeOut]
    mayTrace: bool
    people: list[str]
    keys: dict[str, list[str]]
    keyKind: str
    shapes: list[ShapeOut]


class PictureOut(TypedDict):
    """The matte of the box that an edit touched, as base64 of a grey PNG."""

    matte: str
    frame: int
    box: tuple[int, int, int, int]
    png: str
    samples: str
    coreMs: float


class EditedOut(TypedDict):
    """What an edit changed; of what did not change nothing is said."""

    edit: str
    summary: str
    shapes: list[ShapeOut]
    gone: list[str]
    revision: int
    undo: str | None
    redo: str | None
    shutter: NotRequired[ShutterOut]
    working: NotRequired[tuple[int, int]]
    numbers: NotRequired[str]
    mattes: NotRequired[list[MatteOut]]
    tracks: NotRequired[list[TrackOut]]
    tryouts: NotRequired[list[TryoutOut]]
    picture: NotRequired[PictureOut | None]


class OtherOut(TypedDict):
    who: str
    summary: str


class ChangedOut(TypedDict):
    """What was changed since a revision; just the revision when nothing was."""

    revision: int
    shapes: NotRequired[list[ShapeOut]]
    gone: NotRequired[list[str]]
    others: NotRequired[list[OtherOut]]
    undo: NotRequired[str | None]
    redo: NotRequired[str | None]
    shutter: NotRequired[ShutterOut]
    working: NotRequired[tuple[int, int]]
    numbers: NotRequired[str]
    mattes: NotRequired[list[MatteOut]]
    tracks: NotRequired[list[TrackOut]]
    tryouts: NotRequired[list[TryoutOut]]


class PreviewOut(TypedDict):
    """Shapes, or the path of a track, as they would become."""

    shapes: list[ShapeOut]
    paths: list[str]
    summary: str


class DoneOut(TypedDict):
    """A row of what was done. reversed: whether it was taken back."""

    id: str
    summary: str
    who: str
    when: str
    reversed: bool


class HistoryOut(TypedDict):
    edits: list[DoneOut]


class ThumbnailsOut(TypedDict):
    """The matte up to each line of its stack: grey PNGs as base64."""

    revision: int
    pictures: list[str]


class PieceOut(TypedDict):
    box: tuple[int, int, int, int]
    png: str


class ColoursOut(TypedDict):
    """The subject's own colour where fringes are solved: PNGs with alpha, as base64."""

    pieces: list[PieceOut]


class FinishedOut(TypedDict):
    """A finished frame. stale: it is drawn from something else by now. better_on: the frame whose picture its matte lies on better. off: of
    alpha in the band, on the mean, by a half of the lessons that had not seen it. unseen: whether there is a picture of what that said."""

    frame: int
    stale: bool
    better_on: int | None
    off: float | None
    unseen: bool


class TaughtOut(TypedDict):
    """How a taught line stands. taught: whether it says anything; new: whether other frames are finished than those it was taught by.
    unseen: how far off it was on finished frames it had not seen. next: the frame to finish next, and why. left: how many frames are not
    filled."""

    finished: list[FinishedOut]
    filled: list[int]
    taught: bool
    new: bool
    unseen: float | None
    next: int | None
    why: str
    left: int


class FramesOut(TypedDict):
    frames: list[int]


class LensReadOut(TypedDict):
    """Sigma of a lens's bell, and the edge shift with it, px."""

    sigma: float
    shift: float


class SoftnessOut(TypedDict):
    """The reach that the plate suggests, by point; the points of which nothing is known; percent of the outline that is known; the lens
    that explains the edge better, if one does."""

    points: dict[int, tuple[float, float]]
    unknown: list[int]
    known: int
    lens: LensReadOut | None


class ShutterReadOut(TypedDict):
    """The shutter angle that the plate suggests, and by how much it may be off, degrees; places that told."""

    angle: int
    give: int
    places: int


class CopiedOut(TypedDict):
    matte: str
    shot: str


class WhereToKeyOut(TypedDict):
    shape: str
    name: str
    frame: int
    off: float


class FitOut(TypedDict):
    """The fit of every frame: px of its weakest shape, that shape, whether it was looked at."""

    revision: int
    frames: dict[int, tuple[float | None, str | None, bool]]
    measured: int
    weakest: list[int]
    weak: float
    key: WhereToKeyOut | None


class FrameFitOut(TypedDict):
    """Where outlines are off on a frame: x, y, how far the edge lies from there in x and y, how sure. known: by shape, percent."""

    frame: int
    revision: int
    marks: list[Row]
    known: dict[str, int]


class PullOut(TypedDict):
    """Where points would lie on the picture's edge; how far they would move, px; known, percent."""

    points: dict[int, Row]
    mean: float
    most: float
    known: int


class FoundOut(TypedDict):
    """path: places around what was found, px of the plate; holes: those around its holes. says: what somebody should know of it, or ""."""

    path: list[tuple[float, float]]
    holes: list[list[tuple[float, float]]]
    says: str


class HoldsOut(TypedDict):
    """How well a plane holds: x, y, how far the picture lies from there in x and y, how sure."""

    frame: int
    ticks: list[Row]


class MadeOut(TypedDict):
    id: str


class TakenInOut(TypedDict):
    """The new matte, and a report of what could not be taken."""

    id: str
    report: list[str]


class NothingOut(TypedDict):
    """There is nothing more to say."""
