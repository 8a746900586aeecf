"""Stage Thresholds: the ladder of voltages and charge levels at which things happen.

The ladder is a system of difference constraints on the grid of steps of the unit it is solved for.
Every rule adds constraints; wishes (schools, the person's own figures) are granted in order of
importance within what the rules leave. Integers are microvolts, or millionths of full charge.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...documents.job import Job
from ...documents.profiles import MenuProfile
from ...documents.results.bank import Bank
from ...documents.results.base import Alternative, Reason
from ...documents.results.thresholds import LadderView, Rung, SocMark, Zone
from ...trade.chemistries import SCHOOL_LEVEL, Chemistry, charge_level_v, ocv_v, soc_at, soc_band
from ...trade.margins import LOW_END_SOC, SAG_UNCERTAINTY, SOC_MARKS, ZONE_V
from ...trade.quantities import QUANTITIES, fitting
from ...trade.rules import Rule
from ...trade.steps import clean, figure
from ..bank.solve import charge_cell_v, chemistry_of
from ..constraints import Constraint, Grid, Ranges, find_conflict, granted, propagate, ways_out
from ..solved import Basis, Ladder, Solved
from .basis import active_quantities, decide_by
from .ladder import MICRO, constraints_of, grid_of, to_micro, wishes_of
from .rules import INTERLOCK, RESERVE

DOWN = {
    "absorb_v",
    "float_v",
    "equalise_v",
    "recharge_v",
    "gen_stop_v",
    "return_bank_v",
    "return_bank_soc",
    "gen_stop_soc",
    "recharge_soc",
}
"""Thresholds whose wish is rounded down to the step; all others are rounded up, away from empty."""


def solve_ladder(solved: Solved, profile: MenuProfile | None) -> Ladder:
    """Return the ladder solved on the grid of ``profile`` (a 0.1 V, 1 % grid without one)."""
    job, bank, b = solved.job, solved.bank, solved.basis
    assert bank is not None and b is not None
    by = decide_by(job, solved.link, profile)
    names = active_quantities(job, by, profile)
    grids = [grid_of(n, profile.setting_for(n) if profile else None, profile, b) for n in names]
    constraints = list(constraints_of(b, solved.modules, set(names), profile, grids))
    ranges = propagate(grids, constraints)
    chem = chemistry_of(solved.modules)
    view = {
        "solved_for": profile.id if profile else "",
        "low_v": round(b.n * (b.cell_min_v - ZONE_V[0]), 2),
        "high_v": round(b.n * (b.cell_max_v + ZONE_V[1]), 2),
        "zones": [
            Zone(
                low=round(b.n * (b.cell_min_v - ZONE_V[0]), 2),
                high=clean(b.n * b.cell_min_v),
                word=f"the battery opens by itself below {figure(b.n * b.cell_min_v)}",
            ),
            Zone(
                low=clean(b.n * b.cell_max_v),
                high=round(b.n * (b.cell_max_v + ZONE_V[1]), 2),
                word=f"above the cells' limit {figure(b.n * b.cell_max_v)}",
            ),
        ],
        "soc_marks": [SocMark(soc=s, v=round(b.n * ocv_v(chem, s), 3)) for s in SOC_MARKS],
        "design_load_a": round(b.load_a, 1),
        "full_load_a": round(b.full_a, 1),
        "path_mohm": bank.path_mohm,
        "decide_by": by,
    }
    if ranges is None:
        # The units' ranges are constraints too; with the grids' own bounds out of the way they are named like any other.
        open_grids = [Grid(g.name, g.low - (g.high - g.low), g.high + (g.high - g.low), g.step, g.offset) for g in grids]
        conflict = find_conflict(open_grids, constraints)
        ways = [
            f"{c.rule} gave way by {figure(less / MICRO, 3)} {_unit_of(c)} at "
            f"{' and '.join(QUANTITIES[x].word.lower() for x in (c.upper, c.lower) if x)} ({c.text})"
            for c, less in ways_out(open_grids, constraints)
        ]
        words = f"It would fit if {' and '.join(ways)}." if ways else ""
        return Ladder(
            {},
            LadderView(**view, feasible=False, conflict=[c.rule for c in conflict.constraints], way_out=words),
            (),
            conflict.constraints,
        )
    by_name = {g.name: g for g in grids}
    wishes = wishes_of(job, b, chem, by, names)
    rounded = [(n, by_name[n].down(to_micro(v)) if n in DOWN else by_name[n].up(to_micro(v))) for n, v, _, _ in wishes]
    values = granted(grids, ranges, rounded)
    assert values is not None
    reasons = {n: (rule, text) for n, _, rule, text in wishes}
    solution = _Solution(b, bank, chem, job, by_name, ranges, values, reasons)
    rungs: dict[str, Rung] = {}
    refused = []
    for kind in ("volts", "soc"):
        ordered = sorted((n for n in names if QUANTITIES[n].kind == kind), key=lambda n: -values[n])
        for i, name in enumerate(ordered):
            below = ordered[i + 1] if i + 1 < len(ordered) else None
            own = job.policy.own_number(name)
            rungs[name] = _rung(solution, name, below, own)
            if own is not None and abs(values[name] / MICRO - own) > by_name[name].step / MICRO / 2 + 1e-9:
                down = to_micro(own) > values[name]
                rules, texts = _chain_of(name, ranges.high_cause if down else ranges.low_cause, down)
                refused.append((name, own, values[name] / MICRO, rules, texts))
    squeezed = tuple(
        (name, wish / MICRO, *_held_by(name, grids, constraints, rounded, values))
        for name, wish in rounded
        if reasons[name][0] is RESERVE and name not in job.policy.own_figures and values[name] < wish - by_name[name].step
    )
    raised = tuple(
        (name, wish / MICRO, *_chain_of(name, ranges.low_cause, False))
        for name, wish in rounded
        if name == "absorb_v" and name not in job.policy.own_figures and values[name] > wish + by_name[name].step
    )
    gaps = tuple(c for c in constraints if c.upper is not None and c.lower is not None and c.rule != INTERLOCK.id)
    return Ladder(rungs, LadderView(**view, feasible=True, conflict=[], way_out=""), tuple(refused), (), squeezed, raised, gaps)


def _held_by(
    name: str, grids: Sequence[Grid], constraints: Sequence[Constraint], wishes: Sequence[tuple[str, int]], values: dict[str, int]
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return ids and words of what keeps a threshold below its wish: the rules on the way up to a wish that came before it."""
    before = [n for n, _ in wishes[: [n for n, _ in wishes].index(name)]]
    held = [
        Constraint(None, n, -values[n], "wish", f"{QUANTITIES[n].word.lower()} at {figure(values[n] / MICRO)} V") for n in before
    ]
    ranges = propagate(grids, [*constraints, *held])
    return _chain_of(name, ranges.high_cause, True) if ranges else ((), ())


def _unit_of(c: Constraint) -> str:
    name = c.upper or c.lower or ""
    return "of charge" if name.endswith("_soc") else "V"


def _chain_of(name: str, causes: Mapping[str, Constraint], down: bool) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Walk the constraints that set a bound back to where it starts; return rule ids and texts."""
    rules: list[str] = []
    texts: list[str] = []
    at = name
    while at in causes and len(rules) < len(causes) + 1:
        c = causes[at]
        rules.append(c.rule)
        texts.append(c.text)
        nxt = c.upper if down else c.lower
        if nxt is None:
            break
        at = nxt
    return tuple(dict.fromkeys(rules)), tuple(dict.fromkeys(texts))


@dataclass(frozen=True, slots=True)
class _Solution:
    """A solved system, as its rungs are made from it: values and ranges in micro-units by quantity."""

    basis: Basis
    bank: Bank
    chemistry: Chemistry
    job: Job
    grids: Mapping[str, Grid]
    ranges: Ranges
    values: Mapping[str, int]
    wishes: Mapping[str, tuple[Rule, str]]


def _rung(solution: _Solution, name: str, below: str | None, own: float | None) -> Rung:
    b, values, step = solution.basis, solution.values, solution.grids[name].step / MICRO
    lowest, highest = solution.ranges.lowest[name] / MICRO, solution.ranges.highest[name] / MICRO
    wish, low_cause, high_cause = (
        solution.wishes.get(name),
        solution.ranges.low_cause.get(name),
        solution.ranges.high_cause.get(name),
    )
    q = QUANTITIES[name]
    value = clean(values[name] / MICRO)
    chem = solution.chemistry
    reasons = []
    if wish is not None:
        reasons.append(Reason(rule=wish[0].id, text=wish[1], bound="school"))
    if low_cause is not None:
        reasons.append(Reason(rule=low_cause.rule, text=low_cause.text, bound="lowest"))
    if high_cause is not None:
        reasons.append(Reason(rule=high_cause.rule, text=high_cause.text, bound="highest"))
    if q.kind == "soc":
        rest = load = full = value
        sag = 0.0
        band = None
        cell = None
    else:
        charging = name in ("absorb_v", "float_v", "equalise_v", "gen_stop_v", "return_bank_v")
        sag = 0.0 if charging else b.load_a * b.path_ohm
        rest = soc_at(chem, value / b.n)
        load = soc_at(chem, (value + sag) / b.n)
        full = rest if charging else soc_at(chem, (value + b.full_a * b.path_ohm) / b.n)
        band = [round(s, 4) for s in soc_band(chem, value / b.n, (b.meter_v + SAG_UNCERTAINTY * sag) / b.n)]
        cell = round(value / b.n, 4)
    return Rung(
        word=fitting(q.word, solution.job.site.sources),
        kind="soc" if q.kind == "soc" else "volts",
        value=value,
        cell_v=cell,
        lowest=clean(lowest),
        highest=clean(highest),
        step=clean(step),
        margin=round((values[name] - values[below]) / MICRO, 4) if below else None,
        next_below=below,
        at_rest_soc=round(rest, 4),
        at_rest_soc_band=band,
        under_load_soc=round(load, 4),
        full_load_soc=round(full, 4),
        sag_v=round(sag, 3),
        wished=own,
        own=own is not None and abs(own - value) <= step / 2 + 1e-9,
        active=True,
        settable=True,
        why=list(dict.fromkeys(r.rule for r in reasons)),
        reasons=reasons,
        alternatives=_alternatives(name, b, solution.chemistry, solution.job),
    )


def _alternatives(name: str, b: Basis, chem: Chemistry, job: Job) -> list[Alternative]:
    n = b.n
    if name == "absorb_v":
        return [
            Alternative(
                school=s, value=clean(round(charge_level_v(chem, s) * n, 3)), text=f"{n} × {figure(charge_level_v(chem, s))}"
            )
            for s in SCHOOL_LEVEL
            if s != job.policy.charge_school or job.policy.charge_cell_v is not None
        ]
    if name == "float_v":
        top = charge_cell_v(job, chem)[0] * n
        table = {
            "same": (clean(round(top, 3)), "no drop: keeps the bank full, ages it"),
            "rest": (clean(round(chem.rest_v * n, 3)), "rests; loads run on sun"),
            "none": ("off", "stops, and charges again at a set point"),
        }
        return [Alternative(school=s, value=v, text=t) for s, (v, t) in table.items() if s != job.policy.float_school]
    if name == "shutdown_v":
        low = n * b.cell_min_v + n * b.margins.shutdown_v
        return [
            Alternative(
                school=school,
                value=clean(round(max(low, n * ocv_v(chem, soc) - b.load_a * b.path_ohm), 2)),
                text=f"cut-off + {b.margins.shutdown_v} V a cell: the whole bank is used"
                if school == "deep"
                else f"{figure(soc * 100)} % at the design load",
            )
            for school, soc in zip(LOW_END_SOC, chem.low_end_soc, strict=True)
            if school != job.policy.low_end_school
        ]
    return []


MOST_TRANSFERS = 999


def transfers_in(night_h: float, bank_h: float, ac_h: float) -> int:
    """Return how often a unit goes over in a night [h] that begins with the bank at its return level.

    ``bank_h`` is how long the bank carries the load down to the transfer level, ``ac_h`` how long charging takes back up (infinite without).
    """
    count, at = 0, bank_h
    while at <= night_h and count < MOST_TRANSFERS:
        count += 1
        at += ac_h if count % 2 else bank_h
    return count
