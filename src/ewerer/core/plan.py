"""plan(job, library) -> Plan: what was solved, what was found, every finding, the state of every stage."""

from __future__ import annotations

from .behaviour.trial import found_findings, trial
from .devices.library import Library, shipped_library
from .devices.plates import charger_profile, unit_profile
from .documents.job import Job
from .documents.profiles import ControllerProfile, MenuProfile, ModuleProfile
from .documents.results.plan import Plan, StageState
from .documents.results.sheet import UnitSheet
from .documents.results.sources import SourcesPlan
from .documents.results.tried import Tried
from .headlines import Headline, headlines
from .stages.bank.solve import next_module
from .stages.checks import SEVERITY_RANK, findings_of, ranked
from .stages.pipeline import solve
from .stages.sheet.found import agreement, found_values, preset_verdicts, read_backs
from .stages.solved import Solved
from .stages.units.solve import next_charger, next_unit, plan_group
from .trade.errors import DocumentError, Problem
from .trade.quantities import fitting
from .trade.stages import ALL
from .trade.steps import figure


def plan(job: Job, library: Library | None = None) -> Plan:
    """Return the plan of ``job``: every figure, its reason, every finding, every unit's sheet.

    A pure function: equal documents give equal plans. Without a library the shipped one is asked; profiles that it does
    not hold raise :class:`~ewerer.DocumentError`.

    >>> import ewerer
    >>> made = plan(ewerer.demo_job("larch-hollow-workshop"))
    >>> [sheet.id for sheet in made.units], made.limits.charge.bank_a
    (['LEFT', 'RIGHT'], 260.0)
    """
    solved = solve(job, library or shipped_library())
    tried = trial(solved)
    found = ranked([*findings_of(solved), *tried.findings(), *found_findings(solved, tried)])
    host = solved.host
    result = Plan(
        job=job.name,
        bank=solved.bank,
        ladder=solved.ladder.rungs if solved.ladder else {},
        ladder_view=solved.ladder.view if solved.ladder else None,
        quantities=solved.derived_for(host.profile if host else None),
        limits=solved.limits,
        link=solved.link,
        units=[s for s in solved.sheets.values() if s.kind == "unit"],
        devices=[s for s in solved.sheets.values() if s.kind != "unit"],
        sources=solved.sources or SourcesPlan(ac_window=None, orders=[], generator=None),
        group=plan_group(solved),
        windows=solved.windows,
        found={d.id: found_values(d, solved) for d in solved.devices if job.as_found.get(d.id)},
        agreement=agreement(solved) if job.as_found else [],
        presets=preset_verdicts(solved),
        readbacks={d.id: read_backs(d, solved) for d in solved.devices if job.sheet_marks.get(d.id)},
        findings=found,
        tried=Tried(asked=len(tried.asked), unknown=list(tried.unknown)),
        next_unit=next_unit(solved),
        next_charger=next_charger(solved),
        next_module=next_module(solved),
        stages=[],
    )
    return result.model_copy(update={"stages": _stages(solved, result)})


def _stages(solved: Solved, result: Plan) -> list[StageState]:
    keys = _keys(solved, result)
    heads = headlines(solved)
    states = []
    for stage in ALL:
        worst = min((f.severity for f in result.findings if f.stage == stage.name), key=lambda s: SEVERITY_RANK[s], default=None)
        open_ = not stage.planned or not keys.get(stage.name)
        state = worst if worst in ("stop", "caution") else "open" if open_ else "ok"
        head = heads.get(stage.name, Headline())
        states.append(
            StageState(
                stage=stage.name,
                word=stage.word,
                state=state,
                key=keys.get(stage.name, ""),
                answer=head.says,
                rests_on=head.rests_on,
            )
        )
    return states


def _keys(solved: Solved, result: Plan) -> dict[str, str]:
    job, bank, limits = solved.job, solved.bank, solved.limits
    ac = job.site.ac
    keys = {"site": ", ".join(job.site.sources) or f"{figure(ac.volts)} V {ac.hz} Hz"}
    if bank:
        keys["bank"] = f"{figure(bank.capacity_ah, 0)} Ah · {figure(bank.energy_wh / 1000, 1)} kWh"
    if solved.units:
        kw = figure(solved.units[0].profile.ratings.continuous_w / 1000, 1)
        keys["units"] = f"{len(solved.units)} × {kw} kW"
    if solved.units and solved.modules:
        cable = (
            {"patch": ", patch cable", "made": ", made cable", "terminal": ", on terminals"}[solved.link.cable.kind]
            if solved.link.cable
            else ""
        )
        keys["link"] = f"{solved.link.loop} loop{cable}"
    if limits:
        keys["limits"] = f"in {figure(limits.charge.bank_a, 0)} A · out {figure(limits.discharge.bank_a, 0)} A"
    volts = [result.ladder[n].value for n in ("absorb_v", "float_v", "shutdown_v") if n in result.ladder]
    if volts:
        keys["thresholds"] = " / ".join(f"{v:.1f}" for v in volts) + " V"
    if solved.units and job.site.sources:
        words = {
            "off-grid": fitting(job.policy.source_order.replace("-", ", "), job.site.sources),
            "feed-in": "feeds the grid",
            "essential-only": "essential loads",
            "zero-export": "all loads" if job.policy.sell_surplus else "no export",
            "peak-shaving": "shaves peaks",
        }
        sold = ", surplus sold" if job.policy.sells and job.policy.mode != "feed-in" else ""
        keys["sources"] = words[job.policy.mode] + sold
    if job.windows:
        keys["windows"] = f"{len(job.windows)} window{'s' if len(job.windows) > 1 else ''}"
    rows = [(u.id, r.setting) for u in (*result.units, *result.devices) for r in u.settings]
    if rows:
        marked = sum(1 for u, s in rows if s in job.sheet_marks.get(u, {}))
        keys["sheet"] = f"{marked} of {len(rows)} entered"
    return keys


def device_ids(job: Job) -> list[str]:
    """Return the ids of everything that may have a sheet: units, sun chargers, modules, the controller."""
    ids = [u.id for u in job.units] + [c.id for c in job.sun.chargers] + [m.id for m in job.bank.modules]
    return ids + ([job.controller.id] if job.controller is not None else [])


def profile_of(job: Job, id: str, library: Library) -> MenuProfile | None:
    """Return the profile of a device of the job by its id, one made of a plate included; None where it has no menu."""
    unit = next((u for u in job.units if u.id == id), None)
    if unit is not None:
        return unit_profile(unit, library)
    charger = next((c for c in job.sun.chargers if c.id == id), None)
    if charger is not None:
        return charger_profile(charger, library)
    module = next((m for m in job.bank.modules if m.id == id), None)
    if module is not None:
        return library.get(module.profile, ModuleProfile) if module.profile else None
    if job.controller is not None and job.controller.id == id:
        return library.get(job.controller.profile, ControllerProfile)
    return None


def find_sheet(job: Job, made: Plan, unit: str) -> UnitSheet:
    """Return the sheet of ``unit``; raise :class:`DocumentError` saying why there is none."""
    for sheet in (*made.units, *made.devices):
        if sheet.id == unit:
            return sheet
    known = ", ".join(device_ids(job)) or "none"
    if unit in device_ids(job):
        first = next((f for f in made.findings if f.severity == "stop"), None)
        raise DocumentError(
            [
                Problem(
                    pointer=first.at if first else "/units",
                    message="no sheet can be made yet" + (f": {first.title}" if first else ""),
                    expected=first.fix if first else "a complete job",
                )
            ]
        )
    raise DocumentError([Problem(pointer="/units", message="no such unit", value=unit, expected=f"one of {known}")])
