"""Events as they are sent: which may be taken, and what the list of jobs shows of all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..documents.event import Event
from ..documents.job import Job
from ..documents.parse import parse_document
from ..trade.errors import DocumentError
from .fold import State
from .logbook import due_of

CHANGES_PLAN = ("as-found", "read-back", "done", "skipped", "undo")
"""Kinds of events that a plan depends on."""


@dataclass(frozen=True, slots=True)
class Refused:
    """An event that was not taken, and why."""

    id: str
    message: str


def sifted(sent: Sequence[Any], by: str, latest: str, may_sign: bool) -> tuple[list[dict[str, Any]], list[Refused]]:
    """Return the events that may be taken from a person, and the others by their id with the reason.

    An event says who made it, and that is who sends it; none was made after ``latest`` (ISO 8601, UTC), for one of next year
    would push all later ones there.
    """
    good: list[dict[str, Any]] = []
    refused: list[Refused] = []
    for item in sent:
        try:
            event = parse_document(Event, item).to_data()
        except DocumentError as error:
            id = str(item.get("id", ""))[:80] if isinstance(item, dict) else ""
            refused.append(Refused(id, str(error.problems[0])))
            continue
        why = ""
        if event["at"] > latest:
            why = f"it was made at {event['at']}: the clock of this device is ahead"
        elif event["by"] != by:
            why = f"it says {event['by']} made it, and {by} sends it"
        elif event["kind"] == "signed" and not may_sign:
            why = "a visit is signed by a lead of the crew"
        if why:
            refused.append(Refused(event["id"], why))
        else:
            good.append(event)
    return good, refused


def shown_in_list(document: Job, state: State) -> dict[str, Any]:
    """Return what the list of jobs shows of a record: how far the work on site is, and what is due."""
    count: dict[str, int] = {}
    for step in state["steps"].values():
        count[step["status"]] = count.get(step["status"], 0) + 1
    signed = state["signed"][-1] if state["signed"] else None
    later = signed is not None and any(v["at"] > signed["at"] for v in state["visits"])
    stands = "signed" if signed and not later else "on site" if state["steps"] else ""
    run = {status: count.get(status, 0) for status in ("done", "failed", "overridden", "open")}
    return {"run": {**run, "stands": stands}, "due": [d.model_dump() for d in due_of(document, state)]}
