"""solve(job, library) -> Solved: calls the stages in order, nothing else."""

from __future__ import annotations

from dataclasses import replace

from ..devices.library import Library
from ..documents.job import Job
from ..documents.profiles import InverterProfile
from ..trade.chemistries import charge_level_v
from . import judged  # noqa: F401  (its checks run on the sheets made here)
from .bank import chemistry_of, plan_bank, resolve_modules
from .derived import derive
from .limits import mains_charge_a, plan_limits
from .link import plan_link
from .sheet import plan_sheets, plan_values
from .solved import Solved
from .sources import plan_sources
from .thresholds import basis_of, solve_ladder
from .units import resolve_sun_chargers, resolve_units
from .windows import plan_windows


def solve(job: Job, library: Library) -> Solved:
    """Return everything that can be worked out of a job: bank, link, limits, ladders, figures, sheets; no findings yet."""
    modules = resolve_modules(job, library)
    units = resolve_units(job, library)
    bank = plan_bank(job, modules)
    solved = Solved(
        job=job,
        library=library,
        modules=modules,
        units=units,
        sun_chargers=resolve_sun_chargers(job, library),
        bank=bank,
        link=plan_link(job, modules, units, library),
        windows=plan_windows(job, units),
        charge_v=bank.series_cells * charge_level_v(chemistry_of(modules), job.policy.charge_school) if bank else 0.0,
    )
    if bank is not None:
        limits = plan_limits(solved, bank)
        solved = replace(solved, limits=limits, mains_charge_a=mains_charge_a(limits, units))
        solved = replace(solved, basis=basis_of(solved, bank, limits))
        profiles: list[InverterProfile | None] = [*solved.profiles] or [None]
        solved = replace(solved, ladders={p.id if p else "": solve_ladder(solved, p) for p in profiles})
        solved = replace(solved, derived={p.id if p else "": derive(solved, p) for p in profiles})
    solved = replace(solved, sources=plan_sources(solved))
    solved = replace(solved, values={u.id: plan_values(u, solved) for u in units})
    return replace(solved, sheets=plan_sheets(solved))
