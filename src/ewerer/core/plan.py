"""plan(job, library) -> Plan: calls the stages in order, nothing else."""

from __future__ import annotations

from dataclasses import dataclass, field

from . import findings
from .as_found import agreement, found_values, preset_verdicts, read_backs
from .bank import Module, chemistry_of, plan_bank, resolve_modules
from .cells import charge_level_v
from .derived import derive
from .documents.job import Job
from .documents.plan import Bank, Derived, LeftAlone, Limits, Link, Plan, SheetRow, SourcesPlan, StageState, UnitSheet, WindowsPlan
from .documents.profiles import InverterProfile
from .ladder import Ladder, solve_ladder
from .library import Library, shipped_library
from .limits import mains_charge_a, plan_limits
from .link import plan_link
from .sheet import plan_sheet
from .sources import plan_sources
from .steps import figure
from .units import SunCharger, Unit, host_of, resolve_sun_chargers, resolve_units
from .windows import plan_windows

STAGE_WORDS = {s: s.capitalize() for s in findings.STAGES}
SEVERITY_RANK = {"stop": 0, "caution": 1, "note": 2}


@dataclass(slots=True)
class Context:
    """What the stages have found so far; every check reads it, only :func:`plan` fills it."""

    job: Job
    library: Library
    modules: list[Module]
    units: list[Unit]
    sun_chargers: list[SunCharger]
    bank: Bank | None
    link: Link
    charge_v: float
    windows: WindowsPlan
    limits: Limits | None = None
    sources: SourcesPlan | None = None
    ladders: dict[str, Ladder] = field(default_factory=dict)
    ladder: Ladder | None = None
    derived: dict[str, dict[str, Derived]] = field(default_factory=dict)
    mains_charge_a: float = 0.0
    values: dict[str, dict[str, float | str | bool]] = field(default_factory=dict)
    sheets: dict[object, tuple[list[SheetRow], list[LeftAlone]]] = field(default_factory=dict)
    unit_sheets: dict[str, UnitSheet] = field(default_factory=dict)
    whys: dict[str, dict[str, list[str]]] = field(default_factory=dict)

    def derived_for(self, profile: InverterProfile | None) -> dict[str, Derived]:
        """Return the derived quantities for units of ``profile``; empty before they exist."""
        key = profile.id if profile else ""
        if key not in self.derived:
            ladder = self.ladders.get(key)
            if self.bank is None or self.limits is None or ladder is None:
                return {}
            self.derived[key] = derive(self.job, self.modules, self.bank, self.limits, self.link, self.units, ladder, profile)
        return self.derived[key]

    def why_of(self, profile: InverterProfile) -> dict[str, list[str]]:
        """Return the rule ids behind every planned quantity for units of ``profile``."""
        if profile.id in self.whys:
            return self.whys[profile.id]
        ladder = self.ladders.get(profile.id)
        why = {n: r.why for n, r in ladder.rungs.items()} if ladder else {}
        why |= {n: d.why for n, d in self.derived_for(profile).items()}
        self.whys[profile.id] = why | {
            "charge_max_a": ["chain-of-caps", "split-to-units"],
            "discharge_max_a": ["chain-of-caps", "split-to-units"],
            "mains_charge_max_a": ["ac-budget", "split-to-units"],
        }
        return self.whys[profile.id]


def solve(job: Job, library: Library) -> Context:
    """Return the context of a job with bank, link, limits and ladders worked out; no findings, no sheets yet."""
    modules = resolve_modules(job, library)
    units = resolve_units(job, library)
    bank = plan_bank(job, modules)
    chemistry = chemistry_of(modules)
    ctx = Context(
        job=job,
        library=library,
        modules=modules,
        units=units,
        sun_chargers=resolve_sun_chargers(job, library),
        bank=bank,
        link=plan_link(job, modules, units, library),
        windows=plan_windows(job, units),
        charge_v=bank.series_cells * charge_level_v(chemistry, job.policy.charge_school) if bank else 0.0,
    )
    if bank is not None:
        ctx.limits = plan_limits(job, modules, bank, units, ctx.sun_chargers, ctx.link, ctx.charge_v)
        ctx.mains_charge_a = mains_charge_a(ctx.limits, units)
        host = host_of(units)
        for profile in {u.profile.id: u.profile for u in units}.values():
            ctx.ladders[profile.id] = solve_ladder(job, modules, bank, ctx.limits, ctx.link, units, profile)
        if host is None:
            ctx.ladders[""] = solve_ladder(job, modules, bank, ctx.limits, ctx.link, units, None)
        ctx.ladder = ctx.ladders[host.profile.id if host else ""]
    ctx.sources = plan_sources(ctx)
    return ctx


def plan(job: Job, library: Library | None = None) -> Plan:
    """Return the plan of ``job``: every figure, its reason, every finding, every unit's sheet.

    A pure function: equal documents give equal plans. The job's profiles must exist in the library
    (:func:`ewerer.core.library.check_references`).
    """
    ctx = solve(job, library or shipped_library())
    units = ctx.units
    sheets = [plan_sheet(u, ctx) for u in units] if ctx.ladder and ctx.ladder.view.feasible else []
    found = [f for stage in findings.STAGES for f in findings.run_checks(stage, ctx)]
    found.sort(key=lambda f: (SEVERITY_RANK[f.severity], findings.STAGES.index(f.stage)))
    host = host_of(units)
    result = Plan(
        job=job.name,
        bank=ctx.bank,
        ladder=ctx.ladder.rungs if ctx.ladder else {},
        ladder_view=ctx.ladder.view if ctx.ladder else None,
        quantities=ctx.derived_for(host.profile if host else None),
        limits=ctx.limits,
        link=ctx.link,
        units=sheets,
        sources=ctx.sources or SourcesPlan(ac_window=None, orders=[], generator=None),
        windows=ctx.windows,
        found={u.id: found_values(u, ctx) for u in units if job.as_found.get(u.id)},
        agreement=agreement(ctx) if job.as_found else [],
        presets=preset_verdicts(ctx),
        readbacks={u.id: read_backs(u, ctx) for u in units if job.sheet_marks.get(u.id)},
        findings=found,
        stages=[],
    )
    return result.model_copy(update={"stages": _stages(ctx, result)})


def _stages(ctx: Context, result: Plan) -> list[StageState]:
    keys = _keys(ctx, result)
    built = {"site", "bank", "units", "link", "limits", "thresholds", "sources", "windows", "sheet"}
    states = []
    for stage in findings.STAGES:
        worst = min((f.severity for f in result.findings if f.stage == stage), key=lambda s: SEVERITY_RANK[s], default=None)
        state = "open" if stage not in built or not keys.get(stage) else "ok" if worst in (None, "note") else str(worst)
        if worst in ("stop", "caution"):
            state = str(worst)
        states.append(StageState(stage=stage, word=STAGE_WORDS[stage], state=state, key=keys.get(stage, "")))
    return states


def _keys(ctx: Context, result: Plan) -> dict[str, str]:
    job, bank, limits = ctx.job, ctx.bank, ctx.limits
    ac = job.site.ac
    keys = {"site": f"{figure(ac.volts)} V {ac.hz} Hz" + (" · " + ", ".join(job.site.sources) if job.site.sources else "")}
    if bank:
        keys["bank"] = f"{figure(bank.capacity_ah, 0)} Ah · {figure(bank.energy_wh / 1000, 1)} kWh"
    if ctx.units:
        kw = figure(ctx.units[0].profile.ratings.continuous_w / 1000, 1)
        keys["units"] = f"{len(ctx.units)} × {kw} kW"
    if ctx.units and ctx.modules:
        cable = (
            {"patch": ", patch cable", "made": ", made cable", "terminal": ", on terminals"}[ctx.link.cable.kind]
            if ctx.link.cable
            else ""
        )
        keys["link"] = f"{ctx.link.loop} loop{cable}"
    if limits:
        keys["limits"] = f"in {figure(limits.charge.bank_a, 0)} A · out {figure(limits.discharge.bank_a, 0)} A"
    volts = [result.ladder[n].value for n in ("absorb_v", "float_v", "shutdown_v") if n in result.ladder]
    if volts:
        keys["thresholds"] = " / ".join(f"{v:.1f}" for v in volts) + " V"
    if ctx.units and job.site.sources:
        words = {
            "off-grid": job.policy.source_order.replace("-", ", "),
            "feed-in": "feeds the grid",
            "essential-only": "essential loads",
            "zero-export": "no export",
            "peak-shaving": "shaves peaks",
        }
        keys["sources"] = words[job.policy.mode]
    if job.windows:
        keys["windows"] = f"{len(job.windows)} window{'s' if len(job.windows) > 1 else ''}"
    rows = [(u.id, r.setting) for u in result.units for r in u.settings]
    if rows:
        marked = sum(1 for u, s in rows if s in job.sheet_marks.get(u, {}))
        keys["sheet"] = f"{marked} of {len(rows)} entered"
    return keys


__all__ = ["Context", "plan", "solve"]
