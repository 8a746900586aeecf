"""Rules of the sheet."""

from __future__ import annotations

from collections.abc import Iterator

from ...devices.model import number_of
from ...documents.conditions import parse_interlock
from ...trade.finding import Finding
from ...trade.rules import Rule, check, formula_rule
from ...trade.steps import figure
from ..solved import Solved
from .own import fix_of, judged_units, pairs_of, setting_at, whose_setting, words_of

HOLD = formula_rule(
    "hold-school",
    "thresholds",
    "Hold at absorption by tail current, by size of the bank, or briefly",
    "tail: I <= {TAIL_FRACTION} C, {TAIL_RANGE[0]}..{TAIL_RANGE[1]} C; per-ah: {HOLD_H_PER_100AH[0]}..{HOLD_H_PER_100AH[1]} h per 100 Ah; short: {SHORT_HOLD_MIN} min, {SHORT_HOLD_RANGE_MIN[0]}..{SHORT_HOLD_RANGE_MIN[1]} min",
)


MAX_CHARGE = formula_rule(
    "max-charge-time",
    "thresholds",
    "The safety timer never ends a normal charge",
    "t = {CHARGE_TIME_FACTOR} * (C * (1 - s_low) / I_charge + hold)",
)


FULL_DAYS = formula_rule(
    "full-charge-days",
    "thresholds",
    "A full charge now and then balances cells and re-zeroes the meter",
    "every {FULL_CHARGE_DAYS} days",
)


NO_COMP = formula_rule(
    "no-temperature-compensation", "thresholds", "Lithium is charged without temperature compensation", "0 mV/°C"
)


COMPENSATES = formula_rule(
    "temperature-compensation",
    "thresholds",
    "Lead-acid is charged lower where it is warm, higher where it is cold",
    "dV/dT = n * {cell.compensation_mv_per_c} mV/°C, from {REFERENCE_C} °C",
    "common practice; the maker's sheet rules",
    "T",
)


EQUALISES = formula_rule(
    "equalising",
    "thresholds",
    "Flooded lead-acid is equalised now and then; sealed cells never",
    "V = n * {cell.equalise.cell_v} V, {cell.equalise.minutes} min, every {cell.equalise.days} days",
)


NO_EQUALISE = formula_rule("no-equalising", "thresholds", "Equalising is off, its time zero", "off, 0 min")


TYPE = formula_rule(
    "battery-type",
    "thresholds",
    "The protocol in closed loop; in open loop a lead-acid bank's own kind where the unit has it and its volts pass, else user-defined",
    "closed: protocol; open: lead-KIND where offered and its volts pass, else user",
)


DELAY = formula_rule(
    "shutdown-delay", "thresholds", "A few seconds so that motor starts do not trip the shut-down", "t = {SHUTDOWN_DELAY_S} s"
)


LOSS = formula_rule(
    "loss-of-link",
    "thresholds",
    "Carry on after loss of link only where the open-loop thresholds behind it are safe",
    "carry on if the ladder is feasible and ceilings are set; else stop",
)


TEMPS = formula_rule(
    "temperature-stops",
    "thresholds",
    "Stop charging where the module's line ends, warn before it",
    "stop = last temperature with current, warn = stop - {WARN_BELOW_STOP_C}",
    "the module's sheet, common practice",
)


NOW = formula_rule(
    "charge-now",
    "thresholds",
    "A new bank starts from a guess of its charge and learns",
    "s = OCV^-1(V_rest / n), shown as the band that the meter's error leaves",
)


GIVEN = formula_rule("as-given", "site", "Taken over from the job as it is", "value = job")


INPUT = formula_rule(
    "ac-input-amps",
    "sources",
    "Input current is at most what feeds it; units on one phase share it",
    "I = min({CONTINUOUS} * breaker, P_gen / (V * phases)) / units on the phase",
    "NEC 210.20(A)",
    "S, M",
)


FEEDS = formula_rule(
    "feed-entries",
    "sheet",
    "While another feed is in use, its own entries count: input current and charging from AC",
    "I = min(plan, {CONTINUOUS} * breaker / units on the phase); I_charge = min(plan, budget of the feed / units)",
    "NEC 210.20(A)",
    "S, M",
)


END = formula_rule(
    "hold-end",
    "thresholds",
    "The hold ends by what the unit measures best: tail current, else time; by charge % only where it knows nothing else",
    "tail current where that is chosen and it can, else time",
)


PERIODIC = formula_rule(
    "periodic-full-charge",
    "thresholds",
    "The periodic full charge has the plan's volts and hold, never a lead-acid factory figure",
    "V = absorption, t = hold",
)


AC_CHARGE = formula_rule(
    "ac-charge-window",
    "thresholds",
    "Charging from AC begins where another source takes over and ends where the bank gets its loads back",
    "begin = transfer, end = the higher of back to the bank and generator stop; lead-acid in volts: above absorption",
)


PROTECT = formula_rule(
    "protection-levels",
    "thresholds",
    "Protection in steps follows the ladder in charge %",
    "first = transfer, second = alarm, last = shut-down",
)


WHOLE = formula_rule(
    "cluster-total",
    "limits",
    "A cap on the bank's own current is set once and holds for all units together; it is never divided",
    "I_bank = min(caps); nothing on followers",
)


OWN_SUN = formula_rule(
    "own-sun",
    "limits",
    "A cap that does not limit the bank stays at what the unit's own sun charger can give",
    "I_sun = rating of the built-in charger",
)


ENGINE = formula_rule(
    "generator-times",
    "sources",
    "An engine is warmed, run, cooled and exercised; after {START_TRIES} attempts somebody is called",
    "warm-up, least run as given; cool-down {COOL_DOWN_MIN} min; {EXERCISE_MIN} min every {EXERCISE_DAYS} days; {START_TRIES} attempts",
)


HYBRID = formula_rule(
    "hybrid-settings",
    "sources",
    "Mode, export and reserves follow what was chosen for the site",
    "export only where the mode sells; outage reserve above the shut-down, {OUTAGE_SOC:%} where none is chosen; back {OUTAGE_RETURN_SOC:%} above it",
)


DATA = formula_rule(
    "bank-data",
    "thresholds",
    "What a unit asks about its bank follows from the modules",
    "R = 1/sum(1/R_i); charge efficiency {cell.charge_efficiency}; empty = shut-down",
)


SENSORS = formula_rule(
    "sensor-settings",
    "thresholds",
    "A unit is told of the sensors that are there; it charges again, and its fan runs, below the warning",
    "resume = warn - {RESUME_BELOW_WARN_C}, fan = warn - {FAN_BELOW_WARN_C}",
)


WISH = formula_rule(
    "housekeeping", "sheet", "Housekeeping follows a default with its reason; a person may wish otherwise", "as said"
)


ORDER = formula_rule(
    "entry-order",
    "sheet",
    "What resets others is entered first, what others depend on before them",
    "order = menu order, corrected by side effects, conditions and interlocks",
)


@check(
    "entry-in-order",
    "sheet",
    "The thresholds of one sheet stand in their order, and keep the unit's own gaps",
    "upper >= lower; upper - lower >= gap of the ladder, gap of the interlock",
)
def _order(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for ids, unit, sheet in judged_units(solved):
        by_quantity = solved.entered[unit.id]
        told: set[tuple[str, str]] = set()
        for kind in ("v", "soc"):
            for upper, lower in pairs_of(solved, kind):
                for high, above in by_quantity.get(f"{upper}_{kind}", []):
                    for low, below in by_quantity.get(f"{lower}_{kind}", []):
                        if above < below - 1e-6:
                            told.add((high.setting, low.setting))
                            yield rule.finding(
                                "stop",
                                f"{high.label} is below {low.label}",
                                f"{', '.join(ids)}: {high.label} {words_of(high)}, {low.label} {words_of(low)}.",
                                setting_at(solved, unit, high),
                                fix_of(solved, unit, high),
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
                        moved = high if whose_setting(solved, unit, high) is not None else low
                        yield rule.finding(
                            "stop",
                            f"{high.label} and {low.label} are too close",
                            f"{', '.join(ids)}: {high.label} {words_of(high)}, {low.label} {words_of(low)}: "
                            f"{figure((above - below) * scale)} {sign} apart, {figure(c.gap / 1e6 * scale)} {sign} is needed: {c.text}.",
                            setting_at(solved, unit, moved),
                            fix_of(solved, unit, moved),
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
                    setting_at(solved, unit, high_row),
                    fix_of(solved, unit, high_row),
                    gap=gap,
                    needed=parsed.margin,
                )
