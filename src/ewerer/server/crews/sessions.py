"""The sessions of a person: which there are, and ending them."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db.models import QuerySet
from django.http import HttpRequest

from ..writing import writes
from .models import SignIn


def address_of(request: HttpRequest) -> str:
    """Return the address a request comes from; behind a trusted proxy, the one that the proxy names."""
    return str(request.META.get("REMOTE_ADDR", ""))[:45]


@writes
def began(request: HttpRequest, user: User) -> None:
    """Note a session that begins."""
    if not request.session.session_key:
        request.session.save()
    agent = request.headers.get("User-Agent", "")[:200]
    SignIn.objects.update_or_create(
        session=request.session.session_key, defaults={"user": user, "address": address_of(request), "agent": agent}
    )


def ends_at(request: HttpRequest) -> datetime | None:
    """Return when the session of a request ends by itself: what is stored counts, not what it would be if it began now."""
    return Session.objects.filter(session_key=request.session.session_key).values_list("expire_date", flat=True).first()


def of(user: User) -> QuerySet[SignIn]:
    """Return the sessions of a person that still are."""
    return SignIn.objects.filter(user=user, session__in=Session.objects.values("session_key"))


@writes
def ended(request: HttpRequest) -> None:
    """Forget a session that its person ends."""
    SignIn.objects.filter(session=request.session.session_key).delete()


def end_others(request: HttpRequest, user: User) -> None:
    """End all sessions of a person but the one that asks."""
    end_all(user, request.session.session_key or "")


@writes
def end_all(user: User, but: str = "") -> None:
    """End all sessions of a person, but for one where it is named."""
    others = SignIn.objects.filter(user=user).exclude(session=but)
    Session.objects.filter(session_key__in=others.values("session")).delete()
    others.delete()
