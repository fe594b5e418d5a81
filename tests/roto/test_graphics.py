"""Graphics for tryouts: alpha as the file has it, SVG drawn, and what is not taken."""

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest

from roto.errors import BadPicture
from roto.tryout import compose
from roto.tryout.document import Tryout
from roto.tryout.graphics import check, premultiplied, read
from roto.tryout.model import Graphic, Line

HALF = np.zeros((6, 8, 4), np.uint8)
HALF[1:5, 2:6] = (200, 100, 50, 128)
SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"><rect width="20" height="20" fill="#ff0000"/>{}</svg>'


@pytest.mark.parametrize("ending", [".png", ".tif", ".exr"])
def test_alpha_is_kept_as_the_file_has_it(tmp_path, ending):
    path = tmp_path / f"it{ending}"
    values = HALF if ending != ".exr" else (HALF / np.float32(255) * (HALF[..., 3:] / np.float32(255))).astype(np.float32)
    if ending == ".exr":
        values = np.dstack([values[..., :3], HALF[..., 3] / np.float32(255)]).astype(np.float32)
    spec = oiio.ImageSpec(8, 6, 4, "float" if ending == ".exr" else "uint8")
    if ending != ".exr":
        spec.attribute("oiio:UnassociatedAlpha", 1)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(values) and out.close()
    assert check(path) == (8, 6)
    made = premultiplied(read(path), "premultiplied" if ending == ".exr" else "straight")
    assert made[2, 3, 3] == pytest.approx(128 / 255, abs=1e-6) and made[0, 0].max() == 0
    wanted = HALF[2, 3, :3] / 255
    light = wanted if ending == ".exr" else np.where(wanted <= 0.04045, wanted / 12.92, ((wanted + 0.055) / 1.055) ** 2.4)
    assert made[2, 3, :3] == pytest.approx(light * 128 / 255, abs=1e-5)
    assert premultiplied(read(path), "none")[0, 0, 3] == 1


def test_an_svg_is_drawn_large_and_laid_whole(tmp_path):
    path = tmp_path / "it.svg"
    path.write_text(SVG.format(""))
    assert check(path) == (40, 20) and read(path).shape == (2048, 4096, 4)
    light = premultiplied(read(path), "straight")
    it = Tryout(shot="s", name="t", size=(80, 40), rate="24", frames=(1, 1), lines=(Line(id="a", shows=Graphic(file="g", fit="fit")),))
    made = compose.compose(it, compose.Sources(films={}, picture=None, matte=None, graphic=lambda file, alpha: light), 1)
    assert np.abs(made[:, 2:38] - (1, 0, 0)).max() < 0.01 and made[:, 42:].max() < 0.01


@pytest.mark.parametrize(
    ("inside", "says"),
    [
        ("<script>alert(1)</script>", "holds a script"),
        ('<rect onload="x()" width="1" height="1"/>', "holds a script"),
        ('<image href="file:///etc/passwd" width="9" height="9"/>', "leads to other files"),
        ('<image href="https://saltmarsh.example/a.png" width="9" height="9"/>', "leads to other files"),
        ("<g", "not SVG that can be read"),
    ],
)
def test_an_svg_that_runs_or_leads_elsewhere_is_not_taken(tmp_path, inside, says):
    path = tmp_path / "it.svg"
    path.write_text(SVG.format(inside))
    with pytest.raises(BadPicture, match=says):
        check(path)


def test_files_that_are_no_graphics_are_said(tmp_path):
    for name, data, says in (
        ("it.gif", b"GIF89a", "no graphic that can be taken"),
        ("it.png", b"", "is empty"),
        ("it.png", b"not a picture", "cannot be read|not a picture"),
        ("it.svg", b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40000 1"/>', "too large"),
        ("it.svg", b'<svg xmlns="http://www.w3.org/2000/svg"/>', "how large it is"),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BadPicture, match=says):
            check(tmp_path / name)
    cv2.imwrite(str(tmp_path / "wide.png"), np.zeros((1, 40000), np.uint8))
    with pytest.raises(BadPicture, match="40000 x 1 pixels"):
        check(tmp_path / "wide.png")
