"""What can be done to hand a package over: send it, stop that, ask how it stands; make a link, take it back."""

import hashlib
import secrets
import uuid
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.urls import reverse
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread import store
from jaythread.bell import actions as bell
from jaythread.delivery import making, packing, planning
from jaythread.delivery.models import Delivery, State
from jaythread.delivery.policies import delivery_for, ready
from jaythread.desk.models import Answer, Note
from jaythread.errors import NotThere, Refused, StoreAway
from jaythread.productions.policies import User, account
from jaythread.receiving.models import Link, Sending
from jaythread.receiving.transfer import NotNow, NotTaken, Point
from jaythread.review import way
from roto.errors import Cancelled
from roto.motion.bounds import FARTHEST, LAST_FRAME
from roto.package import manifest

TRIES = 8
"""times that a step is tried before it is given up: with the waits between them some four minutes"""
ROUNDS = 3
"""times that lost files are sent again"""
LONGEST_WAIT = 60.0
MOST_DAYS = 60
ASK_EVERY = timedelta(seconds=2)


def point() -> Point:
    """The transfer point that packages of this house go to."""
    token = settings.BENCH_TOKEN_FILE.read_text().strip() if settings.BENCH_TOKEN_FILE.exists() else settings.BENCH_TOKEN
    return Point(settings.BENCH, token)


class _Later(Exception):
    """The other side is not well: the package goes on after so many seconds."""

    def __init__(self, seconds: float) -> None:
        self.seconds = seconds


def later(sending_id: uuid.UUID, seconds: float) -> None:
    """Have a package go on after a while; until then no worker has it in hand."""
    app.configure_task("receiving.send", queue="receiving", schedule_in={"seconds": seconds}).defer(sending_id=str(sending_id))


@transaction.atomic
def send(user: User, delivery_id: int) -> Sending:
    """Hand a package over to the receiver's transfer point."""
    delivery = ready(delivery_for(user, delivery_id, "deliver"))
    Delivery.objects.select_for_update().get(pk=delivery.pk)
    if delivery.open_odd:
        raise Refused("Look first at what is odd about this package, and say that it is meant so.")
    newest = delivery.sendings.first()
    if newest is not None and newest.state not in (Sending.State.FAILED, Sending.State.CANCELLED):
        raise Refused(f"This package has been handed over already: {newest.state}. A changed matte is a new delivery.")
    made = Sending.objects.create(delivery=delivery, user_id=account(user))
    app.configure_task("receiving.send", queue="receiving").defer(sending_id=str(made.pk))
    return made


def sending_for(user: User, sending_id: uuid.UUID, what: str) -> Sending:
    it = Sending.objects.select_related("delivery__matte__shot").filter(pk=sending_id).first()
    if it is None:
        raise NotThere()
    delivery_for(user, it.delivery_id, what)
    return it


def cancel(user: User, sending_id: uuid.UUID) -> Sending:
    """Stop sending; what is over there already stays there, and is not sent again later."""
    it = sending_for(user, sending_id, "deliver")
    if not it.under_way:
        raise Refused("This is no longer being sent.")
    Sending.objects.filter(pk=it.pk).update(cancel=True)
    if it.again:
        later(it.pk, 0)  # it waits for its next try: that would only say much later that it was stopped
    return it


def _say(it: Sending, **what: Any) -> None:
    Sending.objects.filter(pk=it.pk).update(**what)
    for name, value in what.items():
        setattr(it, name, value)


def _stop_asked(it: Sending) -> None:
    if Sending.objects.filter(pk=it.pk, cancel=True).exists():
        raise Cancelled()


def carry_out(sending_id: uuid.UUID) -> None:
    """Send a package: every file that is not there yet, each from where it broke off; then let it be checked over there."""
    it = Sending.objects.select_related("delivery__matte__shot").filter(pk=sending_id).first()
    if it is None or not it.under_way:
        return
    try:
        _send(it, point())
    except _Later as put_off:
        later(it.pk, put_off.seconds)
    except StoreAway:
        later(it.pk, making.AWAY)
    except Cancelled:
        _say(it, state=Sending.State.CANCELLED, message="", ended=timezone.now())
    except (NotTaken, NotNow, OSError) as error:
        says = error.message if isinstance(error, NotTaken | NotNow) else f"A file of the package cannot be read: {error.strerror}."
        more = (
            " It was tried for some minutes; hand it over again later, what is there already is kept." if isinstance(error, NotNow) else ""
        )
        _say(it, state=Sending.State.FAILED, message=(says + more)[:400], ended=timezone.now())


def _send(it: Sending, there: Point) -> None:
    folder = store.bring(it.delivery.package)
    names = [p.relative_to(folder).as_posix() for p in sorted(folder.rglob("*")) if p.is_file() and not p.name.startswith(".")]
    _say(it, state=Sending.State.SENDING, total=sum((folder / n).stat().st_size for n in names), sent=0, message="")
    mark = manifest.digest(folder / manifest.MANIFEST)
    _say(it, remote=_now_or_later(it, lambda: there.begin(str(it.delivery), mark)))

    def told(count: int) -> None:
        _say(it, sent=min(it.total, it.sent + count))
        _stop_asked(it)

    again = names
    for _ in range(ROUNDS):
        for name in again:
            before = it.sent

            def one(name: str = name, before: int = before) -> int:
                it.sent = before
                return there.send(it.remote, name, folder / name, told)

            _now_or_later(it, one)
        again = _now_or_later(it, lambda: there.close(it.remote))
        if not again:
            _say(it, state=Sending.State.RECEIVED, sent=it.total, message="")
            look(it)
            return
        lost = sum((folder / n).stat().st_size for n in again)
        _say(it, sent=max(0, it.total - lost), message=f"{len(again)} files did not arrive whole and are sent again.")
    raise NotTaken(f"{len(again)} files never arrive whole at the receiver's transfer point, {again[0]} for one. Tell them.")


def _now_or_later(it: Sending, step: Callable[[], Any]) -> Any:
    """Run a step; when the other side is not well, the package is put off, longer each time that nothing more has got there."""
    _stop_asked(it)
    try:
        return step()
    except NotNow as error:
        again = 0 if it.sent > it.reached else it.again
        if again + 1 >= TRIES:
            raise
        seconds = min(LONGEST_WAIT, settings.BENCH_WAIT * 2**again)
        says = f"{error.message} Trying again in {seconds:.0f} s."[:400]
        _say(it, again=again + 1, reached=max(it.reached, it.sent), tries=it.tries + 1, message=says)
        raise _Later(seconds) from error


def look(it: Sending) -> Sending:
    """Ask the other side how a package stands; their notes come to the shot. Silence changes nothing."""
    if it.state not in (Sending.State.RECEIVED, Sending.State.RETURNED) or not it.remote:
        return it
    _say(it, asked=timezone.now())
    try:
        said = point().stands(it.remote)
    except (NotNow, NotTaken):
        return it
    take_answer(it, said)
    return it


@transaction.atomic
def take_answer(it: Sending, said: dict[str, Any]) -> None:
    """What the other side says of a package: its state, and notes that are not here yet."""
    state = {"accepted": Sending.State.ACCEPTED, "returned": Sending.State.RETURNED}.get(str(said.get("state")))
    shot = it.delivery.matte.shot
    for row in said.get("notes", [])[:500]:
        try:
            ref, says = f"{it.remote}:{int(row['id'])}", str(row["says"]).replace("\0", "")[:1000]
            frame = int(row["frame"])
            x, y = (None if row.get(k) is None else float(row[k]) for k in ("x", "y"))
        except (KeyError, TypeError, ValueError, OverflowError):
            continue  # a note that is none
        if abs(frame) > LAST_FRAME or not all(v is None or abs(v) < FARTHEST for v in (x, y)):  # not a number is not less either
            continue
        scale = [
            size / shown
            for size, shown in zip((shot.width, shot.height), it.delivery.core_recipe.picture_size((shot.width, shot.height)), strict=True)
        ]
        defaults = {
            "frame": frame, "x": None if x is None else x * scale[0], "y": None if y is None else y * scale[1], "says": says,
            "by": str(row.get("by") or "the receiver")[:80], "package": f"{it.delivery.name} version {it.delivery.version}",
        }  # fmt: skip
        Note.objects.get_or_create(shot=shot, ref=ref, defaults=defaults)
    if state is not None and state != it.state:
        _say(it, state=state, ended=timezone.now())
        if it.delivery.tryout is None:
            _on_its_way(it, state == Sending.State.ACCEPTED)


def _on_its_way(it: Sending, accepted: bool) -> None:
    """The mattes of the package go on, or back, with what was answered."""
    about, shot = f"{it.delivery.name} version {it.delivery.version}", it.delivery.matte.shot
    notes = Note.objects.filter(shot=shot, package=about).count()
    says = f"Package {it.delivery.version}" + (f", with {notes} note{'s' if notes > 1 else ''}" if notes and not accepted else "")
    for matte in planning.mattes_of(it.delivery):
        way.answered(it.user, matte, accepted, "the other side", says)


def look_all() -> None:
    """Ask about every package that is not answered yet."""
    for it in Sending.objects.filter(state=Sending.State.RECEIVED).select_related("delivery__matte__shot"):
        look(it)


def send_answers() -> int:
    """Send what was answered to notes of the other side and is not there yet; returns how many went out. Silence changes nothing."""
    out = 0
    for row in Answer.objects.filter(sent=False).select_related("note", "user"):
        remote, _, number = row.note.ref.rpartition(":")
        try:
            point().answer(remote, int(number), row.says, row.user.get_username())
        except NotNow:
            break
        except (NotTaken, ValueError):
            pass  # their note is not there any more: nothing to answer to
        Answer.objects.filter(pk=row.pk).update(sent=True)
        out += 1
    return out


LONGEST_NOTE, MOST_NOTES = 1000, 500
"""characters of a note that comes by a link, and notes that a package may have"""


def mark_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


@transaction.atomic
def make_link(user: User, delivery_id: int, says: str, days: int) -> tuple[Link, str]:
    """A link to a package for somebody without an account, and the secret of its address, which is not kept."""
    delivery = ready(delivery_for(user, delivery_id, "deliver"))
    if delivery.open_odd:
        raise Refused("Look first at what is odd about this package, and say that it is meant so.")
    if not 1 <= days <= MOST_DAYS:
        raise Refused(f"A link may hold for 1 to {MOST_DAYS} days.")
    if not says.strip():
        raise Refused("Say for whom the link is, so that it can be told from others later.")
    secret = secrets.token_urlsafe(24)
    link = Link.objects.create(
        delivery=delivery, user_id=account(user), mark=mark_of(secret), says=says.strip()[:100], until=timezone.now() + timedelta(days=days)
    )
    return link, secret


@transaction.atomic
def revoke(user: User, link_id: int) -> Link:
    """Take a link back, at once and for good."""
    link = Link.objects.select_related("delivery").filter(pk=link_id).first()
    if link is None:
        raise NotThere()
    delivery_for(user, link.delivery_id, "deliver")
    Link.objects.filter(pk=link.pk).update(revoked=True)
    return link


def package_by(secret: str) -> Link:
    """The link of that secret, while it holds. NotThere for all others alike."""
    link = Link.objects.select_related("delivery__matte__shot__production").filter(mark=mark_of(secret)).first()
    gone = link is None or link.revoked or link.until < timezone.now() or link.delivery.state != State.PROVED or link.delivery.open_odd
    if link is None or gone or link.delivery.matte.shot.removed or not store.there(packing.zip_path(link.delivery)):
        raise NotThere("This link leads nowhere (any more). Ask whoever sent it for another.")
    return link


@transaction.atomic
def note_by_link(secret: str, says: str, number: str, by: str) -> Note:
    """A note of somebody who has a link, on a frame as the package numbers it. NotThere where the link leads nowhere any more; Refused
    where the note is none."""
    link = package_by(secret)
    delivery, words, name = link.delivery, " ".join(says.split()), " ".join(by.split()) or link.says
    if not words or len(words) > LONGEST_NOTE or not words.isprintable() or len(name) > 80 or not name.isprintable():
        raise Refused(f"Write a note of at most {LONGEST_NOTE} characters, and a name of at most 80.")
    row = delivery.frames.filter(number=int(number)).first() if number.lstrip("-").isdecimal() and len(number) < 10 else None
    if row is None:
        numbers = sorted(delivery.frames.values_list("number", flat=True))
        raise Refused(f"Say on which frame: this package has {numbers[0]} to {numbers[-1]}.")
    about = f"{delivery.name} version {delivery.version}"
    shot = delivery.matte.shot
    if Note.objects.filter(shot=shot, package=about).count() >= MOST_NOTES:
        raise Refused("There are very many notes on this package already. Talk to whoever sent it.")
    made = Note.objects.create(shot=shot, frame=row.frame, says=words, by=name, package=about)
    where = f"{reverse('desk', args=[shot.pk])}?frame={row.frame}&step=check"
    told = f"{name} has a note on {shot.name}, package {delivery.version}: {words}"
    bell.tell({delivery.user_id, *bell.who_may(shot.production, "approve")}, shot.production, told, where)
    return made
