"""Which role each operation needs. What is not named here is read by anybody in the crew, and changed by members."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.security import SessionAuth

from ..crews.roles import Role
from ..crews.who import person_of
from ..problems import COMPUTES, route_of

STORES_NOTHING = COMPUTES | {"work", "work/<id>", "practice", "practice/<id>/acts"}
"""Operations that no job, profile or person is changed by; long work only leaves its result, a try of practice is one's own."""
ONES_OWN = {
    "session", "session/preferences", "session/password", "session/sign-ins", "session/crew", "session/stay", "session/invitations/<token>", "due/feed",
}  # fmt: skip
"""Operations on one's own account: no role is asked for."""
LEADS = {
    ("POST", "library"), ("PUT", "library/<id>"), ("DELETE", "library/<id>"), ("POST", "library/<id>/take-out"),
    ("POST", "jobs/<id>/handovers"), ("POST", "jobs/<id>/delete-for-good"), ("GET", "crew/trail"),
    ("GET", "crew/invitations"), ("POST", "crew/invitations"), ("DELETE", "crew/invitations/<id>"),
    ("PUT", "crew/people/<id>"), ("DELETE", "crew/people/<id>"), ("PUT", "crew/keeping"),
    ("PUT", "jobs/<id>/ports/<port>/writes"),
}  # fmt: skip
"""People, library, sign-off and deleting for good."""


def needed(method: str, route: str) -> Role | None:
    """Return the role that an operation needs; None where it is one's own."""
    if route in ONES_OWN:
        return None
    if (method, route) in LEADS:
        return Role.LEAD
    return Role.READER if method in ("GET", "HEAD") or route in STORES_NOTHING else Role.MEMBER


class InRole(SessionAuth):
    """A session, and the role that the operation needs in the crew at work."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        """Return who is asking; None for nobody; raise 403 where the role does not suffice."""
        user = super().authenticate(request, key)
        if user is None:
            return None
        asked = needed(request.method or "GET", route_of(request))
        who = person_of(request)
        if asked is not None and who is not None and not who.role.may(asked):
            word = {Role.LEAD: "a lead of the crew", Role.MEMBER: "a member of the crew"}[asked]
            raise HttpError(403, f"This needs {word}; you are a {who.role} in {who.crew.name}.")
        return user
