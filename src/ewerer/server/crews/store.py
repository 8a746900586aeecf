"""Where sessions are kept, and how the person of one is found: as Django does, with questions that are put together once."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib.auth import BACKEND_SESSION_KEY
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.utils import timezone

from ..questions import Question

BACKEND = "ewerer.server.crews.store.People"
_OF_KEY = Question(lambda key, now: Session.objects.filter(session_key=key, expire_date__gt=now), str, datetime)
_PERSON = Question(lambda id: User.objects.filter(pk=id), int)


class SessionStore(db.SessionStore):
    """Sessions in the database."""

    def _get_session_from_db(self) -> Session | None:
        found = _OF_KEY.first(self.session_key or "", timezone.now())
        if found is None:
            self._session_key = None
        return found

    def decode(self, session_data: bytes | str) -> dict[str, Any]:
        """Return what a session holds; one that began under an earlier version goes on."""
        held: dict[str, Any] = super().decode(session_data)
        if BACKEND_SESSION_KEY in held:
            held[BACKEND_SESSION_KEY] = BACKEND
        return held


class People(ModelBackend):
    """Names and passwords in the database."""

    def get_user(self, user_id: int) -> User | None:
        """Return a person who may sign in."""
        found = _PERSON.first(user_id)
        return found if found is not None and self.user_can_authenticate(found) else None
