"""Graphics brought in for a tryout: stills with their alpha, and SVG, drawn once by resvg."""

from functools import partial
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import cv2
import numpy as np
import OpenImageIO as oiio
import resvg_py
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from numpy.typing import NDArray

from roto.errors import BadPicture
from roto.picture import display, stills
from roto.tryout.placing import Picture

LARGEST_FILE = 200 << 20
"""bytes"""
MOST_PIXELS = 40_000_000
"""of a graphic: as light it takes 16 bytes a pixel, and the page waits while it is looked at"""
DRAWN = 4096
"""px: the longer side of a drawn SVG, so that it may be made larger; placed at its own size it is that much smaller again"""
ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".svg")


def check(path: Path) -> tuple[int, int]:
    """Width and height of a file that can be taken, by what its head says. BadPicture where it cannot."""
    name = path.name
    if path.suffix.lower() not in ENDINGS:
        raise BadPicture(f"'{name}' is no graphic that can be taken. Give a PNG, JPEG, TIFF, OpenEXR or SVG file.")
    if path.stat().st_size > LARGEST_FILE:
        raise BadPicture(f"'{name}' has {path.stat().st_size >> 20} MB; {LARGEST_FILE >> 20} are the most that is taken.")
    if path.suffix.lower() == ".svg":
        return _svg_size(path)
    width, height = map(int, stills.probe(path)["size"])  # type: ignore[call-overload]
    if min(width, height) < 1 or max(width, height) > stills.LARGEST or width * height > MOST_PIXELS:
        most = f"a side may have 1 to {stills.LARGEST}, all of it {MOST_PIXELS // 10**6} million"
        raise BadPicture(f"'{name}' is {width} x {height} pixels; {most}.")
    return width, height


def _svg(path: Path) -> Element:
    """The drawing, once it is sure that nothing of it runs or leads elsewhere."""
    try:
        root = fromstring(path.read_bytes(), forbid_dtd=False)
    except DefusedXmlException as error:
        raise BadPicture(f"'{path.name}' defines entities, or leads to other files. Save it as plain SVG.") from error
    except (ParseError, ValueError, LookupError, RecursionError) as error:
        raise BadPicture(f"'{path.name}' is not SVG that can be read: {error}") from error
    for it in root.iter():
        tag = str(it.tag).rpartition("}")[2].lower()
        if tag in ("script", "foreignobject") or any(name.lower().startswith("on") for name in it.attrib):
            raise BadPicture(f"'{path.name}' holds a script, which is not taken. Save it as plain SVG.")
        links = [value for name, value in it.attrib.items() if name.rpartition("}")[2] in ("href", "src")]
        if any(not link.startswith(("#", "data:image/")) for link in links) or "url(http" in str(it.attrib) or "@import" in str(it.text):
            raise BadPicture(f"'{path.name}' leads to other files, which are not taken. Put the pictures into it, or leave them out.")
    if str(root.tag).rpartition("}")[2] != "svg":
        raise BadPicture(f"'{path.name}' is XML, but not SVG.")
    return root


def _svg_size(path: Path) -> tuple[int, int]:
    root = _svg(path)
    box = (root.get("viewBox") or "").replace(",", " ").split()
    try:
        sides = [float((root.get(name) or "").removesuffix("px")) for name in ("width", "height")]
    except ValueError:
        sides = [float(v) for v in box[2:4]] if len(box) == 4 else [0.0, 0.0]
    if not all(1 <= side <= stills.LARGEST for side in sides):
        raise BadPicture(f"'{path.name}' does not say how large it is, or is too large: 1 to {stills.LARGEST} px a side.")
    return round(sides[0]), round(sides[1])


def drawn_scale(size: tuple[int, int]) -> float:
    """How many times as large as its own size an SVG is drawn."""
    return max(1.0, DRAWN / max(size))


def read(path: Path) -> NDArray[Any]:
    """Numbers (h, w, 4) of a graphic as its file has them: uint8, uint16 or float32; alpha 1 where it has none."""
    if path.suffix.lower() == ".svg":
        size = _svg_size(path)
        wide = round(size[0] * drawn_scale(size))
        png = bytes(resvg_py.svg_to_bytes(svg_string=path.read_text(errors="replace"), width=wide, skip_system_fonts=True))
        pixels = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED)
        if pixels is None or pixels.ndim != 3 or pixels.shape[2] != 4:
            raise BadPicture(f"'{path.name}' could not be drawn.")
        return np.ascontiguousarray(pixels[:, :, [2, 1, 0, 3]])
    hints = oiio.ImageSpec()
    hints.attribute("oiio:UnassociatedAlpha", 1)  # as the file has it
    source = oiio.ImageInput.open(str(path), hints)
    pixels = None if source is None else source.read_image(source.spec().format)
    if pixels is None:
        raise BadPicture(f"'{path.name}' could not be read.")
    pixels = pixels.reshape(*pixels.shape[:2], -1)
    if pixels.dtype not in (np.uint8, np.uint16):
        pixels = np.nan_to_num(pixels.astype(np.float32), nan=0.0, posinf=65504.0, neginf=0.0)
    top = {"uint8": 255, "uint16": 65535}.get(str(pixels.dtype), 1)
    if pixels.shape[2] < 3:
        pixels = np.concatenate([np.repeat(pixels[:, :, :1], 3, axis=2), pixels[:, :, 1:2]], axis=2)
    full = partial(np.full, (*pixels.shape[:2], 1), top, pixels.dtype)
    return np.concatenate([pixels[:, :, :3], pixels[:, :, 3:4] if pixels.shape[2] > 3 else full()], axis=2)


def premultiplied(pixels: NDArray[Any], alpha: str) -> Picture:
    """Numbers (h, w, 4) as premultiplied linear light, float32: whole numbers are as displayed, float is light. alpha: "straight",
    "premultiplied" as the file has it, or "none" to leave it out."""
    value = display.unit(pixels)
    cover = value[:, :, 3:] if alpha != "none" else np.ones_like(value[:, :, 3:])
    colour = value[:, :, :3]
    if alpha == "premultiplied":
        colour = np.where(cover > 1e-6, colour / np.maximum(cover, np.float32(1e-6)), 0)
    if pixels.dtype.kind == "u":
        colour = display.light(np.clip(colour, 0, 1))
    return np.concatenate([colour * cover, cover], axis=2).astype(np.float32)
