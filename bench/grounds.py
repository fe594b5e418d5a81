"""A package's frames laid over grounds of the bench's own, as somebody who receives would look at them."""

import io
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

GROUNDS = ("stripes", "dusk", "black", "white", "alone")
SUBJECT = np.array([0.93, 0.86, 0.72], np.float32)
"""what stands for a subject whose colours were not sent: cloth"""


def ground(name: str, height: int, width: int) -> NDArray[np.float32]:
    """A ground (h, w, 3), 0..1."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    if name == "stripes":
        band = ((x + y) // max(8, width // 40)) % 2
        return np.where(band[:, :, None] > 0, np.array([0.16, 0.38, 0.42]), np.array([0.78, 0.33, 0.25])).astype(np.float32)
    if name == "dusk":
        t = (y / max(1, height - 1))[:, :, None]
        return ((1 - t) * np.array([0.13, 0.17, 0.32]) + t * np.array([0.9, 0.6, 0.42])).astype(np.float32)
    return np.full((height, width, 3), 1.0 if name == "white" else 0.0, np.float32)


def _unit(pixels: NDArray[Any]) -> NDArray[np.float32]:
    top = np.iinfo(pixels.dtype).max if pixels.dtype.kind in "ui" else 1
    return (pixels.astype(np.float32) / np.float32(top)).astype(np.float32)


def _decoded(path: Path, at: int) -> NDArray[np.float32]:
    """Frame `at` of a movie, or a still, (h, w, 4), by FFmpeg's decoders."""
    with av.open(str(path), format="exr_pipe" if path.suffix == ".exr" else "png_pipe" if path.suffix == ".png" else None) as file:
        stream = file.streams.video[0]
        vp9 = av.CodecContext.create("libvpx-vp9", "r") if stream.codec_context.name.startswith("vp9") else None
        seen = 0
        for packet in file.demux(stream):
            for frame in vp9.decode(packet) if vp9 else packet.decode():
                if seen == at:
                    if "f16" in frame.format.name or "f32" in frame.format.name:
                        return _planes(frame)
                    return _unit(frame.reformat(format="rgba64le").to_ndarray(format="rgba64le"))
                seen += 1
    raise ValueError(f"there is no frame {at + 1}")


def _planes(frame: Any) -> NDArray[np.float32]:
    kind = np.dtype(np.float16 if "f16" in frame.format.name else np.float32)
    planes = [
        np.frombuffer(memoryview(p), kind).reshape(-1, p.line_size // kind.itemsize)[: frame.height, : frame.width] for p in frame.planes
    ]
    order = [0, 0, 0] if len(planes) == 1 else [2, 0, 1, 3][: len(planes)]
    made = [planes[k].astype(np.float32) for k in order]
    return np.dstack([*made, np.ones_like(made[0])] if len(made) == 3 else made)


def frame_of(folder: Path, data: dict[str, Any], at: int) -> NDArray[np.float32]:
    """What was sent of a frame, (h, w, 4) 0..1; where there is no alpha it is 1."""
    name = data["frames"][at]["file"]
    path = folder / name
    if path.suffix in (".tif", ".jpg") or (path.suffix == ".png" and data["channels"] == ["Y"]):
        with Image.open(path) as picture:
            pixels = np.asarray(picture)
        pixels = pixels.astype(np.uint16) if pixels.dtype == np.int32 else pixels
        one = _unit(pixels)
        one = np.repeat(one[:, :, None], 3, axis=2) if one.ndim == 2 else one
        return one if one.shape[2] == 4 else np.dstack([one, np.ones(one.shape[:2], np.float32)])
    movie = path.suffix not in (".png", ".exr")
    return _decoded(path, at if movie else 0)


def laid(folder: Path, data: dict[str, Any], at: int, name: str) -> bytes:
    """A frame over a ground, as JPEG."""
    sent = frame_of(folder, data, at)
    colours, alpha = sent[:, :, :3], sent[:, :, 3:]
    if name == "alone":
        shown = colours * (alpha if data["alpha"] == "straight" else 1)
    elif data["alpha"] == "none" and data["channels"] != ["R", "G", "B"]:  # a matte: its first channel is the alpha of a stand-in
        matte = colours[:, :, :1]
        shown = matte * SUBJECT + (1 - matte) * ground(name, *sent.shape[:2])
    elif data["alpha"] == "none":
        shown = colours
    else:
        if "linear" in data["colour"]:
            colours = np.where(colours <= 0.0031308, colours * 12.92, 1.055 * np.maximum(colours, 1e-6) ** (1 / 2.4) - 0.055)
        front = colours * alpha if data["alpha"] == "straight" else colours
        shown = front + (1 - alpha) * ground(name, *sent.shape[:2])
    out = io.BytesIO()
    Image.fromarray(np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)).save(out, "JPEG", quality=90)
    return out.getvalue()
