"""Who is asking."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.http import HttpRequest

from .crews.models import Crew, Member
from .crews.roles import Role

CREW = "crew"
"""Where a session keeps which of a person's crews is at work."""


@dataclass(frozen=True, slots=True)
class Person:
    """A signed-in person with the crew that the person works in now, and the role there."""

    user: User
    crew: Crew
    member: Member

    @property
    def role(self) -> Role:
        """What this person may do in this crew."""
        return Role(self.member.role)


def person_of(request: HttpRequest) -> Person | None:
    """Return who is asking, None for nobody or for a person without a crew; looked up once for a request."""
    held: Person | bool | None = getattr(request, "_person", False)
    if not isinstance(held, bool):
        return held
    found = None
    user = request.user
    if isinstance(user, User):
        members = list(Member.objects.select_related("crew").filter(user=user))
        wanted = request.session.get(CREW)
        member = next((m for m in members if m.crew_id == wanted), members[0] if members else None)
        found = Person(user, member.crew, member) if member else None
    request._person = found  # type: ignore[attr-defined]
    return found


def forget_person(request: HttpRequest) -> None:
    """Look up again who is asking: they signed in, joined or changed crews."""
    if hasattr(request, "_person"):
        del request._person
