"""The crew: its people and their roles, invitations, the trail, how long revisions are kept."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from ..crews import actions
from ..crews.models import Invitation, Member
from ..crews.roles import Role
from .asking import crew_of, note, person
from .shapes import REFUSALS, Asked, Page, PageQuery, paged

router = Router(tags=["crew"])


class CrewOut(Schema):
    """The crew at work, and one's role in it."""

    name: str
    role: Role
    keep_revisions: int = Field(description="newest revisions of each job that are kept; 0 keeps all")


class PersonOut(Schema):
    """A person of the crew."""

    id: int
    name: str = Field(alias="user.username")
    role: Role
    you: bool
    signed_in_at: datetime | None = Field(alias="user.last_login")

    @staticmethod
    def resolve_you(member: Member, context: dict[str, Any]) -> bool:
        """Return whether it is who asks."""
        return bool(member.user_id == context["request"].user.pk)


class RoleIn(Asked):
    """The role that a person is given."""

    role: Role


class KeepingIn(Asked):
    """How many of the newest revisions of each job are kept; 0 keeps all."""

    keep_revisions: Annotated[int, Field(ge=0, le=1_000_000)]


class InviteIn(Asked):
    """Whom an invitation is for, and as what."""

    role: Role
    note: Annotated[str, Field(max_length=120)] = ""


class InvitationOut(Schema):
    """An invitation. What stands in its link is told once, when it is made."""

    id: int
    role: Role
    note: str
    made_by: str = Field(alias="made_by.username")
    until: datetime
    used_by: str = Field(alias="used_by.username", default="")
    token: str = ""


class DeedOut(Schema):
    """A line of the trail."""

    at: datetime
    who: str
    what: str
    about: str
    address: str


@router.get("", response={200: CrewOut, **REFUSALS})
def read_crew(request: HttpRequest) -> dict[str, Any]:
    """Say which crew is at work, and one's role in it."""
    who = person(request)
    return {"name": who.crew.name, "role": who.role, "keep_revisions": who.crew.keep_revisions}


@router.put("/keeping", response={200: CrewOut, **REFUSALS})
def set_keeping(request: HttpRequest, asked: KeepingIn) -> dict[str, Any]:
    """Set how many of the newest revisions of each job are kept. Older ones go within a day; those of a handover stay."""
    actions.keep_revisions(crew_of(request), asked.keep_revisions)
    note(request, "keeping", f"{asked.keep_revisions or 'all'} revisions of a job")
    return read_crew(request)


@router.get("/people", response={200: Page[PersonOut], **REFUSALS})
def list_people(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the people of the crew."""
    return paged(crew_of(request).members.select_related("user"), page)


@router.put("/people/{int:id}", response={200: PersonOut, **REFUSALS})
def set_role(request: HttpRequest, id: int, asked: RoleIn) -> Member:
    """Give a person a role. The last lead stays one."""
    made = actions.set_role(crew_of(request), id, asked.role)
    note(request, "role", f"{made.user.username}: {asked.role}")
    return made


@router.delete("/people/{int:id}", response={204: None, **REFUSALS})
def take_out_person(request: HttpRequest, id: int) -> tuple[int, None]:
    """Take a person out of the crew; what they did stays."""
    gone = actions.leave(crew_of(request), id)
    note(request, "person out", gone.user.username)
    return 204, None


@router.get("/invitations", response={200: Page[InvitationOut], **REFUSALS})
def list_invitations(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the invitations, newest first."""
    return paged(crew_of(request).invitations.select_related("made_by", "used_by"), page)


@router.post("/invitations", response={201: InvitationOut, **REFUSALS})
def invite(request: HttpRequest, asked: InviteIn) -> tuple[int, Invitation]:
    """Make a link by which one person joins the crew, once, within seven days."""
    who = person(request)
    made, token = actions.invite(who.crew, asked.role, asked.note, who.user)
    note(request, "invitation", f"as {asked.role}{': ' if asked.note else ''}{asked.note}")
    made.token = token  # type: ignore[attr-defined]  # told only now
    return 201, made


@router.delete("/invitations/{int:id}", response={204: None, **REFUSALS})
def take_invitation_back(request: HttpRequest, id: int) -> tuple[int, None]:
    """Take an invitation back; its link leads nowhere then."""
    crew_of(request).invitations.get(pk=id).delete()
    note(request, "invitation taken back")
    return 204, None


@router.get("/trail", response={200: Page[DeedOut], **REFUSALS})
def list_trail(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List what was done in the crew that matters later, newest first."""
    return paged(crew_of(request).deeds.all(), page)
