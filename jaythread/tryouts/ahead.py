"""Pictures of a tryout made ahead for playing, as a job: a small size of all frames first, then the size of the screen."""

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from pathlib import Path

from pydantic import BaseModel, Field

from jaythread import store
from jaythread.desk.document import lookups
from jaythread.desk.models import Tryout
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.productions.models import Shot
from jaythread.tryouts.naming import names_of
from jaythread.tryouts.pictures import prepared
from roto.atomic_write import write_whole
from roto.picture.stills import encode_picture
from roto.tryout import compose, document
from roto.tryout.compose import Sources
from roto.tryout.frame_keys import Names, frame_key

SMALL = 480
"""px: the width of the pictures that are made first"""
WIDEST = 960
"""px: quick pictures of the plate are not wider"""
AT_ONCE = 2
"""frames that are composed side by side"""


class Asked(BaseModel):
    """Which frame is wanted first, and how wide pictures are on the screen, px."""

    begin: int = Field(ge=-(2**31), le=2**31)
    width: int = Field(WIDEST, ge=16, le=16384)


class Store:
    """The pictures that are kept of a tryout, by all that they are made from."""

    def __init__(self, shot: Shot, row: Tryout) -> None:
        self.folder = folder_of(shot) / str(row.pk)
        self.tryout, self.sources = prepared(shot, row, solve=True)
        self.names: Names = names_of(shot, self.tryout)

    def path(self, frame: int, width: int) -> Path:
        """Where the picture of a frame lies, or would."""
        return store.here(self.folder / f"{frame_key(self.tryout, self.sources, self.names, frame)}-{width}.jpg")


def folder_of(shot: Shot) -> Path:
    """Where the pictures of a shot's tryouts lie."""
    return store.folder(f"tryouts/{shot.pk}")


def sizes(width: int) -> list[int]:
    """The widths in which pictures are made, px, for a screen that shows them so wide."""
    return [w for w in (SMALL, min(width, WIDEST)) if w <= width]


def kept(shot: Shot, row: Tryout, frame: int, width: int) -> bytes | None:
    """A frame as it was made ahead, as JPEG; None where it was not, or something in it has changed since."""
    try:
        return Store(shot, row).path(frame, width).read_bytes()
    except OSError:
        return None


def _prepare(shot: Shot, subject: str, said: Asked) -> Prepared:
    """The tryout is there."""
    lookups.tryout_row(shot, subject)
    first, last = shot.working
    return Prepared(total=len(sizes(said.width)) * (last - first + 1))


def _make(job: Job, progress: Progress) -> str:
    """Make what is not there yet; safe to run again."""
    said = Asked.model_validate(job.settings)
    shot, row = job.shot, lookups.tryout_row(job.shot, job.subject)
    made = Store(shot, row)
    made.folder.mkdir(parents=True, exist_ok=True)
    first, last = shot.working
    long = last - first + 1
    frames = [first + (said.begin - first + k) % long for k in range(long)]
    wanted = [(frame, made.path(frame, width), width) for width in sizes(said.width) for frame in frames]
    progress.begin(len(wanted))
    with ThreadPoolExecutor(AT_ONCE) as pool:
        try:
            for done, one in enumerate(_ahead(pool, made.tryout, made.sources, wanted), 1):
                one.result()
                progress.step(done)
        finally:
            pool.shutdown(cancel_futures=True)
    _clear(shot, row, {path.name for _, path, _ in wanted})
    return ""


def _ahead(
    pool: ThreadPoolExecutor, tryout: document.Tryout, sources: Sources, wanted: list[tuple[int, Path, int]]
) -> Iterator[Future[None]]:
    """The pictures being made, in their order, no more of them begun than are worked at."""
    todo = iter(wanted)
    begun = [pool.submit(_compose, tryout, sources, *one) for one in islice(todo, AT_ONCE + 1)]
    while begun:
        yield begun.pop(0)
        begun += [pool.submit(_compose, tryout, sources, *one) for one in islice(todo, 1)]


def _compose(tryout: document.Tryout, sources: Sources, frame: int, path: Path, width: int) -> None:
    if path.exists():
        return
    data = encode_picture(compose.shown(compose.compose(tryout, sources, frame, width)), ".jpg")
    store.keep(write_whole(path, data))


def _clear(shot: Shot, row: Tryout, names: set[str]) -> None:
    """Throw away what no frame of this tryout shows any more, and all of tryouts that are gone."""
    folder = folder_of(shot)
    for old in [name for name in store.names(folder / str(row.pk)) if name not in names]:
        store.drop(folder / str(row.pk) / old)
    there = {str(pk) for pk in shot.tryouts.values_list("pk", flat=True)}
    for gone in [name for name in store.folders(folder) if name not in there]:
        store.drop(folder / gone)


BUSY = "Pictures of this tryout are being made already."
AHEAD = register(Kind(name="tryout.ahead", may="look", busy=BUSY, settings=Asked, prepare=_prepare, run=_make))
