"""Signing in and out, one's own account, and joining a crew by a link."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.http import Http404, HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.throttling import AnonRateThrottle, UserRateThrottle
from ninja.utils import check_csrf
from pydantic import Field

from ... import __version__
from ...core.trade.errors import DocumentError, Problem
from ..crews import actions, sessions
from ..crews.models import Member, SignIn
from ..crews.roles import Role
from ..crews.sessions import address_of
from ..crews.who import CREW, forget_person, person_of
from ..problems import problem
from .asking import note, person
from .shapes import REFUSALS, Asked, Page, PageQuery, ProblemDetails, paged

router = Router(tags=["session"])
AT_THE_DOOR = {401: ProblemDetails, 403: ProblemDetails, 404: ProblemDetails, 422: ProblemDetails, 429: ProblemDetails}

SIGN_INS = AnonRateThrottle(settings.SIGN_IN_RATE)


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


class CrewLine(Schema):
    """A crew that a person works in, and as what."""

    id: int
    name: str
    role: Role


class SessionOut(Schema):
    """Who is signed in, until when, and the token that writes need."""

    signed_in: bool
    user: str = ""
    crew: str = ""
    role: Role | None = None
    crews: list[CrewLine] = []
    until: datetime | None = Field(default=None, description="when the session ends by itself")
    csrf: str
    version: str
    hint: str = ""
    preferences: Preferences | None = None


class PasswordIn(Asked):
    """The password as it is, and as it shall be."""

    old: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class CrewIn(Asked):
    """Which of one's crews is to be at work."""

    id: int = Field(ge=1, le=2**53 - 1)


class SignInOut(Schema):
    """A session of one's own."""

    began: datetime
    address: str
    agent: str
    this: bool

    @staticmethod
    def resolve_this(one: SignIn, context: dict[str, Any]) -> bool:
        """Return whether it is the one that asks."""
        return bool(one.session == context["request"].session.session_key)


class InvitedOut(Schema):
    """What an invitation is to."""

    crew: str
    role: Role
    until: datetime


class JoinIn(Asked):
    """The name and password of somebody who is new; empty for somebody who is signed in."""

    username: str = Field(default="", max_length=150)
    password: str = Field(default="", max_length=1000)


def session_out(request: HttpRequest) -> dict[str, Any]:
    """Return who is signed in, as the screens are told."""
    who = person_of(request)
    signed_in = request.user.is_authenticated
    return {
        "signed_in": signed_in,
        "user": request.user.get_username(),
        "crew": who.crew.name if who else "",
        "role": who.role if who else None,
        "crews": [{"id": m.crew_id, "name": m.crew.name, "role": m.role} for m in (who.places if who else ())],
        "until": sessions.ends_at(request) if signed_in else None,
        "csrf": get_token(request),
        "version": __version__,
        "preferences": who.member.preferences or None if who else None,
    }


def _begin(request: HttpRequest, user: User) -> None:
    login(request, user, backend=settings.AUTHENTICATION_BACKENDS[-1])
    forget_person(request)
    sessions.began(request, user)


@router.get("", auth=None, response=SessionOut)
def session(request: HttpRequest) -> dict[str, Any]:
    """Say who is signed in."""
    return session_out(request)


@router.post("", auth=None, throttle=SIGN_INS, response={200: SessionOut, **AT_THE_DOOR})
def sign_in(request: HttpRequest, body: Credentials) -> Any:
    """Sign in. Five failures lock name and address for five minutes; many from an address, or for a name, slow those down."""
    failed = check_csrf(request)
    if failed:
        return failed
    address = address_of(request)
    user = authenticate(request, username=body.username, password=body.password)
    if not isinstance(user, User):
        known = Member.objects.select_related("crew").filter(user__username=body.username[:150]).first()
        if known is not None:
            actions.note(known.crew, body.username, "sign-in failed", "", address)
        return problem(401, "Name or password is wrong", "Check both; capitals count.")
    _begin(request, user)
    if person_of(request) is not None:
        note(request, "sign-in")
    return session_out(request)


@router.put("/preferences", response={200: Preferences, **REFUSALS})
def keep_preferences(request: HttpRequest, body: Preferences) -> Preferences:
    """Keep how the person likes figures shown and typed, for every device and crew."""
    Member.objects.filter(user=person(request).user).update(preferences=body.model_dump())
    return body


@router.put("/crew", response={200: SessionOut, **REFUSALS})
def change_crew(request: HttpRequest, body: CrewIn) -> dict[str, Any]:
    """Go to work in another of one's crews."""
    if not Member.objects.filter(user=request.user.pk, crew=body.id).exists():
        raise Http404
    request.session[CREW] = body.id
    forget_person(request)
    return session_out(request)


@router.post("/password", throttle=UserRateThrottle("10/m"), response={200: SessionOut, 429: ProblemDetails, **REFUSALS})
def change_password(request: HttpRequest, body: PasswordIn) -> Any:
    """Change one's password. All other sessions of the person end."""
    user = person(request).user
    if not user.check_password(body.old):
        raise DocumentError([Problem(pointer="/old", message="this is not your password", expected="the one you signed in with")])
    actions.check_password(body.new, user, "/new")
    user.set_password(body.new)
    user.save(update_fields=["password"])
    sessions.end_others(request, user)
    update_session_auth_hash(request, user)
    sessions.began(request, user)
    note(request, "password changed")
    return session_out(request)


@router.get("/sign-ins", response={200: Page[SignInOut], **REFUSALS})
def list_sign_ins(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List one's own sessions, newest first."""
    return paged(sessions.of(person(request).user), page)


@router.delete("/sign-ins", response={200: SessionOut, **REFUSALS})
def sign_out_elsewhere(request: HttpRequest) -> dict[str, Any]:
    """End all of one's sessions but this one."""
    sessions.end_others(request, person(request).user)
    note(request, "signed out elsewhere")
    return session_out(request)


@router.get("/invitations/{token}", auth=None, response={200: InvitedOut, 404: ProblemDetails})
def read_invitation(request: HttpRequest, token: str) -> dict[str, Any]:
    """Say what an invitation is to; 404 where its link is used, too old, or none."""
    found = actions.invitation_of(token)
    if found is None:
        raise Http404
    return {"crew": found.crew.name, "role": found.role, "until": found.until}


@router.post("/invitations/{token}", auth=None, throttle=SIGN_INS, response={200: SessionOut, **AT_THE_DOOR})
def join(request: HttpRequest, token: str, body: JoinIn) -> HttpResponse | dict[str, Any]:
    """Join a crew by a link: as who is signed in, or as somebody new."""
    failed = check_csrf(request)
    if failed:
        return failed
    user = request.user if isinstance(request.user, User) else None
    member = actions.join(token, user, body.username, body.password)
    if member is None:
        raise Http404
    if user is None:
        _begin(request, member.user)
    request.session[CREW] = member.crew_id
    forget_person(request)
    note(request, "joined", f"as {member.role}")
    return session_out(request)


@router.post("/stay", response={200: SessionOut, **REFUSALS})
def stay(request: HttpRequest) -> dict[str, Any]:
    """Begin the time of the session anew."""
    request.session.save()
    return session_out(request)


@router.delete("", response={204: None, 401: ProblemDetails})
def sign_out(request: HttpRequest) -> tuple[int, None]:
    """Sign out."""
    sessions.ended(request)
    logout(request)
    return 204, None
