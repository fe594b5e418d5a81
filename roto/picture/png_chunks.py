"""The parts that a PNG consists of (ISO/IEC 15948, 5.3): a length, a name, so many bytes, and their check sum."""

from collections.abc import Callable, Iterator
from struct import Struct

SIGNATURE = b"\x89PNG\r\n\x1a\n"
_HEAD, _SUM = Struct(">I4s"), Struct(">I")


def chunks(data: bytes, crc32: Callable[[memoryview], int]) -> Iterator[tuple[bytes, memoryview]]:
    """The name and the bytes of each part, in order; other programs cut a full-HD picture into hundreds of them. crc32: by which they are
    checked. ValueError where one is damaged or cut short."""
    view, at = memoryview(data), len(SIGNATURE)
    while at < len(data):
        if at + 12 > len(data):
            raise ValueError("it is cut short")
        length, name = _HEAD.unpack_from(data, at)
        end = at + 8 + length
        if end + 4 > len(data) or crc32(view[at + 4 : end]) != _SUM.unpack_from(data, end)[0]:
            raise ValueError(f"its part {name!r} is damaged")
        yield name, view[at + 8 : end]
        at = end + 4
