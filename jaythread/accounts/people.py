"""Accounts: made, closed, opened again, and the links by which somebody sets a password of their own.

A keeper looks after the accounts of the whole house; a lead makes those of people who are new to it (see `productions`).
"""

from contextlib import suppress
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser, User
from django.contrib.auth.tokens import default_token_generator
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.core.mail import send_mail
from django.core.validators import validate_email
from django.db import transaction
from django.urls import reverse
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode

from jaythread.accounts import sessions
from jaythread.errors import NotAllowed, NotThere, Refused

LONGEST = 60
NAME = "An account's name has at most 60 signs, of letters, digits and @ . + - _ alone, for example marta.l."
Someone = AbstractBaseUser | AnonymousUser


def is_keeper(user: Someone) -> bool:
    """Whether somebody looks after the accounts of this house."""
    return bool(user.is_authenticated and user.is_active and getattr(user, "is_superuser", False))


def keeper(user: Someone) -> None:
    """NotThere for strangers, NotAllowed for everybody who does not look after accounts."""
    if not user.is_authenticated:
        raise NotThere()
    if not is_keeper(user):
        raise NotAllowed("Accounts are looked after by a keeper of this house. Ask one of them.")


def address_of(said: str) -> str:
    """An e-mail address, or nothing. Refused where it is none."""
    said = said.strip()
    if said:
        try:
            validate_email(said)
        except ValidationError as error:
            raise Refused("That is no e-mail address. Write it like name@house.example.") from error
    return said


@transaction.atomic
def make(name: str, address: str = "") -> User:
    """A new account without a password: its person sets one by a link (`way_in`). Whoever calls has looked whether it may be made."""
    name, address = name.strip(), address_of(address)
    try:
        UnicodeUsernameValidator()(name)
    except ValidationError as error:
        raise Refused(NAME) from error
    if len(name) > LONGEST:
        raise Refused(NAME)
    if get_user_model().objects.filter(username__iexact=name).exists():
        raise Refused(f"There is an account '{name}' already. Choose another name.")
    made: User = get_user_model().objects.create_user(name, email=address, password=None)
    return made


def way_in(account: User) -> str:
    """The address of a page on which a password is set for an account, once, within PASSWORD_RESET_TIMEOUT."""
    uid = urlsafe_base64_encode(force_bytes(account.pk))
    return settings.SITE + reverse("set-password", args=[uid, default_token_generator.make_token(account)])


def send_way_in(account: User, link: str, by: Someone, where: str = "") -> None:
    """Send the link to somebody whose account was made, where their address is known. A mail server that is away is no harm: whoever made
    the account has the link, too."""
    if account.email:
        says = f"{by} has made an account '{account.username}' for you at Jay Thread{where}.\n\nSet your password here: {link}\n"
        with suppress(OSError):
            send_mail("Your account at Jay Thread", says, settings.DEFAULT_FROM_EMAIL, [account.email])


def all_of(user: Someone) -> list[User]:
    """All accounts, for a keeper."""
    keeper(user)
    return list(get_user_model().objects.prefetch_related("productions").order_by("-is_active", "username"))


def _other(user: Someone, account_id: int) -> User:
    keeper(user)
    it: User | None = get_user_model().objects.select_for_update().filter(pk=account_id).first()
    if it is None:
        raise NotThere("That account is not there.")
    return it


def _others_keep(it: User) -> None:
    if it.is_superuser and not get_user_model().objects.filter(is_superuser=True, is_active=True).exclude(pk=it.pk).exists():
        raise Refused(f"{it.username} is the only keeper. Make somebody else a keeper first.")


@transaction.atomic
def close(user: Someone, account_id: int) -> User:
    """Nobody signs in with an account any more, by password or token; all that it made stays, under its name."""
    it = _other(user, account_id)
    _others_keep(it)
    it.is_active = False
    it.save(update_fields=["is_active"])
    sessions.end_others(it)
    return it


@transaction.atomic
def open_again(user: Someone, account_id: int) -> User:
    """A closed account is as it was."""
    it = _other(user, account_id)
    it.is_active = True
    it.save(update_fields=["is_active"])
    return it


@transaction.atomic
def let_keep(user: Someone, account_id: int, keeps: bool) -> User:
    """Make somebody a keeper, or no keeper any more."""
    it = _other(user, account_id)
    if not keeps:
        _others_keep(it)
    it.is_superuser = it.is_staff = keeps
    it.save(update_fields=["is_superuser", "is_staff"])
    return it


@transaction.atomic
def new_way_in(user: Someone, account_id: int) -> tuple[User, str]:
    """A link by which somebody who forgot their password sets another, for a keeper to hand over."""
    it = _other(user, account_id)
    if not it.is_active:
        raise Refused(f"The account of {it.username} is closed. Open it again first.")
    return it, way_in(it)


def may_letters() -> bool:
    """Whether this machine sends letters."""
    return bool(settings.EMAIL_HOST)


def facts(account: User) -> dict[str, Any]:
    """An account as the keeper's page shows it."""
    return {
        "it": account,
        "begun": account.has_usable_password(),
        "productions": [p.name for p in account.productions.all() if not p.shelf],
    }
