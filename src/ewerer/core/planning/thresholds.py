"""Stage Thresholds: the ladder of voltages and charge levels at which things happen.

The ladder is a system of difference constraints on the grid of steps of the unit it is solved for.
Every rule adds constraints; wishes (schools, the person's own figures) are granted in order of
importance within what the rules leave. Integers are microvolts, or millionths of full charge.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise, product
from typing import Any, Literal

from ..devices.codec import factor_of
from ..documents.conditions import parse_interlock
from ..documents.job import Job
from ..documents.profiles import MenuProfile, Setting
from ..documents.results.bank import Bank
from ..documents.results.base import Alternative, Reason
from ..documents.results.limits import Limits
from ..documents.results.link import Link
from ..documents.results.thresholds import LadderView, Rung, SocMark, Zone
from ..trade.chemistries import SCHOOL_LEVEL, Chemistry, charge_level_v, ocv_v, soc_at, soc_band
from ..trade.finding import Finding
from ..trade.margins import (
    ALARM_SOC_GAP,
    ALARM_SOC_OVER,
    DEFAULT_STEP_V,
    GAP_V,
    GENERATOR_STOP_SOC,
    INVERTER_EFFICIENCY,
    LEAST_HOURS,
    LOW_END_OF_RESERVE,
    LOW_END_SOC,
    METER_ERROR_PER_CELL_V,
    NIGHT_H,
    RECHARGE_SOC,
    RECHARGE_SOC_AT_LOAD,
    RESTART_SOC_GAP,
    RESTART_SOC_OVER,
    RETURN_SOC,
    RETURN_SOC_GAP,
    RETURN_SOC_OVER,
    SAG_UNCERTAINTY,
    SHUTDOWN_SOC_FLOOR,
    SOC_MARKS,
    SOC_STEP,
    SOC_TOP,
    VAGUE_ELSEWHERE,
    VAGUE_PROTECTED,
    ZONE_V,
)
from ..trade.quantities import LADDER_SOC, LADDER_VOLTS, OWN_AMPS, QUANTITIES, fitting
from ..trade.rules import Rule, check, formula_rule
from ..trade.steps import clean, figure
from .bank import charge_cell_v, chemistry_of
from .constraints import Constraint, Grid, Ranges, find_conflict, granted, propagate, ways_out
from .limits import design_load_w
from .solved import Basis, Ladder, Module, Solved

MICRO = 1_000_000


def _order(id: str, statement: str, formula: str, source: str = "common practice") -> Rule:
    return formula_rule(id, "thresholds", statement, formula, source, "T", "order")


UNIT_RANGE = _order(
    "unit-range", "A unit takes only what lies in its own range", "entry_min <= entry <= entry_max", "the unit's profile"
)


INTERLOCK = _order("unit-interlock", "A unit enforces gaps between its own settings", "upper - lower >= gap", "the unit's profile")


CELL_MAX = _order(
    "charge-below-cell-max",
    "Absorption, its overshoot and the cells' spread stay below the cells' limit",
    "absorption + overshoot + n * imbalance <= n * V_cell_max",
)


RECOMMENDED = _order(
    "charge-recommended",
    "The module's own recommended charge range binds",
    "n * low <= absorption <= n * high",
    "the module's sheet",
)


EQUALISE = _order(
    "equalise-harmless",
    "Where equalising stays off its voltage is never above absorption, where it is wanted never below",
    "lithium, sealed: equalise <= absorption; flooded: equalise >= absorption",
)


FLOAT = _order("float-below-absorption", "Float is not above absorption", "float <= absorption")


RECHARGE = _order(
    "recharge-below-float",
    "Charging starts again at least one hysteresis below float",
    "float - recharge >= h, h = {cell.margins.hysteresis_v} V * n",
)


RECHARGE_RESTART = _order(
    "recharge-above-restart", "Charging starts again at least one hysteresis above restart", "recharge - restart >= h"
)


RECHARGE_RETURN = _order(
    "recharge-above-return", "The bank is charged again before it is given back its loads", "recharge - return >= {GAP_V} V * n"
)


SHUTDOWN_CUTOFF = _order(
    "shutdown-above-cutoff",
    "The inverter stops before the BMS opens, or nothing is left to wake it",
    "shut-down >= cut-off + n * {cell.margins.shutdown_v} V",
)


UNIT_OFF_CUTOFF = _order("unit-off-above-cutoff", "The hard stop is not below the BMS cut-off", "unit off >= n * V_cell_min")


UNIT_OFF_SHUTDOWN = _order(
    "unit-off-below-shutdown", "The hard stop lies below the shut-down", "shut-down - unit off >= {GAP_V} V * n"
)


ALARM = _order(
    "alarm-above-shutdown",
    "The alarm comes before the shut-down",
    "alarm - shut-down >= max(interlock, {cell.margins.alarm_v} V * n)",
)


TRANSFER_ALARM = _order(
    "transfer-above-alarm", "Another source takes over before the alarm", "transfer >= alarm, generator start >= alarm"
)


RESTART = _order(
    "restart-no-chatter",
    "After the load drops off the bank rebounds; restart lies above that",
    "restart - shut-down >= I_max * R_path + h",
)


CHATTER = _order(
    "source-chatter",
    "The way back lies above rebound and charging lift together",
    "return - transfer >= (I_load + I_charge) * R_path + h",
)


REACHABLE = _order(
    "return-reachable", "The way back can be reached by charging", "absorption - return >= {cell.margins.return_v} V * n"
)


CHAIN: tuple[tuple[str, ...], ...] = (
    ("absorb",),
    ("float",),
    ("recharge",),
    ("return_bank",),
    ("to_mains", "gen_start"),
    ("alarm",),
    ("shutdown",),
    ("unit_off",),
)
"""Thresholds from the top down; those of one place are not compared with each other."""


DESCENDING = _order(
    "threshold-order",
    "Thresholds descend in the order of what happens, also where some of them are missing on a unit",
    "absorption >= float >= charge again >= back to the bank >= transfer, generator start >= alarm >= shut-down >= unit off",
)


SOC_ORDER = _order(
    "soc-order",
    "The same order holds in charge levels",
    "recharge >= return, return - transfer >= {RETURN_SOC_GAP:%}, transfer >= alarm, alarm - shut-down >= {ALARM_SOC_GAP:%}, restart - shut-down >= {RESTART_SOC_GAP:%}, shut-down >= {SHUTDOWN_SOC_FLOOR:%}, ways back <= {SOC_TOP:%}",
)


SAG = formula_rule("sag", "thresholds", "Under load the terminals read lower than the cells rest", "V = n * OCV(s) - I * R_path")


SOC_BAND = formula_rule(
    "soc-band",
    "thresholds",
    "A voltage stands for a band of charge, wide where the curve is flat",
    "ds = dV / (dOCV/ds), dV = meter error + {SAG_UNCERTAINTY} * sag",
)


CHARGE_SCHOOL = formula_rule("charge-school", "thresholds", "Charge to a chosen cell voltage", "absorption = V_cell * n")


FLOAT_SCHOOL = formula_rule(
    "float-school",
    "thresholds",
    "Stay at absorption, rest lower, or stop",
    "same: float = absorption; rest: {cell.rest_v} V * n; none: float off",
)


RESERVE = formula_rule(
    "reserve-level",
    "thresholds",
    "The reserve is the charge at which another source takes over",
    "V = n * OCV(reserve) - I * R_path",
)


def reserve_of(job: Job, chemistry: Chemistry) -> float:
    """Return the chosen reserve (0..1), or the usual one of the chemistry where none is chosen."""
    return chemistry.reserve_soc if job.policy.reserve_soc is None else job.policy.reserve_soc


LOW_END = formula_rule(
    "low-end-school",
    "thresholds",
    "How far down the bank is used: to just above the cut-off, to the usual charge or to a careful one at the design load",
    "deep: {cell.low_end_soc[0]:%}; usual: {cell.low_end_soc[1]:%}; careful: {cell.low_end_soc[2]:%}; at most {LOW_END_OF_RESERVE[0]} of the reserve, {LOW_END_OF_RESERVE[1]} above {LOW_END_SOC[usual]:%}",
)


def shutdown_level(job: Job, chemistry: Chemistry) -> float:
    """Return the charge (0..1) at which the output shuts down: the person's own, else by the low-end school. Source: LOW_END."""
    if job.policy.shutdown_soc is not None:
        return job.policy.shutdown_soc
    reserve = reserve_of(job, chemistry)
    wished = chemistry.low_end(job.policy.low_end_school)
    return clean(round(min(wished, reserve * LOW_END_OF_RESERVE[wished > LOW_END_SOC["usual"]]), 3))


def basis_of(solved: Solved, bank: Bank, limits: Limits) -> Basis:
    """Return the ladder's basis for a job whose limits are known."""
    policy = solved.job.policy
    chemistry = chemistry_of(solved.modules)
    margins = chemistry.margins
    reserve = reserve_of(solved.job, chemistry)
    transfer = 0.0 if policy.charge_order == "sun-only" else min(solved.mains_charge_a, limits.charge.bank_a)
    return Basis(
        n=bank.series_cells,
        cell_max_v=bank.cell_max_v,
        cell_min_v=bank.cell_min_v,
        path_ohm=bank.path_mohm / 1000,
        load_a=min(limits.discharge.needed_a or 0.0, limits.discharge.bank_a),
        full_a=limits.discharge.bank_a,
        charge_a=min(sum(s.a for s in limits.charge.units), limits.charge.bank_a) or limits.charge.bank_a,
        transfer_charge_a=transfer,
        overshoot_v=policy.overshoot_v if policy.overshoot_v is not None else round(margins.overshoot_v * bank.series_cells, 3),
        imbalance_v=policy.imbalance_v if policy.imbalance_v is not None else margins.imbalance_v,
        meter_v=policy.meter_error_v if policy.meter_error_v is not None else round(METER_ERROR_PER_CELL_V * bank.series_cells, 3),
        reserve_soc=reserve,
        shutdown_soc=shutdown_level(solved.job, chemistry),
        margins=margins,
    )


def decide_by(job: Job, link: Link, profile: MenuProfile | None) -> Literal["volts", "soc"]:
    """Return whether thresholds act on volts or on charge level for this unit."""
    has_soc = profile is not None and any(s.quantity == "shutdown_soc" for s in profile.settings)
    if job.policy.control == "soc":
        return "soc" if has_soc or profile is None else "volts"
    if job.policy.control == "volts":
        return "volts"
    return "soc" if has_soc and profile is not None and (link.loop == "closed" or profile.sees_coulombs) else "volts"


def active_quantities(job: Job, by: Literal["volts", "soc"], profile: MenuProfile | None) -> list[str]:
    """Return the thresholds that do something in this job and can be set on this unit, in ladder order."""

    def has(name: str) -> bool:
        return profile is None or profile.setting_for(name) is not None

    transfers = job.policy.source_order == "sun-bank-mains" and bool({"mains", "generator"} & set(job.site.sources))
    generator = job.generator is not None and job.generator.start == "auto" and "generator" in job.site.sources
    names = []
    for name in (*LADDER_VOLTS, *LADDER_SOC):
        root, kind = name.rsplit("_", 1)
        if kind == "soc" and by != "soc":
            continue
        if root in ("to_mains", "return_bank") and (not transfers or (kind == "v") != (by == "volts")):
            continue
        if root in ("gen_start", "gen_stop") and (not generator or (kind == "v") != (by == "volts")):
            continue
        if root == "float" and job.policy.float_school == "none" and profile is not None and profile.setting_for("float_on"):
            continue
        if has(name):
            names.append(name)
    return names


def _micro(value: float) -> int:
    return round(value * MICRO)


def _pct(part: float) -> str:
    return f"{figure(part * 100)} %"


def _grid(name: str, setting: Setting | None, profile: MenuProfile | None, b: Basis) -> Grid:
    kind = QUANTITIES[name].kind
    if setting is None or profile is None or setting.step is None or setting.min is None or setting.max is None:
        if kind == "soc":
            return Grid(name, 0, MICRO, _micro(SOC_STEP))
        return Grid(name, _micro(0.5 * b.n), _micro(6.0 * b.n), _micro(DEFAULT_STEP_V))
    factor = factor_of(setting, profile)
    step = _micro(setting.step * factor)
    return Grid(name, _micro(setting.min * factor), _micro(setting.max * factor), step, _micro(setting.min * factor))


def charge_ceiling_v(b: Basis) -> float:
    """Return the highest charging voltage of the pack [V] with room for overshoot and spread. Source: CELL_MAX."""
    return b.n * b.cell_max_v - b.overshoot_v - b.n * b.imbalance_v


def _constraints(
    b: Basis, modules: Sequence[Module], names: set[str], profile: MenuProfile | None, grids: Sequence[Grid]
) -> Iterator[Constraint]:
    """Yield every constraint whose quantities exist. Texts carry this job's numbers."""
    n, h = b.n, b.hysteresis_v

    def over(upper: str, lower: str, gap: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if upper in names and lower in names:
            yield Constraint(upper, lower, _micro(gap), rule.id, text, yields)

    def at_least(name: str, value: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if name in names:
            yield Constraint(name, None, _micro(value), rule.id, text, yields)

    def at_most(name: str, value: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if name in names:
            yield Constraint(None, name, -_micro(value), rule.id, text, yields)

    for g in grids:
        unit = "%" if QUANTITIES[g.name].kind == "soc" else "V"
        scale = 100 if unit == "%" else 1
        if profile is not None:
            low, high = g.low / MICRO * scale, g.high / MICRO * scale
            yield from at_least(g.name, g.low / MICRO, UNIT_RANGE, f"{profile.name} takes {figure(low)} {unit} or more", False)
            yield from at_most(g.name, g.high / MICRO, UNIT_RANGE, f"{profile.name} takes {figure(high)} {unit} or less", False)
    if profile is not None:
        by_id = {s.id: s for s in profile.settings}
        for lock in profile.interlocks:
            parsed = parse_interlock(lock.rule)
            up, low_s = by_id[parsed.above], by_id[parsed.below]
            if up.quantity and low_s.quantity:
                yield from over(
                    up.quantity,
                    low_s.quantity,
                    parsed.margin * factor_of(up, profile),
                    INTERLOCK,
                    f"{profile.name} keeps {up.label} {figure(parsed.margin)} over {low_s.label}",
                    False,
                )

    top = charge_ceiling_v(b)
    said = (
        f"{n} × {figure(b.cell_max_v)} - {figure(b.overshoot_v)} overshoot - {n} × {figure(b.imbalance_v, 3)} spread "
        f"= {figure(top)} V highest"
    )
    for name in ("absorb_v", "equalise_v"):
        yield from at_most(name, top, CELL_MAX, said)
    if "absorb_v" not in names:  # nothing above it to be held by
        yield from at_most("float_v", top, CELL_MAX, said)
    highs = [m.charge_cell_high_v for m in modules if m.charge_cell_high_v is not None]
    lows = [m.charge_cell_low_v for m in modules if m.charge_cell_low_v is not None]
    if highs:
        yield from at_most(
            "absorb_v",
            n * min(highs),
            RECOMMENDED,
            f"{n} × {figure(min(highs), 3)} = {figure(n * min(highs))} V highest by the module's sheet",
            False,
        )
    if lows:
        yield from at_least(
            "absorb_v",
            n * max(lows),
            RECOMMENDED,
            f"{n} × {figure(max(lows), 3)} = {figure(n * max(lows))} V lowest by the module's sheet",
            False,
        )
    if modules and modules[0].chemistry.equalise is not None:
        yield from over("equalise_v", "absorb_v", 0, EQUALISE, "equalising not below absorption")
    else:
        yield from over("absorb_v", "equalise_v", 0, EQUALISE, "equalising not above absorption")
    yield from over("absorb_v", "float_v", 0, FLOAT, "float not above absorption")
    ht = f"{n} × {b.margins.hysteresis_v} = {figure(h)} V"
    yield from over(
        "float_v" if "float_v" in names else "absorb_v", "recharge_v", h, RECHARGE, f"one hysteresis, {ht}, below float"
    )
    yield from over("recharge_v", "restart_v", h, RECHARGE_RESTART, f"one hysteresis, {ht}, above restart")
    yield from over(
        "recharge_v", "return_bank_v", GAP_V * n, RECHARGE_RETURN, f"{figure(GAP_V * n)} V above the way back to the bank"
    )

    cutoff = n * b.cell_min_v
    low_shut = cutoff + n * b.margins.shutdown_v
    yield from at_least(
        "shutdown_v",
        low_shut,
        SHUTDOWN_CUTOFF,
        f"cut-off {figure(cutoff)} + {n} × {b.margins.shutdown_v} = {figure(low_shut)} V lowest",
    )
    yield from at_least(
        "unit_off_v", cutoff, UNIT_OFF_CUTOFF, f"{n} × {figure(b.cell_min_v, 3)} = {figure(cutoff)} V, the BMS cut-off"
    )
    yield from over("shutdown_v", "unit_off_v", GAP_V * n, UNIT_OFF_SHUTDOWN, f"{figure(GAP_V * n)} V below the shut-down")
    yield from over(
        "alarm_v",
        "shutdown_v",
        b.margins.alarm_v * n,
        ALARM,
        f"{n} × {b.margins.alarm_v} = {figure(b.margins.alarm_v * n)} V above the shut-down",
    )
    for name in ("to_mains_v", "gen_start_v"):
        yield from over(name, "alarm_v", 0, TRANSFER_ALARM, "not below the alarm")
    if "alarm_v" not in names:
        gap = b.margins.alarm_v * n
        for name in ("to_mains_v", "gen_start_v"):
            yield from over(name, "shutdown_v", gap, TRANSFER_ALARM, f"{figure(gap)} V above the shut-down, where no alarm is")
    rebound = b.full_a * b.path_ohm
    yield from over(
        "restart_v",
        "shutdown_v",
        rebound + h,
        RESTART,
        f"{figure(b.full_a, 0)} A × {figure(b.path_ohm * 1000)} mΩ + {figure(h)} = {figure(rebound + h)} V above the shut-down",
    )
    way = (b.load_a + b.transfer_charge_a) * b.path_ohm + h
    wt = (
        f"({figure(b.load_a, 0)} A load + {figure(b.transfer_charge_a, 0)} A charging) × {figure(b.path_ohm * 1000)} mΩ + "
        f"{figure(h)} = {figure(way)} V"
    )
    yield from over("return_bank_v", "to_mains_v", way, CHATTER, f"{wt} above the transfer")
    yield from over("gen_stop_v", "gen_start_v", way, CHATTER, f"{wt} above the start")
    reach = b.margins.return_v * n
    for name in ("return_bank_v", "gen_stop_v"):
        yield from over("absorb_v", name, reach, REACHABLE, f"{n} × {b.margins.return_v} = {figure(reach)} V below absorption")

    for kind in ("v", "soc"):
        places = [[q for root in place if (q := f"{root}_{kind}") in names] for place in CHAIN]
        for higher, lower in pairwise(place for place in places if place):
            for a, c in product(higher, lower):
                yield from over(a, c, 0, DESCENDING, f"not above {QUANTITIES[a].word.lower()}")

    yield from over("alarm_soc", "shutdown_soc", ALARM_SOC_GAP, SOC_ORDER, f"{_pct(ALARM_SOC_GAP)} above the shut-down")
    yield from at_least(
        "shutdown_soc", SHUTDOWN_SOC_FLOOR, SOC_ORDER, f"{_pct(SHUTDOWN_SOC_FLOOR)}, what a coulomb count may drift"
    )
    for name in ("to_mains_soc", "gen_start_soc"):
        yield from over(name, "alarm_soc", 0, SOC_ORDER, "not below the alarm")
        if "alarm_soc" not in names:
            yield from over(
                name, "shutdown_soc", ALARM_SOC_GAP, SOC_ORDER, f"{_pct(ALARM_SOC_GAP)} above the shut-down, where no alarm is"
            )
    yield from over("return_bank_soc", "to_mains_soc", RETURN_SOC_GAP, SOC_ORDER, f"{_pct(RETURN_SOC_GAP)} above the transfer")
    yield from over("gen_stop_soc", "gen_start_soc", RETURN_SOC_GAP, SOC_ORDER, f"{_pct(RETURN_SOC_GAP)} above the start")
    yield from over("restart_soc", "shutdown_soc", RESTART_SOC_GAP, SOC_ORDER, f"{_pct(RESTART_SOC_GAP)} above the shut-down")
    yield from over("recharge_soc", "return_bank_soc", 0, SOC_ORDER, "not below the way back")
    for name in ("return_bank_soc", "gen_stop_soc", "recharge_soc", "restart_soc"):
        yield from at_most(name, SOC_TOP, SOC_ORDER, f"{_pct(SOC_TOP)}, so that it can be reached")


def _wishes(job: Job, b: Basis, chem: Chemistry, by: str, names: list[str]) -> list[tuple[str, float, Rule, str]]:
    """Return (quantity, wished value, rule, words) in order of importance, only for existing quantities."""
    n, policy = b.n, job.policy
    cell, school = charge_cell_v(job, chem)
    mixes = chem.equalise.cell_v if chem.equalise else cell
    rest = {"same": cell, "rest": chem.rest_v, "none": chem.rest_v}[policy.float_school]

    def loaded(soc: float, amps: float) -> float:
        return n * ocv_v(chem, soc) - amps * b.path_ohm

    def said(soc: float, amps: float, sign: str = "-") -> str:
        volts = n * ocv_v(chem, soc) + (amps if sign == "+" else -amps) * b.path_ohm
        return (
            f"at {figure(soc * 100, 1)} % charge: {n} × {figure(ocv_v(chem, soc), 3)} {sign} {figure(amps, 0)} A × "
            f"{figure(b.path_ohm * 1000)} mΩ = {figure(volts)} V"
        )

    backstop = by == "soc"
    s_shut = b.shutdown_soc / 2 if backstop else b.shutdown_soc
    s_alarm = s_shut + ALARM_SOC_OVER
    low_v = n * b.cell_min_v
    again = min(1.0, b.reserve_soc + RESTART_SOC_OVER)
    back_soc = max(RETURN_SOC, b.reserve_soc + RETURN_SOC_OVER)
    table: list[tuple[str, float, Rule, str]] = [
        ("absorb_v", cell * n, CHARGE_SCHOOL, f"{school}: {n} × {figure(cell)} = {figure(cell * n)} V"),
        ("float_v", rest * n, FLOAT_SCHOOL, f"{policy.float_school}: {n} × {figure(rest)} = {figure(rest * n)} V"),
        ("shutdown_v", loaded(s_shut, b.load_a), LOW_END, said(s_shut, b.load_a)),
        ("alarm_v", loaded(s_alarm, b.load_a), SAG, said(s_alarm, b.load_a)),
        ("to_mains_v", loaded(b.reserve_soc, b.load_a), RESERVE, said(b.reserve_soc, b.load_a)),
        ("gen_start_v", loaded(b.reserve_soc, b.load_a), RESERVE, said(b.reserve_soc, b.load_a)),
        ("restart_v", loaded(again, 0.0), SAG, said(again, 0.0)),
        (
            "return_bank_v",
            n * ocv_v(chem, back_soc) + b.transfer_charge_a * b.path_ohm,
            SAG,
            said(back_soc, b.transfer_charge_a, "+"),
        ),
        (
            "gen_stop_v",
            n * ocv_v(chem, GENERATOR_STOP_SOC) + b.transfer_charge_a * b.path_ohm,
            SAG,
            said(GENERATOR_STOP_SOC, b.transfer_charge_a, "+"),
        ),
        ("recharge_v", loaded(RECHARGE_SOC_AT_LOAD, b.load_a), SAG, said(RECHARGE_SOC_AT_LOAD, b.load_a)),
        (
            "unit_off_v",
            low_v + n * b.margins.shutdown_v / 2,
            UNIT_OFF_CUTOFF,
            f"cut-off {figure(low_v)} + half the shut-down margin = {figure(low_v + n * b.margins.shutdown_v / 2)} V",
        ),
        ("equalise_v", mixes * n, EQUALISE, f"{n} × {figure(mixes)} = {figure(mixes * n)} V, to mix the acid")
        if chem.equalise
        else ("equalise_v", cell * n, EQUALISE, "equal to absorption, in case it is ever switched on"),
    ]
    for name, soc, words in [
        ("shutdown_soc", b.shutdown_soc, "as chosen" if policy.shutdown_soc is not None else f"low end: {policy.low_end_school}"),
        ("alarm_soc", b.shutdown_soc + ALARM_SOC_OVER, f"{_pct(ALARM_SOC_OVER)} above the shut-down"),
        ("to_mains_soc", b.reserve_soc, "the reserve"),
        ("gen_start_soc", b.reserve_soc, "the reserve"),
        ("restart_soc", b.reserve_soc + RESTART_SOC_OVER, f"{_pct(RESTART_SOC_OVER)} above the reserve"),
        ("return_bank_soc", back_soc, f"half charged, or {_pct(RETURN_SOC_OVER)} above the reserve"),
        ("gen_stop_soc", GENERATOR_STOP_SOC, "80 to 90 %: above it charging slows and burns fuel"),
        ("recharge_soc", RECHARGE_SOC, "a tenth used"),
    ]:
        table.append(
            (name, min(soc, 1.0), LOW_END if name == "shutdown_soc" else SOC_ORDER, f"{words}: {figure(min(soc, 1.0) * 100, 0)} %")
        )
    own = {n: v for n in policy.own_figures if (v := policy.own_number(n)) is not None}
    found = [w for w in table if w[0] in names]
    # A person's own figures come before the schools, in the order of importance above.
    mine = [(name, own[name], rule, "your own figure") for name, _, rule, _ in found if name in own]
    return mine + [w for w in found if w[0] not in own]


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
    grids = [_grid(n, profile.setting_for(n) if profile else None, profile, b) for n in names]
    constraints = list(_constraints(b, solved.modules, set(names), profile, grids))
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
        words = f"It would close if {' and '.join(ways)}." if ways else ""
        return Ladder(
            {},
            LadderView(**view, feasible=False, conflict=[c.rule for c in conflict.constraints], way_out=words),
            (),
            conflict.constraints,
        )
    by_name = {g.name: g for g in grids}
    wishes = _wishes(job, b, chem, by, names)
    rounded = [(n, by_name[n].down(_micro(v)) if n in DOWN else by_name[n].up(_micro(v))) for n, v, _, _ in wishes]
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
                down = _micro(own) > values[name]
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


@check("ladder-conflict", "thresholds", "All thresholds fit above each other", "the constraints have a solution")
def _conflict(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for key, ladder in solved.ladders.items():
        if ladder.conflict:
            rules = list(dict.fromkeys(c.rule for c in ladder.conflict))
            yield rule.finding(
                "stop",
                "No ladder fits",
                f"These rules cannot hold together{f' on {key}' if key else ''}: "
                + "; ".join(c.text for c in ladder.conflict)
                + ". "
                + ladder.view.way_out,
                "/policy",
                ladder.view.way_out or "Another unit, or other margins.",
                rules=rules,
            )


def _once(solved: Solved, told: Callable[[Ladder], Iterable[tuple[Any, ...]]]) -> Iterator[tuple[Rung, tuple[Any, ...]]]:
    """Yield what the ladders tell of a threshold, its name first, with its rung: of each threshold once, however many models."""
    seen: set[str] = set()
    for ladder in solved.ladders.values():
        for one in told(ladder):
            if one[0] not in seen:
                seen.add(one[0])
                yield ladder.rungs[one[0]], one


@check(
    "own-figure-refused", "thresholds", "A figure of one's own is granted within what the rules permit", "lowest <= own <= highest"
)
def _refused(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (name, own, given, rules, texts) in _once(solved, lambda ladder: ladder.refused):
        k, unit = (100, "%") if rung.kind == "soc" else (1, "V")
        inside = rung.lowest - 1e-9 <= own <= rung.highest + 1e-9
        reason = "It gives way to your other figures." if inside else "; ".join(texts) + "."
        yield rule.finding(
            "note" if inside and abs(own - given) <= rung.step + 1e-9 else "caution",
            f"{rung.word} at {figure(own * k)} {unit} is not permitted",
            f"{figure(rung.lowest * k)} to {figure(rung.highest * k)} {unit} is. The plan keeps {figure(given * k)} {unit}. {reason}",
            f"/policy/own_figures/{name}",
            f"Take {figure(given * k)} {unit}, or change what binds.",
            quantity=name,
            own=own,
            given=clean(given),
            lowest=rung.lowest,
            highest=rung.highest,
            rules=list(rules),
        )


@check("own-figure-idle", "thresholds", "A figure of one's own that does nothing here is named", "quantity is active")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or not solved.ladder.rungs:
        return
    planned = {n for ladder in solved.ladders.values() for n in ladder.rungs} | {n for d in solved.derived.values() for n in d}
    for name in solved.job.policy.own_figures:
        if name in planned or name in OWN_AMPS:
            continue
        yield rule.finding(
            "note",
            f"{QUANTITIES[name].word} does nothing here",
            "You gave a figure, but this unit or this job does not use it.",
            f"/policy/own_figures/{name}",
            "Remove the figure.",
            quantity=name,
        )


@check(
    "volts-say-little",
    "thresholds",
    "Where the curve is flat a voltage is a poor measure of charge",
    "band of s(V +/- error) <= {VAGUE_PROTECTED:%} where the bank is protected, {VAGUE_ELSEWHERE:%} elsewhere",
)
def _vague(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or solved.ladder.view.decide_by != "volts":
        return
    wide = []
    for name, most in (
        ("to_mains_v", VAGUE_PROTECTED),
        ("gen_start_v", VAGUE_PROTECTED),
        ("return_bank_v", VAGUE_ELSEWHERE),
        ("recharge_v", VAGUE_ELSEWHERE),
    ):
        rung = solved.ladder.rungs.get(name)
        if rung and rung.at_rest_soc_band and rung.at_rest_soc_band[1] - rung.at_rest_soc_band[0] > most:
            wide.append((most == VAGUE_PROTECTED, rung.at_rest_soc_band[1] - rung.at_rest_soc_band[0], name, rung))
    if wide:
        protects, _, name, rung = max(wide, key=lambda w: w[:2])
        low, high = rung.at_rest_soc_band or (0, 0)
        yield rule.finding(
            "caution" if protects else "note",
            "Volts say little here",
            f"{rung.word} at {figure(rung.value)} V may mean {figure(low * 100, 0)} to {figure(high * 100, 0)} % of charge at rest. "
            "Decide by charge % where the unit allows it.",
            "/policy/control",
            "Let the unit count ampere-hours, or widen the gaps.",
            quantity=name,
            band_low=low,
            band_high=high,
        )


@check(
    "sag-at-peak",
    "thresholds",
    "A peak at the reserve does not pull the terminals to the shut-down",
    "n * OCV(reserve) - I_peak * R_path >= shut-down",
)
def _peak(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or solved.bank is None or solved.limits is None or "shutdown_v" not in solved.ladder.rungs:
        return
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    peak = solved.limits.discharge.needed_peak_a or 0.0
    volts = solved.bank.series_cells * ocv_v(chemistry_of(solved.modules), reserve) - peak * solved.bank.path_mohm / 1000
    shut = solved.ladder.rungs["shutdown_v"].value
    if volts < shut:
        yield rule.finding(
            "caution",
            "A peak at the reserve shuts the output down",
            f"At {figure(reserve * 100, 0)} % charge {figure(peak, 0)} A pull the terminals to {figure(volts)} V, below the shut-down at {figure(shut)} V.",
            "/policy/shutdown_soc",
            "A lower shut-down with a few seconds of delay, shorter leads, or a higher reserve.",
            terminal_v=round(volts, 2),
            shutdown_v=shut,
            peak_a=round(peak, 1),
        )


ADVICE: dict[str, tuple[str, ...]] = {
    RESTART.id: ("thicker or shorter leads", "less discharge current", "modules of lower resistance"),
    CHATTER.id: ("less charging current from AC", "thicker or shorter leads"),
    RECHARGE.id: ("float at absorption",),
    FLOAT.id: ("a higher absorption",),
    FLOAT_SCHOOL.id: ("float at absorption",),
    REACHABLE.id: ("a higher absorption",),
    CELL_MAX.id: ("a smaller measured overshoot or spread",),
    RECOMMENDED.id: ("the figure that the module's sheet recommends",),
    UNIT_RANGE.id: ("a unit whose range fits",),
    INTERLOCK.id: ("a unit without this gap",),
    SHUTDOWN_CUTOFF.id: ("a smaller gap above the cut-off, where the module allows it",),
}
"""What loosens a rule that binds."""


def _advice(rules: Sequence[str], more: Sequence[str]) -> str:
    """Return what would loosen the rules that bind, in the order they bind, and what helps in any case."""
    parts = list(dict.fromkeys([*(a for r in rules for a in ADVICE.get(r, ())), *more]))
    if not parts:
        return "Another unit, or another school."
    words = parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} or {parts[-1]}"
    return f"{words[0].upper()}{words[1:]}."


@check(
    "reserve-kept",
    "thresholds",
    "Where the other thresholds leave no room for the chosen reserve, that is said",
    "transfer >= n * OCV(reserve) - I * R_path, less one step",
)
def _kept(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (name, wished, rules, texts) in _once(solved, lambda ladder: ladder.squeezed):
        wanted = reserve_of(solved.job, chemistry_of(solved.modules))
        yield rule.finding(
            "caution",
            f"The reserve of {figure(wanted * 100, 0)} % is not kept",
            f"{rung.word} would have to stand at {figure(wished)} V; {figure(rung.value)} V is what is left, "
            f"{figure((rung.under_load_soc or 0.0) * 100, 0)} % charged at the design load. What holds it down: {'; '.join(texts)}.",
            "/policy/reserve_soc",
            _advice(rules, ["deciding by charge %", "a smaller reserve"]),
            quantity=name,
            wished_v=round(wished, 3),
            given_v=rung.value,
            reserve_soc=wanted,
            under_load_soc=rung.under_load_soc,
        )


@check(
    "school-raised",
    "thresholds",
    "Where the thresholds below push absorption over the chosen school, that is said",
    "absorption <= V_cell * n, plus one step",
)
def _raised(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (_, wished, rules, texts) in _once(solved, lambda ladder: ladder.raised):
        yield rule.finding(
            "caution",
            "Absorption is pushed above the chosen school",
            f"{solved.job.policy.charge_school} asks for {figure(wished)} V; {figure(rung.value)} V is the lowest that fits. "
            f"What pushes it: {'; '.join(texts)}.",
            "/policy/charge_school",
            _advice(rules, []),
            wished_v=round(wished, 3),
            absorb_v=rung.value,
        )


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


@check(
    "transfer-hours",
    "thresholds",
    "Between going to another source and coming back the bank carries the load for hours",
    "(E(return) - E(transfer)) / P_load >= {LEAST_HOURS} h, with the sag of the load and the lift of charging from AC",
)
def _hours(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ladder, b, bank = solved.ladder, solved.basis, solved.bank
    if ladder is None or b is None or bank is None or b.load_a <= 0 or solved.limits is None:
        return
    chem = chemistry_of(solved.modules)
    watts = design_load_w(solved.job, solved.units)
    for back, away in (("return_bank", "to_mains"), ("gen_stop", "gen_start")):
        high, low = (ladder.rungs.get(f"{n}_soc") or ladder.rungs.get(f"{n}_v") for n in (back, away))
        if high is None or low is None or watts <= 0:
            continue
        top = high.value if high.kind == "soc" else soc_at(chem, (high.value - b.transfer_charge_a * b.path_ohm) / b.n)
        bottom = low.value if low.kind == "soc" else soc_at(chem, (low.value + b.load_a * b.path_ohm) / b.n)
        hours = max(0.0, top - bottom) * bank.energy_wh / watts
        # What the units themselves take is drawn too; charging from AC carries the bank back up.
        worst = min((u.profile.ratings.inverter_efficiency for u in solved.units), default=INVERTER_EFFICIENCY)
        drawn = watts / worst + sum(u.profile.ratings.idle_w for u in solved.units)
        bank_h = max(0.0, top - bottom) * bank.energy_wh / drawn
        ac_h = max(0.0, top - bottom) * bank.capacity_ah / b.transfer_charge_a if b.transfer_charge_a > 0 else float("inf")
        moves = transfers_in(NIGHT_H, bank_h, ac_h)
        if hours < LEAST_HOURS - 1e-9:
            yield rule.finding(
                "caution",
                "The source would come and go all night",
                f"{high.word} at {figure(top * 100, 0)} % charged, {low.word.lower()} at {figure(bottom * 100, 0)} %: between them the bank "
                f"carries the design load of {figure(watts)} W for {figure(hours, 2)} h; {figure(LEAST_HOURS)} h is the least. In a night of {figure(NIGHT_H)} h each "
                f"unit would go over {moves} times.",
                "/policy/reserve_soc",
                "A wider gap by own figures, deciding by charge %, more charging current from AC, or a larger bank.",
                hours=round(hours, 2),
                transfers=moves,
                return_soc=round(top, 3),
                transfer_soc=round(bottom, 3),
            )


@check(
    "alarm-cries-wolf",
    "thresholds",
    "An alarm that sounds at full load while the bank is well charged is not heeded for long",
    "s(alarm at full load) <= careful level",
)
def _wolf(rule: Rule, solved: Solved) -> Iterator[Finding]:
    rung = solved.ladder.rungs.get("alarm_v") if solved.ladder and solved.units else None
    if rung is None or rung.full_load_soc is None or rung.full_load_soc <= chemistry_of(solved.modules).low_end("careful") + 1e-9:
        return
    yield rule.finding(
        "caution",
        "The alarm would cry wolf",
        f"At full load it sounds at {figure(rung.full_load_soc * 100, 0)} % of charge; {figure(chemistry_of(solved.modules).low_end('careful') * 100)} % is where it should.",
        "/policy/own_figures/alarm_v",
        "A lower alarm, a delay, thicker or shorter leads, or an alarm by charge %.",
        full_load_soc=rung.full_load_soc,
        alarm_v=rung.value,
    )


@check("reserve-order", "thresholds", "The reserve lies above the shut-down level", "shut-down level < reserve")
def _reserve(rule: Rule, solved: Solved) -> Iterator[Finding]:
    p = solved.job.policy
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    if p.shutdown_soc is not None and p.shutdown_soc >= reserve:
        yield rule.finding(
            "caution",
            "Shut-down level is not below the reserve",
            f"Shut-down at {figure(p.shutdown_soc * 100, 0)} %, reserve {figure(reserve * 100, 0)} %.",
            "/policy/shutdown_soc",
            "Lower the shut-down or raise the reserve.",
            shutdown_soc=p.shutdown_soc,
            reserve_soc=reserve,
        )


@check(
    "limit-school",
    "thresholds",
    "Charging to the cells' limit leaves no room for spread",
    "school V * n + overshoot + spread <= V_max * n",
)
def _limit(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if (
        solved.ladder is None
        or "absorb_v" not in solved.ladder.rungs
        or solved.bank is None
        or "absorb_v" in solved.job.policy.own_figures
    ):
        return
    rung = solved.ladder.rungs["absorb_v"]
    cell, school = charge_cell_v(solved.job, chemistry_of(solved.modules))
    wish = cell * solved.bank.series_cells
    if rung.value < wish - rung.step - 1e-9:
        high = next((r.text for r in rung.reasons if r.bound == "highest"), "")
        yield rule.finding(
            "note",
            "Absorption is held below the chosen school",
            f"{school} asks for {figure(wish)} V; {high}. The plan charges to {figure(rung.value)} V.",
            "/policy/charge_school",
            "Measure overshoot and spread; smaller figures leave more room.",
            wished_v=round(wish, 3),
            absorb_v=rung.value,
        )
