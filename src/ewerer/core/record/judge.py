"""Verdicts on readings: a gate, widened by what the instrument may be wrong; and "cannot tell" where the meter is too coarse.

The browser judges gates the same way (web/src/record/judge.ts), so that a verdict is there without a network.
"""

from __future__ import annotations

import math
import re

from ..documents.event import Meter
from ..documents.results.run import Ask, Gate, Judged
from ..trade.numbers import read_number
from ..trade.rules import formula_rule
from ..trade.steps import figure

formula_rule("reading-gate", "run", "A reading passes inside its gate, fails beyond it by more than the meter may be wrong, and between the two nobody can tell.",
    "u = pct / 100 * |reading| + digits * step; pass: low <= reading <= high and 2 u <= high - low", "common practice; decision rule after JCGM 106:2012, simplified", "S, M")  # fmt: skip


_NUMBER = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)")


def meter_error(meter: Meter | None, reading: float) -> float:
    """Return how wrong a reading may be [in its unit]: so many percent of it and so many counts of the last digit."""
    return 0.0 if meter is None else meter.pct / 100.0 * abs(reading) + meter.digits * meter.step


def judge_gate(gate: Gate, reading: float, meter: Meter | None = None, unit: str = "", compared: bool = False) -> Judged:
    """Return the verdict on one reading.

    Inside: pass, unless the meter may be wrong by more than half the gate is wide: then nobody can tell with it. Outside by
    less than the meter may be wrong: nobody can tell. Beyond: fail, with what the zone there says. The margin is the distance
    to the nearer end [in the unit of the reading], below 0 outside. Where readings of one meter are ``compared`` with each
    other, what it is wrong by in percent is the same in all of them and falls out: only its last digits count.
    """
    u = meter_error(meter, 0.0 if compared else reading)
    low = -math.inf if gate.low is None else gate.low
    high = math.inf if gate.high is None else gate.high
    slack = 1e-9 * max(1.0, abs(reading))
    margin = min(reading - low, high - reading)
    told = None if math.isinf(margin) else round(margin, 6)
    if margin >= -slack:
        if meter is not None and u > 0 and 2 * u > high - low + slack:
            text = (
                f"Cannot tell with this meter: it may be wrong by {figure(u, 3)} {unit}, the gate is {figure(high - low, 3)} wide"
            )
            return Judged(verdict="unsure", text=text.strip(), margin=told)
        return Judged(verdict="pass", text="Good", margin=told)
    if u > 0 and -margin <= u + slack:
        return Judged(
            verdict="unsure",
            text=f"Cannot tell with this meter: outside by {figure(-margin, 3)} {unit}, and it may be wrong by {figure(u, 3)}".strip(),
            margin=told,
        )
    for zone in gate.zones:
        if (zone.low is None or reading >= zone.low - slack) and (zone.high is None or reading <= zone.high + slack):
            return Judged(verdict="fail", text=f"{zone.text}. {zone.then}".strip(), margin=told)
    side = f"{figure(gate.low, 3)} at least" if gate.low is not None and reading < low else f"{figure(high, 3)} at most"
    return Judged(verdict="fail", text=f"Not good: {side}", margin=told)


def same_text(a: str, b: str) -> bool:
    """Return whether two displayed texts say the same: case and blanks aside, and numbers by their value.

    >>> same_text('55.20', '55.2')
    True
    """
    one, other = (" ".join(t.split()).lower().replace(",", ".") for t in (a, b))
    if one == other:
        return True
    return bool(_NUMBER.fullmatch(one) and _NUMBER.fullmatch(other)) and float(one) == float(other)


def judge_ask(ask: Ask, shown: str, value: float | None, meter: Meter | None = None) -> Judged | None:
    """Return the verdict on what was noted for one ask; None where it is only noted."""
    if ask.kind == "figure":
        return judge_gate(ask.gate, value, meter, ask.unit, ask.compared) if ask.gate is not None and value is not None else None
    if not ask.good:
        return None
    said = read_number(shown, ask.unit).value if ask.kind == "text" else None
    plain = shown if said is None else f"{said:.12g}"
    if any(same_text(shown, g) or same_text(plain, g) for g in ask.good):
        return Judged(verdict="pass", text="Good")
    return Judged(verdict="fail", text=f"Should be {' or '.join(ask.good)}" if ask.kind != "tick" else "It is not so")
