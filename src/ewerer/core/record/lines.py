"""Entries of one page of a menu are one step with lines; each line keeps its own id among the events."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ..documents.results.run import RunStep

FINISHED = ("done", "overridden", "skipped")


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
