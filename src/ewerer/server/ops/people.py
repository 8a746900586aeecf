"""``ewerer person``: people and their crews, before the first start too."""

from __future__ import annotations

import getpass
import sys

from django.contrib.auth import get_user_model
from django.contrib.auth.models import User

from ...core.trade.errors import DocumentError, Problem
from ..crews import sessions
from ..crews.actions import check_password
from ..crews.models import Crew, Member
from ..crews.names import checked_name
from ..crews.roles import Role
from ..writing import writes


def _password() -> str:
    """Return a password from the terminal, asked for twice, or from the first line of standard input."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    given = getpass.getpass("Password: ")
    if getpass.getpass("Again: ") != given:
        raise DocumentError([Problem(pointer="/password", message="the two are not the same", expected="the same twice")])
    return given


def _refused(pointer: str, message: str, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer=pointer, message=message, expected=expected)])


@writes
def add(name: str, crew: str, role: Role | None) -> str:
    """Add a person to a crew, which is made when it is new; return what was done."""
    users = get_user_model()
    held = Crew.objects.filter(name=crew).first()
    name = checked_name(name, held, "/name")
    password = _password()
    check_password(password, users(username=name), "/password")
    joined = held or Crew.objects.create(name=crew)
    given = role or (Role.MEMBER if held else Role.LEAD)
    Member.objects.create(user=users.objects.create_user(name, password=password), crew=joined, role=given)
    return f"{name} works in {crew} as a {given}"


@writes
def set_password(name: str) -> str:
    """Give a person a new password and end their sessions; return what was done."""
    user = User.objects.filter(username=name).first()
    if user is None:
        raise _refused("/name", f"there is no {name}", "a name that `ewerer person list` shows")
    password = _password()
    check_password(password, user, "/password")
    user.set_password(password)
    user.save(update_fields=["password"])
    sessions.end_all(user)
    return f"{name} has a new password; every session of {name} is ended"


def people() -> str:
    """Return everybody, a line each: name, crew, role, last sign-in."""
    rows = Member.objects.select_related("user", "crew").order_by("crew__name", "user__username")
    lines = [f"{m.user}\t{m.crew}\t{m.role}\t{str(m.user.last_login or 'never signed in')[:16]}" for m in rows]
    return "\n".join(lines) or "nobody yet: ewerer person add NAME --crew CREW"
