"""Tries of practice: the acts are kept, everything else is worked out of them."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User

from ...core.trade.errors import DocumentError, Problem
from ...rig.tries import begun, played, shown
from ..crews.models import Crew
from ..work import pool
from ..writing import writes
from .models import Try

MOST_TRIES = 500


def _refused(message: str, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer="", message=message, expected=expected)])


def begin(crew: Crew, user: User, level: int, seed: int | None, scenario: Mapping[str, Any] | None, lesson: bool) -> Try:
    """Begin a try."""
    document, state = pool.run(begun, scenario, secrets.randbelow(2_000_000_000) if seed is None else seed, level, lesson)
    return _keep(crew, user, document, state)


def show(crew: Crew, user: User, seed: int, level: int) -> Try:
    """Keep a whole try of a careful trainee, for whoever wants to see one."""
    document, acts, state = pool.run(shown, seed, level)
    return _keep(crew, user, document, state, acts)


@writes
def _keep(crew: Crew, user: User, scenario: dict[str, Any], state: dict[str, Any], acts: list[dict[str, Any]] | None = None) -> Try:
    old = Try.objects.filter(crew=crew, by=user).values_list("pk", flat=True)[MOST_TRIES - 1 :]
    Try.objects.filter(pk__in=list(old)).delete()
    return Try.objects.create(crew=crew, by=user, scenario=scenario, state=state, acts=acts or [])


def act(held: Try, asked: dict[str, Any]) -> dict[str, Any]:
    """Do one thing; refuse what cannot be done now."""
    acts = [*held.acts, asked]
    told = pool.run(played, held.scenario, acts)
    _done(held, acts, told)
    return state(held)


@writes
def _done(held: Try, acts: list[dict[str, Any]], told: dict[str, Any]) -> None:
    now = Try.objects.get(pk=held.pk)
    if len(now.acts) != len(acts) - 1:
        raise _refused("something was done in this try meanwhile", "the try as it stands now")
    held.acts, held.state = acts, told
    held.save(update_fields=["acts", "state"])


def state(held: Try) -> dict[str, Any]:
    """Return a try as it stands."""
    return {"id": held.pk, "acts": len(held.acts), **held.state}


def line(held: Try) -> dict[str, Any]:
    """Return a try as a line of the list."""
    score = held.state.get("score") or {}
    return {
        "id": held.pk,
        "by": held.by.get_username(),
        "level": held.scenario["level"],
        "site": held.state["site"],
        "over": held.state["over"],
        "points": score.get("points"),
        "safe": score.get("safe"),
        "made_at": held.made_at,
    }


def handed_on(held: Try) -> dict[str, Any]:
    """Return the scenario of a try that is over."""
    if not held.state["over"]:
        raise _refused("what is hidden is told when the try is over", "the end of the try")
    return dict(held.scenario)
