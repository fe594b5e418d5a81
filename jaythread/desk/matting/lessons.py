"""What taught lines keep beside a shot: finished frames as they were, and what they taught."""

import json
import os
import uuid
from pathlib import Path

import numpy as np
from django.core.files.storage import default_storage
from numpy.typing import NDArray

from roto.matte.teaching import model as core
from roto.matte.teaching.model import Model
from roto.picture import alpha_files, stills


def folder(shot_id: int) -> Path:
    """Where a shot keeps them."""
    return Path(default_storage.path(f"taught/{shot_id}"))


class FinishedFrames:
    """Whole mattes of finished frames as grey PNGs of 16 bits, by names that are given once."""

    def __init__(self, shot_id: int) -> None:
        self.folder = folder(shot_id)

    def get(self, name: str) -> NDArray[np.float32] | None:
        """The matte (H, W), 0..1; None where it is lost."""
        path = self.folder / f"{name}.png"
        return alpha_files.still(path).astype(np.float32) / np.float32(65535) if path.exists() else None

    def put(self, alpha: NDArray[np.uint16]) -> str:
        """Keep one; the name it is kept under."""
        name = uuid.uuid4().hex
        self.folder.mkdir(parents=True, exist_ok=True)
        stills.write_matte(self.folder / f"{name}.png", alpha)
        return name


class Models:
    """What was taught, by the name of what it was taught from, with what it is least sure of."""

    def __init__(self, shot_id: int) -> None:
        self.folder = folder(shot_id)

    def get(self, name: str) -> Model | None:
        """A model; one that cannot be read is as good as none."""
        try:
            return core.unpacked((self.folder / f"{name}.npz").read_bytes())
        except (OSError, ValueError, KeyError):
            return None

    def has(self, name: str) -> bool:
        return (self.folder / f"{name}.npz").exists()

    def put(self, name: str, model: Model) -> None:
        """Written aside and renamed: another worker may have been quicker."""
        _written(self.folder / f"{name}.npz", core.packed(model))

    def doubts(self, name: str) -> dict[int, float]:
        """By frame that was filled, how much of alpha its two halves differ by on the mean."""
        try:
            return {int(frame): float(off) for frame, off in json.loads((self.folder / f"{name}.json").read_text()).items()}
        except (OSError, ValueError):
            return {}

    def doubt(self, name: str, doubts: dict[int, float]) -> None:
        """Keep what is known of it by now."""
        _written(self.folder / f"{name}.json", json.dumps(doubts).encode())


def _written(target: Path, data: bytes) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    aside = target.with_suffix(f".{os.getpid()}-{uuid.uuid4().hex[:8]}")
    aside.write_bytes(data)
    aside.replace(target)
