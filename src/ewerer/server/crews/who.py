"""Who is asking."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.http import HttpRequest

from ..work.pool import CREW as CREW_AT_WORK
from .models import Crew, Member
from .roles import Role

CREW = "crew"
"""Where a session keeps which of a person's crews is at work."""
ASKING = "ewerer.person"
"""Where a request keeps who is asking."""


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
    if ASKING not in request.META:
        found = request.META[ASKING] = _person(request)
        CREW_AT_WORK.set(None if found is None else found.crew.pk)
    held: Person | None = request.META[ASKING]
    return held


def _person(request: HttpRequest) -> Person | None:
    user = request.user
    places = tuple(Member.objects.select_related("crew").filter(user=user)) if isinstance(user, User) else ()
    if not isinstance(user, User) or not places:
        return None
    wanted = request.session.get(CREW)
    member = next((m for m in places if m.crew_id == wanted), places[0])
    return Person(user, member.crew, member, places)


def forget_person(request: HttpRequest) -> None:
    """Look up again who is asking: they signed in, joined or changed crews."""
    request.META.pop(ASKING, None)
