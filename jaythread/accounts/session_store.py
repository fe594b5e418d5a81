"""Who asks: Django's sessions in the database and their people, looked up by questions that are put into SQL once, for every request asks
them."""

from datetime import UTC, datetime
from typing import Any

from django.contrib.auth import BACKEND_SESSION_KEY, get_user_model
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.utils import timezone

from jaythread.prepared import Prepared

_standing = Prepared(
    lambda key, now: Session.objects.filter(session_key=key, expire_date__gt=now).order_by(), "k" * 32, datetime.max.replace(tzinfo=UTC)
)
_person: Prepared[Any] = Prepared(lambda pk: get_user_model()._default_manager.filter(pk=pk).order_by(), 1_000_001)
BEFORE = "django.contrib.auth.backends.ModelBackend"
"""what older sessions say that their person signed in with"""


class People(ModelBackend):
    """As Django's own."""

    def get_user(self, user_id: int) -> User | None:
        """The person of a session, unless they were let go."""
        found = _person.first(user_id)
        return found if found is not None and self.user_can_authenticate(found) else None


class SessionStore(db.SessionStore):
    """As Django's own; its name is what sessions are signed with."""

    def load(self) -> dict[str, Any]:
        """What was kept in it."""
        kept = super().load()
        if kept.get(BACKEND_SESSION_KEY) == BEFORE:
            kept[BACKEND_SESSION_KEY] = f"{People.__module__}.{People.__qualname__}"
        return kept

    def _get_session_from_db(self) -> Session | None:
        found = _standing.first(self.session_key, timezone.now())
        if found is None:
            self._session_key = None
        return found
