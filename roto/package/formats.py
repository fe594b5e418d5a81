"""The kinds of file that a delivery can be made of, and what each of them can hold."""

from dataclasses import dataclass

from roto.errors import BadRecipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Format:
    """What a kind of file can hold, and how it is proved. All that differs from format to format and is no code stands here.

    says: its name for people. ending: of its files. depth: 8, 16, half or float.
    alpha: whether it holds four channels. layers: whether it holds further channels by name.
    movie: one file for all frames. looks: it loses much, and is for looking at only.
    tolerance: how far a value 0..1 read back may be from the one that was made; every proof holds it (`roto/package/checks.py`).
    mixes: it keeps brightness and colour, not red, green and blue, so that one channel leaves traces in another.
    even: it holds pictures of an even width and height only.
    channels, timecode, aspect: whether its header says which channels it has, its timecode, how wide a pixel is.
    reader: the library that reads it back for the proof; colour_reader: the same of files of more than one channel.
    """

    key: str
    says: str
    ending: str
    depth: str
    alpha: bool = True
    layers: bool = False
    movie: bool = False
    looks: bool = False
    tolerance: float = 0.0
    mixes: bool = False
    even: bool = False
    channels: bool = True
    timecode: bool = False
    aspect: bool = False
    reader: str = ""
    colour_reader: str = ""

    @property
    def linear(self) -> bool:
        """Whether colours are written in linear light, as files of floating point numbers are understood."""
        return self.depth in ("half", "float")

    def read_by(self, channels: int) -> str:
        """The library that reads a still of so many channels back."""
        return self.reader if channels == 1 else self.colour_reader or self.reader

    def padded(self, size: tuple[int, int]) -> tuple[int, int]:
        """The size of the file for pictures of this size: a column at the right or a row at the bottom more, where they must be even."""
        return (size[0] + size[0] % 2, size[1] + size[1] % 2) if self.even else size


_HALF_8, _HALF_16, _HALF_FLOAT = 0.5 / 255, 0.5 / 65535, 2.0**-12
_FFMPEG, _GREY = "FFmpeg's own decoder", "zlib-ng, or Pillow"
_ALL = (
    Format(key="png8", says="PNG, 8 bits", ending=".png", depth="8", tolerance=_HALF_8, reader=_GREY, colour_reader="Pillow"),
    Format(key="png16", says="PNG, 16 bits", ending=".png", depth="16", tolerance=_HALF_16, reader=_GREY, colour_reader=_FFMPEG),
    Format(key="tiff8", says="TIFF, 8 bits", ending=".tif", depth="8", tolerance=_HALF_8, reader="tifffile"),
    Format(key="tiff16", says="TIFF, 16 bits", ending=".tif", depth="16", tolerance=_HALF_16, reader="tifffile"),
    Format(key="tiff32", says="TIFF, float", ending=".tif", depth="float", reader="tifffile"),
    Format(
        key="exr16", says="OpenEXR, half", ending=".exr", depth="half", layers=True, tolerance=_HALF_FLOAT,
        timecode=True, aspect=True, reader=_FFMPEG,
    ),
    Format(key="exr32", says="OpenEXR, float", ending=".exr", depth="float", layers=True, timecode=True, aspect=True, reader=_FFMPEG),
    Format(
        key="jpeg", says="JPEG (for a look only)", ending=".jpg", depth="8", alpha=False, looks=True, tolerance=0.06,
        mixes=True, channels=False, reader="Pillow",
    ),
    Format(
        key="prores", says="ProRes 4444 movie", ending=".mov", depth="16", movie=True, tolerance=0.005, mixes=True, even=True,
        timecode=True,
    ),
    Format(key="vp9", says="VP9 movie with alpha", ending=".webm", depth="8", movie=True, tolerance=0.006, mixes=True, even=True),
    Format(key="ffv1", says="FFV1 movie, lossless", ending=".mkv", depth="16", movie=True, tolerance=_HALF_16),
    Format(key="pngmov", says="PNG movie, lossless", ending=".mov", depth="16", movie=True, tolerance=_HALF_16, timecode=True),
    Format(
        key="h264", says="H.264 movie (for a look only)", ending=".mp4", depth="8", alpha=False, movie=True, looks=True, tolerance=0.1,
        mixes=True, even=True, timecode=True,
    ),
)  # fmt: skip
FORMATS = {f.key: f for f in _ALL}


def format_of(key: str) -> Format:
    """The format of that key; BadRecipe where there is none."""
    if key not in FORMATS:
        raise BadRecipe("format", f"there is no format '{key}'; choose one of {', '.join(FORMATS)}.")
    return FORMATS[key]
