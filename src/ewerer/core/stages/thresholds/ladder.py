"""The ladder as a system: grids, constraints, wishes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise, product

from ...devices.codec import factor_of
from ...documents.conditions import parse_interlock
from ...documents.job import Job
from ...documents.profiles import InverterProfile, MenuProfile, Setting
from ...trade.chemistries import Chemistry, ocv_v
from ...trade.margins import (
    ALARM_SOC_GAP,
    ALARM_SOC_OVER,
    DEFAULT_STEP_V,
    GAP_V,
    GENERATOR_STOP_SOC,
    RECHARGE_SOC,
    RECHARGE_SOC_AT_LOAD,
    RESTART_SOC_GAP,
    RESTART_SOC_OVER,
    RETURN_SOC,
    RETURN_SOC_GAP,
    RETURN_SOC_OVER,
    SHUTDOWN_SOC_FLOOR,
    SOC_STEP,
    SOC_TOP,
)
from ...trade.quantities import QUANTITIES
from ...trade.rules import Rule
from ...trade.steps import figure
from ..bank.solve import charge_cell_v
from ..constraints import Constraint, Grid
from ..solved import Basis, Module
from .rules import (
    ALARM,
    CELL_MAX,
    CHARGE_SCHOOL,
    CHATTER,
    DESCENDING,
    EQUALISE,
    FLOAT,
    FLOAT_SCHOOL,
    INTERLOCK,
    LOW_END,
    REACHABLE,
    RECHARGE,
    RECHARGE_RESTART,
    RECHARGE_RETURN,
    RECOMMENDED,
    RESERVE,
    RESTART,
    SAG,
    SHUTDOWN_CUTOFF,
    SOC_ORDER,
    TRANSFER_ALARM,
    UNIT_OFF_CUTOFF,
    UNIT_OFF_SHUTDOWN,
    UNIT_RANGE,
)

MICRO = 1_000_000


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
RISING_CHAIN = tuple(place for place in CHAIN if place != ("return_bank",))
"""The same in volts of cells that rise while they are charged: the way back is read under charge, and may lie above float."""


def to_micro(value: float) -> int:
    """Return microvolts, or millionths of a charge."""
    return round(value * MICRO)


def _pct(part: float) -> str:
    return f"{figure(part * 100)} %"


def grid_of(name: str, setting: Setting | None, profile: MenuProfile | None, b: Basis) -> Grid:
    """Return the values that a threshold may take: the unit's own steps, else the usual ones."""
    kind = QUANTITIES[name].kind
    if setting is None or profile is None or setting.step is None or setting.min is None or setting.max is None:
        if kind == "soc":
            return Grid(name, 0, MICRO, to_micro(SOC_STEP))
        return Grid(name, to_micro(0.5 * b.n), to_micro(6.0 * b.n), to_micro(DEFAULT_STEP_V))
    factor = factor_of(setting, profile)
    step = to_micro(setting.step * factor)
    return Grid(name, to_micro(setting.min * factor), to_micro(setting.max * factor), step, to_micro(setting.min * factor))


def charge_ceiling_v(b: Basis) -> float:
    """Return the highest charging voltage of the pack [V] with room for overshoot and spread. Source: CELL_MAX."""
    return b.n * b.cell_max_v - b.overshoot_v - b.n * b.imbalance_v


def constraints_of(
    b: Basis, modules: Sequence[Module], names: set[str], profile: MenuProfile | None, grids: Sequence[Grid]
) -> Iterator[Constraint]:
    """Yield every constraint whose quantities exist. Texts carry this job's numbers."""
    n, h = b.n, b.hysteresis_v

    def over(upper: str, lower: str, gap: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if upper in names and lower in names:
            yield Constraint(upper, lower, to_micro(gap), rule.id, text, yields)

    def at_least(name: str, value: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if name in names:
            yield Constraint(name, None, to_micro(value), rule.id, text, yields)

    def at_most(name: str, value: float, rule: Rule, text: str, yields: bool = True) -> Iterator[Constraint]:
        if name in names:
            yield Constraint(None, name, -to_micro(value), rule.id, text, yields)

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
        if isinstance(profile, InverterProfile):
            bears = profile.ratings.battery_v_max
            yield from at_most("equalise_v", bears, UNIT_RANGE, f"{profile.name} bears {figure(bears)} V")
    else:
        yield from over("absorb_v", "equalise_v", 0, EQUALISE, "equalising not above absorption")
    yield from over("absorb_v", "float_v", 0, FLOAT, "float not above absorption")
    ht = f"{n} × {b.margins.hysteresis_v} = {figure(h)} V"
    yield from over(
        "float_v" if "float_v" in names else "absorb_v", "recharge_v", h, RECHARGE, f"one hysteresis, {ht}, below float"
    )
    yield from over("recharge_v", "restart_v", h, RECHARGE_RESTART, f"one hysteresis, {ht}, above restart")
    if not b.rises:
        yield from over(
            "recharge_v", "return_bank_v", GAP_V * n, RECHARGE_RETURN, f"{figure(GAP_V * n)} V above the return to the bank"
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
    if "recharge_v" not in names:
        yield from over("absorb_v", "restart_v", h, RECHARGE_RESTART, f"one hysteresis, {ht}, above restart")
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
        chain = RISING_CHAIN if b.rises and kind == "v" else CHAIN
        places = [[q for root in place if (q := f"{root}_{kind}") in names] for place in chain]
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
    yield from over("recharge_soc", "return_bank_soc", 0, SOC_ORDER, "not below the return to the bank")
    for name in ("return_bank_soc", "gen_stop_soc", "recharge_soc", "restart_soc"):
        yield from at_most(name, SOC_TOP, SOC_ORDER, f"{_pct(SOC_TOP)}, so that it can be reached")


def wishes_of(job: Job, b: Basis, chem: Chemistry, by: str, names: list[str]) -> list[tuple[str, float, Rule, str]]:
    """Return (quantity, wished value, rule, words) in order of importance, only for existing quantities."""
    n, policy = b.n, job.policy
    cell, school = charge_cell_v(job, chem)
    mixes = chem.equalise.cell_v if chem.equalise else cell
    rest = {"same": cell, "rest": chem.rest_v, "none": chem.rest_v}[policy.float_school]

    def loaded(soc: float, amps: float) -> float:
        return n * ocv_v(chem, soc) - amps * b.path_ohm

    def said(soc: float, amps: float, sign: str = "-") -> str:
        if sign == "+" and b.rises:
            volts = b.charging_v(chem, soc, amps)
            return f"charged with {figure(amps, 0)} A a lead-acid bank shows {figure(volts)} V at {figure(soc * 100, 1)} % charge"
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
        ("return_bank_v", b.charging_v(chem, back_soc, b.transfer_charge_a), SAG, said(back_soc, b.transfer_charge_a, "+")),
        (
            "gen_stop_v",
            b.charging_v(chem, GENERATOR_STOP_SOC, b.transfer_charge_a),
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
