"""What was found in a log, held against the plan: rows with figures, what was planned, a verdict and a sentence."""

from __future__ import annotations

import datetime as dt
from typing import Literal, NamedTuple

import numpy as np

from ..documents.job import Job
from ..documents.results.plan import Plan
from ..trade.log_margins import (
    AC_CHARGING_W,
    CELLS_APART_V,
    FLOAT_WITHIN_V,
    FORCED_SOC,
    GAIN_WITHIN,
    GENERATOR_HZ_WITHIN,
    LEAST_GIVEN,
    LOG_LIMIT_A,
    LOG_LIMIT_WITHIN,
    LOG_VOLTS_WITHIN,
    MANY_TRANSFERS,
    PATH_WORSE,
    SENSOR_DEFAULT_C,
    SENSOR_RISE_C_H,
    SOC_WITHIN,
    TAIL_WITHIN,
    WINDOW_NEAR_MIN,
    WINDOW_WITHIN_MIN,
)
from .find import GENERATOR_ON, Found, _median3, _runs, _smooth, flag
from .table import Log

__all__ = ["Verdict", "judge"]

Word = Literal["good", "caution", "bad"]
LIMIT_S, MOST_ROWS, FEW = 10.0, 40, 30
QUARTER_S, SMOOTH_S, DAY_MIN = 900, 600, 1440
DAY_HOURS = range(5, 20)
"""Hours in which the sun may stand on a sensor."""
SECONDS_UNTIL, MINUTES_UNTIL = 120, 7200


class Verdict(NamedTuple):
    """One finding: what, verdict, rows from and to, the figure, what was planned, in a sentence."""

    what: str
    verdict: Word
    first: int
    last: int
    figure: float | None
    planned: float | None
    message: str


def judge(log: Log, found: Found, job: Job | None = None, plan: Plan | None = None) -> list[Verdict]:
    """Return every finding, the worst first, then by time; without a plan only what the readings say by themselves."""
    rows: list[Verdict] = []
    for part in (_holds, _limits, _volts, _sensors, _links, _forced, _sources, _windows):
        rows += part(log, found, job, plan)[:MOST_ROWS]
    rank = {"bad": 0, "caution": 1, "good": 2}
    return sorted(rows, key=lambda r: (rank[r.verdict], r.first))


def _planned(plan: Plan | None, name: str) -> float | None:
    if plan is None:
        return None
    rung = plan.ladder.get(name)
    if rung is not None:
        return rung.value
    derived = plan.quantities.get(name)
    return float(derived.value) if derived is not None and isinstance(derived.value, int | float) else None


def _min(seconds: float) -> str:
    return (
        f"{seconds:.0f} s"
        if seconds < SECONDS_UNTIL
        else f"{seconds / 60:.0f} min"
        if seconds < MINUTES_UNTIL
        else f"{seconds / 3600:.1f} h"
    )


def _holds(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    out: list[Verdict] = []
    absorb, hold_min, tail = _planned(plan, "absorb_v"), _planned(plan, "absorb_min"), _planned(plan, "tail_a")
    for h in found.holds:
        within = max(LOG_VOLTS_WITHIN * h.level_v, 3 * found.noise_v / 5)
        if absorb is not None:
            word: Word = "good" if abs(h.level_v - absorb) <= within else "bad" if h.level_v > absorb else "caution"
            out.append(
                Verdict(
                    "absorption",
                    word,
                    h.first,
                    h.last,
                    round(h.level_v, 3),
                    absorb,
                    f"Held {h.level_v:.2f} V; planned {absorb:.1f} V.",
                )
            )
        if h.overshoot_v > within:
            highest = plan.bank.cell_max_v * plan.bank.series_cells if plan and plan.bank else None
            word = "bad" if highest is not None and h.level_v + h.overshoot_v > highest else "caution"
            out.append(
                Verdict(
                    "overshoot",
                    word,
                    h.first,
                    h.last,
                    round(h.overshoot_v, 3),
                    None,
                    f"Volts went {h.overshoot_v:.2f} V above the absorption voltage when it was reached."
                    + (f" The cells bear {highest:.1f} V." if word == "bad" else " Give it to the plan as overshoot."),
                )
            )
        held_min = (h.end_s - h.contact_s) / 60
        if hold_min is not None:
            ended_by_tail = tail is not None and h.tail_a is not None and h.tail_a <= tail * TAIL_WITHIN + 2 * found.noise_a
            if held_min < hold_min - max(1.0, 2 * log.clock.step_s / 60) and not ended_by_tail:
                out.append(
                    Verdict(
                        "hold",
                        "caution",
                        h.first,
                        h.last,
                        round(held_min, 2),
                        hold_min,
                        f"Held for {held_min:.0f} min, planned {hold_min:.0f} min"
                        + (f" or {tail:.0f} A" if tail is not None else "")
                        + (f"; it ended at {h.tail_a:.0f} A." if h.tail_a is not None else ".")
                        + (" The timer may have begun before absorption, or the source ended."),
                    )
                )
            else:
                out.append(
                    Verdict(
                        "hold",
                        "good",
                        h.first,
                        h.last,
                        round(held_min, 2),
                        hold_min,
                        f"Held for {held_min:.0f} min" + (f", to {h.tail_a:.0f} A." if h.tail_a is not None else "."),
                    )
                )
        if h.full:
            out.append(Verdict("full", "good", h.last, h.last, None, None, f"Full at {log.at(h.last)[11:16]}."))
    figure = found.figures.get("float_v")
    planned = _planned(plan, "float_v")
    if figure is not None and planned is not None and found.float_rows:
        value = float(figure.value)
        word = "good" if abs(value - planned) <= max(FLOAT_WITHIN_V, LOG_VOLTS_WITHIN * planned) else "caution"
        first, last = found.float_rows[0][0], found.float_rows[-1][1]
        out.append(Verdict("float", word, first, last, value, planned, f"Float stood at {value:.2f} V; planned {planned:.1f} V."))
    if found.holds and len(log.t_s):
        days = log.t_s[-1] / 86_400
        every = _planned(plan, "full_charge_days") or 7.0
        full = [h for h in found.holds if h.full]
        since = (log.t_s[-1] - full[-1].end_s) / 86_400 if full else days
        if since > every:
            out.append(
                Verdict(
                    "full",
                    "caution",
                    full[-1].last if full else 0,
                    len(log.t_s) - 1,
                    round(since, 1),
                    every,
                    f"Not full for {since:.0f} days; planned at least every {every:.0f}.",
                )
            )
    return out


def _long(log: Log, mask: np.ndarray, least_s: float) -> list[tuple[int, int]]:
    step = max(log.clock.step_s, 1e-3)
    return [(i, j) for i, j in _runs(mask) if log.t_s[j] - log.t_s[i] + step >= least_s and j - i >= (2 if step <= 5 else 0)]


def _limits(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    out: list[Verdict] = []
    amps = log.columns.get("amps")
    if amps is None:
        return out
    n = max(1, min(5, int(5 / max(log.clock.step_s, 1e-3)) | 1))
    calm = _median3(_smooth(amps, n))
    sides = (("charge", 1.0, "limit_in_a"), ("discharge", -1.0, "limit_out_a"))
    for side, sign, column in sides:
        limit = getattr(plan.limits, side).bank_a if plan and plan.limits else None
        drawn = sign * calm
        if limit:
            over = np.nan_to_num(drawn) > limit * (1 + LOG_LIMIT_WITHIN) + 3 * found.noise_a + LOG_LIMIT_A
            runs = _long(log, over, LIMIT_S)
            for i, j in runs:
                most = float(np.nanmax(drawn[i : j + 1]))
                out.append(
                    Verdict(
                        f"{side} limit",
                        "bad",
                        i,
                        j,
                        round(most, 1),
                        limit,
                        f"{most:.0f} A for {_min(log.t_s[j] - log.t_s[i])}; the plan's {side} limit is {limit:.0f} A.",
                    )
                )
            if not runs:
                most = float(np.nanmax(drawn, initial=0.0))
                if most > 0:
                    at = int(np.nanargmax(drawn))
                    out.append(
                        Verdict(
                            f"{side} limit",
                            "good",
                            at,
                            at,
                            round(most, 1),
                            limit,
                            f"Highest {most:.0f} A; the plan's {side} limit is {limit:.0f} A.",
                        )
                    )
        told = log.columns.get(column)
        if told is not None:
            with np.errstate(invalid="ignore"):
                over = drawn > told * (1 + LOG_LIMIT_WITHIN) + 3 * found.noise_a + 1.0
            for i, j in _long(log, np.nan_to_num(over).astype(bool), LIMIT_S):
                most, least = float(np.nanmax(drawn[i : j + 1])), float(np.nanmin(told[i : j + 1]))
                out.append(
                    Verdict(
                        f"BMS {side} limit",
                        "bad",
                        i,
                        j,
                        round(most, 1),
                        round(least, 1),
                        f"{most:.0f} A for {_min(log.t_s[j] - log.t_s[i])} while the BMS allowed {least:.0f} A.",
                    )
                )
    asked, volts = log.columns.get("asked_v"), log.columns.get("volts")
    if asked is not None and volts is not None:
        with np.errstate(invalid="ignore"):
            over = (_median3(volts) > asked * (1 + LOG_VOLTS_WITHIN) + 3 * found.noise_v) & (amps > 0)
        for i, j in _long(log, over, 60.0):
            most, least = float(np.nanmax(volts[i : j + 1])), float(np.nanmin(asked[i : j + 1]))
            out.append(
                Verdict(
                    "asked volts",
                    "caution",
                    i,
                    j,
                    round(most, 2),
                    round(least, 2),
                    f"Charged to {most:.2f} V while the BMS asked for {least:.2f} V.",
                )
            )
    return out


def _volts(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    out: list[Verdict] = []
    volts, soc = log.columns.get("volts"), log.columns.get("soc")
    low, alarm = _planned(plan, "shutdown_v"), _planned(plan, "alarm_v")
    if volts is not None and low is not None:
        calm = _median3(volts)
        within = max(LOG_VOLTS_WITHIN * low, 2 * found.noise_v)
        amps = log.columns.get("amps")
        # An output that is off leaves an empty bank as it is: only what still gives counts.
        gives = (
            np.nan_to_num(amps) < -max(2.0, 3 * found.noise_a, LEAST_GIVEN * float(np.nanmax(-amps, initial=0.0)))
            if amps is not None
            else True
        )
        runs = _long(log, (np.nan_to_num(calm, nan=1e9) < low - within) & gives, LIMIT_S)
        for i, j in runs:
            least = float(np.nanmin(calm[i : j + 1]))
            out.append(
                Verdict(
                    "lowest volts", "bad", i, j, round(least, 2), low, f"{least:.2f} V; the output should shut down at {low:.1f} V."
                )
            )
        if not runs and np.isfinite(calm).any():
            at = int(np.nanargmin(calm))
            least = float(calm[at])
            word: Word = "caution" if alarm is not None and least < alarm - within else "good"
            text = f"Lowest {least:.2f} V" + (f", below the alarm of {alarm:.1f} V." if word == "caution" else ".")
            out.append(Verdict("lowest volts", word, at, at, round(least, 2), alarm if word == "caution" else low, text))
    if plan is not None and plan.bank is not None and volts is not None:
        highest = plan.bank.cell_max_v * plan.bank.series_cells
        calm = _median3(volts)
        for i, j in _long(log, np.nan_to_num(calm) > highest + max(LOG_VOLTS_WITHIN * highest / 2, 2 * found.noise_v), 2.0):
            most = float(np.nanmax(calm[i : j + 1]))
            out.append(
                Verdict(
                    "highest volts",
                    "bad",
                    i,
                    j,
                    round(most, 2),
                    round(highest, 2),
                    f"{most:.2f} V; the cells bear {highest:.1f} V.",
                )
            )
    reserve = _planned(plan, "shutdown_soc")
    if soc is not None and reserve is not None:
        least = float(np.nanmin(soc))
        if least < reserve - SOC_WITHIN:
            at = int(np.nanargmin(soc))
            out.append(
                Verdict(
                    "lowest charge",
                    "bad",
                    at,
                    at,
                    round(least, 3),
                    reserve,
                    f"Down to {least:.0%}; the output should shut down at {reserve:.0%}.",
                )
            )
    high, low_cell = log.columns.get("cell_max_v"), log.columns.get("cell_min_v")
    if high is not None and low_cell is not None:
        apart = _median3(high - low_cell)
        for h in found.holds:
            part = apart[h.first : h.last + 1]
            if np.isfinite(part).any() and float(np.nanmedian(part[-20:])) > CELLS_APART_V:
                value = float(np.nanmedian(part[-20:]))
                out.append(
                    Verdict(
                        "cells",
                        "caution",
                        h.first,
                        h.last,
                        round(value, 3),
                        CELLS_APART_V,
                        f"Cells are {value * 1000:.0f} mV apart at the end of the charge; they need a longer hold.",
                    )
                )
    return out


def _sensors(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    out: list[Verdict] = []
    last = len(log.t_s) - 1
    gain, zero = found.figures.get("shunt_gain"), found.figures.get("shunt_zero_a")
    if gain is not None and zero is not None:
        g, z = float(gain.value), float(zero.value)
        if g < 0:
            out.append(
                Verdict(
                    "current sensor", "bad", 0, last, g, 1.0, "The two currents have opposite signs: one sensor is wired backwards."
                )
            )
        elif abs(g - 1) > max(GAIN_WITHIN, float(gain.error or 0)):
            out.append(
                Verdict(
                    "current sensor",
                    "caution",
                    0,
                    last,
                    g,
                    1.0,
                    f"The second current is {g:.3f} times the first: correct its rating.",
                )
            )
        else:
            out.append(
                Verdict("current sensor", "good", 0, last, g, 1.0, f"The two currents agree: {g:.3f} times, {z:+.2f} A apart.")
            )
        if abs(z) > max(0.5, float(zero.error or 0)):
            out.append(
                Verdict(
                    "current sensor zero",
                    "caution",
                    0,
                    last,
                    z,
                    0.0,
                    f"One sensor shows {z:+.2f} A where the other shows none: zero it.",
                )
            )
    r = found.figures.get("resistance_mohm")
    if r is not None and plan is not None and plan.bank is not None:
        value, planned = float(r.value), float(plan.bank.path_mohm)
        word: Word = "good" if value <= PATH_WORSE * planned + float(r.error or 0) else "caution"
        text = f"Path resistance {value:.2f} mΩ; the plan goes by {planned:.1f} mΩ."
        if word == "caution":
            text += " Look for a loose or thin lead; give the figure to the plan."
        out.append(Verdict("path resistance", word, 0, last, value, planned, text))
    temp = log.columns.get("temp_c")
    if temp is not None and np.isfinite(temp).sum() > FEW:
        step = max(log.clock.step_s, 1e-3)
        n = max(1, int(QUARTER_S / step))
        calm = _smooth(temp, max(1, int(SMOOTH_S / step) | 1))
        if len(calm) > n + 2:
            rate = (calm[n:] - calm[:-n]) / np.maximum(log.t_s[n:] - log.t_s[:-n], 1.0) * 3600
            rate[(log.t_s[n:] - log.t_s[:-n]) > (n + n // 2) * step] = 0
            hours = log.minute_of_day / 60
            fast = np.nan_to_num(rate) > SENSOR_RISE_C_H
            days: dict[str, tuple[int, int, float]] = {}
            for i, j in _runs(fast):
                middle = hours[i + n // 2]
                if int(middle) in DAY_HOURS:
                    days.setdefault(log.at(i)[:10], (i, j + n, float(np.nanmax(rate[i : j + 1]))))
            if days:
                i, j, most = next(iter(days.values()))
                out.append(
                    Verdict(
                        "temperature sensor",
                        "caution",
                        i,
                        j,
                        round(most, 1),
                        SENSOR_RISE_C_H,
                        f"The temperature sensor rises by {most:.0f} °C an hour on {len(days)} day{'s' if len(days) > 1 else ''}; a bank cannot."
                        " Is it in the sun or at a warm part?",
                    )
                )
        if float(np.nanmax(temp)) == float(np.nanmin(temp)) == SENSOR_DEFAULT_C and log.t_s[-1] > 86_400:
            out.append(
                Verdict(
                    "temperature sensor",
                    "caution",
                    0,
                    last,
                    SENSOR_DEFAULT_C,
                    None,
                    f"{SENSOR_DEFAULT_C:.1f} °C all the time: is a sensor connected at all?",
                )
            )
    return out


def _links(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    """Find when the BMS said nothing: its columns stop while the others go on."""
    told = [log.columns[c] for c in ("asked_v", "limit_in_a", "limit_out_a") if c in log.columns]
    volts = log.columns.get("volts")
    if not told or volts is None:
        return []
    silent = np.all([~np.isfinite(c) | (c == 0) for c in told], axis=0) & np.isfinite(volts)
    if silent.mean() > 0.5:
        return []
    out: list[Verdict] = []
    for i, j in _long(log, silent, 10.0):
        out.append(
            Verdict(
                "link",
                "bad",
                i,
                j,
                round(log.t_s[j] - log.t_s[i] + log.clock.step_s, 1),
                None,
                f"No limits from the BMS for {_min(log.t_s[j] - log.t_s[i] + log.clock.step_s)}: look at cable and terminators.",
            )
        )
    return out


def _forced(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    """Find when the BMS asked for a forced charge; of a bank that is nearly full no healthy one does."""
    asked, soc = log.columns.get("forced"), log.columns.get("soc")
    if asked is None:
        return []
    out: list[Verdict] = []
    for i, j in _long(log, np.nan_to_num(asked) > 0, LIMIT_S):
        known = soc[i : j + 1][np.isfinite(soc[i : j + 1])] if soc is not None else np.zeros(0)
        most = float(known.max()) if len(known) else None
        full = most is not None and most >= FORCED_SOC
        text = f"The BMS asked for a forced charge for {_min(log.t_s[j] - log.t_s[i])}"
        if most is not None:
            text += (
                f" at {float(known.min()):.0%} to {most:.0%} charge"
                if most - float(known.min()) > SOC_WITHIN
                else f" at {most:.0%}"
            )
        text += "; look at its firmware." if full else "."
        out.append(Verdict("forced charge", "bad" if full else "caution", i, j, most, FORCED_SOC, text))
    return out


def _sources(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    out: list[Verdict] = []
    per_night = found.figures.get("transfers_per_night")
    if per_night is not None and float(per_night.value) > MANY_TRANSFERS:
        load = log.columns.get("load_w", log.columns.get("ac_out_w"))
        at = found.transfers
        then = f" at {np.nanmedian(load[at]):.0f} W of load" if load is not None and np.isfinite(load[at]).any() else ""
        out.append(
            Verdict(
                "transfers",
                "caution",
                at[0],
                at[-1],
                float(per_night.value),
                MANY_TRANSFERS,
                f"{float(per_night.value):.0f} transfers to the mains a night{then}: the thresholds lie too near.",
            )
        )
    hz, on = log.columns.get("generator_hz"), flag(log, *GENERATOR_ON)
    if hz is not None and on is not None and job is not None and job.site.ac is not None:
        wanted = float(job.site.ac.hz)
        wrong = on & np.isfinite(hz) & (np.abs(hz - wanted) > GENERATOR_HZ_WITHIN * wanted)
        for i, j in _long(log, wrong, 3 * LIMIT_S):
            value = float(np.nanmedian(hz[i : j + 1]))
            out.append(
                Verdict(
                    "generator", "caution", i, j, round(value, 2), wanted, f"{value:.1f} Hz under load; {wanted:.0f} Hz is wanted."
                )
            )
    return out


def _windows(log: Log, found: Found, job: Job | None, plan: Plan | None) -> list[Verdict]:
    """Hold the minute at which charging from AC begins against the windows; an offset of all days is the unit's clock."""
    if job is None or not job.windows:
        return []
    source = log.columns.get("grid_w", log.columns.get("ac_in_w"))
    amps = log.columns.get("amps")
    if source is None or amps is None or log.clock.step_s > SECONDS_UNTIL:
        return []
    on = (np.nan_to_num(source) > AC_CHARGING_W) & (np.nan_to_num(amps) > 1)
    rises = np.flatnonzero(np.diff(on.astype(np.int8)) > 0) + 1
    minute = log.minute_of_day
    offs: list[tuple[float, int]] = []
    begins = []
    for w in job.windows:
        if w.action == "charge":
            h, m = str(w.from_).split(":")[:2]
            begins.append(int(h) * 60 + int(m))
    for row in rises:
        if log.t_s[row] - log.t_s[row - 1] > 3 * log.clock.step_s + 1:
            continue
        near = [(minute[row] - b + DAY_MIN // 2) % DAY_MIN - DAY_MIN // 2 for b in begins]
        best = min(near, key=abs, default=None)
        if best is not None and abs(best) <= WINDOW_NEAR_MIN:
            offs.append((float(best), int(row)))
    if not offs:
        return []
    usual = float(np.median([o for o, _ in offs]))
    first, last = offs[0][1], offs[-1][1]
    begin = dt.time(begins[0] // 60, begins[0] % 60).strftime("%H:%M")
    if abs(usual) <= max(WINDOW_WITHIN_MIN, 2 * log.clock.step_s / 60):
        return [
            Verdict(
                "windows", "good", first, last, round(usual, 1), 0.0, f"Charging from AC begins when its window does ({begin})."
            )
        ]
    way = "late" if usual > 0 else "early"
    text = f"Charging from AC begins {abs(usual):.0f} min {way} by the log's clock. Compare it with the unit's clock."
    return [Verdict("windows", "caution", first, last, round(usual, 1), 0.0, text)]
