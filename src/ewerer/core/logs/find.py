"""What happened in a log: stages of charging, plateau, overshoot, hold, tail, path resistance, sensor's gain and zero, starts.

Everything is worked out from the readings alone; the plan is held against it elsewhere (:mod:`.judge`).
Common practice unless a line says otherwise.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np

from ..trade.log_margins import ON_HZ, ON_V
from .table import Log

__all__ = ["Figure", "Found", "Hold", "Segment", "find"]

MERGE_S = 90.0
"""A dip shorter than this does not end a hold."""
LEAST_HOLD_S = 120.0
SMOOTH_S = 5.0
LEAST_STEP_A = 5.0
SEEN_S = 5.0
"""With longer steps an overshoot may lie between two rows; its error is then not known."""
AROUND, LEAST_SHARE = 0.35, 0.3
"""Steps of current whose ohms lie so near belong together, and must be so large a part of all."""
NIGHT = (18, 6)
GENERATOR_ON = (("generator", 0.5), ("generator_hz", ON_HZ), ("generator_v", ON_V))
"""Columns that tell whether a generator runs, the surest first, and above what."""
FULL_C_RATE = 0.06
"""Tail under which a bank is full, as a part of its capacity an hour (common practice: 2 to 5 %)."""
CV_PART = 0.8
APART_PART = 0.4
"""What one of two tellings may be off by, as a part of what they differ by."""
NEAR_TOP = 0.008
"""How far under the highest volts of charging an absorption may lie: an overshoot of 0.4 V at 48 V."""


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure with its error (two standard deviations), None where the error is not known."""

    value: float | int | str
    error: float | None = None


@dataclass(frozen=True, slots=True)
class Segment:
    """One stretch of one kind: first and last row."""

    kind: str
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Hold:
    """One absorption: rows and seconds of first contact and end, what it stood at, how far it went above, whether the bank was full."""

    first: int
    last: int
    contact_s: float
    end_s: float
    contact_error_s: float
    level_v: float
    overshoot_v: float
    tail_a: float | None
    full: bool


@dataclass(slots=True)
class Found:
    """All that was found."""

    segments: list[Segment] = field(default_factory=list)
    holds: list[Hold] = field(default_factory=list)
    figures: dict[str, Figure] = field(default_factory=dict)
    noise_v: float = 0.0
    noise_a: float = 0.0
    float_rows: list[tuple[int, int]] = field(default_factory=list)
    transfers: list[int] = field(default_factory=list)
    levels: list[float] = field(default_factory=list)
    """voltages near the top at which something held the bank"""


def _noise(x: np.ndarray) -> float:
    """Return the standard deviation of what is not signal, from second differences; at least what the steps of figures make."""
    good = x[np.isfinite(x)]
    if len(good) < 8:
        return 0.0
    if len(good) > 200_000:
        good = good[:200_000]
    second = good[2:] - 2 * good[1:-1] + good[:-2]
    spread = float(np.median(np.abs(second))) * 1.4826 / np.sqrt(6)
    steps = np.abs(np.diff(good))
    steps = steps[steps > 1e-9]
    grid = float(np.quantile(steps, 0.02)) if len(steps) else 0.0
    return float(max(spread, grid / np.sqrt(12) if grid < 0.3 else 0.0))


def _smooth(x: np.ndarray, n: int) -> np.ndarray:
    """Return the running mean over n rows around each, leaving out what is missing."""
    if n <= 1:
        return x
    ok = np.isfinite(x)
    total = np.concatenate([[0.0], np.cumsum(np.where(ok, x, 0.0))])
    count = np.concatenate([[0], np.cumsum(ok)])
    i = np.arange(len(x))
    a, b = np.maximum(i - n // 2, 0), np.minimum(i + n // 2 + 1, len(x))
    number = count[b] - count[a]
    with np.errstate(invalid="ignore", divide="ignore"):
        out: np.ndarray = np.where(number > 0, (total[b] - total[a]) / number, np.nan)
    return out


def _despiked(x: np.ndarray, noise: float) -> np.ndarray:
    """Return readings in which a single one far from both its neighbours is the middle one of the three."""
    calm = _median3(x)
    with np.errstate(invalid="ignore"):
        far = np.abs(x - calm) > max(8 * noise, 0.002 * float(np.nanmedian(np.abs(x))))
    out: np.ndarray = np.where(far, calm, x)
    return out


def _median3(x: np.ndarray) -> np.ndarray:
    """Return the middle one of each row and its two neighbours: single spikes are gone."""
    if len(x) < 3:
        return x
    out = x.copy()
    out[1:-1] = np.median(np.stack([x[:-2], x[1:-1], x[2:]]), axis=0)
    return np.where(np.isfinite(out), out, x)


def _runs(mask: np.ndarray) -> list[tuple[int, int]]:
    """Return first and last row of each run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b) - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _joined(runs: list[tuple[int, int]], t: np.ndarray, within_s: float) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    for a, b in runs:
        if out and t[a] - t[out[-1][1]] <= within_s:
            out[-1] = (out[-1][0], b)
        else:
            out.append((a, b))
    return out


def _weights(log: Log) -> np.ndarray:
    """Return the seconds that each row stands for; a gap counts as one step."""
    step = max(log.clock.step_s, 1e-3)
    d = np.diff(log.t_s, append=log.t_s[-1] + step)
    for gap in log.clock.gaps:
        d[gap.after] = step
    return np.clip(d, 0, None)


def _levels(volts: np.ndarray, weight: np.ndarray, charging: np.ndarray, noise: float) -> list[float]:
    """Return the voltages at which a charger seems to hold, the highest first."""
    v, w = volts[charging], weight[charging]
    ok = np.abs(v - np.nanmedian(v)) < 0.25 * np.nanmedian(v) if np.isfinite(v).any() else np.zeros(len(v), bool)
    v, w = v[ok], w[ok]
    if len(v) < 5:
        return []
    top = float(np.max(v))
    low = top * 0.93
    bin_v = max(0.0002 * top, noise, 0.005)
    n = int((top - low) / bin_v) + 3
    dwell = np.histogram(v, bins=n, range=(low, low + n * bin_v), weights=w)[0]
    centre = low + (np.arange(n) + 0.5) * bin_v
    wide = np.convolve(dwell, np.ones(3), "same")
    base = np.array([np.median(wide[max(0, i - 15) : i + 16]) for i in range(n)])
    least = max(LEAST_HOLD_S, 3 * float(np.median(w)))
    out: list[float] = []
    for i in sorted(range(n), key=lambda i: -wide[i]):
        if wide[i] < least or wide[i] < 2.5 * base[i]:
            continue
        if all(abs(centre[i] - other) > 6 * bin_v for other in out):
            out.append(float(centre[i]))
    refined = []
    for level in out:
        near = np.abs(v - level) <= 2.5 * bin_v
        refined.append(_weighted(v[near], w[near], 0.5))
    return sorted(refined, reverse=True)


def _weighted(x: np.ndarray, w: np.ndarray, part: float) -> float:
    """Return the figure below which a part of all weight lies."""
    order = np.argsort(x)
    total = np.cumsum(w[order])
    return float(x[order][int(np.searchsorted(total, part * total[-1]))])


def find(log: Log, capacity_ah: float | None = None, absorb_v: float | None = None) -> Found:
    """Return what happened in a log. ``capacity_ah`` and the planned ``absorb_v`` help where they are known."""
    out = Found()
    volts, amps = log.columns.get("volts"), log.columns.get("amps")
    weight = _weights(log)
    if volts is not None:
        out.noise_v = _noise(volts)
        volts = _despiked(volts, out.noise_v)
    if amps is not None:
        out.noise_a = _noise(amps)
    if volts is not None and amps is not None and np.isfinite(volts).sum() > 4 and np.isfinite(amps).sum() > 4:
        _charging(log, out, weight, volts, amps, capacity_ah, absorb_v)
        _resistance(log, out, volts, amps)
        _self_use(log, out, volts, amps)
    _extremes(log, out)
    if amps is not None and capacity_ah and np.isfinite(amps).any():
        calm = _median3(_smooth(amps, max(1, min(9, int(SMOOTH_S / max(log.clock.step_s, 1e-3)) | 1))))
        out.figures["c_rate"] = Figure(
            round(float(np.nanmax(np.abs(calm))) / capacity_ah, 4), round(2 * out.noise_a / capacity_ah, 4)
        )
    _shunt(log, out)
    _switches(log, out, weight)
    return out


def _charging(
    log: Log,
    out: Found,
    weight: np.ndarray,
    volts: np.ndarray,
    amps: np.ndarray,
    capacity_ah: float | None,
    planned_v: float | None,
) -> None:
    t, step = log.t_s, max(log.clock.step_s, 1e-3)
    n = max(1, min(9, int(SMOOTH_S / step) | 1))
    v, a = _smooth(volts, n), _smooth(amps, n)
    scale = float(np.nanquantile(np.abs(amps), 0.95))
    still = max(3 * out.noise_a / np.sqrt(n), 0.01 * scale, 0.2)
    tolerance = max(3 * out.noise_v / np.sqrt(n), 0.0003 * float(np.nanmedian(volts)), 0.01)
    charging = np.nan_to_num(a) > still
    resting = np.nan_to_num(a, nan=-1e9) > -still  # what a charger holds at the end of a charge is near nothing
    levels = _levels(v, weight, charging, out.noise_v / np.sqrt(n))
    level = None
    top = float(np.max(v[charging & np.isfinite(v)])) if levels else 0.0
    for candidate in levels:
        if candidate < top * (1 - NEAR_TOP):  # the charger went higher: this was no absorption
            break
        if planned_v is not None and abs(candidate - planned_v) > 0.03 * planned_v:
            continue
        runs = _joined(_runs((np.nan_to_num(v) >= candidate - tolerance) & resting), t, MERGE_S)
        runs = [(i, j) for i, j in runs if t[j] - t[i] + step >= LEAST_HOLD_S]
        regulated = [r for r in runs if _regulated(a, v, *r, candidate, tolerance)]
        near = planned_v is not None and abs(candidate - planned_v) <= 0.006 * planned_v
        if regulated or (near and runs):
            level = candidate
            break
    out.levels = [x for x in levels if x > 0.97 * top]
    if level is not None:
        runs = _joined(_runs((np.nan_to_num(v) >= level - tolerance) & resting), t, MERGE_S)
        for i, j in runs:
            if t[j] - t[i] < LEAST_HOLD_S or j - i < 3:
                continue
            hold = _hold(log, out, volts, amps, v, a, i, j, level, tolerance, still, capacity_ah, n)
            if hold.end_s - hold.contact_s < LEAST_HOLD_S / 2:
                continue
            out.holds.append(hold)
        _float(log, out, v, a, tolerance, still)
    _segments(log, out, a, still, capacity_ah)
    if out.holds:
        full = [h for h in out.holds if h.full]
        best = max(full or out.holds, key=lambda h: h.end_s - h.contact_s)
        spread = 2 * out.noise_v / np.sqrt(max(1, best.last - best.first))
        out.figures["absorb_v"] = Figure(round(best.level_v, 4), round(max(spread, 0.001), 4))
        over = max(out.holds, key=lambda h: h.overshoot_v)
        out.figures["overshoot_v"] = Figure(
            round(over.overshoot_v, 4), round(2 * out.noise_v + 0.002, 4) if step <= SEEN_S else None
        )
        out.figures["hold_min"] = Figure(round((best.end_s - best.contact_s) / 60, 3), round((best.contact_error_s + step) / 60, 3))
        if best.tail_a is not None:
            out.figures["tail_a"] = Figure(round(best.tail_a, 2), round(2 * out.noise_a / np.sqrt(10) + 0.01, 2))
        if full:
            out.figures["full_at"] = Figure(log.at(full[-1].last), round(step, 1))


def _regulated(a: np.ndarray, v: np.ndarray, i: int, j: int, level: float, tolerance: float) -> bool:
    """Return whether volts stood while amps fell, as a charger that holds a voltage makes them."""
    span = j - i + 1
    third = max(1, span // 3)
    early, late = float(np.nanquantile(a[i : i + max(2, span // 8)], 0.9)), float(np.nanmedian(a[j - third + 1 : j + 1]))
    flat = float(np.nanquantile(np.abs(v[i : j + 1] - level), 0.8)) <= 2 * tolerance
    return flat and late < CV_PART * early


def _hold(
    log: Log,
    out: Found,
    volts: np.ndarray,
    amps: np.ndarray,
    v: np.ndarray,
    a: np.ndarray,
    i: int,
    j: int,
    level: float,
    tolerance: float,
    still: float,
    capacity_ah: float | None,
    n: int,
) -> Hold:
    t, step = log.t_s, max(log.clock.step_s, 1e-3)
    inside = (t >= t[i] + 60) & (t <= t[j]) if t[j] - t[i] > 300 else (t >= t[i]) & (t <= t[j])
    own = np.abs(v - level) <= 2 * tolerance
    mine = float(np.nanmedian(volts[inside & own])) if (inside & own).any() else level
    contact, error = _contact(t, volts, amps, i, mine, out.noise_v, out.noise_a, step)
    contact = min(contact, float(t[j]))
    first = int(np.searchsorted(t, contact))
    # The end: amps fall away before or as volts do.
    last, end_s = _end(t, amps, v, a, i, j, mine, tolerance, step, still, out.noise_a)
    span = (t >= t[i] - 30) & (t <= min(t[last], t[i] + 900))
    n_peak = 3 if n >= 3 and out.noise_v > 0.003 else 1
    peak = _smooth(volts, n_peak)
    rest = (t > t[i] + 900) & (t <= t[last]) & own
    top = float(np.nanmax(peak[span])) - mine
    usual = max(float(np.nanmax(peak[rest])) - mine, 0.0) if rest.sum() > 20 else 2.5 * out.noise_v / np.sqrt(n_peak)
    over = top if top > 1.5 * usual + 0.004 else 0.0
    before = (t >= t[last] - max(60.0, 3 * step)) & (t <= t[last])
    held = amps[before]
    tail = float(np.nanmedian(held)) if np.isfinite(held).any() else None
    begin = float(np.nanmedian(a[i : i + max(3, int(60 / step))]))
    if tail is None:
        full = False
    elif capacity_ah:
        full = tail <= FULL_C_RATE * capacity_ah
    else:
        full = tail <= 0.4 * begin
    return Hold(min(first, last), last, contact, end_s, error, mine, max(over, 0.0), tail, bool(full))


def _knee(x: np.ndarray, y: np.ndarray, noise: float) -> tuple[float, float] | None:
    """Fit y = slope x min(x - knee, 0): return the knee and its error; every row is tried, the least squares win."""
    n, sx, sy = np.arange(1, len(x) + 1), np.cumsum(x), np.cumsum(y)
    sxx, sxy, syy = np.cumsum(x**2), np.cumsum(x * y), float(np.sum(y**2))
    across, along = sxy - x * sy, sxx - 2 * x * sx + n * x**2
    with np.errstate(invalid="ignore", divide="ignore"):
        slope = np.where(along > 0, across / along, 0.0)
    left = np.where(slope > 0, syy - slope * across, np.inf)
    left[:2] = np.inf
    k = int(np.argmin(left))
    if not np.isfinite(left[k]):
        return None
    return float(x[k]), float(min(max(noise, 1e-3) / np.sqrt(max(2, min(k, 30))) / slope[k], 600.0))


def _contact(
    t: np.ndarray, volts: np.ndarray, amps: np.ndarray, i: int, level: float, noise: float, noise_a: float, step: float
) -> tuple[float, float]:
    """Return the second at which volts first reached a level, and how far that may be off.

    Told by the knee of the volts, which rise and then stand, or of the amps, which stand and then fall: by the volts where they are sharp, else by the sharper of the two.
    Where they differ by more than they claim, a part of that is the error.
    """
    back = int(np.searchsorted(t, t[i] - max(600.0, 12 * step)))
    ahead = int(np.searchsorted(t, t[i] + max(120.0, 4 * step)))
    tt, vv = t[back : ahead + 1], volts[back : ahead + 1]
    ok = np.isfinite(vv)
    tt, vv = tt[ok], vv[ok]
    found: list[tuple[float, float]] = []
    if len(tt) >= 4:
        # Near the level the rise is a line; far from it the bank's own curve bends it.
        lowest = max(8 * noise, 0.0004 * level)
        while (vv >= level - lowest).sum() < 6 + (tt >= t[i]).sum() and lowest < 0.05 * level:
            lowest *= 1.5
        near = vv >= level - lowest
        if near.sum() >= 4:
            # What stands above the level (an overshoot) counts as the level.
            by_volts = _knee(tt[near] - tt[near][0], np.minimum(vv[near], level + noise) - level, noise)
            if by_volts is not None:
                found.append((float(tt[near][0]) + by_volts[0], by_volts[1] + step / 2))
    if found:
        begin, end = int(np.searchsorted(t, found[0][0] - 400)), int(np.searchsorted(t, found[0][0] + 200))
        ta, aa = t[begin : end + 1], amps[begin : end + 1]
        ok = np.isfinite(aa)
        ta, aa = ta[ok], aa[ok]
        before = aa[ta < found[0][0] - 150]
        if len(before) >= 8 and float(np.std(before)) <= max(2 * noise_a, 0.01 * abs(float(np.mean(before)))):
            ends = -ta[::-1]
            by_amps = _knee(ends - ends[0], aa[::-1] - float(np.median(before)), noise_a)
            if by_amps is not None:
                found.append((-(float(ends[0]) + by_amps[0]), by_amps[1] + step / 2))
    if not found:
        return float(t[i]), step
    sharp = found[0][1] <= 3 * step  # then the volts tell it, the amps how far they may be off
    at, error = found[0] if sharp else min(found, key=lambda f: f[1])
    apart = abs(found[0][0] - found[-1][0])
    if apart > found[0][1] + found[-1][1]:
        error = max(error, APART_PART * apart)
    return float(np.clip(at, t[max(0, back - 1)], t[i] + max(400.0, step))), error


def _end(
    t: np.ndarray,
    amps: np.ndarray,
    v: np.ndarray,
    a: np.ndarray,
    i: int,
    j: int,
    level: float,
    tolerance: float,
    step: float,
    still: float,
    noise_a: float,
) -> tuple[int, float]:
    """Return the last row of a hold and its second: where amps fall away for good, or volts leave the level."""
    last = j
    while last > i and not (np.isfinite(v[last]) and v[last] >= level - tolerance):
        last -= 1
    after = min(len(t) - 1, last + max(3, int(30 / step)))
    begin = max(i, int(np.searchsorted(t, t[last] - 600)))
    part = amps[begin : after + 1]
    if np.isfinite(part).sum() < 4:
        return last, float(t[last])
    # The row after which amps are least like those before: the largest fall between the means of three rows on each side.
    filled = np.where(np.isfinite(part), part, np.nanmedian(part))
    best, at = 0.0, None
    reach = 3 if len(filled) >= 8 else 1
    for k in range(reach, len(filled) - reach + 1):
        fall = float(np.mean(filled[k - reach : k]) - np.mean(filled[k : k + reach]))
        if fall > best:
            best, at = fall, k
    level_a = float(np.median(filled[: max(1, len(filled) // 2)]))
    after_a = float(np.median(filled[at : at + reach])) if at is not None else 0.0
    if (
        at is not None
        and best > 0.35 * abs(level_a)
        and after_a <= max(3 * noise_a / np.sqrt(reach), 0.1 * abs(level_a))
        and best > max(8 * noise_a / np.sqrt(reach), 2 * still)
    ):
        row = begin + at - 1
        # Within the means the fall is where two rows differ most.
        around = range(max(begin, row - reach), min(begin + len(filled) - 1, row + reach + 1))
        row = max(around, key=lambda r: filled[r - begin] - filled[r + 1 - begin] if r + 1 - begin < len(filled) else -1e9)
        return row, float(t[row]) + (0.0 if row + 1 >= len(t) else 0.5 * min(step, float(t[row + 1] - t[row])))
    # Volts leave slowly: the line through their fall meets the level where the hold ended.
    until = int(np.searchsorted(t, t[last] + max(60.0, 6 * step)))
    rows = np.arange(last + 1, min(until, len(t)))
    falling = rows[np.isfinite(v[rows]) & (v[rows] < level - tolerance) & (v[rows] > level - 0.02 * level)]
    if len(falling) >= 3 and t[falling[0]] - t[last] <= 4 * step:
        slope, const = np.polyfit(t[falling] - t[last], v[falling], 1)
        if slope < 0:
            cross = float(np.clip((level - const) / slope, -max(30.0, step), step))
            row = int(np.clip(np.searchsorted(t, t[last] + cross), i, last))
            return row, float(t[last]) + cross
    return last, float(t[last])


def _float(log: Log, out: Found, v: np.ndarray, a: np.ndarray, tolerance: float, still: float) -> None:
    """Find the stretches after a hold in which a lower voltage is held."""
    t = log.t_s
    rows: list[tuple[int, int]] = []
    found: list[float] = []
    for n, hold in enumerate(out.holds):
        stop = out.holds[n + 1].first if n + 1 < len(out.holds) else len(t)
        away = [
            i
            for i, j in _runs(np.nan_to_num(a[hold.last + 1 : stop]) < -3 * still)
            if t[hold.last + 1 + j] - t[hold.last + 1 + i] > MERGE_S
        ]
        part = slice(hold.last + 1, hold.last + 1 + away[0] if away else stop)
        vv, aa = v[part], a[part]
        ok = np.isfinite(vv) & (aa > -still) & (vv < hold.level_v - 3 * tolerance) & (vv > 0.94 * hold.level_v)
        if ok.sum() < 5:
            continue
        bin_v = max(tolerance / 2, 0.005)
        base = float(np.min(vv[ok]))
        counts = np.bincount(((vv[ok] - base) / bin_v).astype(int))
        wide = np.convolve(counts, np.ones(3), "same")
        top = int(np.argmax(wide))
        if wide[top] * max(log.clock.step_s, 1e-3) < 600 or wide[top] < 0.3 * ok.sum():
            continue
        here = base + (top + 0.5) * bin_v
        near = np.abs(vv - here) <= 3 * tolerance
        runs = _joined(_runs(near & (aa > -3 * still)), t[part], MERGE_S)
        runs = [r for r in runs if t[part][r[1]] - t[part][r[0]] >= 600]
        if not runs:
            continue
        found.append(float(np.median(vv[near])))
        rows += [(hold.last + 1 + r[0], hold.last + 1 + r[1]) for r in runs]
    out.float_rows = rows
    if found:
        out.figures["float_v"] = Figure(round(float(np.median(found)), 3), round(max(out.noise_v, 0.005), 3))


def _segments(log: Log, out: Found, a: np.ndarray, still: float, capacity_ah: float | None) -> None:
    """Divide the log into stretches: bulk, absorption, hold, float, rebulk, discharge, idle."""
    t, n = log.t_s, len(log.t_s)
    kinds = np.where(np.nan_to_num(a) > still, 1, np.where(np.nan_to_num(a) < -still, 2, 0)).astype(np.int8)
    for i, j in out.float_rows:
        kinds[i : j + 1] = 5
    for hold in out.holds:
        edge = hold.last
        limit = FULL_C_RATE * capacity_ah if capacity_ah else None
        part = a[hold.first : hold.last + 1]
        low = np.flatnonzero(part <= (limit if limit else 0.4 * float(np.nanmax(part, initial=0.0))))
        if len(low):
            edge = hold.first + int(low[0])
        kinds[hold.first : edge + 1] = 3
        kinds[edge + 1 : hold.last + 1] = 4
    words = {0: "idle", 1: "bulk", 2: "discharge", 3: "absorption", 4: "hold", 5: "float"}
    cuts = np.flatnonzero(np.diff(kinds)) + 1
    bounds = [0, *cuts.tolist(), n]
    raw = [(int(kinds[x]), x, y - 1) for x, y in itertools.pairwise(bounds) if y > x]
    least = max(LEAST_HOLD_S, 3 * log.clock.step_s)
    merged: list[list[int]] = []
    for kind, x, y in raw:
        short = t[y] - t[x] < least and kind in (0, 1, 2)
        if merged and (merged[-1][0] == kind or short):
            merged[-1][2] = y
        else:
            merged.append([kind, x, y])
    joined: list[list[int]] = []
    for kind, x, y in merged:
        if joined and joined[-1][0] == kind:
            joined[-1][2] = y
        else:
            joined.append([kind, x, y])
    since_full = False
    for kind, x, y in joined:
        word = words[kind]
        if word in ("hold", "float"):
            since_full = True
        if word == "discharge" and since_full and t[y] - t[x] > 2 * 3600:
            since_full = False
        if word == "bulk" and since_full:
            word = "rebulk"
        out.segments.append(Segment(word, x, y))


def _resistance(log: Log, out: Found, volts: np.ndarray, amps: np.ndarray) -> None:
    """Fit dV = R dI over the steps of current, where nothing holds the volts."""
    t, step = log.t_s, max(log.clock.step_s, 1e-3)
    reach = 3 if step <= 1.01 else 1
    held = np.zeros(len(t), bool)
    for hold in out.holds:
        held[max(0, hold.first - 2 * reach - 60 if step <= 1.01 else hold.first - 2) : hold.last + 2 * reach + 1] = True
    for i, j in out.float_rows:
        held[max(0, i - reach) : j + reach + 1] = True
    for level in out.levels:
        held |= np.abs(volts - level) <= max(3 * out.noise_v, 0.0003 * level)
    total_v = np.concatenate([[0.0], np.cumsum(np.nan_to_num(volts))])
    total_a = np.concatenate([[0.0], np.cumsum(np.nan_to_num(amps))])
    whole = np.concatenate([[0], np.cumsum(np.isfinite(volts) & np.isfinite(amps) & ~held)])
    skip = 1 if reach > 1 else 0
    at = np.arange(reach, len(t) - reach - skip)
    if len(at) < 3:
        return
    low_v, high_v = (total_v[at] - total_v[at - reach]) / reach, (total_v[at + skip + reach] - total_v[at + skip]) / reach
    low_a, high_a = (total_a[at] - total_a[at - reach]) / reach, (total_a[at + skip + reach] - total_a[at + skip]) / reach
    ok = whole[at + skip + reach] - whole[at - reach] >= 2 * reach + skip
    ok &= t[at + skip + reach - 1] - t[at - reach] <= 1.6 * (2 * reach + skip) * step
    d_v, d_a = high_v - low_v, high_a - low_a
    least = max(LEAST_STEP_A, 8 * out.noise_a, 0.15 * float(np.nanquantile(np.abs(amps), 0.98)))
    # A step is flat on both sides: what it was before and after hardly moved.
    inner = np.abs(np.diff(amps))
    flat = np.full(len(at), fill_value=True)
    if reach > 1:
        calm = max(4 * out.noise_a, 0.5)
        rough = np.concatenate([[0], np.cumsum(np.nan_to_num(inner) > calm)])
        flat = (rough[at - 1] - rough[at - reach] == 0) & (rough[at + skip + reach - 1] - rough[at + skip] == 0)
    ok &= flat & (np.abs(d_a) >= least)
    if ok.sum() < 4:
        return
    x, y = d_a[ok], d_v[ok]
    # Steps at which something held the volts say nothing: begin above the middle, and keep what lies around.
    slope = _weighted(y / x, np.abs(x), 0.7)
    spread = 0.0
    for _ in range(8):
        if slope <= 0:
            return
        keep = np.abs(y - slope * x) <= AROUND * slope * np.abs(x) + 3 * out.noise_v / np.sqrt(reach)
        if keep.sum() < 4 or keep.mean() < LEAST_SHARE:
            break
        slope = float(np.sum(x[keep] * y[keep]) / np.sum(x[keep] ** 2))
        spread = float(np.std(y[keep] - slope * x[keep])) / float(np.sqrt(np.sum(x[keep] ** 2)))
    else:
        if slope > 0:
            out.figures["resistance_mohm"] = Figure(round(slope * 1000, 4), round(max(2000 * spread, 0.001), 4))


def _shunt(log: Log, out: Found) -> None:
    """Fit shunt = gain x amps + zero."""
    x, y = log.columns.get("amps"), log.columns.get("shunt_a")
    if x is None or y is None:
        return
    ok = np.isfinite(x) & np.isfinite(y)
    if ok.sum() < 20 or float(np.ptp(x[ok])) < 10 * max(out.noise_a, 0.2):
        return
    x, y = x[ok], y[ok]
    keep = np.ones(len(x), bool)
    for _ in range(4):
        m = np.stack([x[keep], np.ones(keep.sum())], axis=1)
        (gain, zero), *_rest = np.linalg.lstsq(m, y[keep], rcond=None)
        res = y - gain * x - zero
        spread = float(np.median(np.abs(res[keep]))) * 1.4826
        keep = np.abs(res) <= max(4 * spread, 0.05)
        if keep.sum() < 20:
            return
    sd = float(np.std(res[keep]))
    mid = float(np.mean(x[keep]))
    sxx = float(np.sum((x[keep] - mid) ** 2)) or 1.0
    n = int(keep.sum())
    out.figures["shunt_gain"] = Figure(round(float(gain), 5), round(2 * sd / np.sqrt(sxx), 5))
    out.figures["shunt_zero_a"] = Figure(round(float(zero), 4), round(2 * sd * float(np.sqrt(1 / n + mid**2 / sxx)), 4))


def _self_use(log: Log, out: Found, volts: np.ndarray, amps: np.ndarray) -> None:
    """Fit what the bank gives at night = own use + loads / efficiency."""
    load = log.columns.get("load_w", log.columns.get("ac_out_w"))
    if load is None:
        return
    given = -volts * amps
    ok = np.isfinite(given) & np.isfinite(load) & (given > 0)
    for name, most in (("pv_w", 5.0), ("on_mains", 0.5), ("generator", 0.5), ("grid_w", 20.0), ("ac_in_w", 20.0)):
        other = log.columns.get(name)
        if other is not None:
            ok &= np.nan_to_num(np.abs(other)) <= most
    if ok.sum() < 60 or float(np.ptp(load[ok])) < 100:
        return
    x, y = load[ok], given[ok]
    m = np.stack([x, np.ones(len(x))], axis=1)
    (slope, own), *_rest = np.linalg.lstsq(m, y, rcond=None)
    res = y - m @ np.array([slope, own])
    if not 1.0 <= slope <= 1.5 or own < 0:
        return
    mid = float(np.mean(x))
    error = 2 * float(np.std(res)) * float(np.sqrt(1 / len(x) + mid**2 / float(np.sum((x - mid) ** 2))))
    out.figures["self_use_w"] = Figure(round(float(own), 1), round(error, 1))


def _extremes(log: Log, out: Found) -> None:
    for name, key, high in (("volts", "highest_v", True), ("volts", "lowest_v", False), ("soc", "lowest_soc", False)):
        x = log.columns.get(name)
        if x is None or not np.isfinite(x).any():
            continue
        calm = _despiked(x, out.noise_v if name == "volts" else 0.0)
        value = float(np.nanmax(calm) if high else np.nanmin(calm))
        out.figures[key] = Figure(round(value, 4), round(2 * out.noise_v, 4) if name == "volts" else None)


def flag(log: Log, *names: tuple[str, float]) -> np.ndarray | None:
    """Return whether something is on at each row, from the first column that is there; what is missing is as it was before."""
    for name, more in names:
        x = log.columns.get(name)
        if x is None or not np.isfinite(x).any():
            continue
        known = np.isfinite(x)
        at = np.maximum.accumulate(np.where(known, np.arange(len(x)), 0))
        filled = np.where(known[at], x[at], 0.0)
        return np.asarray(filled > more)
    return None


def _switches(log: Log, out: Found, weight: np.ndarray) -> None:
    """Count transfers to the mains and starts of the generator."""
    on = flag(log, ("on_mains", 0.5))
    if on is not None:
        rises = np.flatnonzero(np.diff(on.astype(np.int8)) > 0) + 1
        out.transfers = rises.tolist()
        out.figures["transfers"] = Figure(len(rises))
        hours = log.minute_of_day // 60
        days = (log.clock.wall - np.timedelta64(12, "h")).astype("datetime64[D]")
        night = (hours >= NIGHT[0]) | (hours < NIGHT[1])
        nights = len(np.unique(days[night])) if night.any() else 0
        if nights:
            out.figures["transfers_per_night"] = Figure(round(float(night[rises].sum()) / nights, 3))
    running = flag(log, *GENERATOR_ON)
    if running is not None:
        starts = np.flatnonzero(np.diff(running.astype(np.int8)) > 0) + 1
        out.figures["generator_starts"] = Figure(len(starts))
        out.figures["generator_h"] = Figure(
            round(float(weight[running].sum()) / 3600, 3), round(log.clock.step_s * 2 * max(1, len(starts)) / 3600, 3)
        )
