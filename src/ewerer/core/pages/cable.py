"""The cable card of a job as one PDF page: drawing, table, ohms, addresses."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..documents.job import Job
from ..documents.results.link import AdapterLink, Cable, Link
from ..documents.results.plan import Plan
from ..trade.errors import DocumentError, Problem
from ..trade.steps import figure
from .pdf import Paper, pdf

INK = {"orange": "#c9611a", "green": "#2e7d46", "blue": "#2b5fa8", "brown": "#6d4630"}
LEFT, RIGHT, TOP, STEP = 150, 490, 34, 30


KINDS = {"patch": "Straight patch cable", "made": "Made cable", "terminal": "Cable to terminals"}


@dataclass(frozen=True, slots=True)
class Run:
    """One cable: what it is and between what, its conductors, the words at its ends."""

    title: str
    near: str
    far: str
    cable: Cable
    figure: dict[str, Any]


def _run(cable: Cable, near: tuple[str, str], far: tuple[str, str], says: str) -> Run:
    title = f"{KINDS[cable.kind]} from {near[1]} of the {near[0]} to {far[1]} of the {far[0]}: {says}"
    return Run(title, near[0], far[0], cable, _figure(cable, f"{near[0]} {near[1]}", f"{far[0]} {far[1]}"))


def _through(adapter: AdapterLink | None, bms_port: str, last: Cable, device: tuple[str, str], says: str) -> list[Run]:
    """Return the cables of one link: straight to the device, or to the adapter and on from it."""
    if adapter is None:
        return [_run(last, ("BMS", bms_port), device, says)]
    first = _run(adapter.cable, ("BMS", bms_port), (adapter.name, adapter.battery_port), adapter.protocol)
    return [first, _run(last, (adapter.name, adapter.device_port), device, says)]


def runs_of(link: Link) -> list[Run]:
    """Return every cable of a plan's link: to the host, and to each sun charger that hears the BMS by a cable of its own."""
    out: list[Run] = []
    if link.cable is not None:
        host = next((c.charger for c in link.chargers if c.charger == link.host_unit), None)
        device = ("charger" if host else "unit", link.unit_port_label)
        out += _through(link.adapter, link.bms_port_label, link.cable, device, link.protocol or "")
    for c in link.chargers:
        if c.cable is not None and c.charger != link.host_unit:
            out += _through(c.adapter, c.bms_port or "", c.cable, (f"charger {c.charger}", c.port or ""), c.protocol or "")
    return out


def cable_page(job: Job, made: Plan, paper: Paper = "A4") -> bytes:
    """Return the cable card of a job. Raises :class:`DocumentError` where nothing is linked: there is no cable then."""
    link = made.link
    runs = runs_of(link)
    if not runs:
        raise DocumentError([Problem(pointer="/link", message=f"there is no cable to draw: {link.why}", expected="a closed loop")])
    ohms = link.terminators.expected_ohm if link.terminators else []
    adapters = [a for a in (link.adapter, *(c.adapter for c in link.chargers)) if a is not None]
    return pdf(
        "cable.html",
        f"Cable card {job.name}",
        paper,
        job=job,
        link=link,
        runs=runs,
        lamps=adapters[0].lamps if adapters else [],
        adapter=adapters[0] if adapters else None,
        rate=figure((link.bitrate or 0) / 1000, 1),
        ohms=[f"{'open' if o is None else figure(o)} with {n}" for n, o in enumerate(ohms)],
    )


def _y(pin: int) -> float:
    return TOP + (pin - 0.5) * STEP


def _figure(cable: Cable, near: str, far: str) -> dict[str, Any]:
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
        {"x": LEFT, "word_x": LEFT - 17, "anchor": "end", "title": near, "pins": pins("bms")},
        {"x": RIGHT, "word_x": RIGHT + 17, "anchor": "start", "title": far, "pins": pins("unit")},
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
