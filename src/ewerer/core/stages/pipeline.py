"""solve(job, library) -> Solved: calls the stages in order, nothing else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..devices.library import Library
from ..documents.job import Job
from ..documents.profiles import MenuProfile
from ..documents.results.bank import Bank
from ..documents.results.link import Link
from .bank.solve import charge_cell_v, chemistry_of, plan_bank, resolve_modules
from .limits.solve import plan_limits
from .link.solve import charge_request_v, plan_link
from .sheet.derived import derive
from .sheet.own import careful, with_entries
from .sheet.solve import plan_sheets
from .sheet.values import plan_values
from .solved import Ladder, Module, Solved
from .sources.solve import plan_sources
from .thresholds.basis import basis_of
from .thresholds.solve import solve_ladder
from .units.solve import resolve_parts, resolve_sun_chargers, resolve_units
from .windows.solve import plan_windows

ROUNDS = 4
"""Most rounds of limits and ladder until the volts that the budget was counted at are the volts planned."""


def asked_v(link: Link, modules: Sequence[Module]) -> float:
    """Return the volts that the BMS asks for in closed loop [V]; 0 where nobody asks."""
    speaking = [m for m in modules if m.id in link.speaking and m.bms is not None]
    bms = speaking[0].bms if speaking and link.loop == "closed" else None
    return (charge_request_v(speaking, bms) if bms is not None else None) or 0.0


def first_charge_v(job: Job, modules: Sequence[Module], bank: Bank, link: Link) -> float:
    """Return where the planned volts of charging start from [V]: the person's own figure, else the chosen school; what the BMS asks for."""
    school = bank.series_cells * charge_cell_v(job, chemistry_of(modules))[0]
    return max(job.policy.own_number("absorb_v") or school, asked_v(link, modules))


def highest_charge_v(solved: Solved) -> float:
    """Return the highest volts that any unit is planned to charge to [V], what the BMS asks for in closed loop included."""
    planned = [
        r.value for ladder in solved.ladders.values() for n, r in ladder.rungs.items() if n in ("absorb_v", "float_v", "equalise_v")
    ]
    return max([*planned, asked_v(solved.link, solved.modules)]) or solved.charge_v


def narrowed(solved: Solved) -> dict[str, Ladder]:
    """Return the ladders with the ranges of the host's rungs narrowed to what every other menu takes too.

    A figure of one's own is asked of all menus, so a range that one of them would refuse is not shown.
    """
    host = solved.host
    own = solved.ladders.get(host.profile.id if host else "")
    if own is None or len(solved.ladders) < 2:
        return dict(solved.ladders)
    rungs = {}
    for name, rung in own.rungs.items():
        others = [r for k in solved.ladders.values() if k is not own and (r := k.rungs.get(name)) is not None and r.settable]
        low, high = max([rung.lowest, *(r.lowest for r in others)]), min([rung.highest, *(r.highest for r in others)])
        rungs[name] = rung.model_copy(update={"lowest": low, "highest": high}) if low <= rung.value <= high else rung
    return {**solved.ladders, host.profile.id if host else "": replace(own, rungs=rungs)}


def solve(job: Job, library: Library) -> Solved:
    """Return everything that can be worked out of a job: bank, link, limits, ladders, figures, sheets; no findings yet."""
    modules = resolve_modules(job, library)
    units = resolve_units(job, library)
    chargers = resolve_sun_chargers(job, library)
    bank = plan_bank(job, modules)
    parts = resolve_parts(job, chargers, units, library)
    link = plan_link(job, modules, units, library, parts)
    solved = Solved(
        job=job,
        library=library,
        modules=modules,
        units=units,
        sun_chargers=chargers,
        parts=parts,
        bank=bank,
        link=link,
        windows=plan_windows(job, units),
        charge_v=first_charge_v(job, modules, bank, link) if bank else 0.0,
    )
    if bank is not None:
        profiles: list[MenuProfile | None] = [*solved.menus]
        if not solved.units:
            profiles.insert(0, None)
        for turn in range(ROUNDS):
            limits = plan_limits(solved, bank)
            solved = replace(solved, limits=limits, mains_charge_a=sum(s.a for s in limits.ac.units))
            solved = replace(solved, basis=basis_of(solved, bank, limits))
            solved = replace(solved, ladders={p.id if p else "": solve_ladder(solved, p) for p in profiles})
            highest = highest_charge_v(solved)
            if abs(highest - solved.charge_v) < 1e-6 or (turn and highest < solved.charge_v):
                break
            # The AC budget is counted at the volts that are planned: again with those the ladder came to.
            solved = replace(solved, charge_v=highest)
        solved = replace(solved, ladders=narrowed(solved))
        solved = replace(solved, derived={p.id if p else "": derive(solved, p) for p in profiles})
    solved = replace(solved, sources=plan_sources(solved))
    solved = replace(solved, values={d.id: plan_values(d, solved) for d in solved.devices})
    solved = with_entries(replace(solved, sheets=plan_sheets(solved)))
    safer = careful(solved)
    return solved if safer is solved else with_entries(replace(safer, sheets=plan_sheets(safer)))
