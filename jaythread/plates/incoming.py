"""Uploaded files in a folder of their own, until somebody takes them from there."""

import os
import shutil
import uuid
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import Any

from django.core.files.uploadedfile import UploadedFile

from jaythread import room, store
from jaythread.plates import uploads
from jaythread.plates.models import Upload
from roto.errors import BadUpload


@contextmanager
def staged(files: Iterable["UploadedFile[Any] | Upload"]) -> Iterator[tuple[Path, list[str]]]:
    """The folder and the names in it; what is left there at the end goes. Those that came in pieces are dropped when all went well, and
    stay where something was wrong. BadUpload where a name is given twice, or is none."""
    folder = store.folder(f"incoming/{uuid.uuid4().hex}")
    folder.mkdir(parents=True)
    try:
        names: list[str] = []
        files = list(files)
        pieces = [one for one in files if isinstance(one, Upload)]
        room.look(sum(one.size or 0 for one in files if not isinstance(one, Upload)))
        for upload in files:
            clean = PurePosixPath((upload.name or "").replace("\\", "/")).name
            if clean.startswith("."):
                continue  # what systems leave in folders
            if not clean or clean in names:
                raise BadUpload(f"'{upload.name}' was given twice or has no usable name.")
            if isinstance(upload, Upload):
                uploads.lay(upload, folder / clean)
                names.append(clean)
                continue
            with (folder / clean).open("wb") as target:
                for chunk in upload.chunks(1 << 20):
                    target.write(chunk)
                target.flush()
                os.fsync(target.fileno())  # nobody else has it: it is on the disk before it is said to be taken
            names.append(clean)
        yield folder, names
        uploads.drop(pieces)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
