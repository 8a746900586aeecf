"""What the ladder stands on: reserve, shut-down, the quantities that decide."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from ...documents.job import Job
from ...documents.profiles import MenuProfile
from ...documents.results.bank import Bank
from ...documents.results.limits import Limits
from ...documents.results.link import Link
from ...trade.chemistries import Chemistry, peukert_capacity_ah
from ...trade.margins import LOW_END_OF_RESERVE, LOW_END_SOC, METER_ERROR_PER_CELL_V, TEN_HOURS
from ...trade.quantities import LADDER_SOC, LADDER_VOLTS
from ...trade.steps import clean
from ..bank.solve import chemistry_of
from ..solved import Basis, Module, Solved


def reserve_of(job: Job, chemistry: Chemistry) -> float:
    """Return the chosen reserve (0..1), or the usual one of the chemistry where none is chosen."""
    return chemistry.reserve_soc if job.policy.reserve_soc is None else job.policy.reserve_soc


def shutdown_level(job: Job, chemistry: Chemistry) -> float:
    """Return the charge (0..1) at which the output shuts down: the person's own, else by the low-end school. Source: LOW_END."""
    if job.policy.shutdown_soc is not None:
        return job.policy.shutdown_soc
    reserve = reserve_of(job, chemistry)
    wished = chemistry.low_end(job.policy.low_end_school)
    return clean(round(min(wished, reserve * LOW_END_OF_RESERVE[wished > LOW_END_SOC["usual"]]), 3))


def basis_of(solved: Solved, bank: Bank, limits: Limits) -> Basis:
    """Return the ladder's basis for a job whose limits are known."""
    policy = solved.job.policy
    chemistry = chemistry_of(solved.modules)
    margins = chemistry.margins
    reserve = reserve_of(solved.job, chemistry)
    transfer = 0.0 if policy.charge_order == "sun-only" else min(solved.mains_charge_a, limits.charge.bank_a)
    return Basis(
        n=bank.series_cells,
        cell_max_v=bank.cell_max_v,
        cell_min_v=bank.cell_min_v,
        path_ohm=bank.path_mohm / 1000,
        load_a=min(limits.discharge.needed_a or 0.0, limits.discharge.bank_a),
        full_a=limits.discharge.bank_a,
        charge_a=min(sum(s.a for s in limits.charge.units), limits.charge.bank_a) or limits.charge.bank_a,
        transfer_charge_a=transfer,
        overshoot_v=policy.overshoot_v if policy.overshoot_v is not None else round(margins.overshoot_v * bank.series_cells, 3),
        imbalance_v=policy.imbalance_v if policy.imbalance_v is not None else margins.imbalance_v,
        meter_v=policy.meter_error_v if policy.meter_error_v is not None else round(METER_ERROR_PER_CELL_V * bank.series_cells, 3),
        reserve_soc=reserve,
        shutdown_soc=shutdown_level(solved.job, chemistry),
        margins=margins,
        c10_ah=c10_of(bank.capacity_ah, solved.modules),
        lead_ohm=max(0.0, bank.path_mohm - bank.resistance_mohm) / 1000,
    )


def c10_of(capacity_ah: float, modules: Sequence[Module]) -> float:
    """Return a lead-acid bank's capacity at ten hours [Ah]; 0 where the cells do not rise while they are charged."""
    chemistry = chemistry_of(modules)
    if chemistry.has_bms:
        return 0.0
    return peukert_capacity_ah(capacity_ah, chemistry.rated_h, TEN_HOURS, max((m.peukert for m in modules), default=1.0))


def decide_by(job: Job, link: Link, profile: MenuProfile | None) -> Literal["volts", "soc"]:
    """Return whether thresholds act on volts or on charge level for this unit."""
    has_soc = profile is not None and any(s.quantity == "shutdown_soc" for s in profile.settings)
    if job.policy.control == "soc":
        return "soc" if has_soc or profile is None else "volts"
    if job.policy.control == "volts":
        return "volts"
    return "soc" if has_soc and profile is not None and (link.loop == "closed" or profile.sees_coulombs) else "volts"


def active_quantities(job: Job, by: Literal["volts", "soc"], profile: MenuProfile | None) -> list[str]:
    """Return the thresholds that do something in this job and can be set on this unit, in ladder order."""

    def has(name: str) -> bool:
        return profile is None or profile.setting_for(name) is not None

    transfers = job.policy.source_order == "sun-bank-mains" and bool({"mains", "generator"} & set(job.site.sources))
    generator = job.generator is not None and job.generator.start == "auto" and "generator" in job.site.sources
    names = []
    for name in (*LADDER_VOLTS, *LADDER_SOC):
        root, kind = name.rsplit("_", 1)
        if kind == "soc" and by != "soc":
            continue
        if root in ("to_mains", "return_bank") and (not transfers or (kind == "v") != (by == "volts")):
            continue
        if root in ("gen_start", "gen_stop") and (not generator or (kind == "v") != (by == "volts")):
            continue
        if root == "float" and job.policy.float_school == "none" and profile is not None and profile.setting_for("float_on"):
            continue
        if has(name):
            names.append(name)
    return names
