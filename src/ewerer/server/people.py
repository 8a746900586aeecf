"""Who is asking."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.http import HttpRequest

from .crews.models import Crew, Member


@dataclass(frozen=True, slots=True)
class Person:
    """A signed-in person with the crew that the person works in."""

    user: User
    crew: Crew
    member: Member


def person_of(request: HttpRequest) -> Person | None:
    """Return who is asking, None for nobody or for a person without a crew."""
    user = request.user
    if not isinstance(user, User):
        return None
    member = Member.objects.select_related("crew").filter(user=user).first()
    return Person(user, member.crew, member) if member else None
