"""Room on the disk of the files, looked at before something long is written and while it is, and in memory: what wants more ends with a
sentence."""

import shutil

import cv2
from django.core.files.storage import default_storage

from jaythread.errors import NoRoom

SPARE = 256 << 20
"""bytes that are left alone: the database, logs and small files want them"""


def free() -> int | None:
    """Bytes that are free; None for a store without a disk of its own."""
    try:
        return shutil.disk_usage(default_storage.path("")).free
    except (NotImplementedError, OSError):
        return None


def look(wanted: int = 0) -> None:
    """NoRoom where so many bytes, beside those that are left alone, are not there."""
    there = free()
    if there is not None and there < wanted + SPARE:
        more = max(1, (wanted + SPARE - there) >> 20)
        raise NoRoom(
            f"There is not enough room for files: {more} MB more would be needed. Make room, then try again; nothing that was kept is lost."
        )


TOO_LARGE = "This wants more memory than a worker may have here. Make the picture smaller, or ask whoever runs this to allow more."


def too_large(error: Exception) -> bool:
    """Whether work ended because there was no more memory for it; OpenCV says so in its own way."""
    return isinstance(error, MemoryError) or (isinstance(error, cv2.error) and error.code == cv2.Error.StsNoMem)
