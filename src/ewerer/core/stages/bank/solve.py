"""Stage Bank: may these modules be joined, and what can they do together.

Resistances in ohms inside the formulas, milliohms in documents. A module's branch resistance is
its own plus its lead's; the share of current follows the branch conductances.
"""

from __future__ import annotations

from collections.abc import Sequence

from ...devices.library import Library
from ...documents.job import Job, JobModule, Lead
from ...documents.profiles import Bms, Derating, ModuleProfile
from ...documents.results.bank import Bank, BankFigures, Closing, ModuleFigures, WithoutOne
from ...documents.results.proposals import NextModule
from ...trade.chemistries import CHEMISTRIES, LFP, Chemistry, charge_level_v, class_v, peukert_capacity_ah
from ...trade.copper import lead_mohm
from ...trade.margins import (
    ASSUMED_BMS_MOHM,
    ASSUMED_CELL_MOHM_AH,
    ASSUMED_LEAD_MOHM,
    ASSUMED_MAIN_LEAD_MOHM,
    NEXT_MODULE,
    USUAL_AMBIENT_C,
)
from ...trade.steps import clean, figure, floor_to_step
from ..solved import Module, Solved
from .joining import EXACT, branches_of, gentlest_order, worst_step


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
    capacity, p = rated, 1.0
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
    guess = round(cells * ASSUMED_CELL_MOHM_AH / capacity + (ASSUMED_BMS_MOHM if chemistry.has_bms else 0.0), 2)
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
        peukert=p,
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
    """Return the resistance [mohm] of branches in parallel: 1 / sum(1/R_i).

    >>> parallel_mohm([12.0, 12.0, 12.0])
    4.0
    """
    return 1 / sum(1 / r for r in branches_mohm)


def shares(branches: Sequence[float]) -> list[float]:
    """Return the part (0..1) of the current each branch carries: w_i = (1/R_i) / sum(1/R_j).

    >>> shares([10.0, 30.0])
    [0.75, 0.25]
    """
    conductances = [1 / r for r in branches]
    total = sum(conductances)
    return [g / total for g in conductances]


def shared_limit_a(limits_a: Sequence[float], branches: Sequence[float]) -> tuple[float, int]:
    """Return the bank's limit [A] and the index of the module that binds: min_i(I_i / w_i).

    >>> shared_limit_a([50.0, 50.0], [10.0, 30.0])
    (66.666666667, 0)
    """
    best, at = float("inf"), 0
    for i, (limit, share) in enumerate(zip(limits_a, shares(branches), strict=True)):
        if limit / share < best - 1e-9:
            best, at = limit / share, i
    return clean(best), at


def reported_a(limits_a: Sequence[float], buffer: float, step_a: float) -> float:
    """Return what the BMS will report [A]: floor_to_step(k * sum I_i).

    >>> reported_a([50.0, 50.0, 50.0], 0.9, 1.0)
    135.0
    """
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
    """Return the bank's limit [A] with each module gone in turn: the least I_j * R_j of the others times what they conduct.

    >>> limits_without([50.0, 50.0, 50.0], [10.0, 10.0, 10.0])
    [100.0, 100.0, 100.0]
    """
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


def charge_cell_v(job: Job, chemistry: Chemistry) -> tuple[float, str]:
    """Return the volts of one cell that charging aims at and what they are called: a level of one's own, else the school's."""
    if job.policy.charge_cell_v is not None:
        return job.policy.charge_cell_v, "own level"
    return charge_level_v(chemistry, job.policy.charge_school), job.policy.charge_school


def chemistry_of(modules: Sequence[Module]) -> Chemistry:
    """Return the chemistry of the bank; LFP while it is empty."""
    return modules[0].chemistry if modules else LFP
