"""Checks of own entries, of what is carried on, and of what goes unsaid."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from ...devices.codec import decode
from ...documents.results.sheet import SheetRow
from ...trade.finding import Finding
from ...trade.margins import AC_OVER_A, AC_OVER_W
from ...trade.quantities import QUANTITIES
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Device, Solved
from ..thresholds.ladder import charge_ceiling_v
from .derived import charge_bottom_c, charge_top_c, feeding_amps
from .own import (
    above_cells,
    ac_draw_a,
    fix_of,
    highest_entry_v,
    judged_units,
    numbers_of,
    rows_of,
    rung_left,
    setting_at,
    whose_setting,
    words_of,
)

SUMS = (("charge_max_a", "into the bank"), ("discharge_max_a", "out of the bank"))


AC_WINDOW = ("ac_high_off_v", "ac_high_on_v", "ac_low_on_v", "ac_low_off_v")
"""Limits of the AC input from the top down; the site's nominal volts lie in the middle."""


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
    for ids, unit, sheet in judged_units(solved):
        for row, volts in numbers_of(sheet):
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
                f"{', '.join(ids)}: {words_of(row)} is {figure(volts)} V; {said}.",
                setting_at(solved, unit, row),
                fix_of(solved, unit, row),
                entered_v=volts,
                limit_v=top if high else cutoff,
            )


@check("entry-within-ladder", "sheet", "Every threshold on a sheet lies where the rules permit it", "lowest <= entry <= highest")
def _ladder(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for ids, unit, sheet in judged_units(solved):
        for row, value in numbers_of(sheet):
            rung = rung_left(solved, unit.profile.id, row.quantity, value)
            if rung is None:
                continue
            scale, sign = (100, "%") if rung.kind == "soc" else (1, "V")
            yield rule.finding(
                "stop",
                f"{row.label} is not where the ladder permits it",
                f"{', '.join(ids)}: {words_of(row)} is {figure(value * scale)} {sign}; "
                f"{figure(rung.lowest * scale)} to {figure(rung.highest * scale)} {sign} is permitted.",
                setting_at(solved, unit, row),
                fix_of(solved, unit, row),
                entered=value,
                lowest=rung.lowest,
                highest=rung.highest,
            )


def _above_plan(row: SheetRow, amps: float) -> bool:
    return not isinstance(row.target, (str, bool)) and amps > row.target + 1e-6


@check("entry-sum", "sheet", "What all units are set to adds up to no more than the bank may bear", "sum(I_entry) <= I_limit")
def _sums(rule: Rule, solved: Solved) -> Iterator[Finding]:
    limits = solved.limits
    if limits is None or not solved.sheets:
        return
    most = {"charge_max_a": limits.charge.bank_a, "discharge_max_a": limits.discharge.bank_a}
    for quantity, way in SUMS:
        if quantity == "charge_max_a" and solved.controller is not None:
            continue  # the controller holds the bank's current, whatever the chargers may give
        limit = most[quantity]
        parts: list[tuple[Device, SheetRow, float]] = []
        chargers = [p for p in solved.parts if p.kind == "sun-charger"] if quantity == "charge_max_a" else []
        found: list[Device] = [*solved.units, *chargers]
        for unit in found:
            rows = rows_of(solved, unit, quantity, totals=False)
            if unit.kind == "sun-charger":
                rows = [*rows, *solved.entered.get(unit.id, {}).get("sun_charge_max_a", ())]
            if rows:
                row, amps = max(rows, key=lambda r: r[1])
                parts.append((unit, row, amps))
        total = sum(a for _, _, a in parts)
        cut = any(_above_plan(r, a) and whose_setting(solved, u, r) is None for u, r, a in parts)
        if parts and total > limit + 1e-6 and not cut:  # a range that is too high for the plan is told by entry-out-of-range
            unit, row, _ = max(parts, key=lambda p: p[2])
            yield rule.finding(
                "stop",
                f"The units together exceed the bank's limit {way}",
                f"{', '.join(f'{u.id} {figure(a)} A' for u, _, a in parts)}: {figure(total)} A; {figure(limit)} A is the most.",
                setting_at(solved, unit, row),
                fix_of(solved, unit, row),
                sum_a=total,
                limit_a=limit,
                quantity=QUANTITIES[quantity].name,
            )


def _totals(solved: Solved, *quantities: str) -> list[float]:
    """Return what is set once for all units together [A]."""
    return [v for rows in solved.entered.values() for q in quantities for row, v in rows.get(q, ()) if row.scope == "cluster-total"]


@check(
    "entry-ac-budget",
    "sheet",
    "All chargers that draw from an AC source together leave it what its loads take",
    "sum(I_unit) * V_charge_max / eta + P_loads <= {CONTINUOUS} * breaker * V_ac, or what the generator gives",
    "NEC 210.20(A)",
    "S, M",
)
def _ac_budget(rule: Rule, solved: Solved) -> Iterator[Finding]:
    limits = solved.limits
    if limits is None or not solved.sheets or not limits.ac.sources:
        return
    parts = [(u, ac_draw_a(solved, u)) for u in solved.units]
    total = sum(a for _, a in parts)
    total = min([total, *_totals(solved, "mains_charge_max_a", "charge_max_a", "bank_charge_max_a")])
    report = next((c.a for c in limits.charge.caps if c.cap == "bms-reported"), None)
    if report is not None and not solved.link.silent:
        total = min(total, report)
    if total <= 0 or all(rows_of(solved, u, "ac_input_max_a") for u in solved.units):
        return  # a limit of the AC input makes the charger give way; its sum is judged by itself
    efficiency = min(u.profile.ratings.charger_efficiency for u in solved.units)
    volts = highest_entry_v(solved)
    drawn = total * volts / efficiency
    for source in limits.ac.sources:
        over = drawn + source.loads_w - source.available_w
        if over <= AC_OVER_W:
            continue
        unit, _ = max(parts, key=lambda p: p[1])
        row = next((r for q in ("mains_charge_max_a", "charge_max_a") for r, _ in rows_of(solved, unit, q)), None)
        yield rule.finding(
            "stop",
            f"Charging overloads the {source.source}",
            f"{', '.join(f'{u.id} {figure(a)} A' for u, a in parts if a)}"
            + (f", of which the BMS lets {figure(total)} A through," if total < sum(a for _, a in parts) - 1e-6 else "")
            + f" at {figure(volts)} V draw {figure(drawn, 0)} W; {figure(source.available_w)} W are there and "
            f"{figure(source.loads_w)} W of loads run" + (", assumed." if source.loads_assumed else "."),
            setting_at(solved, unit, row) if row is not None else f"/units/{unit.index}/profile",
            "Enter the loads that run while charging."
            if source.loads_assumed
            else fix_of(solved, unit, row)
            if row is not None
            else f"Nothing on this unit limits what it charges from AC. Let the BMS or a controller hold the total charge at "
            f"{figure(source.charge_a // 1)} A, or use a larger source.",
            drawn_w=round(drawn, 1),
            loads_w=source.loads_w,
            available_w=source.available_w,
            volts=volts,
            amps=total,
        )


@check(
    "entry-ac-input",
    "sheet",
    "The units on one phase together draw no more than what feeds it",
    "sum(I_input) <= {CONTINUOUS} * breaker, or what the generator gives",
    "NEC 210.20(A)",
    "S, M",
)
def _ac_input(rule: Rule, solved: Solved) -> Iterator[Finding]:
    feed = feeding_amps(solved.job, solved.units)
    if feed is None or not solved.sheets:
        return
    phases = [u.job.phase for u in solved.units]
    limit = feed[0] * max((phases.count(p) for p in phases), default=1)
    for phase in dict.fromkeys(phases):
        parts = [
            (u, max(rows_of(solved, u, "ac_input_max_a"), key=lambda r: r[1]))
            for u in solved.units
            if u.job.phase == phase and rows_of(solved, u, "ac_input_max_a")
        ]
        total = sum(a for _, (_, a) in parts)
        cut = any(_above_plan(r, a) and whose_setting(solved, u, r) is None for u, (r, a) in parts)
        if total > limit + AC_OVER_A and not cut:
            unit, (row, _) = max(parts, key=lambda p: p[1][1])
            yield rule.finding(
                "stop",
                f"The units on {phase} may overload their supply",
                f"{', '.join(f'{u.id} {figure(a)} A' for u, (_, a) in parts)}: {figure(total)} A; {figure(limit)} A is the most.",
                setting_at(solved, unit, row),
                fix_of(solved, unit, row),
                sum_a=total,
                limit_a=limit,
            )


@check(
    "entry-temperature",
    "sheet",
    "Temperatures on a sheet lie inside what the modules bear, the warning before the stop",
    "stop <= T_charge_max, cold stop >= T_charge_min, warn < stop",
    "the module's sheet",
)
def _temperature(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not solved.modules:
        return
    top, bottom = charge_top_c(solved.modules), charge_bottom_c(solved.modules)
    for ids, unit, sheet in judged_units(solved):
        rows = {row.quantity: (row, v) for row, v in numbers_of(sheet)}
        for name, limit, beyond, said in (
            ("temp_stop_c", top, 1, f"the modules are charged up to {figure(top)} °C"),
            ("low_temp_stop_c", bottom, -1, f"the modules are charged from {figure(bottom)} °C"),
        ):
            if name in rows and (rows[name][1] - limit) * beyond > 1e-6:
                row, value = rows[name]
                yield rule.finding(
                    "stop",
                    f"{row.label} is outside what the modules bear",
                    f"{', '.join(ids)}: {words_of(row)}; {said}.",
                    setting_at(solved, unit, row),
                    fix_of(solved, unit, row),
                    entered_c=value,
                    limit_c=limit,
                )
        if "temp_stop_c" in rows and "temp_warn_c" in rows and rows["temp_warn_c"][1] >= rows["temp_stop_c"][1] - 1e-6:
            (warn, _), (stop, _) = rows["temp_warn_c"], rows["temp_stop_c"]
            yield rule.finding(
                "caution",
                f"{warn.label} does not come before {stop.label}",
                f"{', '.join(ids)}: {warn.label} {words_of(warn)}, {stop.label} {words_of(stop)}.",
                setting_at(solved, unit, warn),
                fix_of(solved, unit, warn),
            )


@check(
    "entry-ac-window",
    "sheet",
    "The limits of the AC input stand in their order around the site's volts",
    "low off < low on < V_nominal < high on < high off",
)
def _window(rule: Rule, solved: Solved) -> Iterator[Finding]:
    nominal = solved.job.site.ac.volts
    for ids, unit, sheet in judged_units(solved):
        rows = {row.quantity: (row, v) for row, v in numbers_of(sheet) if row.quantity in AC_WINDOW}
        have = [(n, *rows[n]) for n in AC_WINDOW if n in rows]
        wrong = [(a, b) for a, b in pairwise(have) if a[2] <= b[2] + 1e-6]
        outside = [
            h for h in have if (h[0].startswith("ac_high") and h[2] <= nominal) or (h[0].startswith("ac_low") and h[2] >= nominal)
        ]
        if wrong or outside:
            row = wrong[0][0][1] if wrong else outside[0][1]
            yield rule.finding(
                "stop",
                "AC input limits are out of order",
                f"{', '.join(ids)}: {', '.join(f'{r.label} {words_of(r)}' for _, r, _ in have)}; the site has {figure(nominal)} V.",
                setting_at(solved, unit, row),
                fix_of(solved, unit, row),
            )


@check("entry-agrees", "sheet", "Units of one model in parallel are set to the same thresholds", "entry_i = entry_j")
def _agree(rule: Rule, solved: Solved) -> Iterator[Finding]:
    shown: dict[tuple[str, str], list[tuple[Sequence[str], Device, SheetRow]]] = {}
    for ids, unit, sheet in judged_units(solved):
        for row in sheet.settings:
            if unit.kind == "unit" and row.quantity and QUANTITIES[row.quantity].kind in ("volts", "soc"):
                shown.setdefault((unit.profile.id, row.setting), []).append((ids, unit, row))
    for sets in shown.values():
        if len({row.entry for _, _, row in sets}) < 2:
            continue
        own = [(u, r) for _, u, r in sets if whose_setting(solved, u, r) is not None]
        unit, row = own[0] if own else (sets[-1][1], sets[-1][2])
        yield rule.finding(
            "caution",
            f"{row.label} differs between units in parallel",
            "; ".join(f"{', '.join(ids)} {words_of(r)}" for ids, _, r in sets) + ".",
            setting_at(solved, unit, row),
            "Set them alike, or one unit does the work of all.",
        )


@check("own-entry-read", "sheet", "An own entry is a value that the setting can show", "entry_min <= own entry <= entry_max")
def _read(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
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
