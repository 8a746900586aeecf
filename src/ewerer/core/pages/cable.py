"""The cable card of a job as one PDF page: drawing, table, ohms, addresses."""

from __future__ import annotations

from typing import Any

from ..documents import DocumentError, Problem
from ..documents.job import Job
from ..documents.results.link import Cable
from ..documents.results.plan import Plan
from ..trade.steps import figure
from .pdf import Paper, pdf

INK = {"orange": "#c9611a", "green": "#2e7d46", "blue": "#2b5fa8", "brown": "#6d4630"}
LEFT, RIGHT, TOP, STEP = 150, 490, 34, 30


def cable_page(job: Job, made: Plan, paper: Paper = "A4") -> bytes:
    """Return the cable card of a job. Raises :class:`DocumentError` where the plan is in open loop: there is no cable then."""
    link = made.link
    if link.cable is None:
        raise DocumentError([Problem(pointer="/link", message=f"there is no cable to draw: {link.why}", expected="a closed loop")])
    kind = {"patch": "Straight patch cable", "made": "Made cable", "terminal": "Cable to terminals"}[link.cable.kind]
    ohms = link.terminators.expected_ohm if link.terminators else []
    return pdf(
        "cable.html",
        f"Cable card {job.name}",
        paper,
        job=job,
        link=link,
        kind=kind,
        rate=figure((link.bitrate or 0) / 1000, 1),
        ohms=[f"{'open' if o is None else figure(o)} with {n}" for n, o in enumerate(ohms)],
        figure=_figure(link.cable, link.bms_port_label, link.unit_port_label),
    )


def _y(pin: int) -> float:
    return TOP + (pin - 0.5) * STEP


def _figure(cable: Cable, bms_label: str, unit_label: str) -> dict[str, Any]:
    """Return the places of a drawing: both plugs with their eight positions, each conductor a line in its colour."""
    used = {**{("bms", w.from_): w for w in cable.wires}, **{("unit", w.to): w for w in cable.wires}}
    shut = {(o.end, o.pin): o for o in cable.open_pins}

    def pins(end: str) -> list[dict[str, Any]]:
        out = []
        for number in range(1, 9):
            wire, barred = used.get((end, number)), shut.get(("bms" if end == "bms" else "unit", number))
            word = wire.signal if wire else f"{barred.signal}, leave open" if barred else ""
            out.append({"number": number, "y": _y(number), "word": word, "barred": barred is not None})
        return out

    ends = [
        {"x": LEFT, "word_x": LEFT - 17, "anchor": "end", "title": f"BMS {bms_label}", "pins": pins("bms")},
        {"x": RIGHT, "word_x": RIGHT + 17, "anchor": "start", "title": f"unit {unit_label}", "pins": pins("unit")},
    ]
    wires = []
    for w in cable.wires:
        a, b = _y(w.from_), _y(w.to)
        wires.append(
            {
                "path": f"M{LEFT + 11} {a}C{LEFT + 150} {a} {RIGHT - 150} {b} {RIGHT - 11} {b}",
                "ink": INK[w.colour.removeprefix("white/")],
                "striped": w.colour.startswith("white/"),
                "colour": w.colour,
                "x": LEFT + 18,
                "y": a - 6,
            }
        )
    return {"height": TOP + 8 * STEP + 12, "ends": ends, "wires": wires}
