"""Roles in a crew, and what each may do."""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """What a person may do in a crew; each may do what those before it may."""

    READER = "reader"
    """Sees everything, plans and simulates, changes nothing."""
    MEMBER = "member"
    """Works on jobs and records on site."""
    LEAD = "lead"
    """Also people, library, sign-off, deleting for good."""

    def may(self, needed: Role) -> bool:
        """Return whether this role is enough where ``needed`` is asked for."""
        order = list(Role)
        return order.index(self) >= order.index(needed)
