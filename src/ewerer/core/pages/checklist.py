"""The run as a checklist on paper: for a site where no screen goes."""

from __future__ import annotations

from collections.abc import Mapping

from ..documents.results.run import Run
from .pdf import Paper, pdf

TICKS = {"done": "✓", "overridden": "!", "skipped": "–", "failed": "✗"}


def checklist_page(run: Run, standing: Mapping[str, str] | None = None, paper: Paper = "A4") -> bytes:
    """Return the steps as PDF: boxes to tick, blanks to write readings in, what should be seen beside them."""
    where = standing or {}
    sections = [(s.word, [step for step in run.steps if step.section == s.id]) for s in run.sections]
    return pdf(
        "checklist.html",
        f"Run {run.job}",
        paper,
        run=run,
        sections=sections,
        ticks={id: TICKS.get(w, "") for id, w in where.items()},
    )
