"""What can be done with crews: roles, invitations, the trail. Each action checks, then writes in one transaction."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

import structlog
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.utils import timezone

from ...core.trade.errors import DocumentError, Problem
from ..writing import writes
from .models import Crew, Deed, Feed, Invitation, Member
from .names import checked_name
from .roles import Role

LOG = structlog.stdlib.get_logger("ewerer.requests")
INVITED_FOR = timedelta(days=7)
MOST_INVITATIONS = 50
MOST_PEOPLE = 500
TRAIL_DAYS = 730
"""Lines of the trail are kept so long."""


def _refused(pointer: str, message: str, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer=pointer, message=message, expected=expected)])


@writes
def note(crew: Crew, who: str, what: str, about: str = "", address: str = "") -> None:
    """Add a line to a crew's trail, and to the log."""
    deed = Deed.objects.create(crew=crew, who=who[:150], what=what, about=about[:200], address=address[:45])
    LOG.info("deed", crew=crew.pk, who=deed.who, deed=what, address=deed.address)


def check_password(password: str, user: User | None, pointer: str) -> None:
    """Raise DocumentError where a password is too weak: short, common, or like the name."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise _refused(pointer, " ".join(error.messages), "a longer one, such as four words that do not belong together") from None


def _member(crew: Crew, member_id: int, stays_lead: bool, pointer: str) -> Member:
    """Return a person of the crew; raise where it would be left without a lead."""
    member = crew.members.select_related("user").get(pk=member_id)
    if not stays_lead and member.role == Role.LEAD and crew.members.filter(role=Role.LEAD).count() == 1:
        raise _refused(pointer, "this is the last lead of the crew", "make somebody else a lead first")
    return member


@writes
def set_role(crew: Crew, member_id: int, role: Role) -> Member:
    """Give a person of the crew a role. The last lead stays one."""
    member = _member(crew, member_id, role == Role.LEAD, "/role")
    member.role = role
    member.save(update_fields=["role"])
    return member


@writes
def leave(crew: Crew, member_id: int) -> Member:
    """Take a person out of the crew; what they did stays. The last lead stays in it."""
    member = _member(crew, member_id, False, "")
    member.delete()
    return member


@writes
def keep_revisions(crew: Crew, newest: int) -> None:
    """Set how many of the newest revisions of each job are kept; 0 keeps all."""
    crew.keep_revisions = newest
    crew.save(update_fields=["keep_revisions"])


def hash_of(token: str) -> str:
    """Return what is kept of a secret that stands in a link."""
    return hashlib.sha256(token.encode()).hexdigest()


@writes
def invite(crew: Crew, role: Role, note: str, user: User) -> tuple[Invitation, str]:
    """Return a new invitation and what stands in its link, which is not kept and is told only now."""
    open_ = crew.invitations.filter(used_by=None, until__gt=timezone.now())
    if open_.count() >= MOST_INVITATIONS:
        raise _refused("", "too many invitations are open", f"at most {MOST_INVITATIONS}; take some back")
    token = secrets.token_urlsafe(32)
    made = Invitation.objects.create(
        crew=crew, role=role, note=note, hash=hash_of(token), made_by=user, until=timezone.now() + INVITED_FOR
    )
    return made, token


def invitation_of(token: str) -> Invitation | None:
    """Return the invitation of a link that can still be used, else None."""
    found = Invitation.objects.select_related("crew").filter(hash=hash_of(token)).first()
    return found if found and found.used_by_id is None and found.until > timezone.now() else None


@writes
def join(token: str, user: User | None, name: str = "", password: str = "") -> Member | None:
    """Use an invitation: put a person, or a new one with a name and a password, into its crew. None where it cannot be used."""
    invited = invitation_of(token)
    if invited is None:
        return None
    if invited.crew.members.count() >= MOST_PEOPLE:
        raise _refused("", "the crew is full", f"at most {MOST_PEOPLE} people")
    if user is None:
        made = User(username=checked_name(name, invited.crew, "/username"))
        check_password(password, made, "/password")
        made.set_password(password)
        made.save()
        user = made
    likes = Member.objects.filter(user=user).values_list("preferences", flat=True).first() or {}
    member, _ = Member.objects.get_or_create(user=user, crew=invited.crew, defaults={"role": invited.role, "preferences": likes})
    invited.used_by = user
    invited.save(update_fields=["used_by"])
    return member


@writes
def make_feed(member: Member) -> str:
    """Give a person a new address of the crew's calendar and return what stands in it; the one before leads nowhere then."""
    token = secrets.token_urlsafe(32)
    Feed.objects.update_or_create(member=member, defaults={"hash": hash_of(token), "made_at": timezone.now()})
    return token


@writes
def end_feed(member: Member) -> None:
    """Take a person's address of the calendar back."""
    Feed.objects.filter(member=member).delete()


def crew_of_feed(token: str) -> Crew | None:
    """Return the crew whose calendar an address shows, None where it leads nowhere: taken back, or its person left."""
    found = Feed.objects.select_related("member__crew").filter(hash=hash_of(token)).first()
    return found.member.crew if found else None
