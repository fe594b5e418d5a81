"""The kinds of file that a delivery can be made of, and what each of them can hold."""

from dataclasses import dataclass

from roto.errors import BadRecipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Format:
    """says: its name for people. ending: of its files. depth: 8, 16, half or float. alpha: whether it holds four channels.
    layers: whether it holds further channels by name. movie: one file for all frames. looks: for looking at only, since it loses.
    tolerance: how far a value 0..1 read back may be from the one that was made, as measured by `tests/roto/test_formats.py`."""

    key: str
    says: str
    ending: str
    depth: str
    alpha: bool = True
    layers: bool = False
    movie: bool = False
    looks: bool = False
    tolerance: float = 0.0

    @property
    def mixes(self) -> bool:
        """Whether it keeps brightness and colour rather than red, green and blue, so that one channel leaves traces in another."""
        return self.key in ("jpeg", "prores", "vp9", "h264")

    @property
    def linear(self) -> bool:
        """Whether colours are written in linear light, as files of floating point numbers are understood."""
        return self.depth in ("half", "float")


_ALL = (
    Format(key="png8", says="PNG, 8 bits", ending=".png", depth="8", tolerance=0.5 / 255),
    Format(key="png16", says="PNG, 16 bits", ending=".png", depth="16", tolerance=0.5 / 65535),
    Format(key="tiff8", says="TIFF, 8 bits", ending=".tif", depth="8", tolerance=0.5 / 255),
    Format(key="tiff16", says="TIFF, 16 bits", ending=".tif", depth="16", tolerance=0.5 / 65535),
    Format(key="tiff32", says="TIFF, float", ending=".tif", depth="float"),
    Format(key="exr16", says="OpenEXR, half", ending=".exr", depth="half", layers=True, tolerance=2.0**-12),
    Format(key="exr32", says="OpenEXR, float", ending=".exr", depth="float", layers=True),
    Format(key="jpeg", says="JPEG (for a look only)", ending=".jpg", depth="8", alpha=False, looks=True, tolerance=0.06),
    Format(key="prores", says="ProRes 4444 movie", ending=".mov", depth="16", movie=True, tolerance=0.005),
    Format(key="vp9", says="VP9 movie with alpha", ending=".webm", depth="8", movie=True, tolerance=0.006),
    Format(key="ffv1", says="FFV1 movie, lossless", ending=".mkv", depth="16", movie=True, tolerance=0.5 / 65535),
    Format(key="pngmov", says="PNG movie, lossless", ending=".mov", depth="16", movie=True, tolerance=0.5 / 65535),
    Format(key="h264", says="H.264 movie (for a look only)", ending=".mp4", depth="8", alpha=False, movie=True, looks=True, tolerance=0.1),
)
FORMATS = {f.key: f for f in _ALL}


def format_of(key: str) -> Format:
    """The format of that key; BadRecipe where there is none."""
    if key not in FORMATS:
        raise BadRecipe("format", f"there is no format '{key}'; choose one of {', '.join(FORMATS)}.")
    return FORMATS[key]
