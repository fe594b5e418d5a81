"""Changing one's own preferences; nobody can change another's."""

from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from jaythread.accounts.models import Preference

Someone = AbstractBaseUser | AnonymousUser


def preference(user: Someone) -> Preference:
    """What this person likes; as it is for everybody until they have said something."""
    return Preference.objects.filter(user_id=int(user.pk or 0)).first() or Preference(user_id=int(user.pk or 0))


def keep(user: Someone, **changed: Any) -> Preference:
    """Keep some preferences of this person."""
    return Preference.objects.update_or_create(user_id=int(user.pk or 0), defaults=changed)[0]
