"""Checks of the bank: modules, joining, leads, fuses."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...trade.finding import Finding
from ...trade.margins import (
    AGE_APART_YEARS,
    ASSUMED_MAIN_LEAD_MOHM,
    CAPACITY_ROUNDING_AH,
    HEALTH_APART,
    RESTING_SLACK_V,
    SHARE_LOST,
    USUAL_RESTING_OVER_NOMINAL_V,
    WORN,
)
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Module, Solved
from .joining import branches_of, gentlest_order, steps_of, worst_step
from .solve import lead_of


def _at(module: Module, key: str = "") -> str:
    return f"/bank/modules/{module.index}" + (f"/{key}" if key else "")


@check("bank-empty", "bank", "A bank has at least one module", "q >= 1")
def _empty(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not solved.modules:
        yield rule.finding(
            "stop",
            "No module yet",
            "The bank holds no module, so no limit and no threshold can be derived.",
            "/bank/modules",
            "Add each module from its nameplate.",
        )


@check("cell-count-equal", "bank", "All modules of a bank have the same number of cells in series", "n_i = n_j")
def _cells_equal(rule: Rule, solved: Solved) -> Iterator[Finding]:
    counts: dict[int, list[Module]] = {}
    for m in solved.modules:
        counts.setdefault(m.series_cells, []).append(m)
    if len(counts) > 1:
        rare = min(counts.values(), key=len)
        said = ", ".join(f"{len(ms)} of {n} cells" for n, ms in sorted(counts.items()))
        yield rule.finding(
            "stop",
            "Cell counts differ",
            f"The bank mixes {said}. In parallel the fuller string is overcharged or pours into the other.",
            _at(rare[0], "series_cells"),
            "Keep only modules with one cell count in this bank.",
            modules_by_cells={str(n): [m.id for m in ms] for n, ms in counts.items()},
        )


@check("chemistry-equal", "bank", "All modules of a bank have the same chemistry", "chemistry_i = chemistry_j")
def _chemistry(rule: Rule, solved: Solved) -> Iterator[Finding]:
    kinds = sorted({m.chemistry.word for m in solved.modules})
    if len(kinds) > 1:
        odd = next(m for m in solved.modules if m.chemistry.name != solved.modules[0].chemistry.name)
        yield rule.finding(
            "stop", "Chemistries differ", f"The bank mixes {' and '.join(kinds)}.", _at(odd, "chemistry"), "One chemistry per bank."
        )


@check("cell-count-plausible", "bank", "The resting voltage fits the number of cells", "V_min <= V_rest / n <= V_max")
def _plausible(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for m in solved.modules:
        if m.resting_v is None:
            continue
        cell = m.resting_v / m.series_cells
        if not m.chemistry.absolute_min_v - RESTING_SLACK_V[0] <= cell <= m.chemistry.absolute_max_v + RESTING_SLACK_V[1]:
            typical = m.chemistry.nominal_v + USUAL_RESTING_OVER_NOMINAL_V
            likely = max(1, round(m.resting_v / typical))
            yield rule.finding(
                "stop",
                f"Cell count of {m.id} does not fit",
                f"{figure(m.resting_v)} V over {m.series_cells} cells is {figure(cell, 3)} V a cell, outside "
                f"{figure(m.chemistry.absolute_min_v)} to {figure(m.chemistry.absolute_max_v)} V. "
                f"{likely} cells would fit.",
                _at(m, "series_cells"),
                "Count the cells on the nameplate and measure again.",
                cell_v=round(cell, 3),
                series_cells=m.series_cells,
                likely_cells=likely,
            )


@check("charge-line", "bank", "A module takes charge at some temperature", "max(f(T)) > 0", "the module's sheet")
def _line(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for m in solved.modules:
        if not any(f > 0 for _, f in m.charge_derating):
            yield rule.finding(
                "stop",
                f"{m.id} takes no charge at any temperature",
                "Its line over temperature allows 0 % everywhere.",
                _at(m, "profile"),
                "Correct the line in its profile from the data sheet.",
            )


@check("capacity-equal", "bank", "Modules joined in parallel have the same nominal capacity", "C_i = C_j")
def _capacities(rule: Rule, solved: Solved) -> Iterator[Finding]:
    sizes = sorted({m.capacity_ah for m in solved.modules})
    if len(sizes) > 1:
        odd = next(m for m in solved.modules if m.capacity_ah != solved.modules[0].capacity_ah)
        yield rule.finding(
            "caution",
            "Capacities differ",
            f"Modules of {figure(sizes[0])} and {figure(sizes[-1])} Ah share current by resistance, not by size; the smaller works harder.",
            _at(odd, "capacity_ah"),
            "Join equal modules, or keep the current below the share-aware limit.",
            lowest_ah=sizes[0],
            highest_ah=sizes[-1],
        )


@check(
    "join-voltage",
    "bank",
    "Resting voltages lie close together before modules are joined",
    "max(V) - min(V) <= n * {cell.margins.resting_v} V; I = dV / (R_i + 1 / sum(1/R_j)) <= what the charged side bears",
)
def _join(rule: Rule, solved: Solved) -> Iterator[Finding]:
    unmeasured = [m for m in solved.modules if m.resting_v is None]
    if len(solved.modules) > 1 and unmeasured:
        yield rule.finding(
            "note",
            "Resting voltage not measured",
            f"{', '.join(m.id for m in unmeasured[:6])}{' and more' if len(unmeasured) > 6 else ''}: measure at rest before joining.",
            _at(unmeasured[0], "resting_v"),
            "Measure each module at rest, hours after charging.",
        )
    joins = branches_of(solved.modules)
    worst = worst_step(joins)
    order, gentlest = gentlest_order(joins)
    if worst is None or gentlest is None:
        return
    volts = [b.volts for b in joins]
    spread = max(volts) - min(volts)
    tolerance = min(m.resting_tolerance_v for m in solved.modules)
    low = min((m for m in solved.modules if m.resting_v is not None), key=lambda m: m.resting_v or 0.0)
    numbers: dict[str, Any] = {
        "spread_v": round(spread, 3),
        "tolerance_v": tolerance,
        "join_current_a": worst.amps,
        "smaller_charge_limit_a": worst.limit_a,
        "order_current_a": gentlest.amps,
    }
    onto = (
        worst.onto[0]
        if len(worst.onto) == 1
        else f"the {len(worst.onto)} others"
        if len(worst.onto) > 3
        else " and ".join(worst.onto)
    )
    said = f"{figure(worst.amps, 1)} A would flow between {worst.module} and {onto}"
    best = (
        f" In the order {', '.join(b.id for b in order[:12])}{' …' if len(order) > 12 else ''} the largest is "
        f"{figure(gentlest.amps, 1)} A, at {gentlest.module}."
        if len(joins) > 2
        else ""
    )
    over = any(s.too_much for s in steps_of(order))
    if spread > tolerance + 1e-9 or over:
        limit = f", above the smaller charge limit of {figure(worst.limit_a)} A" if worst.too_much else ""
        yield rule.finding(
            "stop",
            "Do not join these modules yet",
            f"They rest {figure(spread, 3)} V apart; {figure(tolerance, 3)} V is the most. On closing {said}{limit}.{best}",
            _at(low, "resting_v"),
            "Charge each module to full by itself, let it rest, measure again.",
            **numbers,
        )
    elif worst.too_much:
        yield rule.finding(
            "caution",
            "The order of closing matters",
            f"Within {figure(tolerance, 3)} V, but in an unlucky order {said}; {figure(worst.limit_a)} A is the most.{best}",
            _at(low, "resting_v"),
            "Close them in the order given, or charge each to full first.",
            **numbers,
        )
    elif spread > 0:
        yield rule.finding(
            "note",
            f"{low.id} is {figure(spread, 3)} V lower at rest",
            f"Within {figure(tolerance, 3)} V. On closing {said}.{best}",
            _at(low, "resting_v"),
            **numbers,
        )


@check(
    "window-narrowest",
    "bank",
    "Where cell windows differ, the narrower one counts for all",
    "V_max = min(V_max_i), V_min = max(V_min_i)",
)
def _windows(rule: Rule, solved: Solved) -> Iterator[Finding]:
    tops = sorted({m.cell_max_v for m in solved.modules})
    bottoms = sorted({m.cell_min_v for m in solved.modules})
    if len(tops) > 1 or len(bottoms) > 1:
        odd = next(
            m
            for m in solved.modules
            if (m.cell_max_v, m.cell_min_v) != (solved.modules[0].cell_max_v, solved.modules[0].cell_min_v)
        )
        yield rule.finding(
            "note",
            "Cell windows differ",
            f"The bank is planned inside {figure(bottoms[-1])} to {figure(tops[0])} V a cell, the narrower of them.",
            _at(odd),
            cell_max_v=tops[0],
            cell_min_v=bottoms[-1],
        )


@check("health-low", "bank", "A worn module holds less than its plate says", "health >= {WORN:%}")
def _worn(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for m in solved.modules:
        if m.health is not None and m.health < WORN - 1e-9:
            yield rule.finding(
                "caution",
                f"{m.id} is worn",
                f"{figure(m.health * 100, 0)} % of {figure(m.rated_ah)} Ah is {figure(m.health * m.rated_ah, 0)} Ah; the plan counts the plate's.",
                f"/bank/modules/{m.index}/health",
                "Measure it over one full charge and discharge, and enter what it holds as its capacity.",
                health=m.health,
                holds_ah=round(m.health * m.rated_ah, 1),
            )


@check(
    "age-apart",
    "bank",
    "New modules beside old ones age with them",
    "age apart <= {AGE_APART_YEARS} years, health apart <= {HEALTH_APART}",
)
def _ages(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ages = [m.age_years for m in solved.modules if m.age_years is not None]
    healths = [m.health for m in solved.modules if m.health is not None]
    apart = max(ages) - min(ages) if ages else 0.0
    drop = max(healths) - min(healths) if healths else 0.0
    if apart > AGE_APART_YEARS or drop > HEALTH_APART + 1e-9:
        said = [f"{figure(apart, 1)} years"] * (apart > 0) + [f"{figure(drop * 100, 0)} % health"] * (drop > 0)
        yield rule.finding(
            "caution",
            "Old and new side by side",
            f"Modules are {' and '.join(said)} apart; the old ones age the new.",
            "/bank/modules",
            "Bring all to the same charge first; better, keep them in separate banks.",
            age_apart_years=round(apart, 2),
            health_apart=round(drop, 3),
        )


@check("makers-apart", "bank", "At most one make of module speaks to the inverter", "families that speak <= 1")
def _makers(rule: Rule, solved: Solved) -> Iterator[Finding]:
    families = {m.family for m in solved.modules}
    if len(families) > 1:
        odd = next(m for m in solved.modules if m.family != solved.modules[0].family)
        yield rule.finding(
            "caution",
            "Different makes in one bank",
            "Different makes do not talk to each other: what one BMS reports leaves the others out, so the plan is made in open loop.",
            _at(odd),
            "Plan by volts and amps, or keep one make per bank.",
        )


@check("share-uneven", "bank", "Unequal branch resistances lower the bank's limit", "I_bank < sum(I_i)")
def _uneven(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank = solved.bank
    if bank is None or bank.binding_module is None:
        return
    lost = 1 - bank.charge_limit_a / bank.charge_limit_sum_a
    if lost < SHARE_LOST[0]:
        return
    module = next(m for m in solved.modules if m.id == bank.binding_module)
    share = next(m.share for m in bank.modules if m.id == module.id)
    yield rule.finding(
        "caution" if lost > SHARE_LOST[1] else "note",
        f"{module.id} reaches its limit first",
        f"It carries {figure(share * 100, 1)} % of the current, so the bank may take {figure(bank.charge_limit_a, 1)} A, "
        f"not the sum of {figure(bank.charge_limit_sum_a, 1)} A.",
        _at(module),
        "Equal leads and equal modules give the whole sum.",
        charge_limit_a=bank.charge_limit_a,
        charge_limit_sum_a=bank.charge_limit_sum_a,
        share=round(share, 4),
    )


@check("bank-assumed", "bank", "What nobody gave is assumed, and said", "assumed figures are named")
def _assumed(rule: Rule, solved: Solved) -> Iterator[Finding]:
    groups: dict[tuple[str, ...], list[Module]] = {}
    for m in solved.modules:
        if m.assumed:
            groups.setdefault(m.assumed, []).append(m)
    for what, modules in groups.items():
        names = ", ".join(m.id for m in modules[:4]) + (f" and {len(modules) - 4} more" if len(modules) > 4 else "")
        yield rule.finding(
            "note",
            f"Assumed for {names}",
            "; ".join(what) + ".",
            _at(modules[0]),
            "Enter the figures from the data sheet, or measure them.",
        )
    if solved.modules and solved.job.bank.main_lead_mohm is None and lead_of(solved.job.bank.main_lead, solved.job) is None:
        yield rule.finding(
            "note",
            "Assumed for the main leads",
            f"{figure(ASSUMED_MAIN_LEAD_MOHM)} mΩ from the busbar to the units.",
            "/bank/main_lead_mohm",
            "Measure the drop under a known load: ohms are volts over amps.",
        )


@check(
    "peukert-rating",
    "bank",
    "Lead-acid gives less the faster it is emptied; capacities are compared at the hours they are rated for",
    "C(t2) = C(t1) * (t2/t1)^(1 - 1/p), t2 = {cell.rated_h} h, p = {cell.peukert}; 0 h: the rate does not matter",
    "Peukert's law",
    "T",
)
def _peukert(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for m in solved.modules:
        if abs(m.capacity_ah - m.rated_ah) > CAPACITY_ROUNDING_AH:
            yield rule.finding(
                "note",
                f"{m.id} counts as {figure(m.capacity_ah)} Ah",
                f"{figure(m.rated_ah)} Ah on its plate is for another rate; over {figure(m.chemistry.rated_h)} h it gives {figure(m.capacity_ah)} Ah.",
                _at(m, "capacity_ah"),
                rated_ah=m.rated_ah,
                capacity_ah=m.capacity_ah,
            )


@check("ocv-apart", "bank", "Modules of one bank rest on one curve", "OCV points alike")
def _ocv_apart(rule: Rule, solved: Solved) -> Iterator[Finding]:
    odd = next((m for m in solved.modules if m.chemistry.ocv_v != solved.modules[0].chemistry.ocv_v), None)
    if odd is not None and odd.chemistry.name == solved.modules[0].chemistry.name:
        yield rule.finding(
            "note",
            "Resting volts of the makers differ",
            f"The plan reads charge off the curve of {solved.modules[0].id}; {odd.id} has points of its own.",
            _at(odd),
        )


@check("n-1", "bank", "With one module gone the rest carry the continuous load", "I_design <= I_bank without one")
def _n_minus_one(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank, limits = solved.bank, solved.limits
    if bank is None or bank.without_one is None or limits is None or limits.discharge.needed_a is None:
        return
    left, needed = bank.without_one.discharge_limit_a, limits.discharge.needed_a
    if needed > left:
        yield rule.finding(
            "caution",
            "Without one module the bank is overloaded",
            f"Without {bank.without_one.lost_module} the bank gives {figure(left, 1)} A; the continuous load takes {figure(needed, 1)} A.",
            "/bank/modules",
            "Add a module, or lower the load that must always run.",
            needed_a=needed,
            without_one_a=left,
        )
