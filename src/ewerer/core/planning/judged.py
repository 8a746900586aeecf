"""Every line of every sheet is judged once more as it stands: whatever put it there, the plan, a person or a coarse step."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import combinations, pairwise

from ..devices.addresses import address_of
from ..devices.codec import decode
from ..devices.model import number_of
from ..documents.conditions import parse_interlock
from ..documents.results.sheet import SheetRow, UnitSheet
from ..documents.results.thresholds import Derived, Rung
from ..trade.finding import Finding
from ..trade.margins import AC_OVER_A, AC_OVER_W
from ..trade.quantities import QUANTITIES
from ..trade.rules import Rule, check
from ..trade.steps import figure
from .derived import charge_bottom_c, charge_top_c, feeding_amps
from .limits import may_charge_from_ac
from .solved import Device, Module, Solved, Unit
from .thresholds import CHAIN, charge_ceiling_v

CHARGING = ("absorb_v", "equalise_v", "float_v", "full_charge_v")
BESIDE = (("absorb", "restart"), ("restart", "shutdown"), ("absorb", "gen_stop"), ("gen_stop", "gen_start"))
PAIRS = (*((a, b) for upper, lower in combinations(CHAIN, 2) for a in upper for b in lower), *BESIDE)
SUMS = (("charge_max_a", "into the bank"), ("discharge_max_a", "out of the bank"))
AC_WINDOW = ("ac_high_off_v", "ac_high_on_v", "ac_low_on_v", "ac_low_off_v")
"""Limits of the AC input from the top down; the site's nominal volts lie in the middle."""


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


def with_entries(solved: Solved) -> Solved:
    """Return the facts with what the sheets enter by quantity, and which units are set alike; read by every judgement of a sheet."""
    found: dict[int, dict[str, list[tuple[SheetRow, float]]]] = {}
    alike: dict[object, list[str]] = {}
    keys: dict[int, object] = {}
    entered = {}
    for unit in solved.devices:
        sheet = solved.sheets.get(unit.id)
        if sheet is None:
            continue
        rows = id(sheet.settings)  # units of one kind share their rows
        if rows not in found:
            found[rows] = {}
            for row, value in _numbers(sheet):
                found[rows].setdefault(row.quantity, []).append((row, value))
            keys[rows] = tuple((r.setting, r.entry) for r in sheet.settings)
        entered[unit.id] = found[rows]
        alike.setdefault((unit.profile.id, keys[rows]), []).append(unit.id)
    return replace(solved, entered=entered, alike=tuple(tuple(ids) for ids in alike.values()))


def _judged(solved: Solved) -> Iterator[tuple[Sequence[str], Device, UnitSheet]]:
    """Yield one unit of each set of units whose sheets are alike, with the ids of all of them."""
    by_id = {u.id: u for u in solved.devices}
    for ids in solved.alike:
        yield ids, by_id[ids[0]], solved.sheets[ids[0]]


def _words(row: SheetRow) -> str:
    return f"{row.entry} {row.unit}".strip()


def _whose(solved: Solved, unit: Device, row: SheetRow) -> str | None:
    """Return the unit whose own entry a row is: the unit's, or the host's where the host's is followed; None where the plan made it."""
    host = solved.host
    ids = [unit.id, host.id] if host is not None and row.scope in ("host", "cluster-total") else [unit.id]
    return next((id for id in ids if row.setting in solved.job.extra_entries.get(id, {})), None)


def _at(solved: Solved, unit: Device, row: SheetRow) -> str:
    own = _whose(solved, unit, row)
    return f"{unit.at}/profile" if own is None else f"/extra_entries/{own}/{row.setting}"


def _fix(solved: Solved, unit: Device, row: SheetRow) -> str:
    if _whose(solved, unit, row) is not None:
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
    "upper >= lower; upper - lower >= gap of the ladder, gap of the interlock",
)
def _order(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for ids, unit, sheet in _judged(solved):
        by_quantity = solved.entered[unit.id]
        told: set[tuple[str, str]] = set()
        for kind in ("v", "soc"):
            for upper, lower in PAIRS:
                for high, above in by_quantity.get(f"{upper}_{kind}", []):
                    for low, below in by_quantity.get(f"{lower}_{kind}", []):
                        if above < below - 1e-6:
                            told.add((high.setting, low.setting))
                            yield rule.finding(
                                "stop",
                                f"{high.label} is below {low.label}",
                                f"{', '.join(ids)}: {high.label} {_words(high)}, {low.label} {_words(low)}.",
                                _at(solved, unit, high),
                                _fix(solved, unit, high),
                                upper=above,
                                lower=below,
                            )
        ladder = solved.ladders.get(unit.profile.id)
        for c in ladder.gaps if ladder else ():
            for high, above in by_quantity.get(c.upper or "", []):
                for low, below in by_quantity.get(c.lower or "", []):
                    if above - below < c.gap / 1e6 - 1e-6 and (high.setting, low.setting) not in told:
                        told.add((high.setting, low.setting))
                        scale, sign = (100, "%") if high.quantity.endswith("_soc") else (1, "V")
                        moved = high if _whose(solved, unit, high) is not None else low
                        yield rule.finding(
                            "stop",
                            f"{high.label} and {low.label} are too close",
                            f"{', '.join(ids)}: {high.label} {_words(high)}, {low.label} {_words(low)}: "
                            f"{figure((above - below) * scale)} {sign} apart, {figure(c.gap / 1e6 * scale)} {sign} is needed: {c.text}.",
                            _at(solved, unit, moved),
                            _fix(solved, unit, moved),
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


def _rows_of(solved: Solved, unit: Device, quantity: str, totals: bool = True) -> Sequence[tuple[SheetRow, float]]:
    """Return the rows of a unit that carry a quantity; what is set on the host only counts for the followers of its model too.

    ``totals``: what is set once for all units together counts for followers as well; not where parts are added up.
    """
    rows = solved.entered.get(unit.id, {}).get(quantity, ())
    host = solved.host
    if not rows and host is not None and host.profile.id == unit.profile.id:
        scopes = ("host", "cluster-total") if totals else ("host",)
        rows = [(row, v) for row, v in solved.entered.get(host.id, {}).get(quantity, ()) if row.scope in scopes]
    return rows


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
            rows = _rows_of(solved, unit, quantity, totals=False)
            if unit.kind == "sun-charger":
                rows = [*rows, *solved.entered.get(unit.id, {}).get("sun_charge_max_a", ())]
            if rows:
                row, amps = max(rows, key=lambda r: r[1])
                parts.append((unit, row, amps))
        total = sum(a for _, _, a in parts)
        cut = any(_above_plan(r, a) and _whose(solved, u, r) is None for u, r, a in parts)
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


def _totals(solved: Solved, *quantities: str) -> list[float]:
    """Return what is set once for all units together [A]."""
    return [v for rows in solved.entered.values() for q in quantities for row, v in rows.get(q, ()) if row.scope == "cluster-total"]


def ac_draw_a(solved: Solved, unit: Unit) -> float:
    """Return what a unit set by its sheet may charge from AC at most [A]: the lowest of the caps that act, its AC charger last."""
    if not may_charge_from_ac(unit, solved.job):
        return 0.0
    caps = [unit.profile.ratings.ac_charge_max_a]
    for quantity in ("mains_charge_max_a", "charge_max_a"):
        amps = [v for _, v in _rows_of(solved, unit, quantity)]
        if amps:
            caps.append(max(amps))
    return min(caps)


def highest_entry_v(solved: Solved) -> float:
    """Return the highest volts that the chargers will hold [V]: of all sheets, of the plan, and what the BMS asks for."""
    shown = [v for rows in solved.entered.values() for q in ("absorb_v", "float_v") for _, v in rows.get(q, ())]
    return max([solved.charge_v, *shown])


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
    if total <= 0 or all(_rows_of(solved, u, "ac_input_max_a") for u in solved.units):
        return  # a limit of the AC input makes the charger give way; its sum is judged by itself
    efficiency = min(u.profile.ratings.charger_efficiency for u in solved.units)
    volts = highest_entry_v(solved)
    drawn = total * volts / efficiency
    for source in limits.ac.sources:
        over = drawn + source.loads_w - source.available_w
        if over <= AC_OVER_W:
            continue
        unit, _ = max(parts, key=lambda p: p[1])
        row = next((r for q in ("mains_charge_max_a", "charge_max_a") for r, _ in _rows_of(solved, unit, q)), None)
        yield rule.finding(
            "stop",
            f"Charging overloads the {source.source}",
            f"{', '.join(f'{u.id} {figure(a)} A' for u, a in parts if a)}"
            + (f", of which the BMS lets {figure(total)} A through," if total < sum(a for _, a in parts) - 1e-6 else "")
            + f" at {figure(volts)} V draw {figure(drawn, 0)} W; {figure(source.available_w)} W are there and "
            f"{figure(source.loads_w)} W of loads run" + (", assumed." if source.loads_assumed else "."),
            _at(solved, unit, row) if row is not None else f"/units/{unit.index}/profile",
            "Enter the loads that run while charging."
            if source.loads_assumed
            else _fix(solved, unit, row)
            if row is not None
            else "Nothing on this unit limits what it charges from AC: a larger source, fewer loads, or another model.",
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
    limit = feed[0] * max(phases.count(p) for p in phases)
    for phase in dict.fromkeys(phases):
        parts = [
            (u, max(_rows_of(solved, u, "ac_input_max_a"), key=lambda r: r[1]))
            for u in solved.units
            if u.job.phase == phase and _rows_of(solved, u, "ac_input_max_a")
        ]
        total = sum(a for _, (_, a) in parts)
        cut = any(_above_plan(r, a) and _whose(solved, u, r) is None for u, (r, a) in parts)
        if total > limit + AC_OVER_A and not cut:
            unit, (row, _) = max(parts, key=lambda p: p[1][1])
            yield rule.finding(
                "stop",
                f"The units on {phase} may draw more than what feeds them",
                f"{', '.join(f'{u.id} {figure(a)} A' for u, (_, a) in parts)}: {figure(total)} A; {figure(limit)} A is the most.",
                _at(solved, unit, row),
                _fix(solved, unit, row),
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
    for ids, unit, sheet in _judged(solved):
        rows = {row.quantity: (row, v) for row, v in _numbers(sheet)}
        for name, limit, beyond, said in (
            ("temp_stop_c", top, 1, f"the modules are charged up to {figure(top)} °C"),
            ("low_temp_stop_c", bottom, -1, f"the modules are charged from {figure(bottom)} °C"),
        ):
            if name in rows and (rows[name][1] - limit) * beyond > 1e-6:
                row, value = rows[name]
                yield rule.finding(
                    "stop",
                    f"{row.label} is outside what the modules bear",
                    f"{', '.join(ids)}: {_words(row)}; {said}.",
                    _at(solved, unit, row),
                    _fix(solved, unit, row),
                    entered_c=value,
                    limit_c=limit,
                )
        if "temp_stop_c" in rows and "temp_warn_c" in rows and rows["temp_warn_c"][1] >= rows["temp_stop_c"][1] - 1e-6:
            (warn, _), (stop, _) = rows["temp_warn_c"], rows["temp_stop_c"]
            yield rule.finding(
                "caution",
                f"{warn.label} does not come before {stop.label}",
                f"{', '.join(ids)}: {warn.label} {_words(warn)}, {stop.label} {_words(stop)}.",
                _at(solved, unit, warn),
                _fix(solved, unit, warn),
            )


@check(
    "entry-ac-window",
    "sheet",
    "The limits of the AC input stand in their order around the site's volts",
    "low off < low on < V_nominal < high on < high off",
)
def _window(rule: Rule, solved: Solved) -> Iterator[Finding]:
    nominal = solved.job.site.ac.volts
    for ids, unit, sheet in _judged(solved):
        rows = {row.quantity: (row, v) for row, v in _numbers(sheet) if row.quantity in AC_WINDOW}
        have = [(n, *rows[n]) for n in AC_WINDOW if n in rows]
        wrong = [(a, b) for a, b in pairwise(have) if a[2] <= b[2] + 1e-6]
        outside = [
            h for h in have if (h[0].startswith("ac_high") and h[2] <= nominal) or (h[0].startswith("ac_low") and h[2] >= nominal)
        ]
        if wrong or outside:
            row = wrong[0][0][1] if wrong else outside[0][1]
            yield rule.finding(
                "stop",
                "The AC input's limits are not in their order",
                f"{', '.join(ids)}: {', '.join(f'{r.label} {_words(r)}' for _, r, _ in have)}; the site has {figure(nominal)} V.",
                _at(solved, unit, row),
                _fix(solved, unit, row),
            )


@check("entry-agrees", "sheet", "Units of one model in parallel are set to the same thresholds", "entry_i = entry_j")
def _agree(rule: Rule, solved: Solved) -> Iterator[Finding]:
    shown: dict[tuple[str, str], list[tuple[Sequence[str], Device, SheetRow]]] = {}
    for ids, unit, sheet in _judged(solved):
        for row in sheet.settings:
            if unit.kind == "unit" and row.quantity and QUANTITIES[row.quantity].kind in ("volts", "soc"):
                shown.setdefault((unit.profile.id, row.setting), []).append((ids, unit, row))
    for sets in shown.values():
        if len({row.entry for _, _, row in sets}) < 2:
            continue
        own = [(u, r) for _, u, r in sets if _whose(solved, u, r) is not None]
        unit, row = own[0] if own else (sets[-1][1], sets[-1][2])
        yield rule.finding(
            "caution",
            f"{row.label} differs between units in parallel",
            "; ".join(f"{', '.join(ids)} {_words(r)}" for ids, _, r in sets) + ".",
            _at(solved, unit, row),
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


def fallback_missing(solved: Solved, unit: Unit) -> list[str]:
    """Return what a unit would not have if its link were lost: charging volts, charge current, shut-down that are entered and act."""

    def entered(*names: str) -> bool:
        return any(_rows_of(solved, unit, n) for n in names)

    missing = []
    if not entered("absorb_v", "float_v"):
        missing.append("charging volts")
    if not entered("shutdown_v", "shutdown_soc"):
        missing.append("a shut-down")
    units = len(solved.units)
    most = solved.limits.charge.bank_a if solved.limits else 0.0
    if not entered("charge_max_a") and unit.profile.ratings.charge_max_a * units > most + 1e-6:
        missing.append("a charge current")
    return missing


def careful(solved: Solved) -> Solved:
    """Return the facts with units told to stop at loss of link where nothing safe would carry on; the person's own choice stays."""
    if solved.link.loop != "closed" or solved.job.policy.link_loss != "auto":
        return solved
    lacking = {u.profile.id: words for u in solved.units if u.id in solved.sheets and (words := fallback_missing(solved, u))}
    if not lacking:
        return solved
    # All parallel units do alike: one that must stop stops all.
    values = {u.id: {**solved.values[u.id], "link_loss_action": "stop"} for u in solved.units}
    derived = {
        id: dict(found) | {"link_loss_action": _stopping(found["link_loss_action"], lacking.get(id, next(iter(lacking.values()))))}
        if "link_loss_action" in found
        else found
        for id, found in solved.derived.items()
    }
    return replace(solved, values=values, derived=derived)


def _stopping(before: Derived, lacking: list[str]) -> Derived:
    text = f"no {' and no '.join(lacking)} would act on a unit that carries on alone"
    return before.model_copy(update={"value": "stop", "reasons": [before.reasons[0].model_copy(update={"text": text})]})


@check(
    "carry-on-safe",
    "sheet",
    "After loss of link a unit carries on only with volts, current and a shut-down that are entered and act",
    "link loss = carry on only if charging volts, charge current and shut-down stand on the sheet",
)
def _carry_on(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.link.loop != "closed":
        return
    for ids, unit, sheet in _judged(solved):
        row = next((r for r in sheet.settings if r.quantity == "link_loss_action" and r.value == "carry-on"), None)
        missing = fallback_missing(solved, unit) if isinstance(unit, Unit) else []
        if row is not None and missing:
            yield rule.finding(
                "stop",
                "Carrying on after loss of link is not safe",
                f"{', '.join(ids)}: {row.label} is {row.entry}, but {', '.join(missing)} would be the factory's, not the plan's.",
                "/policy/link_loss" if _whose(solved, unit, row) is None else _at(solved, unit, row),
                "Stop at loss of link.",
                missing=missing,
            )


@check(
    "silent-window",
    "link",
    "What the speaking modules ask for lies inside the window of those that are not heard",
    "V_asked <= n * V_max_silent; I_asked * w_i <= I_i of each silent module",
)
def _silent(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link, bank = solved.link, solved.bank
    seen = next((d for d in link.displays if d.case == "all"), None)
    if link.loop != "closed" or not link.silent or bank is None or seen is None:
        return
    share = {m.id: m.share for m in bank.modules}
    for m in (m for m in solved.modules if m.id in link.silent):
        top = m.series_cells * (m.charge_cell_high_v or m.cell_max_v)
        if seen.charge_v is not None and seen.charge_v > top + 1e-6:
            yield rule.finding(
                "stop",
                f"{m.id} is not heard and would be charged too high",
                f"{', '.join(link.speaking)} ask for {figure(seen.charge_v)} V; {m.id} bears {figure(top)} V.",
                f"/bank/modules/{m.index}",
                "Plan in open loop by the lower of both, or keep one make in the bank.",
                asked_v=seen.charge_v,
                limit_v=top,
            )
        for asked, limit, way in ((seen.charge_a, m.charge_a, "charge"), (seen.discharge_a, m.discharge_a, "discharge")):
            if asked is not None and asked * share[m.id] > limit + 1e-6:
                yield rule.finding(
                    "stop",
                    f"{m.id} is not heard and would {way} with too much",
                    f"{', '.join(link.speaking)} allow {figure(asked)} A, of which {m.id} carries {figure(share[m.id] * 100, 1)} %: "
                    f"{figure(asked * share[m.id], 1)} A; it bears {figure(limit)} A.",
                    f"/bank/modules/{m.index}",
                    "Plan in open loop by the lower of both, or keep one make in the bank.",
                    asked_a=asked,
                    carried_a=round(asked * share[m.id], 2),
                    limit_a=limit,
                )


@check(
    "asked-volts",
    "link",
    "The volts that the BMS will ask for are shown beside the ladder",
    "V_asked - absorption; followers that do not listen keep the plan's",
)
def _asked(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link, ladder, basis = solved.link, solved.ladder, solved.basis
    asked = next((d.charge_v for d in link.displays if d.case == "all"), None)
    rung = ladder.rungs.get("absorb_v") if ladder else None
    if link.loop != "closed" or asked is None or rung is None or basis is None or abs(asked - rung.value) <= rung.step + 1e-6:
        return
    deaf = [u.unit for u in link.units if u.battery_type != "protocol"]
    high = asked > charge_ceiling_v(basis) + 1e-6
    said = (
        f"The BMS will ask for {figure(asked)} V; the plan's absorption is {figure(rung.value)} V and counts when the link is lost."
    )
    yield rule.finding(
        "caution" if deaf or high else "note",
        "The BMS asks for other volts than the plan",
        said
        + (
            f" {', '.join(deaf)} {'do' if len(deaf) > 1 else 'does'} not listen and charge{'' if len(deaf) > 1 else 's'} to the plan's: the units pull against each other."
            if deaf
            else ""
        )
        + (f" {figure(charge_ceiling_v(basis))} V leaves room for overshoot and spread." if high else ""),
        "/policy/charge_school" if "absorb_v" not in solved.job.policy.own_figures else "/policy/own_figures/absorb_v",
        f"An own absorption of {figure(asked)} V sets all alike." if deaf and not high else "",
        asked_v=asked,
        absorb_v=rung.value,
    )


@check(
    "address-families",
    "link",
    "Where two families count the host differently, each is addressed by its own rule",
    "host_A != host_B",
)
def _families(rule: Rule, solved: Solved) -> Iterator[Finding]:
    by_family: dict[str, list[Module]] = {}
    for m in solved.modules:
        if m.bms is not None and m.bms.addresses is not None and m.family is not None:
            by_family.setdefault(m.family, []).append(m)
    hosts = {f: ms[0].bms.addresses.host_address for f, ms in by_family.items() if ms[0].bms and ms[0].bms.addresses}
    if len(set(hosts.values())) < 2:
        return
    given = {m.id: m.switches for m in solved.job.bank.modules}
    said = ", ".join(f"{f} counts its host as {a}" for f, a in hosts.items())
    wrong = []
    for family, ms in by_family.items():
        addresses = ms[0].bms.addresses if ms[0].bms else None
        found = {m.id: address_of(addresses, [c == "u" for c in given[m.id] or ""]) for m in ms if addresses and given[m.id]}
        if found and hosts[family] not in found.values():
            wrong += [m for m in ms if found.get(m.id) in set(hosts.values()) - {hosts[family]}]
    odd = wrong[0] if wrong else next(iter(by_family.values()))[0]
    yield rule.finding(
        "stop" if wrong else "caution",
        "Two ways of counting the host in one bank",
        f"{said}."
        + (f" {', '.join(m.id for m in wrong)} is set to the other family's host address and leads nobody." if wrong else ""),
        f"/bank/modules/{odd.index}/switches",
        "Address each family by its own rule, and join no link cable from one to the other.",
        hosts=hosts,
    )
