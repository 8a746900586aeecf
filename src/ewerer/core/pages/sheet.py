"""One unit's working list as PDF."""

from __future__ import annotations

from typing import Any

from ..documents.job import Job, SheetMark
from ..documents.results.order import Step, UnitOrder
from ..documents.results.sheet import UnitSheet
from .pdf import Paper, pdf

TICKS = {"done": "✓", "skipped": "–"}


def sheet_page(job: Job, sheet: UnitSheet, order: UnitOrder, paper: Paper = "A4") -> bytes:
    """Return one unit's working list as PDF: ticks and blank boxes to write the read-back in, readable in black and white."""
    marks = job.sheet_marks.get(sheet.id, {})
    menu: list[str] = []
    steps = []
    for step in order.steps:
        steps.append(_row(step, marks.get(step.key), new_menu=step.menu != menu))
        menu = step.menu if step.kind == "entry" else menu
    entered = {step.key for step in order.steps}
    stands = [r for r in sheet.settings if r.setting not in entered]
    source = (
        "Nobody noted what the unit shows; factory values are assumed."
        if order.assumed
        else f"{order.noted} settings noted as found; {len(order.fits_already)} fit already."
    )
    title = f"{sheet.id} {job.name}"
    return pdf("sheet.html", title, paper, job=job, sheet=sheet, order=order, steps=steps, source=source, stands=stands)


def _row(step: Step, mark: SheetMark | None, new_menu: bool) -> dict[str, Any]:
    notes = ["temporary"] if step.temporary else []
    notes += [step.why] if step.why else []
    if step.resets:
        notes.append("resets " + ", ".join(f"{r.label} to {r.to}" for r in step.resets))
    notes += [text for text in (step.encoding, step.caution) if text]
    return {
        "action": step.kind == "action",
        "no": step.no,
        "label": step.label,
        "caution": step.caution,
        "menu": step.menu if new_menu else [],
        "shows": step.shows or "",
        "enter": step.enter or "",
        "unit": step.unit,
        "notes": notes,
        "read_back": (mark.read_back or "") if mark else "",
        "tick": TICKS.get(mark.state, "") if mark else "",
    }
