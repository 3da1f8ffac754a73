"""Who is signed in, looked up at every request: Django's own sessions in the database, asked for by queries that are written once."""

from __future__ import annotations

from django.contrib.auth.backends import ModelBackend
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.utils import timezone

from apps.accounts.models import Person
from config.prepared import Prepared

BACKEND = "apps.accounts.sessions.Passwords"  # how whoever is signed in proved it, as a session names it

_SESSION = Prepared(
    lambda key, now: Session.objects.filter(session_key=key, expire_date__gt=now),
    Session._meta.get_field("session_key"),
    Session._meta.get_field("expire_date"),
)
_PERSON = Prepared(lambda pk: Person.objects.filter(pk=pk), Person._meta.get_field("id"))


class SessionStore(db.SessionStore):
    """Sessions in the database; the name is the one Django looks for."""

    def _get_session_from_db(self) -> Session | None:
        found = _SESSION.first(self.session_key, timezone.now())
        if found is None:
            self._session_key = None
        return found


class Passwords(ModelBackend):
    """Django's sign-in by name and password."""

    def get_user(self, user_id: int) -> Person | None:
        """Who a session belongs to; None where they may not sign in any more."""
        person = _PERSON.first(user_id)
        return person if person is not None and self.user_can_authenticate(person) else None
