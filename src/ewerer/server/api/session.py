"""Signing in and out."""

from __future__ import annotations

from typing import Any, Literal

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.utils import check_csrf
from pydantic import Field

from ... import __version__
from ..people import person_of
from ..problems import problem
from .shapes import REFUSALS, Asked, ProblemDetails, person

router = Router(tags=["session"])


class Credentials(Asked):
    """Name and password."""

    username: str = Field(max_length=150)
    password: str = Field(max_length=1000)


class Preferences(Asked):
    """How a person likes figures shown and typed; documents hold SI units and ISO dates whatever is chosen here."""

    temperature: Literal["C", "F"] = "C"
    length: Literal["m", "ft"] = "m"
    section: Literal["mm2", "awg"] = "mm2"
    mark: Literal[".", ","] = "."
    date: Literal["iso", "dmy", "mdy"] = "iso"
    currency: str = Field(default="EUR", pattern=r"^[A-Z]{3}$")
    shortcuts: bool = True


class SessionOut(Schema):
    """Who is signed in, and the token that writes need."""

    signed_in: bool
    user: str = ""
    crew: str = ""
    csrf: str
    version: str
    hint: str = ""
    preferences: Preferences | None = None


def _session(request: HttpRequest) -> dict[str, Any]:
    person = person_of(request)
    return {
        "signed_in": request.user.is_authenticated,
        "user": request.user.get_username(),
        "crew": person.crew.name if person else "",
        "csrf": get_token(request),
        "version": __version__,
        "preferences": person.member.preferences or None if person else None,
    }


@router.get("", auth=None, response=SessionOut)
def session(request: HttpRequest) -> dict[str, Any]:
    """Say who is signed in."""
    return _session(request)


@router.post(
    "", auth=None, response={200: SessionOut, 401: ProblemDetails, 403: ProblemDetails, 422: ProblemDetails, 429: ProblemDetails}
)
def sign_in(request: HttpRequest, body: Credentials) -> Any:
    """Sign in. Five failures lock name and address for five minutes."""
    failed = check_csrf(request)
    if failed:
        return failed
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        return problem(401, "Name or password is wrong", "Check both; capitals count.")
    login(request, user)
    return _session(request)


@router.put("/preferences", response={200: Preferences, **REFUSALS})
def keep_preferences(request: HttpRequest, body: Preferences) -> Preferences:
    """Keep how the person likes figures shown and typed, for every device."""
    member = person(request).member
    member.preferences = body.model_dump()
    member.save(update_fields=["preferences"])
    return body


@router.delete("", response={204: None, 401: ProblemDetails})
def sign_out(request: HttpRequest) -> tuple[int, None]:
    """Sign out."""
    logout(request)
    return 204, None
