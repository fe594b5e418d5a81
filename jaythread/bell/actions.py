"""What can be done with words: say one to people, read them, send them by e-mail; and remember when somebody was here."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.mail import send_mail
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread.accounts.people import address_of
from jaythread.bell.models import Visit, Word
from jaythread.productions import policies
from jaythread.productions.models import Membership, Production
from jaythread.productions.policies import User, account

KEPT = 200
"""words that are told at once"""
ONE_VISIT = timedelta(minutes=30)
"""after which looking again is another visit"""


def tell(people: Iterable[int], production: Production, says: str, address: str, but: int | None = None) -> int:
    """Say something to people who are in a production, each once; `but` is who did it. Returns to how many."""
    here = set(Membership.objects.filter(production=production, user_id__in=set(people) - {but}).values_list("user_id", flat=True))
    rows = [Word(user_id=user, production=production, says=says[:400], address=address[:300]) for user in sorted(here)]
    Word.objects.bulk_create(rows)
    if rows:
        app.configure_task("bell.mail", queue="quick", lock="bell.mail").defer()  # one at a time: no letter goes out twice
    return len(rows)


def who_may(production: Production, what: str) -> list[int]:
    """The accounts of a production whose role includes this."""
    return [m.user_id for m in Membership.objects.filter(production=production).select_related("production") if policies.may(m, what)]


def words_of(user: User) -> list[Word]:
    """What was said to somebody in the productions that they are in, the newest first."""
    mine = Word.objects.filter(user_id=account(user), production__memberships__user_id=account(user))
    return list(mine.select_related("production")[:KEPT])


def unread(user: User) -> int:
    """How many words somebody has not read."""
    return Word.objects.filter(user_id=account(user), read=False, production__memberships__user_id=account(user)).count()


def read(user: User, word_id: int | None = None) -> None:
    """One of somebody's own words is read, or all are."""
    mine = Word.objects.filter(user_id=account(user), read=False)
    (mine if word_id is None else mine.filter(pk=word_id)).update(read=True)


def mail() -> int:
    """Send what was not sent yet by e-mail, one letter a person; those without an address, and what was read meanwhile, are passed over.
    Returns how many letters went out. A mail server that is away is tried again with the next word."""
    waiting: dict[int, list[Word]] = {}
    for word in Word.objects.filter(mailed=False).select_related("user", "production").order_by("made"):
        waiting.setdefault(word.user_id, []).append(word)
    sent = 0
    for words in waiting.values():
        fresh, to = [w for w in words if not w.read], getattr(words[0].user, "email", "")
        if fresh and to:
            try:
                send_mail(_subject(fresh), _letter(fresh), settings.DEFAULT_FROM_EMAIL, [to])
            except OSError:
                continue
            sent += 1
        Word.objects.filter(pk__in=[w.pk for w in words]).update(mailed=True)
    return sent


def _subject(words: list[Word]) -> str:
    return words[0].says[:120] if len(words) == 1 else f"{words[0].production.name}: {len(words)} things that concern you"


def _letter(words: list[Word]) -> str:
    return "\n\n".join(f"{w.says}\n{settings.SITE}{w.address}" for w in words) + "\n"


def visit(user: User, production_id: int) -> datetime | None:
    """Somebody looks at a production; the moment since which changes are new to them, None on a first visit."""
    now = timezone.now()
    row, made = Visit.objects.get_or_create(user_id=account(user), production_id=production_id, defaults={"last": now})
    if not made:
        if now - row.last > ONE_VISIT:
            row.before = row.last
        row.last = now
        row.save(update_fields=["before", "last"])
    return row.before


def letters_to(user: User, address: str) -> None:
    """To which address what concerns somebody is sent as well; none with an empty one."""
    get_user_model().objects.filter(pk=account(user)).update(email=address_of(address))
