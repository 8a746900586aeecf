"""What a bus and a unit should show by the plan, beside what they show."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..core.documents.results.link import Link
from ..core.trade.measures import MEASURES

EXACT = ("charge_v", "charge_a", "discharge_a")
"""What is shown as it was told, to the digit."""


def expected_of(link: Link | None) -> dict[str, float]:
    """Return what the bank says and the unit shows with everything as planned; nothing in open loop."""
    if link is None or link.loop != "closed":
        return {}
    everything = next((d for d in link.displays if d.case == "all"), None)
    if everything is None:
        return {}
    out = {n: v for n in EXACT if (v := getattr(everything, n)) is not None}
    if everything.volts is not None:
        out["volts"] = everything.volts
    out["modules"] = float(len(link.speaking))
    return out


def agrees(name: str, shown: float, expected: float) -> bool:
    """Return whether what is shown is what was expected, within what two such readings may differ by."""
    measure = MEASURES.get(name)
    return abs(shown - expected) <= (measure.within if measure else 0.0) + 0.051


def case_of(link: Link | None, charge_a: float | None, discharge_a: float | None) -> str:
    """Return the word of the case whose limits these are, ``all`` included; empty where they are those of none."""
    if link is None or charge_a is None or discharge_a is None:
        return ""
    for d in link.displays:
        if (
            d.charge_a is not None
            and d.discharge_a is not None
            and abs(d.charge_a - charge_a) < 0.6
            and abs(d.discharge_a - discharge_a) < 0.6
        ):
            return d.word
    return ""


def rows(link: Link | None, readings: Mapping[str, Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Return a row for each measurement that is expected or read by more than one: word, unit, expected, what each shows, agreement.

    ``readings``: by who reads (``bank``, a device's id) and measurement: value and whether it is old. The bank's volts are compared
    with those of the others, since they move; limits with the plan.
    """
    expected = expected_of(link)
    names = [n for n in MEASURES if any(n in held for held in readings.values())]
    out = []
    for name in names:
        m = MEASURES[name]
        shown = {who: held[name] for who, held in readings.items() if name in held}
        now = [float(v["value"]) for v in shown.values() if not v["old"]]
        wanted = expected.get(name) if name in EXACT or name == "modules" else None
        right: bool | None = None
        if wanted is not None and now:
            right = all(agrees(name, v, wanted) for v in now)
        elif name in ("volts", "soc_pct", "temp_c") and len(now) > 1:
            right = max(now) - min(now) <= 2 * m.within
        out.append({"name": name, "word": m.word, "unit": m.unit, "expected": wanted, "shown": shown, "right": right})
    return out


def evidence(link: Link | None, ports: Sequence[Mapping[str, Any]]) -> dict[str, int]:
    """Return what the ports answer of the fault finder's tests by themselves, by test and number of its outcome.

    No frames at all: the host module is off. All modules' limits: how many are heard. Cells, temperatures, charge as they are told.
    """
    bus = next((p for p in ports if p.get("kind") == "can"), None)
    told: dict[str, float] = {}
    units: list[dict[str, float]] = []
    for p in ports:
        values = {n: float(v["value"]) for n, v in p.get("values", {}).items() if not v["old"] and not isinstance(v["value"], str)}
        if p.get("device") == "bank":
            told |= values
        else:
            units.append(values)
    out: dict[str, int] = {}
    if bus is not None:
        out["module-lamp"] = 0 if bus.get("state") == "open" and bus.get("frames") else 1
    if "soc_pct" in told:
        out["soc-full"] = 0 if told["soc_pct"] >= 98.5 else 1
    if "cell_high_v" in told and "cell_low_v" in told:
        apart = told["cell_high_v"] - told["cell_low_v"]
        out["cells"] = 1 if apart > 0.1 else 2 if apart > 0.05 else 0
    expected = expected_of(link)
    if "modules" in told and expected.get("modules"):
        whole = told["modules"] >= expected["modules"] and told.get("modules_charging", expected["modules"]) >= expected["modules"]
        out["module-state"] = 0 if whole or told["modules"] < expected["modules"] else 1
    if "charge_a" in told and "charge_a" in expected:
        out["n-times"] = 0 if agrees("charge_a", told["charge_a"], expected["charge_a"]) else 1
    shown_c = next((u["temp_c"] for u in units if u.get("temp_c")), None)
    if "temp_c" in told:
        out_of_range = not 0.0 < told["temp_c"] < 50.0
        out["temperature"] = 1 if out_of_range else 2 if shown_c is not None and abs(shown_c - told["temp_c"]) > 8 else 0
    return out
