"""What can be done with deliveries: ask for one, cancel it, render, read back, pack."""

import os
import shutil
import uuid
import zipfile
from pathlib import Path

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread.delivery import policies
from jaythread.delivery.models import DeliveredFrame, Delivery, State
from jaythread.desk import scene
from jaythread.desk.fringes import ShotFringes
from jaythread.desk.policies import matte_for
from jaythread.errors import Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account
from roto.errors import Cancelled, RotoError
from roto.exchange import document
from roto.matte.render import Rendered, render_each
from roto.matte.stack import Matte as CoreMatte
from roto.package import manifest, proof
from roto.picture.stills import write_matte

CHUNK = 8
"""frames rendered between two looks at whether to stop"""
FIXED = (1980, 1, 1, 0, 0, 0)
"""the date of every file in the zip, so that the same delivery packs to the same bytes"""


@transaction.atomic
def ask(user: User, shot_id: int, matte_id: uuid.UUID) -> Delivery:
    """A new delivery of a matte: 16-bit PNG of the shot's range. The shapes are frozen as they are now."""
    shot, matte = matte_for(user, shot_id, matte_id, "deliver")
    shot = Shot.objects.select_for_update().get(pk=shot.pk)
    core = scene.core_matte(shot, matte)
    if not core.entries:
        raise Refused(f"The matte '{matte.name}' has no shape yet. Trace one first, then deliver it.")
    version = (matte.deliveries.order_by("-version").values_list("version", flat=True).first() or 0) + 1
    delivery = Delivery.objects.create(
        matte=matte, user_id=account(user), version=version, revision=shot.revision, document=document.dumps(core)
    )
    DeliveredFrame.objects.bulk_create(
        DeliveredFrame(delivery=delivery, frame=f, name=manifest.file_name(core, f)) for f in range(core.first, core.last + 1)
    )
    _queue(delivery)
    return delivery


def _queue(delivery: Delivery) -> None:
    app.configure_task("delivery.deliver", queue="delivery").defer(delivery_id=delivery.pk)  # by name: tasks stand above actions


@transaction.atomic
def cancel(user: User, delivery_id: int) -> Delivery:
    """Ask a delivery to stop."""
    delivery = policies.delivery_for(user, delivery_id, "deliver")
    if not delivery.busy:
        raise Refused("This delivery has ended already.")
    Delivery.objects.filter(pk=delivery.pk).update(cancel=True)
    if delivery.state == State.WAITING:
        _end(delivery, State.CANCELLED)
    return delivery


def _end(delivery: Delivery, state: str, wrong: list[str] | None = None) -> None:
    if state != State.PROVED:
        shutil.rmtree(delivery.folder, ignore_errors=True)
    Delivery.objects.filter(pk=delivery.pk).update(state=state, wrong=wrong or [], ended=timezone.now())


def _asked_to_stop(delivery: Delivery) -> None:
    if Delivery.objects.filter(pk=delivery.pk, cancel=True).exists():
        raise Cancelled()


def deliver(delivery_id: int) -> None:
    """Render what is not rendered yet, write the manifest, read everything back, pack. Safe to run again after a stop."""
    delivery = Delivery.objects.select_related("matte__shot").filter(pk=delivery_id).first()
    if delivery is None or not delivery.busy:
        return
    try:
        core = document.loads(delivery.document)
        folder = delivery.folder / "package"
        folder.mkdir(parents=True, exist_ok=True)
        Delivery.objects.filter(pk=delivery_id).update(state=State.RENDERING)
        fringes = ShotFringes(delivery.matte.shot).ready(core)
        _render(delivery, core, folder, fringes)
        files = [manifest.FileEntry(name=f.name, frame=f.frame, bytes=f.bytes, sha256=f.sha256) for f in delivery.frames.filter(done=True)]
        manifest.write(folder, manifest.manifest(core, delivery.revision, files))
        Delivery.objects.filter(pk=delivery_id).update(state=State.READING, checked=0)
        receipt = read_back(delivery, core, folder, fringes)
        if not receipt.proved:
            _end(delivery, State.FAILED, list(receipt.wrong))
            return
        pack(delivery, folder)
        _end(delivery, State.PROVED)
    except Cancelled:
        _end(delivery, State.CANCELLED)
    except (RotoError, OSError) as error:
        _end(delivery, State.FAILED, [str(error)])


def _render(delivery: Delivery, core: CoreMatte, folder: Path, fringes: ShotFringes) -> None:
    waiting = {row.frame: row for row in delivery.frames.all() if not row.done or not (folder / row.name).exists()}

    def write(frame: int, done: Rendered) -> DeliveredFrame:
        row = waiting[frame]
        write_matte(folder / row.name, done.alpha, "16")
        entry = manifest.entry(folder, row.name, row.frame)
        row.bytes, row.sha256, row.samples, row.capped, row.done = entry.bytes, entry.sha256, done.samples, done.capped, True
        return row

    _asked_to_stop(delivery)
    made: list[DeliveredFrame] = []
    for row in render_each(core, waiting, write, os.cpu_count() or 2, "16", fringes):
        made.append(row)
        if len(made) == CHUNK or row.frame == max(waiting):
            DeliveredFrame.objects.bulk_update(made, ["bytes", "sha256", "samples", "capped", "done"])
            made = []
            _asked_to_stop(delivery)


def read_back(delivery: Delivery, core: CoreMatte, folder: Path, fringes: ShotFringes) -> proof.Receipt:
    """The package read back by another library than wrote it."""

    def progress(done: int, of: int) -> None:
        if done % CHUNK == 0 or done == of:
            Delivery.objects.filter(pk=delivery.pk).update(checked=done)
            _asked_to_stop(delivery)

    return proof.prove(folder, core, progress, fringes)


def zip_path(delivery: Delivery) -> Path:
    return delivery.folder / f"{delivery}.zip"


def pack(delivery: Delivery, folder: Path) -> Path:
    """All files of a package in one zip; PNG does not pack further, so nothing is squeezed. Written aside, then renamed."""
    target = zip_path(delivery)
    aside = target.with_suffix(".part")
    with zipfile.ZipFile(aside, "w", zipfile.ZIP_STORED) as bag:
        for path in sorted(folder.iterdir()):
            if not path.name.startswith("."):
                info = zipfile.ZipInfo(path.name, FIXED)
                info.external_attr = 0o644 << 16
                bag.writestr(info, path.read_bytes())
    return aside.replace(target)
