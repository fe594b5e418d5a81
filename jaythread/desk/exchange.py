"""Mattes in and out: the preview of a draft, the shape document."""

import uuid
from dataclasses import replace
from typing import Any

from django.db import transaction

from jaythread.desk import actions, changes, commands, journal, key_commands, policies, scene
from jaythread.desk.models import Matte
from jaythread.productions.policies import User, shot_for
from roto.exchange import document
from roto.matte.stack import Matte as CoreMatte
from roto.motion.group import Riding, group_of
from roto.motion.shape import Shape as CoreShape


def preview_matte(user: User, shot_id: int, matte_id: uuid.UUID, draft: Any | None) -> CoreMatte:
    """The matte at its present revision, with an edit that is not saved yet laid on it."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    matte = scene.core_matte(shot, row)
    for part in draft.commands if isinstance(draft, commands.Together) else [draft]:
        if isinstance(part, commands.OnShape) and not isinstance(part, key_commands.Between):
            matte = _changed(matte, part)
    return matte


def _changed(matte: CoreMatte, command: Any) -> CoreMatte:
    """The matte with a shape changed, or with the group that some of its shapes ride on."""
    for shape in [e.shape for e in matte.entries]:
        group = group_of(shape)
        if shape.id == command.shape:
            return matte.with_shape(command.on(shape))
        if group is not None and group.id == command.shape:
            matte = matte.with_shape(replace(shape, rides=(Riding(command.on(group)),)))
    return matte


def export_document(user: User, shot_id: int, matte_id: uuid.UUID) -> tuple[str, str]:
    """A file's name and the shape document of a matte."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    return f"{shot.name}_{row.name}.shapes.json", document.dumps(scene.core_matte(shot, row))


def _over(shape: CoreShape, groups: dict[str, CoreShape]) -> CoreShape:
    """The shape riding on what has taken its group's place."""
    group = group_of(shape)
    return shape if group is None else replace(shape, rides=(Riding(groups[group.id]),))


@transaction.atomic
def import_document(user: User, shot_id: int, text: bytes) -> Matte:
    """A new matte in this shot from a shape document, as one edit; frames and pixels are taken as they are, ids are made anew."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    core = document.loads(text)
    plain = "".join("-" if c in changes.NOT_IN_NAMES else c for c in core.name)[:36].strip() or "matte"
    name, k = plain, 1
    while shot.mattes.filter(name__iexact=name).exists():
        k += 1
        name = f"{plain} {k}"
    matte_id = str(uuid.uuid4())
    done = [journal.change("matte", [matte_id], None, {"name": name, "inverted": core.inverted})]
    renamed: dict[str, str] = {}
    groups: dict[str, CoreShape] = {}
    for group in map(group_of, (e.shape for e in core.entries)):
        if group is not None and group.id not in groups:
            groups[group.id] = replace(group, id=str(uuid.uuid4()))
            done += journal.compare(groups[group.id].id, None, groups[group.id])
    for order, entry in enumerate(core.entries):
        if entry.shape.id not in renamed:
            renamed[entry.shape.id] = str(uuid.uuid4())
            done += journal.compare(renamed[entry.shape.id], None, _over(entry.shape, groups))
        row = {
            "matte": matte_id, "shape": renamed[entry.shape.id], "order": float(order), "mode": entry.mode, "inverted": entry.inverted,
            "opacity": entry.opacity,
        }  # fmt: skip
        done.append(journal.change("entry", [str(uuid.uuid4())], None, row))
    actions.apply(shot, done)
    actions.record(shot, user, uuid.uuid4(), f"took in the matte {name} from a shape document", done)
    return Matte.objects.get(pk=matte_id)
