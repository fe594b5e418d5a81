"""What taught lines keep beside a shot: finished frames as they were, and what they taught."""

import platform
import time
import uuid
from contextlib import suppress
from pathlib import Path
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from jaythread import store
from roto.atomic_write import write_whole
from roto.matte.teaching import model as core
from roto.matte.teaching import trees
from roto.matte.teaching.model import Model
from roto.matte.teaching.trees import Trees
from roto.picture import alpha_files, stills

DOUBTS = ".doubts"
LEFT = 24 * 3600
"""seconds after which nobody goes on with what was stopped"""


def folder(shot_id: int) -> Path:
    """Where a shot keeps them."""
    return store.folder(f"taught/{shot_id}")


class FinishedFrames:
    """Whole mattes of finished frames as grey PNGs of 16 bits, by names that are given once."""

    def __init__(self, shot_id: int) -> None:
        self.folder = folder(shot_id)

    def get(self, name: str) -> NDArray[np.float32] | None:
        """The matte (H, W), 0..1; None where it is lost."""
        path = store.here(self.folder / f"{name}.png")
        return alpha_files.still(path).astype(np.float32) / np.float32(65535) if path.exists() else None

    def put(self, alpha: NDArray[np.uint16]) -> str:
        """Keep one; the name it is kept under."""
        name = uuid.uuid4().hex
        self.folder.mkdir(parents=True, exist_ok=True)
        stills.write_matte(self.folder / f"{name}.png", alpha)
        store.keep(self.folder / f"{name}.png")
        return name


class Models:
    """What was taught, by the name of what it was taught from, with what it is least sure of."""

    def __init__(self, shot_id: int) -> None:
        self.folder = folder(shot_id)

    def get(self, name: str) -> Model | None:
        """A model; one that cannot be read is as good as none."""
        try:
            return core.unpacked(store.here(self.folder / f"{name}.npz").read_bytes())
        except (OSError, ValueError, KeyError):
            return None

    def has(self, name: str) -> bool:
        return store.there(self.folder / f"{name}.npz")

    def put(self, name: str, model: Model) -> None:
        """Written aside and renamed: another worker may have been quicker."""
        _written(self.folder / f"{name}.npz", core.packed(model))

    def doubts(self, name: str) -> dict[str, float]:
        """How unsure it is of a frame, by a name for all that a filled frame was made from."""
        lines: list[str] = []
        for file in store.names(self.folder):
            if file.startswith(f"{name}.") and file.endswith(DOUBTS):
                with suppress(FileNotFoundError):
                    lines += store.here(self.folder / file, current=True).read_text().splitlines()
        return {key: float(off) for key, _, off in (line.partition(" ") for line in lines) if off}

    def doubt(self, name: str, key: str, off: float) -> None:
        """Keep it of one more frame. A line is added in one piece, to a file of this machine: two workers may fill frames at once."""
        self.folder.mkdir(parents=True, exist_ok=True)
        path = self.folder / f"{name}.{platform.node()}{DOUBTS}"
        with path.open("ab", buffering=0) as file:
            file.write(f"{key} {off:.6f}\n".encode())
        store.keep(path)


class Parts:
    """Trees of a model that is not whole yet: teaching that was stopped, or whose worker was lost, goes on with them."""

    def __init__(self, shot_id: int, name: str) -> None:
        self.folder, self.name = folder(shot_id), name

    def get(self, part: str, /) -> Trees | None:
        """Those that there are; what cannot be read is as good as none."""
        try:
            with np.load(store.here(self._path(part), current=True), allow_pickle=False) as it:
                return trees.of_arrays(it, part)
        except (OSError, ValueError, KeyError, BadZipFile):
            return None

    def put(self, part: str, some: Trees, /) -> None:
        """Keep them; they take the place of fewer."""
        _written(self._path(part), trees.as_file(trees.arrays({part: some})))

    def drop(self) -> None:
        """The model is whole: its parts are not needed. Nor are those that nobody went on with for a day."""
        for name in store.names(self.folder):
            path = self.folder / name
            if name.endswith(".part") and (name.startswith(f"{self.name}.") or store.made(path) < time.time() - LEFT):
                store.drop(path)

    def _path(self, part: str) -> Path:
        return self.folder / f"{self.name}.{part}.part"


class Unseen:
    """What was said of finished frames by trees that had not seen them, as pictures."""

    def __init__(self, shot_id: int, entry_id: uuid.UUID) -> None:
        self.folder, self.entry = folder(shot_id), entry_id

    def path(self, file: str) -> Path:
        """Where the picture is kept; file: what the frame was finished as."""
        return store.here(self._path(file), current=True)

    def _path(self, file: str) -> Path:
        return self.folder / f"unseen-{self.entry}-{file}.png"

    def put(self, file: str, png: bytes) -> None:
        """Keep one; it takes the place of an earlier one."""
        _written(self._path(file), png)

    def drop(self) -> None:
        """What was said earlier is said no more."""
        for name in store.names(self.folder):
            if name.startswith(f"unseen-{self.entry}-"):
                store.drop(self.folder / name)


def _written(target: Path, data: bytes) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    store.keep(write_whole(target, data))
