"""Every line of every sheet is judged once more as it stands: whatever put it there, the plan, a person or a coarse step."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import combinations

from ..devices.codec import decode
from ..devices.model import number_of
from ..documents.conditions import parse_interlock
from ..documents.results.sheet import SheetRow, UnitSheet
from ..documents.results.thresholds import Rung
from ..trade.finding import Finding
from ..trade.quantities import QUANTITIES
from ..trade.rules import Rule, check
from ..trade.steps import figure
from .solved import Solved, Unit
from .thresholds import charge_ceiling_v

CHARGING = ("absorb_v", "equalise_v", "float_v")
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
BESIDE = (("absorb", "restart"), ("restart", "shutdown"), ("absorb", "gen_stop"), ("gen_stop", "gen_start"))
PAIRS = (*((a, b) for upper, lower in combinations(CHAIN, 2) for a in upper for b in lower), *BESIDE)
SUMS = (("charge_max_a", "into the bank"), ("discharge_max_a", "out of the bank"), ("mains_charge_max_a", "from AC"))


def above_cells(solved: Solved, quantity: str, volts: float) -> bool:
    """Return whether a charging voltage [V] leaves the cells no room for overshoot and spread."""
    return solved.basis is not None and quantity in CHARGING and volts > charge_ceiling_v(solved.basis) + 1e-6


def rung_left(solved: Solved, profile_id: str, quantity: str, value: float) -> Rung | None:
    """Return the rung of a unit's ladder whose permitted range ``value`` [V or 0..1] lies outside of; None where it fits."""
    ladder = solved.ladders.get(profile_id)
    rung = ladder.rungs.get(quantity) if ladder else None
    return None if rung is None or rung.lowest - 1e-6 <= value <= rung.highest + 1e-6 else rung


def _numbers(sheet: UnitSheet) -> Iterator[tuple[SheetRow, float]]:
    """Yield the rows of a sheet that stand for a number of a canonical quantity."""
    for row in sheet.settings:
        if row.quantity and not isinstance(row.value, (str, bool)):
            yield row, float(row.value)


def _judged(solved: Solved) -> Iterator[tuple[list[str], Unit, UnitSheet]]:
    """Yield one unit of each set of units whose sheets are alike, with the ids of all of them."""
    alike: dict[object, list[Unit]] = {}
    for unit in solved.units:
        sheet = solved.sheets.get(unit.id)
        if sheet is not None:
            key = (unit.profile.id, tuple((r.setting, r.entry) for r in sheet.settings))
            alike.setdefault(key, []).append(unit)
    for units in alike.values():
        yield [u.id for u in units], units[0], solved.sheets[units[0].id]


def _words(row: SheetRow) -> str:
    return f"{row.entry} {row.unit}".strip()


def _at(solved: Solved, unit: Unit, row: SheetRow) -> str:
    if row.setting in solved.job.extra_entries.get(unit.id, {}):
        return f"/extra_entries/{unit.id}/{row.setting}"
    return f"/units/{unit.index}/profile"


def _fix(solved: Solved, unit: Unit, row: SheetRow) -> str:
    if row.setting in solved.job.extra_entries.get(unit.id, {}):
        return "Take the own entry back, or enter one that the rules permit."
    return "This unit cannot be set safely for this bank; use another model."


@check(
    "entry-within-cells",
    "sheet",
    "No entry of a sheet charges past the cells' limit or discharges past the cut-off",
    "V + overshoot + n * spread <= n * V_max; V_low >= n * V_min",
)
def _cells(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if b is None:
        return
    top, cutoff = charge_ceiling_v(b), b.n * b.cell_min_v
    for ids, unit, sheet in _judged(solved):
        for row, volts in _numbers(sheet):
            high = above_cells(solved, row.quantity, volts)
            low = row.quantity in ("shutdown_v", "unit_off_v") and volts < cutoff - 1e-6
            if not (high or low):
                continue
            said = (
                f"{b.n} cells bear {figure(top)} V with room for overshoot and spread"
                if high
                else f"the BMS opens at {figure(cutoff)} V"
            )
            yield rule.finding(
                "stop",
                f"{row.label} is {'above what the cells bear' if high else 'below the cut-off'}",
                f"{', '.join(ids)}: {_words(row)} is {figure(volts)} V; {said}.",
                _at(solved, unit, row),
                _fix(solved, unit, row),
                entered_v=volts,
                limit_v=top if high else cutoff,
            )


@check("entry-within-ladder", "sheet", "Every threshold on a sheet lies where the rules permit it", "lowest <= entry <= highest")
def _ladder(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for ids, unit, sheet in _judged(solved):
        for row, value in _numbers(sheet):
            rung = rung_left(solved, unit.profile.id, row.quantity, value)
            if rung is None:
                continue
            scale, sign = (100, "%") if rung.kind == "soc" else (1, "V")
            yield rule.finding(
                "stop",
                f"{row.label} is not where the ladder permits it",
                f"{', '.join(ids)}: {_words(row)} is {figure(value * scale)} {sign}; "
                f"{figure(rung.lowest * scale)} to {figure(rung.highest * scale)} {sign} is permitted.",
                _at(solved, unit, row),
                _fix(solved, unit, row),
                entered=value,
                lowest=rung.lowest,
                highest=rung.highest,
            )


@check(
    "entry-in-order",
    "sheet",
    "The thresholds of one sheet stand in their order, and keep the unit's own gaps",
    "upper >= lower; upper - lower >= gap of the interlock",
)
def _order(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for ids, unit, sheet in _judged(solved):
        by_quantity: dict[str, list[tuple[SheetRow, float]]] = {}
        for row, value in _numbers(sheet):
            by_quantity.setdefault(row.quantity, []).append((row, value))
        for kind in ("v", "soc"):
            for upper, lower in PAIRS:
                for high, above in by_quantity.get(f"{upper}_{kind}", []):
                    for low, below in by_quantity.get(f"{lower}_{kind}", []):
                        if above < below - 1e-6:
                            yield rule.finding(
                                "stop",
                                f"{high.label} is below {low.label}",
                                f"{', '.join(ids)}: {high.label} {_words(high)}, {low.label} {_words(low)}.",
                                _at(solved, unit, high),
                                _fix(solved, unit, high),
                                upper=above,
                                lower=below,
                            )
        rows = {row.setting: row for row in sheet.settings}
        settings = {s.id: s for s in unit.profile.settings}
        for lock in unit.profile.interlocks:
            parsed = parse_interlock(lock.rule)
            high_row, low_row = rows.get(parsed.above), rows.get(parsed.below)
            if high_row is None or low_row is None:
                continue
            above_shown = number_of(settings[high_row.setting], high_row.entry)
            below_shown = number_of(settings[low_row.setting], low_row.entry)
            if above_shown is None or below_shown is None:
                continue
            gap = above_shown - below_shown
            if gap < parsed.margin - 1e-6:
                yield rule.finding(
                    "stop",
                    f"{unit.profile.name} does not take these two entries together",
                    f"{', '.join(ids)}: it keeps {high_row.label} {figure(parsed.margin)} over {low_row.label}; the sheet has "
                    f"{high_row.entry} and {low_row.entry}.",
                    _at(solved, unit, high_row),
                    _fix(solved, unit, high_row),
                    gap=gap,
                    needed=parsed.margin,
                )


def _above_plan(row: SheetRow, amps: float) -> bool:
    return not isinstance(row.target, (str, bool)) and amps > row.target + 1e-6


@check(
    "entry-sum",
    "sheet",
    "What all units are set to adds up to no more than the bank, and the AC source, may bear",
    "sum(I_entry) <= I_limit",
)
def _sums(rule: Rule, solved: Solved) -> Iterator[Finding]:
    limits = solved.limits
    if limits is None or not solved.sheets:
        return
    feeds = {"mains", "generator"} & set(solved.job.site.sources)
    most: Mapping[str, float | None] = {
        "charge_max_a": limits.charge.bank_a,
        "discharge_max_a": limits.discharge.bank_a,
        "mains_charge_max_a": solved.mains_charge_a if feeds else None,
    }
    for quantity, way in SUMS:
        limit = most[quantity]
        if limit is None:
            continue
        parts: list[tuple[Unit, SheetRow, float]] = []
        for unit in solved.units:
            rows = [(row, v) for row, v in _numbers(solved.sheets[unit.id]) if row.quantity == quantity]
            if rows:
                row, amps = max(rows, key=lambda r: r[1])
                parts.append((unit, row, amps))
        total = sum(a for _, _, a in parts)
        cut = [r for u, r, a in parts if _above_plan(r, a) and r.setting not in solved.job.extra_entries.get(u.id, {})]
        if parts and total > limit + 1e-6 and not cut:  # a range that is too high for the plan is told by entry-out-of-range
            unit, row, _ = max(parts, key=lambda p: p[2])
            yield rule.finding(
                "stop",
                f"The units together are set to more than may go {way}",
                f"{', '.join(f'{u.id} {figure(a)} A' for u, _, a in parts)}: {figure(total)} A; {figure(limit)} A is the most.",
                _at(solved, unit, row),
                _fix(solved, unit, row),
                sum_a=total,
                limit_a=limit,
                quantity=QUANTITIES[quantity].name,
            )


@check("entry-agrees", "sheet", "Units of one model in parallel are set to the same thresholds", "entry_i = entry_j")
def _agree(rule: Rule, solved: Solved) -> Iterator[Finding]:
    first: dict[tuple[str, str], tuple[Unit, SheetRow]] = {}
    for unit in solved.units:
        sheet = solved.sheets.get(unit.id)
        for row in sheet.settings if sheet else []:
            if QUANTITIES[row.quantity].kind not in ("volts", "soc") if row.quantity else True:
                continue
            other, same = first.setdefault((unit.profile.id, row.setting), (unit, row))
            if same.entry != row.entry:
                own = unit if row.setting in solved.job.extra_entries.get(unit.id, {}) else other
                yield rule.finding(
                    "caution",
                    f"{row.label} differs between units in parallel",
                    f"{other.id} {_words(same)}, {unit.id} {_words(row)}.",
                    _at(solved, own, row),
                    "Set them alike, or one unit does the work of all.",
                )


@check("own-entry-read", "sheet", "An own entry is a value that the setting can show", "entry_min <= own entry <= entry_max")
def _read(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.units:
        settings = {s.id: s for s in unit.profile.settings}
        for id, text in solved.job.extra_entries.get(unit.id, {}).items():
            at = f"/extra_entries/{unit.id}/{id}"
            if id not in settings:
                yield rule.finding(
                    "caution",
                    f"{unit.id} has no setting {id}",
                    f"{unit.profile.name} has none by that name; the entry {text} is not on the sheet.",
                    at,
                    "Take it back.",
                )
                continue
            try:
                decode(settings[id], text, unit.profile)
            except ValueError as error:
                yield rule.finding(
                    "caution",
                    f"{settings[id].label} cannot be entered on {unit.id} as given",
                    f"{error}. The plan's own value is not on the sheet either.",
                    at,
                    "Enter what the setting can show, or take it back.",
                )
