"""How a package is made: planned, rendered in chunks by any number of workers, put together, read back, packed.

Every step may be run again at any time: what is in place stays, what is not is made.
"""

import contextlib
import logging
import os
import time
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from django.db import connection, transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread import room, store
from jaythread.delivery import looks, packing, planning
from jaythread.delivery.models import Chunk, DeliveredFrame, Delivery, State
from jaythread.delivery.planning import plan_of
from jaythread.errors import DatabaseAway, NotThere, StoreAway, without_database
from jaythread.hooks import actions as hooks
from jaythread.review import actions as review
from jaythread.review import way
from roto.atomic_write import LEFTOVERS
from roto.errors import BadPicture, Cancelled, NoFringe, NotWritten, RotoError
from roto.package import documents, make, manifest, proof
from roto.package.anomalies import Odd
from roto.package.make import Made, Plan
from roto.package.statistics import Measure, measure
from roto.picture import reading_back

log = logging.getLogger(__name__)
CHUNK = 8
"""frames that one worker takes at a time, and the most that is lost when it is killed"""
MEANWHILE = 96
"""frames at a movie's end, at most, that are made while the encoder is at those before them: it leaves time of the processor unused"""
AWAY = 30
"""seconds until the store of files, or the database, is asked again when it did not answer"""
LOOK_EVERY = 0.3
"""seconds between two looks at whether to stop"""


class Stopped(Exception):
    """The delivery was paused, held up or ended by somebody else meanwhile."""


def workers() -> int:
    """Threads that one worker renders in: the cores that it may use."""
    return max(1, len(os.sched_getaffinity(0)))


def queue(name: str, **what: int) -> None:
    """By name: tasks stand above actions."""
    app.configure_task(name, queue="delivery").defer(**what)


def end(delivery: Delivery, state: str, wrong: list[str] | None = None) -> None:
    """The delivery is over; nothing stays of one that is not proved."""
    if state != State.PROVED:
        store.drop(delivery.folder)
    Delivery.objects.filter(pk=delivery.pk).update(state=state, wrong=wrong or [], message="", ended=timezone.now())


def hold(delivery: Delivery, why: str) -> None:
    """Something is missing that a person can bring back: all stays as it is until they say to go on."""
    Delivery.objects.filter(pk=delivery.pk, state__in=[State.WAITING, State.RENDERING, State.READING]).update(
        state=State.HELD, message=why[:400]
    )
    delivery.chunks.filter(state=Chunk.State.WORKING).update(state=Chunk.State.WAITING)


def go_on(delivery: Delivery) -> None:
    """Take up again what was paused or held up, where it stood."""
    chunks = list(delivery.chunks.exclude(state=Chunk.State.DONE))
    state = State.WAITING if delivery.started is None else State.RENDERING if chunks else State.READING
    Delivery.objects.filter(pk=delivery.pk).update(state=state, message="")
    if state == State.WAITING:
        queue("delivery.begin", delivery_id=delivery.pk)
    elif state == State.READING:
        queue("delivery.finish", delivery_id=delivery.pk)
    for chunk in chunks:
        queue("delivery.chunk", delivery_id=delivery.pk, chunk_id=chunk.pk)


def again(delivery_id: int) -> None:
    """Go on with what was held up since the store or the database did not answer; it is held up again while that does not."""
    away = [StoreAway().message, DatabaseAway().message]
    with transaction.atomic():
        delivery = Delivery.objects.select_for_update().filter(pk=delivery_id, state=State.HELD, message__in=away).first()
        if delivery is not None:
            go_on(delivery)


def _guarded(delivery: Delivery, work: Callable[[], None]) -> None:
    """Run a step; what goes wrong becomes a sentence at the delivery."""
    try:
        work()
    except Stopped:
        pass
    except Cancelled:
        end(delivery, State.CANCELLED)
    except StoreAway as error:
        _hold_until_there(delivery, error)
    except OSError as error:
        hold(delivery, f"The files cannot be written or read: {error.strerror or error}. Make room or give the right to it, then go on.")
    except NotWritten as error:
        hold(delivery, f"{error.message}. Make room or give the right to it, then go on.")
    except (BadPicture, NoFringe, NotThere) as error:
        hold(delivery, error.message)
    except RotoError as error:
        end(delivery, State.FAILED, [error.message])
    except Exception as error:
        if room.too_large(error):
            hold(delivery, room.TOO_LARGE)
        elif without_database(error):
            connection.close()  # where there is another one already, this one is over nevertheless
            _hold_until_there(delivery, DatabaseAway())
        else:
            log.exception("the delivery %s failed", delivery.pk)
            hold(delivery, "Something went wrong on our side. What is made stays: go on, or tell whoever runs this.")
    if Delivery.objects.filter(pk=delivery.pk, state__in=[State.CANCELLED, State.FAILED]).exists():
        store.drop(delivery.folder)  # another worker may have been at it when it was cleared away


def _hold_until_there(delivery: Delivery, error: RotoError) -> None:
    """It goes on by itself, see `again`."""
    hold(delivery, error.message)
    app.configure_task("delivery.again", queue="delivery", schedule_in={"seconds": AWAY}).defer(delivery_id=delivery.pk)


def _open(delivery_id: int, *states: str) -> Delivery | None:
    """The delivery, when it is in one of these states. Waits for whoever is changing it: a worker queues jobs on a connection of its own,
    where they may start before what they are about is committed."""
    with transaction.atomic():
        Delivery.objects.select_for_update().filter(pk=delivery_id).first()
    found = Delivery.objects.select_related("matte__shot", "plate").filter(pk=delivery_id).first()
    return found if found is not None and found.state in states else None


def begin(delivery_id: int) -> None:
    """Look what is to be made and what an earlier package has already, and share out the rest."""
    delivery = _open(delivery_id, State.WAITING)
    if delivery is not None:
        _guarded(delivery, lambda: _begin(delivery))


def _begin(delivery: Delivery) -> None:
    plan = plan_of(delivery)
    delivery.package.mkdir(parents=True, exist_ok=True)
    rows = list(delivery.frames.all())
    before = _last_proved(delivery)
    known = {row.frame: row for row in before.frames.all()} if before else {}
    for row in rows:
        row.key = plan.keys[row.at]
        there = known.get(row.frame)
        row.change = "new" if there is None else "same" if there.key == row.key else "changed"
    _take_over(delivery, plan, rows)
    with transaction.atomic():
        mine = Delivery.objects.select_for_update().get(pk=delivery.pk)
        if mine.state != State.WAITING:
            return
        if mine.cancel:
            raise Cancelled()
        DeliveredFrame.objects.bulk_update(rows, ["key", "change", "taken", "done", "samples", "capped", "measured"])
        left = [row.at for row in rows if not row.done]
        end = len(rows) - (MEANWHILE if plan.recipe.kind.movie and not make.quick(plan) else 0)
        chunks = [Chunk(delivery=delivery, begin=k, end=min(k + CHUNK, end)) for k in range(0, end, CHUNK)]
        wanted = Chunk.objects.bulk_create(c for c in chunks if any(c.begin <= at < c.end for at in left))
        Delivery.objects.filter(pk=delivery.pk).update(state=State.RENDERING, started=timezone.now())
        for chunk in wanted:
            queue("delivery.chunk", delivery_id=delivery.pk, chunk_id=chunk.pk)
    if not wanted:
        _chunk_done(delivery, None)


def _last_proved(delivery: Delivery) -> Delivery | None:
    """The package before this one that holds the same thing, for what is new in it."""
    recipe = delivery.core_recipe
    for other in Delivery.objects.filter(matte=delivery.matte, state=State.PROVED, version__lt=delivery.version).order_by("-version")[:50]:
        if (other.core_recipe.format, other.core_recipe.content) == (recipe.format, recipe.content):
            return other
    return None


def _earlier(delivery: Delivery, rows: list[DeliveredFrame]) -> dict[str, DeliveredFrame]:
    """By key, the newest frame of a proved package of the shot that was made from the very same."""
    done = DeliveredFrame.objects.filter(delivery__matte__shot=delivery.matte.shot, delivery__state=State.PROVED, done=True)
    done = done.filter(key__in=[r.key for r in rows]).select_related("delivery__matte__shot", "delivery__plate")
    return {row.key: row for row in done.order_by("delivery__made") if row.measured}


def _take_over(delivery: Delivery, plan: Plan, rows: list[DeliveredFrame]) -> None:
    """Frames that an earlier package has already: their files are taken, not made again."""
    found = _earlier(delivery, rows)
    plans: dict[int, Plan] = {}
    wanted: dict[int, list[Path]] = {}
    for row in rows:
        there = found.get(row.key)
        if row.done or there is None:
            continue
        if there.delivery_id not in plans:
            plans[there.delivery_id] = plan_of(there.delivery)
        wanted[row.at] = plans[there.delivery_id].stills(there.delivery.package, there.at)
        for path in wanted[row.at]:
            store.here(path)
    taken = make.take_over_all(plan, delivery.package, wanted)
    with store.sending() as send:
        for at in taken:
            send(*plan.stills(delivery.package, at))
    for row in rows:
        if row.at in taken:
            there = found[row.key]
            row.taken = row.done = True
            row.samples, row.capped, row.measured = there.samples, there.capped, there.measured


def _known(delivery: Delivery, plan: Plan, rows: list[DeliveredFrame]) -> dict[int, dict[str, manifest.FileEntry]]:
    """By piece that was taken over, its files by name, as the manifest of the package has them that they come from. A piece of which that
    cannot be said is left out: it is read like any other."""
    out: dict[int, dict[str, manifest.FileEntry]] = {}
    taken = [row for row in rows if row.taken]
    if plan.recipe.kind.movie or not taken:
        return out
    plans: dict[int, Plan] = {}
    lists: dict[int, dict[str, manifest.FileEntry]] = {}
    earlier = _earlier(delivery, taken)
    for row in taken:
        there = earlier.get(row.key)
        if there is None:
            continue
        if there.delivery_id not in plans:
            plans[there.delivery_id] = plan_of(there.delivery)
            store.here(there.delivery.package / manifest.MANIFEST)
            lists[there.delivery_id] = manifest.listed(manifest.load(there.delivery.package))
        old, new = plans[there.delivery_id].still_names(there.at), plan.still_names(row.at)
        listed = lists[there.delivery_id]
        if len(old) == len(new) and all(name in listed for name in old):
            out[row.at] = {name: listed[before] for name, before in zip(new, old, strict=True)}
    return out


def chunk(delivery_id: int, chunk_id: int) -> None:
    """Make the frames of a chunk that are not made yet."""
    delivery = _open(delivery_id, State.RENDERING)
    it = Chunk.objects.filter(pk=chunk_id).first()
    if it is None or delivery is None or it.state == Chunk.State.DONE:
        return
    Chunk.objects.filter(pk=it.pk).update(state=Chunk.State.WORKING)
    _guarded(delivery, lambda: _chunk(delivery, it))


def _chunk(delivery: Delivery, it: Chunk) -> None:
    plan = plan_of(delivery)
    rows = {row.at: row for row in delivery.frames.filter(at__gte=it.begin, at__lt=it.end)}
    _settle(delivery, plan, rows.values())
    made: list[DeliveredFrame] = []
    looked = _look(delivery, 0.0)
    with store.sending() as send:
        try:
            for one in make.make_stills(plan, [at for at, row in rows.items() if not row.done], delivery.package, workers()):
                made.append(_done(rows[one.at], one))
                send(*plan.stills(delivery.package, one.at))
                if time.monotonic() - looked > LOOK_EVERY:
                    send.wait()
                    _save(made)
                    made = []
                    looked = _look(delivery, looked)
        finally:
            send.wait()
            _save(made)
    _chunk_done(delivery, it)


def _settle(delivery: Delivery, plan: Plan, rows: Iterable[DeliveredFrame]) -> None:
    """Bring into step what is said of frames with which files are there."""
    for row in rows:
        for path in plan.stills(delivery.package, row.at):
            store.here(path)
        there = make.there(plan, delivery.package, row.at)
        if there and not row.done:  # made by a worker that was killed before it could say so, or could not send it
            for path in plan.stills(delivery.package, row.at):
                store.keep(path)
            row.measured = _measured(plan, delivery.package, row.at)
            row.done = True
            row.save(update_fields=["measured", "done"])
        elif row.done and not there:
            row.done = False


def _done(row: DeliveredFrame, one: Made) -> DeliveredFrame:
    row.samples, row.capped, row.measured, row.done = one.samples, one.capped, one.measured.to_json(), True
    return row


def _save(rows: list[DeliveredFrame]) -> None:
    DeliveredFrame.objects.bulk_update(rows, ["samples", "capped", "measured", "done"])


def _measured(plan: Plan, folder: Path, at: int) -> dict[str, Any]:
    path = plan.stills(folder, at)[0]
    pixels = reading_back.read_still(path, reading_back.header(path))
    return measure(pixels, plan.recipe.content).to_json()


def _look(delivery: Delivery, last: float) -> float:
    """Whether somebody wants it to stop."""
    now = Delivery.objects.filter(pk=delivery.pk).values_list("cancel", "state").first()
    if now is None or now[0]:
        raise Cancelled()
    if now[1] not in (State.RENDERING, State.READING):
        delivery.chunks.filter(state=Chunk.State.WORKING).update(state=Chunk.State.WAITING)
        raise Stopped()
    return time.monotonic()


def _chunk_done(delivery: Delivery, it: Chunk | None) -> None:
    """The last chunk to be done leads on to the end, once."""
    with transaction.atomic():
        mine = Delivery.objects.select_for_update().get(pk=delivery.pk)
        if it is not None:
            Chunk.objects.filter(pk=it.pk).update(state=Chunk.State.DONE)
        if mine.state == State.RENDERING and not mine.chunks.exclude(state=Chunk.State.DONE).exists():
            Delivery.objects.filter(pk=mine.pk).update(state=State.READING, checked=0)
            queue("delivery.finish", delivery_id=mine.pk)


def finish(delivery_id: int) -> None:
    """Put together what belongs to the package, read all of it back, pack it."""
    delivery = _open(delivery_id, State.READING)
    if delivery is not None:
        _guarded(delivery, lambda: _finish(delivery))


def _finish(delivery: Delivery) -> None:
    plan, folder = plan_of(delivery), delivery.package
    store.bring(delivery.folder)
    for left in folder.rglob(LEFTOVERS):
        left.unlink(missing_ok=True)
    rows = list(delivery.frames.all())
    state = {"looked": _look(delivery, 0.0)}
    made: list[DeliveredFrame] = []

    def progress(done: int, _of: int = 0) -> None:
        if time.monotonic() - state["looked"] > LOOK_EVERY:
            _save(made)
            made.clear()
            Delivery.objects.filter(pk=delivery.pk).update(checked=done)
            state["looked"] = _look(delivery, 0.0)

    if plan.recipe.kind.movie:
        _settle(delivery, plan, rows)
        try:
            make.make_movies(plan, folder, progress, lambda one: made.append(_done(rows[one.at], one)), workers())
        finally:
            _save(made)
            made.clear()
    names = documents.write_all(plan, folder, notes=packing.markers(delivery), plate_name=delivery.plate.source if delivery.plate else "")
    data, receipt = _proved(delivery, plan, rows, names, progress)
    if receipt.harmed:
        _make_anew(delivery, plan, [row for row in rows if row.at in receipt.harmed])
        data, receipt = _proved(delivery, plan, rows, names, progress)
    if not receipt.proved:
        end(delivery, State.FAILED, list(receipt.wrong))
        return
    odd = [o.to_json() for o in (_uncovered(delivery, plan) if delivery.tryout else receipt.odd)]
    odd += [] if delivery.tryout else _found(delivery, {row["frame"] for row in odd})
    Delivery.objects.filter(pk=delivery.pk).update(odd=odd, receipt=receipt.to_json(), checked=len(plan.pieces))
    delivery.odd, delivery.receipt = odd, receipt.to_json()
    store.keep(delivery.folder)
    for name in (*names, manifest.MANIFEST):  # they may have been written before
        store.keep(folder / name)
    packing.say_it(delivery, plan, data)
    packing.pack(delivery)
    end(delivery, State.PROVED)
    facts = {"shot": delivery.matte.shot_id, "shot_name": delivery.matte.shot.name, "delivery": delivery.pk, "name": delivery.name}
    facts |= {"version": delivery.version, "recipe": delivery.recipe_name, "frames": len(rows), "open": len(delivery.open_odd)}
    hooks.say(delivery.matte.shot.production, "package.proved", facts)
    if not delivery.tryout:
        way.delivered(delivery.user, planning.mattes_of(delivery), delivery.revision)


def _found(delivery: Delivery, told: set[int]) -> list[dict[str, Any]]:
    """What the check sheet says of the matte, where it is the one that is delivered and other findings do not tell of that frame already.
    What somebody has answered there is answered here."""
    matte = delivery.matte
    if matte.shot.revision != delivery.revision or delivery.first is None or delivery.last is None:
        return []
    out: dict[int, dict[str, Any]] = {}
    for one in review.grave(matte, delivery.first, delivery.last):
        frame = max(one.first, delivery.first)
        if frame in told:
            continue
        row = out.setdefault(frame, {"frame": frame, "what": "check", "says": "", "accepted": True})
        meant = one.user is not None
        row["says"] += ("; " if row["says"] else "") + one.says.rstrip(".") + (f" ({one.user}: {one.reason})" if meant else "")
        row["accepted"] = row["accepted"] and meant
    return [{**row, "says": f"{row['says']}."} for row in out.values()]


def _uncovered(delivery: Delivery, plan: Plan) -> list[Odd]:
    """What is odd about a look: not how its brightness jumps, but where it fails to hide what it is to hide."""
    frames = sorted({p.frame for p in plan.pieces})
    assert delivery.tryout is not None, "see its caller"
    return looks.uncovered(delivery.matte.shot, delivery.tryout, plan.sources.mattes, frames)


def _proved(
    delivery: Delivery, plan: Plan, rows: list[DeliveredFrame], names: list[str], progress: Callable[[int, int], None]
) -> tuple[dict[str, Any], proof.Receipt]:
    """The manifest, written, and what reading the package back gave. names: of the documents in it."""
    folder = delivery.package
    with contextlib.suppress(BadPicture):  # a harmed still: the proof says so
        packing.write_sheet(plan, folder, [])
        names = [*names, proof.SHEET]
    known = _known(delivery, plan, rows)
    files = manifest.entries(folder, plan, {name: it for one in known.values() for name, it in one.items()})
    files += [manifest.entry(folder, name, "document") for name in names]
    data = manifest.manifest(plan, delivery.revision, files, {row.at: row.change for row in rows})
    manifest.write(folder, data)
    made = {row.at: Measure.from_json(row.measured) for row in rows if row.measured}
    taken = {row.at for row in rows if row.taken} if plan.recipe.kind.movie else set(known)
    return data, read_back(plan, folder, made, progress, taken)


def _make_anew(delivery: Delivery, plan: Plan, rows: list[DeliveredFrame]) -> None:
    """Frames whose files were harmed in the package that they were taken over from; that one keeps its own."""
    by_at = {row.at: row for row in rows}
    for one in make.make_stills(plan, list(by_at), delivery.package, workers()):
        row = by_at[one.at]
        row.taken, row.samples, row.capped, row.measured = False, one.samples, one.capped, one.measured.to_json()
        row.save(update_fields=["taken", "samples", "capped", "measured"])


def read_back(plan: Plan, folder: Path, made: dict[int, Measure], progress: Callable[[int, int], None], taken: set[int]) -> proof.Receipt:
    """The package read back by another library than wrote it."""
    return proof.prove(folder, plan, made, progress, taken=taken, workers=workers())
