"""Entries of one page of a menu are one step with lines; each line keeps its own id among the events."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from ..devices.codec import same_word
from ..documents.results.run import RunStep

MOST_SHOWN = 60
"""Characters that an event keeps of what was shown."""
FINISHED = ("done", "overridden", "skipped")


def stands(enter: str, told: Mapping[str, Any]) -> bool:
    """Return whether what was entered is still what the plan asks for; where nobody noted it, it counts as such.

    The browser does the same (web/src/record/standing.ts).
    """
    shown = str(told.get("shown") or "")
    return told.get("status") != "done" or not shown or same_word(shown, enter[:MOST_SHOWN])


def statuses_of(state: Mapping[str, Any], steps: Iterable[RunStep]) -> dict[str, str]:
    """Return the status of each step of a folded state; a line that was entered otherwise than the plan says now is to be entered again."""
    out = {id: str(step["status"]) for id, step in state["steps"].items()}
    for s in steps:
        for line in s.lines:
            if line.id in out and not stands(line.enter, state["steps"][line.id]):
                out[line.id] = ""
    return out


def of_pages(steps: Iterable[RunStep], statuses: Mapping[str, str]) -> dict[str, str]:
    """Return the statuses with those of pages, made of their lines; a step that nobody may go past is failed where somebody did.

    The browser does the same (web/src/record/standing.ts).
    """
    out = dict(statuses)
    for s in steps:
        own = statuses.get(s.id, "")
        if s.firm and own in ("overridden", "skipped"):
            out[s.id] = "failed"
        if any(statuses.get(c.id) == "open" for c in s.changes):
            out[s.id] = "open"
        if not s.lines or own in ("overridden", "skipped"):
            continue
        held = [statuses.get(line.id, "") for line in s.lines]
        if "failed" in held or "open" in held:
            out[s.id] = "failed" if "failed" in held else "open"
        elif all(h in FINISHED for h in held):
            out[s.id] = "done"
        elif any(held) or own:
            out[s.id] = "begun"
    return out
