"""What lies in a package beside its pictures: the receipt in plain words, the contact sheet; and the zip of it all."""

import zipfile
from pathlib import Path
from typing import Any

from django.http import FileResponse

from jaythread import store
from jaythread.delivery.models import Delivery
from jaythread.desk.models import Note
from jaythread.errors import NotThere
from roto.atomic_write import put_in_place, temporary_name
from roto.exchange.editorial import Marker
from roto.package import manifest, proof, sheet
from roto.package.make import Plan
from roto.picture import reading_back

FIXED = (1980, 1, 1, 0, 0, 0)
"""the date of every file in the zip, so that the same delivery packs to the same bytes"""


def say_it(delivery: Delivery, plan: Plan, data: dict[str, Any]) -> None:
    """Write the receipt and the page of plain words, which tell what was looked at."""
    receipt = {**delivery.receipt, "odd": delivery.odd}
    manifest.write(delivery.package, receipt, proof.RECEIPT)
    manifest.write_text(delivery.package / proof.SUMMARY, sheet.summary(plan, data, receipt))
    for name in (proof.RECEIPT, proof.SUMMARY):
        store.keep(delivery.package / name)


def markers(delivery: Delivery) -> list[Marker]:
    notes = Note.objects.filter(shot=delivery.matte.shot, state=Note.State.OPEN)
    return [Marker(frame=n.frame, says=n.says, by=n.by, last=n.last) for n in notes]


def write_sheet(plan: Plan, folder: Path, odd: list[int]) -> None:
    """The contact sheet, from the files as they were written."""
    in_time = sorted(range(len(plan.pieces)), key=lambda k: plan.pieces[k].frame)
    pictures = []
    for k in sheet.chosen(len(in_time), odd):
        at = in_time[k]
        path = plan.stills(folder, at)[0]
        pixels = reading_back.read_still(path, reading_back.header(path))
        pictures.append((str(plan.pieces[at].number), sheet.small(pixels), False))
    sheet.write_sheet(folder / proof.SHEET, pictures)


def zip_path(delivery: Delivery) -> Path:
    return delivery.folder / f"{delivery}.zip"


def pack(delivery: Delivery) -> Path:
    """All files of a package in one zip; pictures do not pack further, so nothing is squeezed. Written aside, then renamed."""
    target = zip_path(delivery)
    beside = temporary_name(target)
    with zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as bag:
        for path in sorted(delivery.package.rglob("*")):
            if path.is_file() and not path.name.startswith("."):
                info = zipfile.ZipInfo(path.relative_to(delivery.package).as_posix(), FIXED)
                info.external_attr = 0o644 << 16
                with path.open("rb") as source, bag.open(info, "w", force_zip64=True) as into:
                    while data := source.read(1 << 20):
                        into.write(data)
    return store.keep(put_in_place(beside, target))


def download(delivery: Delivery) -> FileResponse:
    """The zip of a package, as an answer that sends it as it is read. NotThere where there is none."""
    path = zip_path(delivery)
    try:
        file, size = store.opened(path)
    except FileNotFoundError:
        raise NotThere("This package is not there: only a proved delivery can be fetched.") from None
    return FileResponse(file, as_attachment=True, filename=path.name, headers={"Content-Length": str(size)})
