"""Checks of what was found: capacity, temperature, idle draw, currents, read back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from ...devices.codec import factory_shown
from ...documents.conditions import parse_condition
from ...trade.finding import Finding
from ...trade.margins import AC_OVER_W, CAPACITY_APART
from ...trade.quantities import QUANTITIES
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Device, Solved
from ..thresholds.ladder import charge_ceiling_v
from .derived import charge_bottom_c, charge_top_c
from .found import Value, agreement, found_number, read_backs
from .found_checks import found_at, noted_units


@check("found-capacity", "sheet", "The capacity a unit counts with is the bank's", "|C_found - C| <= {CAPACITY_APART:%}")
def _capacity(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank = solved.bank
    for unit, values in noted_units(solved):
        found = found_number(values, "capacity_ah")
        if bank is not None and found is not None and abs(found - bank.capacity_ah) > CAPACITY_APART * bank.capacity_ah:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to count with {figure(found)} Ah",
                f"The bank has {figure(bank.capacity_ah)} Ah: its charge % is off by as much, and whatever is decided by it.",
                found_at(unit, "capacity_ah"),
                "Enter the sheet's values; a full charge then sets the meter.",
                found_ah=found,
                capacity_ah=bank.capacity_ah,
            )


@check(
    "found-temperature",
    "sheet",
    "Found temperatures lie inside what the modules bear, the warning before the stop",
    "stop <= T_charge_max, cold stop >= T_charge_min, warn < stop",
    "the module's sheet",
)
def _temperature(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not solved.modules:
        return
    top, bottom = charge_top_c(solved.modules), charge_bottom_c(solved.modules)
    for unit, values in noted_units(solved):
        stop, cold, warn = (found_number(values, n) for n in ("temp_stop_c", "low_temp_stop_c", "temp_warn_c"))
        for name, value, limit, wrong in (
            ("temp_stop_c", stop, top, stop is not None and stop > top + 1e-9),
            ("low_temp_stop_c", cold, bottom, cold is not None and cold < bottom - 1e-9),
        ):
            if wrong and value is not None:
                yield rule.finding(
                    "stop",
                    f"{unit.id} was found charging the modules too hard",
                    f"{QUANTITIES[name].word} {figure(value)} °C; the modules are charged from {figure(bottom)} to {figure(top)} °C.",
                    found_at(unit, name),
                    "Enter the sheet's values before any charging.",
                    found_c=value,
                    limit_c=limit,
                )
        if stop is not None and warn is not None and warn >= stop - 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to warn too late",
                f"Warning at {figure(warn)} °C, stop at {figure(stop)} °C.",
                found_at(unit, "temp_warn_c"),
                "Enter the sheet's values.",
            )


TOLD_APART = frozenset(
    {
        *("charge_max_a", "mains_charge_max_a", "capacity_ah", "series_cells", "temp_stop_c", "low_temp_stop_c", "temp_warn_c"),
        *("temp_comp_mv_per_c", "equalise_on", "equalise_min", "equalise_v", "soc_now", "shunt_a", "shunt_mv"),
    }
)
"""What a check of its own speaks of."""
MOST_TOLD = 6
"""So many settings are named in one sentence; the others are counted."""


@check(
    "found-outside",
    "sheet",
    "Every line that was found lies where a plan's would have to",
    "lowest <= found <= highest; amps found <= amps planned",
)
def _outside(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if b is None:
        return
    for unit, values in noted_units(solved):
        wrong = [(q, text) for q in values if q not in TOLD_APART and (text := _out_of_range(unit, q, values, solved))]
        if wrong:
            more = f"; and {len(wrong) - MOST_TOLD} more" if len(wrong) > MOST_TOLD else ""
            yield rule.finding(
                "caution",
                f"{unit.id} was found outside what the plan permits",
                "; ".join(text for _, text in wrong[:MOST_TOLD]) + more + ".",
                found_at(unit, wrong[0][0]),
                "Enter the sheet's values.",
                settings=[q for q, _ in wrong],
            )


def _out_of_range(unit: Device, name: str, values: Mapping[str, Value], solved: Solved) -> str:
    """Return in words where a found figure lies beyond what is permitted; empty where it does not, or where another check says so."""
    value, b, q = found_number(values, name), solved.basis, QUANTITIES[name]
    if value is None or b is None:
        return ""
    ladder = solved.ladders.get(unit.profile.id)
    rung = ladder.rungs.get(name) if ladder is not None else None
    derived = solved.derived_for(unit.profile).get(name)
    planned = solved.values.get(unit.id, {}).get(name)
    low: float | None
    high: float | None
    if rung is not None:
        low, high = rung.lowest, rung.highest
        if (name in ("absorb_v", "float_v") and value > charge_ceiling_v(b)) or (
            name in ("shutdown_v", "unit_off_v") and value < low
        ):
            return ""
    elif derived is not None and (derived.lowest is not None or derived.highest is not None):
        low, high = derived.lowest, derived.highest
    elif q.kind == "amps" and q.side == "down" and isinstance(planned, float):
        low, high = None, planned
    else:
        return ""
    slack = 1e-6 * max(1.0, abs(value))
    if (low is None or value >= low - slack) and (high is None or value <= high + slack):
        return ""
    scale, sign = (100.0, "%") if q.unit == "%" else (1.0, q.unit)
    shown = [f"{figure(x * scale)} {sign}".rstrip() for x in (value, *(y for y in (low, high) if y is not None))]
    where = (
        f"{shown[1]} to {shown[2]}"
        if low is not None and high is not None
        else f"{'at least' if high is None else 'at most'} {shown[1]}"
    )
    return f"{q.word} {shown[0]}, permitted {where}"


@check("found-idle", "sheet", "A found setting that does nothing is named", "works only if its condition holds")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        found = solved.job.as_found.get(unit.id, {})
        shown = factory_shown(unit.profile) | found
        idle = [
            s
            for s in unit.profile.settings
            if s.id in found
            and s.works_only_if
            and s.quantity
            in ("to_mains_v", "return_bank_v", "to_mains_soc", "return_bank_soc", "equalise_v", "gen_start_v", "gen_stop_v")
            and found[s.id] != s.factory
            and not parse_condition(s.works_only_if).holds(shown)
        ]
        if idle:
            yield rule.finding(
                "note",
                f"{unit.id} was found with settings that do nothing",
                "; ".join(f"{s.label} works only if {s.works_only_if}" for s in idle) + ".",
                f"/as_found/{unit.id}/{idle[0].id}",
                settings=[s.id for s in idle],
            )


@check("found-overcurrent", "sheet", "Found charge currents add up within the bank's limit", "sum(I_found) <= I_bank")
def _overcurrent(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None:
        return
    noted = [(u, a) for u, values in noted_units(solved) if (a := found_number(values, "charge_max_a")) is not None]
    total = sum(a for _, a in noted) + sum(s.a for s in solved.limits.charge.units if s.kind == "sun-charger")
    if noted and total > solved.limits.charge.bank_a + 1e-6:
        yield rule.finding(
            "caution",
            "Found charge currents add up too high",
            f"{' + '.join(f'{u.id} {figure(a)} A' for u, a in noted)} and the sun chargers make {figure(total)} A; the bank may take {figure(solved.limits.charge.bank_a, 1)} A.",
            found_at(noted[0][0], "charge_max_a"),
            "What is set on each unit adds up at the bank.",
            total_a=round(total, 1),
            limit_a=solved.limits.charge.bank_a,
        )


@check(
    "found-ac-overdraw",
    "sheet",
    "What the units were found to charge from AC leaves the source its loads",
    "sum(I_found) * V / eta + P_loads <= P_available",
    "NEC 210.20(A)",
    "S, M",
)
def _overdraw(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or not solved.limits.ac.sources:
        return
    noted = [(u, a) for u, values in noted_units(solved) if (a := found_number(values, "mains_charge_max_a")) is not None]
    volts = max(
        [v for _, values in noted_units(solved) if (v := found_number(values, "absorb_v")) is not None], default=solved.charge_v
    )
    total = sum(a for _, a in noted)
    for source in solved.limits.ac.sources:
        efficiency = min((u.profile.ratings.charger_efficiency for u in solved.units), default=1.0)
        drawn = total * volts / efficiency
        if noted and drawn + source.loads_w > source.available_w + AC_OVER_W:
            yield rule.finding(
                "caution",
                f"The units were found to overload the {source.source}",
                f"{' + '.join(f'{u.id} {figure(a)} A' for u, a in noted)} at {figure(volts)} V draw {figure(drawn, 0)} W; "
                f"{figure(source.available_w)} W are there and {figure(source.loads_w)} W of loads run.",
                found_at(noted[0][0], "mains_charge_max_a"),
                "Enter the sheet's values.",
                drawn_w=round(drawn, 1),
                available_w=source.available_w,
            )


@check("units-agree", "sheet", "Settings that must be the same on all units are", "shown_i = shown_j")
def _agree(rule: Rule, solved: Solved) -> Iterator[Finding]:
    rows = [r for r in agreement(solved) if r.agrees is False]
    if rows:
        first = rows[0]
        units = [u for u in solved.units if first.shown.get(u.id) is not None]
        yield rule.finding(
            "caution",
            "Parallel units differ",
            "; ".join(f"{r.label}: " + ", ".join(f"{id} {v}" for id, v in r.shown.items() if v is not None) for r in rows[:5])
            + (f"; and {len(rows) - 5} more" if len(rows) > 5 else "")
            + ".",
            f"/as_found/{units[-1].id}/{first.setting}",
            "Enter the same on all; the agreement table shows which.",
            settings=[r.setting for r in rows],
        )


@check("read-back-differs", "sheet", "What a unit shows after entry is what was entered", "shown = entry")
def _read_back(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        labels = {s.id: s.label for s in unit.profile.settings}
        for r in read_backs(unit, solved):
            if not r.ok:
                yield rule.finding(
                    "caution",
                    f"{labels[r.key]} of {unit.id} was not kept",
                    f"{r.text[0].upper()}{r.text[1:]}.",
                    f"/sheet_marks/{unit.id}/{r.key}",
                    "Enter it again; look for what resets it, an interlock, the host, or a closed loop that overrides it.",
                )


@check("profile-revision", "sheet", "A job is planned with the profile version it was made with", "revision = pinned")
def _revision(rule: Rule, solved: Solved) -> Iterator[Finding]:
    used: Sequence[str] = list(
        dict.fromkeys([u.profile.id for u in solved.units] + [m.profile for m in solved.job.bank.modules if m.profile])
    )
    for id in used:
        pinned, newest = solved.job.profile_revisions.get(id), solved.library.newest(id)
        if pinned is not None and newest is not None and pinned != newest:
            yield rule.finding(
                "note",
                f"{id} has a newer version",
                f"This job uses version {pinned}; the library holds {newest}.",
                f"/profile_revisions/{id}",
                "Compare them in the library, then take the newer one where it suits.",
                pinned=pinned,
                newest=newest,
            )
