"""Stage Bank: may these modules be joined, and what can they do together.

Resistances in ohms inside the formulas, milliohms in documents. A module's branch resistance is
its own plus its lead's; the share of current follows the branch conductances.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from ..devices.library import Library
from ..documents.job import Job, JobModule, Lead
from ..documents.profiles import Bms, Derating, ModuleProfile
from ..documents.results.bank import Bank, BankFigures, Closing, ModuleFigures, WithoutOne
from ..documents.results.proposals import NextModule
from ..trade.chemistries import CHEMISTRIES, LFP, Chemistry, charge_level_v, class_v, peukert_capacity_ah
from ..trade.copper import lead_mohm
from ..trade.finding import Finding
from ..trade.margins import (
    AGE_APART_YEARS,
    ASSUMED_BMS_MOHM,
    ASSUMED_CELL_MOHM_AH,
    ASSUMED_LEAD_MOHM,
    ASSUMED_MAIN_LEAD_MOHM,
    CAPACITY_ROUNDING_AH,
    HEALTH_APART,
    NEXT_MODULE,
    RESTING_SLACK_V,
    SHARE_LOST,
    USUAL_AMBIENT_C,
    USUAL_RESTING_OVER_NOMINAL_V,
)
from ..trade.rules import Rule, check, formula_rule
from ..trade.steps import clean, figure, floor_to_step
from .joining import EXACT, branches_of, gentlest_order, steps_of, worst_step
from .solved import Module, Solved

SHARE = formula_rule(
    "bank-share",
    "bank",
    "A bank's limit is set by the module that reaches its own limit first",
    "I_bank = min_i(I_i / w_i), w_i = (1/R_i) / sum(1/R_j)",
    "parallel resistances",
    "T",
)


RESISTANCE = formula_rule(
    "bank-resistance",
    "bank",
    "Modules in parallel conduct together, each with its own lead",
    "R = 1 / sum(1/(R_i + R_lead_i))",
    "parallel resistances",
    "T",
)


REPORTED = formula_rule(
    "bms-report",
    "bank",
    "The BMS reports the sum of the limits, less a buffer, rounded down to its step",
    "floor_to_step(k * sum(I_i))",
    "common practice",
    "T",
)


CAPACITY = formula_rule(
    "bank-capacity", "bank", "Capacity adds up over modules in parallel", "C = sum(C_i), E = C * V_nom", "common practice", "T"
)


def resolve_modules(job: Job, library: Library) -> list[Module]:
    """Return the job's modules with profile, own figures and assumptions merged."""
    return [_resolve(i, m, job, library) for i, m in enumerate(job.bank.modules)]


def lead_of(lead: Lead | None, job: Job) -> float | None:
    """Return the resistance of a pair of leads by length and section [mohm], at the bank's temperature; None until both are given."""
    if lead is None or lead.length_m is None or lead.section_mm2 is None:
        return None
    at_c = USUAL_AMBIENT_C if job.site.bank_ambient_c is None else job.site.bank_ambient_c
    return round(lead_mohm(lead.length_m, lead.section_mm2 * lead.side_by_side, at_c), 4)


def main_lead_mohm(job: Job) -> float:
    """Return the main leads, there and back [mohm]: measured, else by length and section, else assumed."""
    if job.bank.main_lead_mohm is not None:
        return job.bank.main_lead_mohm
    drawn = lead_of(job.bank.main_lead, job)
    return ASSUMED_MAIN_LEAD_MOHM if drawn is None else drawn


def _resolve(index: int, m: JobModule, job: Job, library: Library) -> Module:
    profile = library.get(m.profile, ModuleProfile) if m.profile else None
    assumed: list[str] = []

    def pick(own: float | None, theirs: float | None, fallback: float, text: str) -> float:
        if own is not None:
            return own
        if theirs is not None:
            return theirs
        assumed.append(text)
        return fallback

    chemistry = CHEMISTRIES[m.chemistry or (profile.chemistry if profile else "lfp")]
    if m.chemistry is None and profile is None:
        assumed.append("chemistry lithium iron phosphate")
    cells = m.series_cells or (profile.series_cells if profile else 0)
    rated = m.capacity_ah or (profile.capacity_ah if profile else 0.0)
    capacity = rated
    curve = m.ocv or (profile.ocv if profile else [])
    if curve:
        chemistry = chemistry.with_ocv(tuple((o.soc, o.cell_v) for o in curve))
    if chemistry.rated_h:
        hours = pick(
            m.rated_h, profile.rated_h if profile else None, chemistry.rated_h, f"capacity at {figure(chemistry.rated_h)} h"
        )
        p = pick(
            m.peukert, profile.peukert if profile else None, chemistry.peukert, f"Peukert exponent {figure(chemistry.peukert)}"
        )
        capacity = round(peukert_capacity_ah(rated, hours, chemistry.rated_h, p), 1)
    guess = round(cells * ASSUMED_CELL_MOHM_AH / capacity + ASSUMED_BMS_MOHM, 2)
    resistance = pick(m.resistance_mohm, profile.resistance_mohm if profile else None, guess, f"resistance {figure(guess)} mΩ")
    drawn = lead_of(job.bank.lead, job)
    measured = m.lead_mohm if m.lead_mohm is not None else job.bank.lead_mohm
    lead = pick(measured, drawn, ASSUMED_LEAD_MOHM, f"lead {figure(ASSUMED_LEAD_MOHM)} mΩ")
    cell_max = pick(
        m.cell_max_v,
        profile.cell_max_v if profile else None,
        chemistry.absolute_max_v,
        f"cell maximum {figure(chemistry.absolute_max_v)} V",
    )
    cell_min = pick(
        m.cell_min_v,
        profile.cell_min_v if profile else None,
        chemistry.absolute_min_v,
        f"cell minimum {figure(chemistry.absolute_min_v)} V",
    )
    discharge = m.discharge_a or (profile.discharge_a if profile else 0.0)
    tolerance = profile.resting_tolerance_v if profile else None

    def line(points: Sequence[Derating] | None, default: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        return tuple((p.temp_c, p.fraction) for p in points) if points else default

    for what, points, default in (
        ("charging", profile.charge_derating if profile else None, chemistry.charge_derating),
        ("discharging", profile.discharge_derating if profile else None, chemistry.discharge_derating),
    ):
        if not points:
            able = [t for t, f in default if f > 0]
            assumed.append(f"{what} from {figure(min(able))} to {figure(max(able))} °C")

    return Module(
        id=m.id,
        index=index,
        name=profile.name if profile else m.id,
        maker=profile.maker if profile else None,
        family=(profile.family or profile.id) if profile else None,
        chemistry=chemistry,
        series_cells=cells,
        capacity_ah=capacity,
        rated_ah=rated,
        resistance_mohm=resistance,
        lead_mohm=lead,
        charge_a=m.charge_a or (profile.charge_a if profile else 0.0),
        discharge_a=discharge,
        charge_warranty_a=m.charge_warranty_a or (profile.charge_warranty_a if profile else None),
        discharge_warranty_a=m.discharge_warranty_a or (profile.discharge_warranty_a if profile else None),
        discharge_peak_a=m.discharge_peak_a or (profile.discharge_peak_a if profile else None) or discharge,
        cell_max_v=cell_max,
        cell_min_v=cell_min,
        charge_cell_low_v=profile.charge_cell_low_v if profile else None,
        charge_cell_high_v=profile.charge_cell_high_v if profile else None,
        resting_v=m.resting_v,
        resting_tolerance_v=tolerance or round(chemistry.margins.resting_v * cells, 3),
        charge_derating=line(profile.charge_derating if profile else None, chemistry.charge_derating),
        discharge_derating=line(profile.discharge_derating if profile else None, chemistry.discharge_derating),
        bms=profile.bms if profile else None,
        asked_cell_v=_asked(job, profile, chemistry, cells),
        age_years=m.age_years,
        health=m.health,
        assumed=tuple(assumed),
    )


def _asked(job: Job, profile: ModuleProfile | None, chemistry: Chemistry, cells: int) -> float | None:
    """Return the volts of one cell that the module's BMS asks for: what its own menu is set to, else what its sheet says."""
    if profile is None or profile.bms is None:
        return None
    if profile.setting_for("absorb_v") is not None:
        own = job.policy.own_number("absorb_v")
        wished = own / cells if own is not None else charge_cell_v(job, chemistry)[0]
        low, high = profile.charge_cell_low_v or 0.0, profile.charge_cell_high_v or profile.cell_max_v
        return min(max(wished, low), high)
    return profile.bms.request_cell_v or profile.charge_cell_high_v


def parallel_mohm(branches_mohm: Sequence[float]) -> float:
    """Return the resistance [mohm] of branches in parallel: 1 / sum(1/R_i)."""
    return 1 / sum(1 / r for r in branches_mohm)


def shares(branches: Sequence[float]) -> list[float]:
    """Return the part (0..1) of the current each branch carries: w_i = (1/R_i) / sum(1/R_j)."""
    conductances = [1 / r for r in branches]
    total = sum(conductances)
    return [g / total for g in conductances]


def shared_limit_a(limits_a: Sequence[float], branches: Sequence[float]) -> tuple[float, int]:
    """Return the bank's limit [A] and the index of the module that binds: min_i(I_i / w_i)."""
    best, at = float("inf"), 0
    for i, (limit, share) in enumerate(zip(limits_a, shares(branches), strict=True)):
        if limit / share < best - 1e-9:
            best, at = limit / share, i
    return clean(best), at


def reported_a(limits_a: Sequence[float], buffer: float, step_a: float) -> float:
    """Return what the BMS will report [A]: floor_to_step(k * sum I_i)."""
    return floor_to_step(buffer * sum(limits_a), step_a)


def _speaking(modules: Sequence[Module]) -> Bms | None:
    bms = modules[0].bms if modules else None
    if bms is None or not bms.protocols or any(m.bms is None or m.family != modules[0].family for m in modules):
        return None
    return bms


def _figures(modules: Sequence[Module], join_a: float | None) -> BankFigures:
    branches = [m.branch_ohm for m in modules]
    charge = [m.charge_a for m in modules]
    discharge = [m.discharge_a for m in modules]
    charge_limit, binds = shared_limit_a(charge, branches)
    discharge_limit, binds_out = shared_limit_a(discharge, branches)
    bms = _speaking(modules)
    capacity = sum(m.capacity_ah for m in modules)
    nominal = modules[0].series_cells * modules[0].chemistry.nominal_v
    uneven = charge_limit < sum(charge) - 1e-6
    uneven_out = discharge_limit < sum(discharge) - 1e-6
    return BankFigures(
        series_cells=modules[0].series_cells,
        capacity_ah=clean(capacity),
        energy_wh=clean(capacity * nominal),
        resistance_mohm=round(parallel_mohm(branches) * 1000, 4),
        charge_limit_a=round(charge_limit, 3),
        charge_limit_sum_a=clean(sum(charge)),
        discharge_limit_a=round(discharge_limit, 3),
        discharge_limit_sum_a=clean(sum(discharge)),
        reported_charge_a=reported_a(charge, bms.buffer, bms.report_step_a) if bms else None,
        reported_discharge_a=reported_a(discharge, bms.buffer, bms.report_step_a) if bms else None,
        binding_module=modules[binds].id if uneven else None,
        binding_module_discharge=modules[binds_out].id if uneven_out else None,
        join_current_a=join_a,
    )


def limits_without(limits_a: Sequence[float], ohms: Sequence[float]) -> list[float]:
    """Return the bank's limit [A] with each module gone in turn: the least I_j * R_j of the others times what they conduct."""
    drops = [a * r for a, r in zip(limits_a, ohms, strict=True)]
    whole = sum(1 / r for r in ohms)
    first, second = sorted(drops)[:2]
    at = drops.index(first)
    return [round(clean((second if i == at else first) * (whole - 1 / r)), 3) for i, r in enumerate(ohms)]


def _worst_loss(modules: Sequence[Module], joins: Sequence[float | None]) -> WithoutOne:
    """Return each figure at the worst of all single losses; the loss that leaves the least to discharge is named.

    ``joins`` is the worst joining current [A] of what each loss leaves. The figures of a loss are those of the other modules;
    they are summed here without making each such bank anew.
    """
    ohms = [m.branch_ohm for m in modules]
    into, out = (limits_without([getattr(m, k) for m in modules], ohms) for k in ("charge_a", "discharge_a"))
    lost = min(range(len(modules)), key=lambda i: (out[i], into[i]))
    least_in = min(range(len(modules)), key=lambda i: into[i])
    others = [[m for m in modules if m is not modules[i]] for i in (lost, least_in)]
    figures = _figures(others[0], joins[lost]).model_dump()
    nominal = modules[0].series_cells * modules[0].chemistry.nominal_v
    for name, key in (("capacity_ah", "capacity_ah"), ("charge_limit_sum_a", "charge_a"), ("discharge_limit_sum_a", "discharge_a")):
        each = [getattr(m, key) for m in modules]
        figures[name] = clean(sum(each) - max(each))
    figures["energy_wh"] = clean(figures["capacity_ah"] * nominal)
    figures["charge_limit_a"], figures["discharge_limit_a"] = min(into), min(out)
    voices = [_speaking([m for m in modules if m is not gone]) for gone in modules] if _speaking(modules) is None else None
    for name, key in (("reported_charge_a", "charge_a"), ("reported_discharge_a", "discharge_a")):
        each = [getattr(m, key) for m in modules]
        heard = [
            reported_a(each[:i] + each[i + 1 :], bms.buffer, bms.report_step_a)
            for i, bms in enumerate(voices or [_speaking(modules)] * len(modules))
            if bms is not None
        ]
        figures[name] = min(heard, default=None)
    figures["resistance_mohm"] = round(1000 / (sum(1 / r for r in ohms) - 1 / min(ohms)), 4)
    figures["join_current_a"] = max((j for j in joins if j is not None), default=None)
    figures["binding_module"] = _figures(others[1], None).binding_module
    return WithoutOne(**figures, lost_module=modules[lost].id)


def plan_bank(job: Job, modules: Sequence[Module]) -> Bank | None:
    """Return the bank of the plan, or None while it is empty or its modules cannot be one bank."""
    if not modules or len({m.series_cells for m in modules}) > 1 or len({m.chemistry.name for m in modules}) > 1:
        return None
    joins = branches_of(modules)
    worst = worst_step(joins)
    order, gentlest = gentlest_order(joins)
    whole = _figures(modules, worst.amps if worst else None)
    without = None
    if len(modules) > 1:
        # Of many modules the whole bank's worst step stands for the rest's, which is never above it.
        steps = (worst_step([b for b in joins if b.id != m.id]) if len(joins) <= EXACT else worst for m in modules)
        without = _worst_loss(modules, [step.amps if step else None for step in steps])
    branches = [m.branch_ohm for m in modules]
    first = modules[0]
    return Bank(
        **whole.model_dump(),
        nominal_v=clean(first.series_cells * first.chemistry.nominal_v),
        class_v=class_v(first.series_cells, first.chemistry),
        chemistry=first.chemistry.name,
        cell_max_v=min(m.cell_max_v for m in modules),
        cell_min_v=max(m.cell_min_v for m in modules),
        path_mohm=round(whole.resistance_mohm + main_lead_mohm(job), 4),
        without_one=without,
        closing=Closing(
            order=[b.id for b in order],
            worst_a=gentlest.amps,
            worst_module=gentlest.module,
            any_order_a=worst.amps,
            any_order_module=worst.module,
            any_order_onto=list(worst.onto),
        )
        if gentlest is not None and worst is not None
        else None,
        modules=[
            ModuleFigures(
                id=m.id,
                name=m.name,
                series_cells=m.series_cells,
                capacity_ah=m.capacity_ah,
                resistance_mohm=m.resistance_mohm,
                lead_mohm=m.lead_mohm,
                charge_a=m.charge_a,
                discharge_a=m.discharge_a,
                cell_max_v=m.cell_max_v,
                cell_min_v=m.cell_min_v,
                resting_v=m.resting_v,
                share=round(share, 6),
                current_at_limit_a=round(share * whole.charge_limit_a, 3),
            )
            for m, share in zip(modules, shares(branches), strict=True)
        ],
    )


def next_module(solved: Solved) -> NextModule:
    """Return the figures that a further nameplate module starts from: the last module's, else a common small one's."""
    last = solved.modules[-1] if solved.modules else None
    if last is None:
        return NextModule(**NEXT_MODULE)
    return NextModule(
        series_cells=last.series_cells, capacity_ah=last.capacity_ah, charge_a=last.charge_a, discharge_a=last.discharge_a
    )


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
            f"{low.id} rests {figure(spread, 3)} V low",
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
        f"{module.id} binds before the others",
        f"It carries {figure(share * 100, 1)} % of the current, so the bank may take {figure(bank.charge_limit_a, 1)} A, "
        f"not the sum of {figure(bank.charge_limit_sum_a, 1)} A.",
        _at(module),
        "Equal leads and equal modules give the whole sum.",
        charge_limit_a=bank.charge_limit_a,
        charge_limit_sum_a=bank.charge_limit_sum_a,
        share=round(share, 4),
    )


@check("bank-assumed", "bank", "What nobody gave is assumed aloud", "assumed figures are named")
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
            "One module gone is one too few",
            f"Without {bank.without_one.lost_module} the bank gives {figure(left, 1)} A; the continuous load takes {figure(needed, 1)} A.",
            "/bank/modules",
            "Add a module, or lower the load that must always run.",
            needed_a=needed,
            without_one_a=left,
        )


def charge_cell_v(job: Job, chemistry: Chemistry) -> tuple[float, str]:
    """Return the volts of one cell that charging aims at and what they are called: a level of one's own, else the school's."""
    if job.policy.charge_cell_v is not None:
        return job.policy.charge_cell_v, "own level"
    return charge_level_v(chemistry, job.policy.charge_school), job.policy.charge_school


def chemistry_of(modules: Sequence[Module]) -> Chemistry:
    """Return the chemistry of the bank; LFP while it is empty."""
    return modules[0].chemistry if modules else LFP
