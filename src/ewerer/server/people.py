"""Who is asking."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.http import HttpRequest

from .crews.models import Crew, Member
from .crews.roles import Role
from .problems import CREW_OF
from .questions import Question
from .workers import ASKER

_PLACES = Question(lambda user: Member.objects.select_related("crew").filter(user=user), int)
CREW = "crew"
"""Where a session keeps which of a person's crews is at work."""


@dataclass(frozen=True, slots=True)
class Person:
    """A signed-in person with the crew that the person works in now, and the role there."""

    user: User
    crew: Crew
    member: Member
    places: tuple[Member, ...]
    """All crews that the person works in."""

    @property
    def role(self) -> Role:
        """What this person may do in this crew."""
        return Role(self.member.role)


def person_of(request: HttpRequest) -> Person | None:
    """Return who is asking, None for nobody or for a person without a crew; looked up once for a request."""
    if not hasattr(request, "_person"):
        found = request._person = _person(request)  # type: ignore[attr-defined]
        ASKER.set(None if found is None else found.crew.pk)
        if found is not None and (scope := request.META.get("asgi.scope")) is not None:
            scope[CREW_OF] = found.crew.pk
    held: Person | None = request._person  # type: ignore[attr-defined]
    return held


def _person(request: HttpRequest) -> Person | None:
    user = request.user
    places = tuple(_PLACES(user.pk)) if isinstance(user, User) else ()
    if not isinstance(user, User) or not places:
        return None
    wanted = request.session.get(CREW)
    member = next((m for m in places if m.crew_id == wanted), places[0])
    return Person(user, member.crew, member, places)


def forget_person(request: HttpRequest) -> None:
    """Look up again who is asking: they signed in, joined or changed crews."""
    if hasattr(request, "_person"):
        del request._person
