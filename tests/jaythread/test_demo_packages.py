"""The demo opens on something: a package that is proved, one that came back with a note, and shapes in every state."""

import uuid

import pytest
from django.core.management import call_command

from demo.scenes import scenes
from demo.tracing import traced
from jaythread.delivery.models import Delivery
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.management.commands.draw_demo import parsed
from jaythread.desk.models import Note, Shape
from jaythread.plates import actions as plates
from roto.motion.group import group_of

from ..conftest import trace, write_stills

pytestmark = pytest.mark.django_db


def test_one_package_is_proved_and_one_comes_back_with_a_note(shot, production, people, tmp_path, standing_bench):
    stills = write_stills(tmp_path / "mill", name="MILL_040.{:04d}.png")
    mill = plates.bring_in_folder(people["rafe"], production.pk, "MILL_040", tmp_path / "mill", [p.name for p in stills])
    plates.decode(mill.plates.get().pk)
    actions.edit(people["rafe"], mill.pk, uuid.uuid4(), None, parsed({"do": "new matte", "matte": str(uuid.uuid4()), "name": "sails"}))
    for it in (shot, mill):
        trace(it, people["rafe"])
    for _ in range(2):  # a second time nothing more is made
        call_command("deliver_demo", "--here")
        assert [d.state for d in Delivery.objects.all()] == ["proved", "proved"]
        note = Note.objects.get()
        assert note.shot == mill and note.by == "noor" and "sail" in note.says


def test_the_demos_shapes_are_in_every_state(shot, people):
    """All edits of the demo can be made on a small shot of the same numbers."""
    for name in ("KITE_010", "MAKER_030"):
        scene, matte = next(s for s in scenes() if s.name == name), str(uuid.uuid4())
        for said in [{"do": "new matte", "matte": matte, "name": f"{scene.matte} {name}"}, *traced(scene, matte)]:
            actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, parsed(said))
    rows = list(Shape.objects.filter(shot=shot))
    cores = list(core_cache.shapes(rows).values())
    assert any(r.locked for r in rows) and any(r.carrier for r in rows) and any(c.live for c in cores)
    assert sum(group_of(c) is not None for c in cores) == 5 and any(c.kind == "group" for c in cores)
    modes = {e.mode for m in shot.mattes.all() for e in m.entries.all()}
    assert modes >= {"add", "cut", "solve"}
