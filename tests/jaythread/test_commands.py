"""The commands for scripts: the same recipes, the same permission, a sentence when something cannot be done."""

import io
import json

import cv2
import numpy as np
import pytest
from django.core.management import CommandError, call_command

from jaythread.delivery import recipes
from jaythread.delivery.models import Delivery
from roto.package import manifest

from ..conftest import trace

pytestmark = pytest.mark.django_db
SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 96 64"><rect id="door" x="10" y="20" width="30" height="30"/><text/></svg>'


def said(*arguments, **more) -> str:
    out = io.StringIO()
    call_command(*arguments, stdout=out, stderr=io.StringIO(), **more)
    return out.getvalue()


def test_shapes_come_in_are_delivered_by_a_recipe_and_verified_again(shot, people, production, tmp_path):
    (tmp_path / "door.svg").write_text(SVG)
    told = said("import_shapes", "Saltmarsh", "KITE_010", str(tmp_path / "door.svg"), account="rafe", frame=1003)
    assert told.splitlines()[0] == "door" and "Left out: 1 'text'." in told and "Keyed on frame 1003." in told
    recipes.save(people["rafe"], production.pk, "Grading", "", {"format": "tiff16", "start": 1})
    number, path = said(
        "deliver", "Saltmarsh", "KITE_010", "door", account="rafe", recipe="Grading", first=1002, last=1004, here=True
    ).split()
    it = Delivery.objects.get(pk=int(number))
    assert it.state == "proved" and path.endswith(".zip") and it.recipe_name == "Grading 1"
    still = cv2.imread(str(it.package / "KITE_010_door.0002.tif"), cv2.IMREAD_UNCHANGED)
    assert still.dtype == np.uint16 and still[30, 20] == 65535 and (still > 0).sum() == 900
    assert "read back by another library" in said("verify", number)
    (it.package / "KITE_010_door.0002.tif").write_bytes(b"II*\0")
    with pytest.raises(CommandError, match=r"0002\.tif is not the file that was written"):
        said("verify", number)


def test_a_package_is_rendered_into_a_folder_and_never_over_another(shot, people, tmp_path):
    trace(shot, people["rafe"])
    (tmp_path / "how.json").write_text(json.dumps({"format": "exr32", "content": "inverted"}))
    out = tmp_path / "out"
    told = said("render_matte", "Saltmarsh", "KITE_010", "kite", account="noor", out=out, recipe=str(tmp_path / "how.json"))
    assert "8 frames of KITE_010" in told and len(list(out.glob("*.exr"))) == 8 and not Delivery.objects.exists()
    assert manifest.load(out)["content"] == "the matte inverted"
    with pytest.raises(CommandError, match="not empty"):
        said("render_matte", "Saltmarsh", "KITE_010", "kite", account="noor", out=out)


@pytest.mark.parametrize(
    ("arguments", "more", "says"),
    [
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "nobody"}, "no account"),
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "otto"}, "sees no shot"),
        (("deliver", "Saltmarsh", "KITE_010", "arm"), {"account": "rafe"}, "it has: kite"),
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "noor"}, "does not include"),
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "rafe", "recipe": "Grading"}, "Choose one of"),
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "rafe", "recipe": "missing.json"}, "cannot be read"),
        (("deliver", "Saltmarsh", "KITE_010", "kite"), {"account": "rafe", "first": 1}, "frames 1001-1008 only"),
        (("verify", "99"), {}, "no proved delivery 99"),
        (("import_shapes", "Saltmarsh", "KITE_010", "missing.svg"), {"account": "rafe"}, "No such file"),
        (("import_shapes", "Saltmarsh", "KITE_010", __file__), {"account": "rafe"}, "not JSON"),
        (("import_shapes", "Saltmarsh", "KITE_010", __file__), {"account": "noor"}, "does not include"),
    ],
)
def test_what_cannot_be_done_is_a_sentence(shot, people, arguments, more, says):
    trace(shot, people["rafe"])
    with pytest.raises(CommandError, match=says):
        said(*arguments, **more)
    assert not Delivery.objects.exists() and shot.mattes.count() == 1
