"""Mattes in files that were made elsewhere."""

import av
import cv2
import numpy as np
import OpenImageIO as oiio
import pytest

from roto.errors import BadPicture
from roto.picture import alpha_files

RAMP = np.tile(np.linspace(0, 1, 48), (20, 1))


def written(path, pixels, names):
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], len(names), {"float32": "float"}.get(str(pixels.dtype), str(pixels.dtype)))
    spec.channelnames = names
    spec.attribute("oiio:UnassociatedAlpha", 1)
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), spec)
    out.write_image(pixels)
    out.close()


def test_alpha_counts_before_colours(tmp_path):
    colours = np.dstack([np.full_like(RAMP, 0.3)] * 3 + [RAMP])
    written(tmp_path / "a.png", np.rint(colours * 65535).astype(np.uint16), ("R", "G", "B", "A"))
    written(tmp_path / "a.exr", colours.astype(np.float32), ("R", "G", "B", "A"))
    for name in ("a.png", "a.exr"):
        assert np.abs(alpha_files.still(tmp_path / name) - RAMP * 65535).max() <= 1


def test_without_alpha_the_only_channel_or_the_mean_of_colours_counts(tmp_path):
    eight = np.rint(RAMP * 255).astype(np.uint8)
    cv2.imwrite(str(tmp_path / "grey.png"), eight)
    cv2.imwrite(str(tmp_path / "rgb.png"), np.dstack([eight, eight, eight]))
    written(tmp_path / "z.exr", RAMP.astype(np.float32)[..., None], ("head.Y",))
    assert (alpha_files.still(tmp_path / "grey.png") == eight.astype(np.uint16) * 257).all()
    assert np.abs(alpha_files.still(tmp_path / "rgb.png").astype(int) - eight.astype(int) * 257).max() <= 1
    assert np.abs(alpha_files.still(tmp_path / "z.exr") - RAMP * 65535).max() <= 1


def test_values_beyond_are_held_and_what_is_no_number_is_nothing(tmp_path):
    wild = RAMP.astype(np.float32).copy()
    wild[0, :3] = (np.nan, 4.0, -2.0)
    written(tmp_path / "wild.exr", wild[..., None], ("Y",))
    assert alpha_files.still(tmp_path / "wild.exr")[0, :3].tolist() == [0, 65535, 0]


def test_a_movies_alpha_is_read_frame_by_frame(tmp_path):
    with av.open(str(tmp_path / "m.mov"), "w") as out:
        stream = out.add_stream("png", rate=24)
        stream.width, stream.height, stream.pix_fmt = 48, 20, "rgba"
        for k in range(3):
            pixels = np.zeros((20, 48, 4), np.uint8)
            pixels[..., :3], pixels[..., 3] = 200, np.rint(RAMP * 255) // (k + 1)
            for packet in stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgba")):
                out.mux(packet)
        for packet in stream.encode():
            out.mux(packet)
    frames = list(alpha_files.movie(tmp_path / "m.mov"))
    assert len(frames) == 3
    for k, frame in enumerate(frames):
        assert np.abs(frame / 257 - np.rint(RAMP * 255) // (k + 1)).max() <= 1


def test_what_cannot_be_read_is_said(tmp_path):
    (tmp_path / "no.png").write_bytes(b"\x89PNG\r\n\x1a\nnothing")
    with pytest.raises(BadPicture, match=r"no\.png"):
        alpha_files.still(tmp_path / "no.png")
