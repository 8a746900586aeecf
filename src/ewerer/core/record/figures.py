"""Figures worked out from what is noted at a test, each with its error, and the verdict.

Errors are carried on after JCGM 100:2008 (accuracies as half-widths of uniform distributions, standard uncertainties added
in squares, coverage factor 2) [published standard, from memory]; a test holds them to a simulation of many readings.
Everything else: common practice.
"""

from __future__ import annotations

import datetime as dt
import itertools
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ..documents.event import Meter
from ..documents.results.run import Judged, JudgedFigure
from ..trade.margins import (
    AC_HZ,
    CAP_A,
    CAP_PART,
    CHARGER_EFFICIENCY,
    CONTINUOUS,
    COOLS_K,
    COOLS_MIN,
    COVERAGE,
    DRAW_PART,
    FLOAT_OFF_AT_V,
    FLOAT_OFF_V,
    LEAST_PART,
    LIGHT_A,
    LOADED_PART,
    LOOSE_FACTOR,
    METER_V,
    MODE_PART,
    MODE_W,
    NEAR_ABSORPTION,
    OWN_DRAW_A,
    PLAUSIBLE_PART,
    RAMP_HERTZ_PART,
    REFERENCE_C,
    SAME_ASKED_V,
    SAME_SOC_PCT,
    SAME_TEMP_K,
    SHARE,
    SHORT_HOLD_PART,
    THERMOMETERS_K,
    TIMED_S,
    TRANSFORMER_PART,
    USUAL_SHUNT_A,
    ZERO_A,
)
from ..trade.rules import formula_rule
from ..trade.steps import figure


def _rule(id: str, statement: str, formula: str, status: str = "T") -> None:
    source = "common practice" if status == "T" else "JCGM 100:2008 for the error"
    formula_rule(id, "proof", statement, formula, source, status)  # type: ignore[arg-type]


_rule("proof-gain", "A current sensor agrees with a clamp within {LIGHT_A} A on light load and {LOADED_PART:%} under load; else its entry is corrected.", "I_ref = clamp - own draw; entry' = entry * I_ref / I_shown, to the entry's step; refuse below {LEAST_PART:%} of the rated amps", "S, M")  # fmt: skip
_rule(
    "proof-zero",
    "With all off a sensor shows the host's own draw; the rest is drift.",
    "|I| <= own draw + {ZERO_A} A; drift = I * 24 / C of the charge a day",
)
_rule(
    "proof-resistance",
    "A step of load shows the resistance of bank and leads.",
    "R = (V1 - V2) / (I2 - I1), error by both meters; loose above {LOOSE_FACTOR} times nameplates and leads",
    "S, M",
)
_rule(
    "proof-charge",
    "A charge seen from first contact with its volts to its end.",
    "overshoot = max V - set; hold = end - first contact; plateau = mean V within; tail = last A; A / C",
)
_rule("proof-cap", "A cap that counts DC loads leaves the bank less.", "I_bank = cap - I_dc where they count")
_rule(
    "proof-ramp",
    "A generator bears what keeps its hertz and volts.",
    "Hz within {RAMP_HERTZ_PART:%}, V within the AC window; the last good step is the entry",
)
_rule(
    "proof-ac-draw",
    "What comes in from AC is what charging and loads take.",
    "P = A * V / eta + loads, within {DRAW_PART:%}; below {CONTINUOUS} of the breaker",
    "S, M",
)
_rule(
    "proof-transformer",
    "A known load of 1 kW shows how a transformer sits.",
    "+P: right; -P: reversed; on another phase: swapped; within {TRANSFORMER_PART:%}",
)
_rule(
    "proof-mode",
    "The flows are what the plan's own settings make of these watts.",
    "|seen - predicted| <= max({MODE_W} W, {MODE_PART:%})",
)
_rule("proof-share", "Units share a load.", "|I - mean| <= {SHARE:%} of the mean")
_rule(
    "proof-soc-trend",
    "After a new bank the error of the charge shown falls day by day.",
    "guess + error = 100; e(n+1) < e(n); about a week to 0",
)
_rule(
    "proof-temperature",
    "Two thermometers agree at rest; a constant {REFERENCE_C} is a default.",
    "|shown - second| <= {THERMOMETERS_K} K; shaded: no faster than {COOLS_K} K in {COOLS_MIN} min",
)
_rule(
    "join-rest",
    "Modules are joined only where their volts at rest, read with one meter, agree; what flows on closing follows from them.",
    "V_max - V_min <= tolerance; I = |V_i - V_joined| / (R_i + R_joined)",
)
_rule("proof-timed", "A timed request ends when its time is over.", "|ended - asked - t| <= {TIMED_S} s")
_rule(
    "proof-same",
    "Both ends of a link show the same; limits exactly.",
    "V within the meters, degC within {SAME_TEMP_K} K, charge within {SAME_SOC_PCT} %, limits = floor_to_step(k * sum)",
)


@dataclass(frozen=True)
class Noted:
    """What was noted at a step: figures and texts by name, the instrument of each, the plan's figures, the stopwatch."""

    values: Mapping[str, float]
    shown: Mapping[str, str] = field(default_factory=dict)
    meters: Mapping[str, Meter | None] = field(default_factory=dict)
    given: Mapping[str, float] = field(default_factory=dict)
    timers: Mapping[str, str] = field(default_factory=dict)

    def has(self, *names: str) -> bool:
        """Return whether all these figures are there."""
        return all(n in self.values for n in names)

    def own(self, name: str, otherwise: float = 0.0) -> float:
        """Return a noted figure, else the plan's, else another."""
        return self.values.get(name, self.given.get(name, otherwise))


def _gain_and_digits(meter: Meter | None, reading: float) -> tuple[float, float]:
    """Return the standard uncertainties of the part that grows with a reading, and of its last digits [in its unit]."""
    if meter is None:
        return 0.0, 0.0
    return meter.pct / 100.0 * abs(reading) / math.sqrt(3), meter.digits * meter.step / math.sqrt(3)


def _u(meter: Meter | None, reading: float) -> float:
    return math.hypot(*_gain_and_digits(meter, reading))


def _waiting(what: str) -> Judged:
    return Judged(verdict=None, text=f"Still to be read: {what}")


def gain(n: Noted) -> Judged:
    """Judge a current sensor against a clamp, the unit's own draw taken off; propose a corrected entry."""
    if not n.has("shown", "reference"):
        return _waiting("display and clamp")
    shown, clamp, draw = n.values["shown"], n.values["reference"], n.values.get("own_draw", 0.0)
    if shown * clamp < 0:
        text = f"The display says {figure(shown, 1)} A, the clamp {figure(clamp, 1)} A: one of them is the wrong way round. Turn the clamp; if it stays, the sensor is wired backwards"
        return Judged(verdict="fail", text=text)
    ref = abs(clamp) - draw
    rated, entry, step = n.own("rated_a", USUAL_SHUNT_A), n.own("entry", USUAL_SHUNT_A), n.own("entry_step", 1.0)
    if abs(ref) < LEAST_PART * rated or not shown:
        if ref > 0 and shown and abs(abs(shown) - ref) > max(LIGHT_A, PLAUSIBLE_PART * ref):
            return Judged(
                verdict="fail",
                text=f"The display says {figure(abs(shown), 1)} A, the clamp {figure(ref, 1)} A: type or rating of the sensor is wrong",
            )
        return Judged(
            verdict="unsure",
            text=f"Too little current: at least {figure(LEAST_PART * rated, 1)} A, a tenth of the rated amps, is needed",
        )
    seen = abs(shown)
    off = seen - ref
    ratio = ref / seen
    u = ratio * math.hypot(_u(n.meters.get("reference"), clamp) / ref, _u(n.meters.get("shown"), shown) / seen)
    corrected = round(entry * ratio / step) * step
    figures = [
        JudgedFigure(
            name="error_pct", word="Error", value=round(100 * off / ref, 3), error=round(100 * COVERAGE * u / ratio**2, 3), unit="%"
        ),
        JudgedFigure(
            name="entry", word="Corrected entry", value=round(corrected, 6), error=round(COVERAGE * entry * u, 3), unit="A"
        ),
    ]
    if abs(off) <= max(LIGHT_A, LOADED_PART * ref):
        return Judged(verdict="pass", text=f"Error {figure(100 * off / ref, 1)} %: leave it", figures=figures)
    if abs(corrected - entry) < step - 1e-9:
        return Judged(
            verdict="pass", text=f"Error {figure(100 * off / ref, 1)} %, below one step of the entry: leave it", figures=figures
        )
    return Judged(
        verdict="fail",
        text=f"Error {figure(100 * off / ref, 1)} %: enter {figure(corrected, 2)} instead of {figure(entry, 2)}",
        figures=figures,
    )


def zero(n: Noted) -> Judged:
    """Judge what a sensor shows with all off; tell the drift."""
    if not n.has("amps"):
        return _waiting("the current with all off")
    amps, draw = n.values["amps"], n.own("own_draw_a", OWN_DRAW_A)
    drift = (abs(amps) - draw) * 24.0 / n.own("capacity_ah", 100.0) * 100.0
    figures = [JudgedFigure(name="drift_pct_day", word="Drift a day", value=round(drift, 3), unit="%")]
    good = abs(amps) <= draw + ZERO_A + 1e-9
    text = f"{figure(abs(amps), 2)} A with an own draw of {figure(draw, 2)} A" + (
        "" if good else f": {figure(drift, 1)} % of the charge a day; zero the sensor"
    )
    return Judged(verdict="pass" if good else "fail", text=text, margin=round(draw + ZERO_A - abs(amps), 3), figures=figures)


def resistance(n: Noted) -> Judged:
    """Work out the resistance of a load step with its error, beside nameplates and leads."""
    if not n.has("v1", "i1", "v2", "i2"):
        return _waiting("volts and amps before and after")
    dv, di = n.values["v1"] - n.values["v2"], n.values["i2"] - n.values["i1"]
    if abs(di) < 1e-6:
        return Judged(verdict="unsure", text="The current did not change")
    mohm = 1000.0 * dv / di
    volts, amps = n.meters.get("v1"), n.meters.get("i1")
    # A meter's gain is the same for both readings and so acts on the difference; its last digits differ each time.
    v_gain, v_digits = _gain_and_digits(volts, dv)
    i_gain, i_digits = _gain_and_digits(amps, di)
    u_v, u_i = math.sqrt(v_gain**2 + 2 * v_digits**2), math.sqrt(i_gain**2 + 2 * i_digits**2)
    error = COVERAGE * 1000.0 * math.hypot(u_v / di, dv * u_i / di**2)
    expected = n.own("expected_mohm", mohm)
    figures = [JudgedFigure(name="mohm", word="Resistance", value=round(mohm, 4), error=round(error, 4), unit="mohm")]
    text = f"{figure(mohm, 2)} ± {figure(error, 2)} mΩ; nameplates and leads make {figure(expected, 2)}"
    if mohm <= 0:
        return Judged(verdict="fail", text="The volts rose as the current rose: readings swapped", figures=figures)
    if error > mohm:
        return Judged(verdict="unsure", text=f"Cannot tell with these meters: {text}", figures=figures)
    if mohm - error > LOOSE_FACTOR * expected:
        return Judged(verdict="fail", text=f"{text}: look for a loose lug or a thin lead", figures=figures)
    return Judged(verdict="pass", text=text, figures=figures)


def charge(n: Noted) -> Judged:
    """Read overshoot, hold, plateau, tail and rate from points typed by hand (minute, volts, amps)."""
    points = sorted(
        (n.values[f"m{i}"], n.values[f"v{i}"], n.values.get(f"a{i}")) for i in range(1, 60 + 1) if n.has(f"m{i}", f"v{i}")
    )
    if len(points) < 3:
        return _waiting("three points at least")
    set_v, capacity = n.own("absorb_v"), n.own("capacity_ah", 100.0)
    near = set_v - max(NEAR_ABSORPTION[0], NEAR_ABSORPTION[1] * set_v)
    top = max(v for _, v, _ in points)
    at = [p for p in points if p[1] >= near]
    figures = [JudgedFigure(name="overshoot_v", word="Overshoot", value=round(max(0.0, top - set_v), 4), unit="V")]
    if not at:
        return Judged(verdict="unsure", text=f"It never reached {figure(set_v, 2)} V: highest {figure(top, 2)} V", figures=figures)
    # The longest stretch without a reading below: a drop in between ends a hold.
    stretches: list[list[tuple[float, float, float | None]]] = [[]]
    for point in points:
        if point[1] >= near:
            stretches[-1].append(point)
        elif stretches[-1]:
            stretches.append([])
    dropped = sum(bool(s) for s in stretches) > 1
    at = max((s for s in stretches if s), key=lambda s: s[-1][0] - s[0][0])
    begin, end = at[0][0], at[-1][0]
    hold = end - begin
    plateau = sum(v for _, v, _ in at) / len(at)
    figures += [
        JudgedFigure(name="hold_min", word="Hold", value=round(hold, 2), unit="min"),
        JudgedFigure(name="plateau_v", word="Plateau", value=round(plateau, 4), unit="V"),
    ]
    amps = [a for _, _, a in points if a is not None]
    if amps:
        figures.append(JudgedFigure(name="c_rate", word="Highest rate", value=round(max(amps) / capacity, 4), unit="1/h"))
    tail = next((a for _, _, a in reversed(at) if a is not None), None)
    if tail is not None:
        figures.append(JudgedFigure(name="tail_a", word="Amps at its end", value=round(tail, 3), unit="A"))
    words = [f"overshoot {figure(max(0.0, top - set_v), 2)} V", f"hold {figure(hold, 0)} min"]
    verdict: str = "pass"
    if dropped:
        words.append("it dropped in between: the stretches are not added up")
        verdict = "unsure"
    if "float_v" in n.given and points[-1][0] > end:
        rest = points[-1][1]
        figures.append(JudgedFigure(name="float_v", word="Volts after", value=round(rest, 3), unit="V"))
        if abs(rest - n.given["float_v"]) > FLOAT_OFF_V * max(1.0, set_v / FLOAT_OFF_AT_V) + 1e-9:
            words.append(f"float {figure(rest, 2)} instead of {figure(n.given['float_v'], 2)} V")
            verdict = "unsure" if rest > n.given["float_v"] else "fail"
    want = n.given.get("hold_min")
    ended_by_tail = tail is not None and "tail_a" in n.given and tail <= n.given["tail_a"] + 1e-9
    if want is not None and hold < SHORT_HOLD_PART * want and not ended_by_tail:
        words.append(f"shorter than the {figure(want, 0)} min set: its timer began earlier, or it ended by something else")
        verdict = "unsure" if verdict == "pass" else verdict
    return Judged(verdict=verdict, text="; ".join(words), figures=figures)


def cap(n: Noted) -> Judged:
    """Tell whether a cap counts the DC loads."""
    if not n.has("bank", "dc"):
        return _waiting("bank and DC loads")
    limit, bank, dc = n.own("cap_a"), n.values["bank"], n.values["dc"]
    tell = max(CAP_A, CAP_PART * limit)
    if abs(bank - (limit - dc)) <= tell and dc > tell:
        return Judged(verdict="pass", text=f"The cap counts the DC loads: the bank gets {figure(bank, 1)} of {figure(limit, 1)} A")
    if abs(bank - limit) <= tell:
        return Judged(verdict="pass", text=f"The cap is the bank's own: {figure(bank, 1)} A")
    if bank < limit - tell:
        return Judged(verdict="unsure", text=f"{figure(bank, 1)} A, below the cap: bound by the sun, or by another cap")
    return Judged(verdict="fail", text=f"{figure(bank, 1)} A go in where {figure(limit, 1)} A are the cap: read the entries again")


def ramp(n: Noted) -> Judged:
    """Find the last good step of a ramp; the gates of its readings have judged each."""
    read = {float(name.rsplit(".", 1)[0]) for name in n.values if name.endswith((".volts", ".hertz"))}
    steps = sorted(a for a in read if n.has(f"{a:g}.volts", f"{a:g}.hertz"))
    if not steps or max(read) > max(steps):
        return _waiting("volts and hertz at each step")  # a row without both counts for nothing
    good = 0.0
    for a in steps:
        volts, hertz = n.values[f"{a:g}.volts"], n.values.get(f"{a:g}.hertz")
        low, high = n.own("low_v", 0.0), n.own("high_v", math.inf)
        nominal = n.own("nominal_hz", AC_HZ[0])
        if hertz is None or not low <= volts <= high or abs(hertz - nominal) > RAMP_HERTZ_PART * nominal + 1e-9:
            text = f"Stop at {figure(a, 1)} A: {figure(volts, 1)} V" + (
                f", {figure(hertz, 2)} Hz" if hertz is not None else ", no hertz read"
            )
            return Judged(verdict="fail" if not good else "unsure", text=f"{text}; {figure(good, 1)} A is the last good entry", figures=[JudgedFigure(name="good_a", word="Last good entry", value=good, unit="A")])  # fmt: skip
        good = a
    return Judged(
        verdict="pass",
        text=f"Good up to {figure(good, 1)} A",
        figures=[JudgedFigure(name="good_a", word="Last good entry", value=good, unit="A")],
    )


def ac_draw(n: Noted) -> Judged:
    """Compare what comes in with what charging and loads take."""
    if not n.has("amps", "volts", "loads", "input"):
        return _waiting("amps, volts, loads and input")
    amps, volts, eta = n.values["amps"], n.values["volts"], n.own("efficiency", CHARGER_EFFICIENCY)
    expected = amps * volts / eta + n.values["loads"]
    u = math.hypot(_u(n.meters.get("amps"), amps) * volts / eta, _u(n.meters.get("volts"), volts) * amps / eta)
    figures = [JudgedFigure(name="expected_w", word="Expected", value=round(expected, 1), error=round(COVERAGE * u, 1), unit="W")]
    seen, breaker = n.values["input"], n.given.get("breaker_w")
    if breaker is not None and seen > breaker:
        return Judged(
            verdict="fail",
            text=f"{figure(seen, 0)} W is above {figure(CONTINUOUS)} of the breaker, {figure(breaker, 0)} W: lower the charging amps",
            figures=figures,
        )
    good = abs(seen - expected) <= DRAW_PART * expected + COVERAGE * u
    return Judged(
        verdict="pass" if good else "fail", text=f"{figure(seen, 0)} W where {figure(expected, 0)} W are expected", figures=figures
    )


def transformer(n: Noted) -> Judged:
    """Tell how a current transformer sits from a known load."""
    if not n.has("known", "before", "after"):
        return _waiting("the load, and the grid before and after")
    known, change, other = n.values["known"], n.values["after"] - n.values["before"], n.values.get("other", 0.0)
    tell = max(MODE_W, TRANSFORMER_PART * abs(known))
    if abs(change - known) <= tell:
        return Judged(verdict="pass", text=f"{figure(change, 0)} W on its phase: right")
    if abs(change + known) <= tell:
        return Judged(verdict="fail", text=f"{figure(change, 0)} W: it is reversed; turn it, or its wires")
    if abs(other - known) <= tell or abs(other + known) <= tell:
        return Judged(verdict="fail", text="The load shows on another phase: two are swapped")
    return Judged(verdict="fail", text=f"{figure(change, 0)} W for a load of {figure(known, 0)} W: it sees nothing, or part of it")


def share(n: Noted) -> Judged:
    """Judge how units share a load."""
    amps = {k: abs(v) for k, v in n.values.items()}
    if len(amps) < 2:
        return _waiting("the amps of each unit")
    out = [k for k, v in n.values.items() if v < -LIGHT_A]
    if out and any(v > LIGHT_A for v in n.values.values()):
        text = f"{', '.join(out)} flows the other way than the others: one feeds what the other takes; look at roles, phases and thresholds"
        return Judged(verdict="fail", text=text)
    mean = sum(amps.values()) / len(amps)
    if mean <= 0:
        return Judged(verdict="unsure", text="No load")
    far = max(amps, key=lambda k: abs(amps[k] - mean))
    part = (amps[far] - mean) / mean
    good = abs(part) <= n.own("part", SHARE) + 1e-9
    return Judged(
        verdict="pass" if good else "fail",
        text=f"{far} is {figure(100 * part, 1)} % from the mean of {figure(mean, 1)} A"
        + ("" if good else ": lead lengths, or one on other values"),
    )


def soc_trend(n: Noted) -> Judged:
    """Judge the error of the charge shown over the first days: it must fall."""
    days = sorted((int(k.removeprefix("error")), v) for k, v in n.values.items() if k.startswith("error"))
    if len(days) < 2:
        return _waiting("the error on two days")
    falls = all(b[1] < a[1] or b[1] <= 1.0 for a, b in itertools.pairwise(days))
    (d0, e0), (d1, e1) = days[0], days[-1]
    rate = (e0 - e1) / (d1 - d0)
    figures = [JudgedFigure(name="per_day_pct", word="Falls a day", value=round(rate, 2), unit="%")]
    if not falls:
        return Judged(
            verdict="fail",
            text="The error does not fall: sensor ratio or zero, DC loads past the shunt, no full charge",
            figures=figures,
        )
    left = e1 / rate if rate > 0 else 0.0
    figures.append(JudgedFigure(name="days_left", word="Days to go", value=round(left, 1), unit="d"))
    return Judged(verdict="pass", text=f"Falls by {figure(rate, 1)} % a day; {figure(left, 0)} days to go", figures=figures)


def temperature(n: Noted) -> Judged:
    """Judge a temperature against a second thermometer."""
    if not n.has("shown", "second"):
        return _waiting("both thermometers")
    shown, second = n.values["shown"], n.values["second"]
    figures = (
        [JudgedFigure(name="ambient_c", word="Air around", value=n.values["ambient"], unit="degC")] if n.has("ambient") else []
    )
    if shown == REFERENCE_C and abs(second - REFERENCE_C) > SAME_TEMP_K:
        return Judged(verdict="fail", text=f"A constant {REFERENCE_C} is a default, not a sensor", figures=figures)
    good = abs(shown - second) <= THERMOMETERS_K + 1e-9
    return Judged(
        verdict="pass" if good else "fail",
        text=f"{figure(shown - second, 1)} K apart",
        margin=round(THERMOMETERS_K - abs(shown - second), 2),
        figures=figures,
    )


def shade(n: Noted) -> Judged:
    """Tell whether a sensor stood in the sun: it falls faster than a bank can cool."""
    if not n.has("before", "after", "minutes"):
        return _waiting("before, after and the minutes between")
    fall, minutes = n.values["before"] - n.values["after"], max(n.values["minutes"], 1e-3)
    can = COOLS_K * max(1.0, minutes / COOLS_MIN)
    if fall > can:
        return Judged(
            verdict="fail",
            text=f"It fell by {figure(fall, 1)} K, a bank cools at most {figure(can, 1)} K in that time: move the sensor, not the limit",
        )
    return Judged(verdict="pass", text=f"It fell by {figure(fall, 1)} K")


def seconds_between(a: str, b: str) -> float:
    """Return the seconds from one moment of an event to another."""
    form = "%Y-%m-%dT%H:%M:%S.%fZ"
    return (dt.datetime.strptime(b, form) - dt.datetime.strptime(a, form)).total_seconds()


def timed(n: Noted) -> Judged:
    """Judge when a timed request ended."""
    if not {"asked", "ended"} <= set(n.timers):
        return _waiting("when it asks and when it ends")
    lasted, want = seconds_between(n.timers["asked"], n.timers["ended"]), n.own("lasts_s")
    figures = [JudgedFigure(name="lasted_s", word="Lasted", value=round(lasted, 3), unit="s")]
    good = abs(lasted - want) <= TIMED_S
    return Judged(
        verdict="pass" if good else "fail",
        text=f"{figure(lasted, 0)} s where {figure(want, 0)} s are asked for",
        margin=round(TIMED_S - abs(lasted - want), 3),
        figures=figures,
    )


def same(n: Noted) -> Judged:
    """Compare the two columns of a link, line by line."""
    rows = [
        ("volts", "V", n.own("volts_v", METER_V)),
        ("temp", "K", n.own("temp_k", SAME_TEMP_K)),
        ("soc", "%", n.own("soc_pct", SAME_SOC_PCT)),
        ("soh", "%", SAME_SOC_PCT),
        ("asked", "V", SAME_ASKED_V),
        ("charge", "A", 0.0),
        ("discharge", "A", 0.0),
    ]
    both = [
        (name, unit, n.values[f"bms.{name}"], n.values[f"unit.{name}"], far)
        for name, unit, far in rows
        if n.has(f"bms.{name}", f"unit.{name}")
    ]
    if len(both) < 3:
        return _waiting("volts and both limits on both sides")
    if all(u == 0 for _, _, b, u, _ in both) and any(b for _, _, b, _, _ in both):
        return Judged(verdict="fail", text="The unit's page is all zeros: there is no link")
    apart = [(name, unit, u - b) for name, unit, b, u, far in both if abs(u - b) > far + 1e-9]
    if apart:
        return Judged(
            verdict="fail", text="Not the same: " + ", ".join(f"{name} by {figure(d, 2)} {unit}" for name, unit, d in apart)
        )
    return Judged(verdict="pass", text=f"{len(both)} lines the same on both sides")


def mode(n: Noted) -> Judged:
    """Compare flows with what the plan's settings make of these watts; the prediction is given."""
    if not n.has("bank") or "predicted_bank_w" not in n.given:
        return _waiting("sun, loads, charge and the bank's watts")
    figures, words = [], []
    good = True
    for name, word in (("bank", "bank"), ("grid", "grid")):
        want = n.given.get(f"predicted_{name}_w")
        if want is None or not n.has(name):
            continue
        seen = n.values[name]
        figures.append(JudgedFigure(name=f"predicted_{name}_w", word=f"Predicted, {word}", value=round(want, 1), unit="W"))
        tell = max(MODE_W, MODE_PART * abs(want))
        fits = abs(seen - want) <= tell + 1e-9
        good = good and fits
        words.append(
            f"{word} {figure(seen, 0)} W, predicted {figure(want, 0)}" + ("" if fits else f": off by {figure(seen - want, 0)}")
        )
    return Judged(verdict="pass" if good else "fail", text="; ".join(words), figures=figures)


def _rest(n: Noted) -> Judged:
    """Modules at rest beside each other: spread within the tolerance; what should flow on closing them one after the other."""
    held = {k: v for k, v in n.values.items() if f"ohm.{k}" in n.given}
    wanted = [k[4:] for k in n.given if k.startswith("ohm.")]
    if len(held) < len(wanted):
        return _waiting("volts of every module")
    low, high = min(held, key=lambda k: held[k]), max(held, key=lambda k: held[k])
    spread = round(held[high] - held[low], 6)
    figures = [JudgedFigure(name="spread_v", word="Highest less lowest", value=round(spread, 3), unit="V")]
    joined: list[str] = []
    for id in sorted(held, key=lambda k: -held[k]):
        if joined:
            # One branch against all that are joined already.
            g = sum(1 / n.given[f"ohm.{j}"] for j in joined)
            volts = sum(held[j] / n.given[f"ohm.{j}"] for j in joined) / g
            amps = abs(volts - held[id]) / (n.given[f"ohm.{id}"] + 1 / g)
            figures.append(JudgedFigure(name=f"amps.{id}", word=f"On closing {id}", value=round(amps, 1), unit="A"))
        joined.append(id)
    tolerance = n.given["tolerance_v"]
    margin = round(tolerance - spread, 6)
    if margin < -1e-9:
        text = f"{low} rests {figure(spread, 3)} V below {high}; {figure(tolerance)} V is the most. Charge {low} by itself"
        return Judged(verdict="fail", text=text, margin=margin, figures=figures)
    text = f"All within {figure(spread, 3)} V; {figure(tolerance)} V is the most"
    return Judged(verdict="pass", text=text, margin=margin, figures=figures)


KINDS: dict[str, Callable[[Noted], Judged]] = {
    "rest": _rest,
    "gain": gain, "zero": zero, "resistance": resistance, "charge": charge, "cap": cap, "ramp": ramp, "ac_draw": ac_draw, "ct": transformer,
    "share": share, "soc_trend": soc_trend, "temperature": temperature, "shade": shade, "timed": timed, "same": same, "mode": mode,
}  # fmt: skip
"""How each kind of figures is worked out."""
