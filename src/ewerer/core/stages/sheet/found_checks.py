"""Checks of what was found on the units."""

from __future__ import annotations

from collections.abc import Iterator

from ...trade.chemistries import ocv_v, soc_at
from ...trade.finding import Finding
from ...trade.margins import COLD_C, NORMAL_USE_OVER_RESERVE, REFERENCE_C
from ...trade.quantities import QUANTITIES
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..bank.solve import chemistry_of
from ..solved import Device, Solved
from ..thresholds.basis import reserve_of
from ..thresholds.ladder import charge_ceiling_v
from .found import Value, decoded_found, found_number, found_values, setting_id_of
from .own import pairs_of

LEAD = ("lead-flooded", "lead-agm", "lead-gel")


def noted_units(solved: Solved) -> Iterator[tuple[Device, dict[str, Value]]]:
    """Yield each device of which something was noted, with the values found."""
    for unit in solved.devices:
        if solved.job.as_found.get(unit.id):
            yield unit, decoded_found(unit, solved)


def found_at(unit: Device, quantity: str) -> str:
    """Return the pointer of what was found."""
    return f"/as_found/{unit.id}/{setting_id_of(unit, quantity)}"


@check("found-unreadable", "sheet", "What was noted is a value the setting can show", "entry_min <= shown <= entry_max")
def _unreadable(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        for f in found_values(unit, solved):
            if f.problem:
                yield rule.finding(
                    "note",
                    f"{f.label} of {unit.id} as noted cannot be",
                    f"{f.problem}.",
                    f"/as_found/{unit.id}/{f.setting}",
                    "Read it again.",
                    shown=f.shown,
                )


@check(
    "found-overcharge",
    "sheet",
    "A found charge voltage is below the cells' limit, with this job's own margins",
    "V_found + overshoot + n * spread <= n * V_cell_max",
)
def _overcharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None or solved.basis is None:
        return
    n, top, room = solved.bank.series_cells, solved.bank.series_cells * solved.bank.cell_max_v, charge_ceiling_v(solved.basis)
    for unit, values in noted_units(solved):
        for name in ("absorb_v", "float_v"):
            volts = found_number(values, name)
            if volts is not None and volts > room + 1e-9:
                over = volts > top + 1e-9
                yield rule.finding(
                    "stop" if over else "caution",
                    f"{unit.id} was found to charge too high",
                    f"{QUANTITIES[name].word} {figure(volts)} V; {n} cells bear {figure(top)} V"
                    + ("." if over else f", {figure(room)} V with room for overshoot and spread."),
                    found_at(unit, name),
                    "Chargers off first; then enter the sheet's values.",
                    found_v=volts,
                    limit_v=round(top if over else room, 2),
                )


@check("found-equalising", "sheet", "Equalising was off", "equalise = off")
def _equalising(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if chemistry_of(solved.modules).equalise is not None:
        return
    for unit, values in noted_units(solved):
        on = values.get("equalise_on")
        minutes, volts = found_number(values, "equalise_min"), found_number(values, "equalise_v")
        if on is True or (on is None and minutes):
            high = solved.bank is not None and volts is not None and volts > solved.bank.series_cells * solved.bank.cell_max_v
            yield rule.finding(
                "stop" if high else "caution",
                f"{unit.id} was found equalising",
                "Left from lead-acid"
                + (f": {figure(volts)} V" if volts is not None else "")
                + (f" for {figure(minutes)} min" if minutes else "")
                + ".",
                found_at(unit, "equalise_on" if on is True else "equalise_min"),
                "Switch it off first of all.",
                equalise_v=volts,
                equalise_min=minutes,
            )


@check("found-compensation", "sheet", "Temperature compensation was off", "dV = comp * (T - {REFERENCE_C})")
def _compensation(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if chemistry_of(solved.modules).compensation_mv_per_c:
        return
    for unit, values in noted_units(solved):
        comp = found_number(values, "temp_comp_mv_per_c")
        if comp:
            at_c = COLD_C
            lift = comp * (at_c - REFERENCE_C) / 1000
            absorb = found_number(values, "absorb_v")
            then = (
                f": at {figure(at_c)} °C it would charge to {figure(absorb + lift)} V"
                if absorb is not None
                else f": {figure(lift)} V more at {figure(at_c)} °C"
            )
            over = (
                solved.bank is not None and absorb is not None and absorb + lift > solved.bank.series_cells * solved.bank.cell_max_v
            )
            yield rule.finding(
                "stop" if over else "caution",
                f"{unit.id} was found with temperature compensation",
                f"{figure(comp)} mV/°C, left from lead-acid{then}.",
                found_at(unit, "temp_comp_mv_per_c"),
                "0 for lithium.",
                comp_mv_per_c=comp,
                lift_v=round(lift, 2),
            )


@check(
    "found-battery-type",
    "sheet",
    "The battery type is the bank's own kind",
    "lithium: type not in lead-acid; lead-acid: type = its kind",
)
def _type(rule: Rule, solved: Solved) -> Iterator[Finding]:
    lead = not chemistry_of(solved.modules).has_bms
    for unit, values in noted_units(solved):
        found, planned = values.get("battery_type"), solved.values.get(unit.id, {}).get("battery_type")
        if lead and isinstance(found, str) and found not in ("user", planned):
            setting = unit.profile.setting_for("battery_type")
            words = (setting.encoding.choices or {}) if setting is not None else {}
            yield rule.finding(
                "caution",
                f"{unit.id} was found set to another battery type",
                f'It is set to "{words.get(found, found)}"; the bank is {chemistry_of(solved.modules).word}.',
                found_at(unit, "battery_type"),
                f'Enter "{words.get(str(planned), planned)}", then the volts again: the type puts them back.',
            )
        elif not lead and found in LEAD:
            yield rule.finding(
                "caution",
                f"{unit.id} was found set to lead-acid",
                "Its stages, compensation and equalising follow that type.",
                found_at(unit, "battery_type"),
                "User-defined in open loop, the protocol in closed loop.",
            )


@check("found-undercharge", "sheet", "A found absorption fills the cells", "V_found >= n * V_rest")
def _undercharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None:
        return
    rest = chemistry_of(solved.modules).rest_v * solved.bank.series_cells
    for unit, values in noted_units(solved):
        volts = found_number(values, "absorb_v")
        if volts is not None and volts < rest + 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to charge too low",
                f"Absorption {figure(volts)} V is not above the rest voltage of {solved.bank.series_cells} cells, {figure(rest)} V: never full, never balanced.",
                found_at(unit, "absorb_v"),
                "Count the cells; enter the sheet's values.",
                found_v=volts,
            )


@check("found-cell-count", "sheet", "The unit's cell count is the bank's", "n_found = n")
def _cells(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, values in noted_units(solved):
        cells = found_number(values, "series_cells")
        if solved.bank is not None and cells is not None and round(cells) != solved.bank.series_cells:
            yield rule.finding(
                "stop",
                f"{unit.id} was found set to {figure(cells)} cells",
                f"The bank has {solved.bank.series_cells}: every voltage it derives is wrong.",
                found_at(unit, "series_cells"),
                "Correct it before any charging.",
                found=cells,
                cells=solved.bank.series_cells,
            )


@check("found-alarm-in-range", "sheet", "The alarm lies below normal use", "s(alarm) <= reserve + {NORMAL_USE_OVER_RESERVE:%}")
def _alarm(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None:
        return
    n, chemistry = solved.bank.series_cells, chemistry_of(solved.modules)
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    line = n * ocv_v(chemistry, min(1.0, reserve + NORMAL_USE_OVER_RESERVE))
    for unit, values in noted_units(solved):
        volts = found_number(values, "alarm_v")
        if volts is not None and volts > line:
            at_rest = soc_at(chemistry, volts / n)
            yield rule.finding(
                "caution",
                f"{unit.id} was found to alarm in normal use",
                f"Alarm at {figure(volts)} V stands for {figure(at_rest * 100, 0)} % at rest, and for more under load.",
                found_at(unit, "alarm_v"),
                "Enter the plan's figure.",
                alarm_v=volts,
                soc=round(at_rest, 3),
            )


@check(
    "found-shutdown-low",
    "sheet",
    "A found shut-down lies above the BMS cut-off by its margin",
    "shut-down >= n * (V_cell_min + {cell.margins.shutdown_v} V), unit off >= n * V_cell_min",
)
def _low(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if solved.bank is None or b is None:
        return
    cutoff = b.n * b.cell_min_v
    for unit, values in noted_units(solved):
        for name, least in (("shutdown_v", cutoff + b.n * b.margins.shutdown_v), ("unit_off_v", cutoff)):
            volts = found_number(values, name)
            if volts is None or volts >= least - 1e-9:
                continue
            below = volts < cutoff - 1e-9
            yield rule.finding(
                "stop" if below else "caution",
                f"{unit.id} was found to stop after the BMS" if below else f"{unit.id} was found to stop too late",
                f"{QUANTITIES[name].word} at {figure(volts)} V, "
                + (
                    f"below the BMS cut-off at {figure(cutoff)} V: the bank opens first and nothing is left to wake the unit."
                    if below
                    else f"{figure(volts - cutoff)} V above the BMS cut-off; {figure(least - cutoff)} V keeps them apart."
                ),
                found_at(unit, name),
                "Enter the plan's figure.",
                shutdown_v=volts,
                cutoff_v=round(cutoff, 2),
            )


@check(
    "found-reversed",
    "sheet",
    "Found thresholds stand in their order, in volts and in charge",
    "absorption > float > recharge > return > transfer, generator start >= alarm > shut-down > off",
)
def _reversed(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, values in noted_units(solved):
        for kind, sign, scale in (("v", "V", 1), ("soc", "%", 100)):
            told: set[str] = set()
            for upper, lower in pairs_of(solved, kind):
                high, low = found_number(values, f"{upper}_{kind}"), found_number(values, f"{lower}_{kind}")
                if high is None or low is None or low <= high + 1e-9 or upper in told:
                    continue
                told.add(upper)
                above, below = QUANTITIES[f"{upper}_{kind}"], QUANTITIES[f"{lower}_{kind}"]
                yield rule.finding(
                    "caution",
                    f"{unit.id} was found with {above.word.lower()} below {below.word.lower()}",
                    f"{above.word} {figure(high * scale)} {sign}, {below.word.lower()} {figure(low * scale)} {sign}.",
                    found_at(unit, above.name),
                    "Enter the sheet's values.",
                    upper=high,
                    lower=low,
                )


@check(
    "found-recharge",
    "sheet",
    "A found charge-again point lies a hysteresis below the volts that are held",
    "absorption, float - charge again >= {cell.margins.hysteresis_v} V * n",
)
def _recharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if b is None:
        return
    for unit, values in noted_units(solved):
        again, held = found_number(values, "recharge_v"), found_number(values, "float_v")
        held = found_number(values, "absorb_v") if held is None or values.get("float_on") is False else held
        if again is not None and held is not None and 0 <= held - again < b.hysteresis_v - 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to recharge at once",
                f"Charge again at {figure(again)} V, {figure(held - again)} V below what is held ({figure(held)} V); "
                f"{figure(b.hysteresis_v)} V is one hysteresis.",
                found_at(unit, "recharge_v"),
                "Enter the plan's figure.",
                recharge_v=again,
                held_v=held,
            )
