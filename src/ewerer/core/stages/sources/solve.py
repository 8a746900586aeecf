"""Stage Sources: which source carries the loads, what the AC input accepts, what the generator can bear."""

from __future__ import annotations

from ...devices.codec import encode
from ...devices.slots.week import minutes_of
from ...documents.conditions import compares, parse_condition
from ...documents.job import Generator, Job
from ...documents.results.sources import AcWindow, GeneratorPlan, SourceOrder, SourcesPlan
from ...trade.margins import (
    AC_BACK,
    AROUND_120_V,
    BESIDE_LAWFUL_AC,
    CHARGER_EFFICIENCY,
    COOL_DOWN_MIN,
    GENERATOR_STOP_SOC,
    LAWFUL_AC,
    LAWFUL_AC_120,
    LOW_END_SOC,
    MIN_GENERATOR_LOAD,
    RAMP,
    RAMP_MIN,
    WIDE_AC,
)
from ...trade.steps import clean, figure, floor_to_step
from ..limits.ac import ac_step_a, engine_derate
from ..solved import Solved


def strays(job: Job) -> bool:
    """Return whether what feeds the AC input strays in volts: a generator, alone or on the mains' input, or mains noted as weak."""
    if "mains" in job.site.sources:
        shared = job.mains is not None and job.mains.shares_input and "generator" in job.site.sources
        return shared or (job.mains is not None and job.mains.supply == "weak-grid")
    return "generator" in job.site.sources


def ac_window(volts: float, wide: bool) -> AcWindow:
    """Return the AC input window [V] around ``volts``: narrow on a steady grid, wide where the supply strays.

    A narrow one holds all that the supply may lawfully be: EN 50160 for 200 to 250 V, ANSI C84.1 range B service for
    110 to 130 V. Source: AC_WINDOW.

    >>> (w := ac_window(120.0, wide=True)).low_off_v, w.low_on_v, w.high_on_v, w.high_off_v
    (90.0, 99.6, 135.0, 140.4)
    >>> (w := ac_window(230.0, wide=False)).low_off_v, w.low_on_v, w.high_on_v, w.high_off_v
    (200.1, 204.7, 255.3, 259.9)
    """
    parts = WIDE_AC
    if not wide:
        least, most = lawful(volts)
        on, back = (least - BESIDE_LAWFUL_AC, most + BESIDE_LAWFUL_AC), AC_BACK
        parts = (on[0] - back, on[0], on[1], on[1] + back)
    low_off, low_on, high_on, high_off = (clean(round(k * volts, 1)) for k in parts)
    return AcWindow(
        range="wide" if wide else "narrow",
        low_off_v=low_off,
        low_on_v=low_on,
        nominal_v=volts,
        high_on_v=high_on,
        high_off_v=high_off,
    )


def lawful(volts: float) -> tuple[float, float]:
    """Return what a public supply of ``volts`` may be at least and at most, as parts of it."""
    return LAWFUL_AC_120 if AROUND_120_V[0] <= volts <= AROUND_120_V[1] else LAWFUL_AC


def quiet_hours(g: Generator) -> float:
    """Return the length of the quiet hours [h]; 0 where none are kept."""
    if g.quiet_from is None or g.quiet_to is None:
        return 0.0
    span = minutes_of(g.quiet_to) - minutes_of(g.quiet_from)
    return (span if span > 0 else span + 1440) / 60 if span else 0.0


def plan_sources(solved: Solved) -> SourcesPlan:
    """Return the AC window, the orders as each unit calls them, and the generator's budget, ramp and recipe."""
    job = solved.job
    orders = []
    for profile in solved.profiles:
        for quantity, wanted in (("source_order", job.policy.source_order), ("charge_order", job.policy.charge_order)):
            s = profile.setting_for(quantity)
            if s is None:
                continue
            try:
                entry: str | None = encode(s, wanted, profile).text
            except KeyError:
                entry = None
            shown = {x.id: x.factory for x in profile.settings if x.factory is not None} | ({s.id: entry} if entry else {})
            idle = [
                x.label
                for x in profile.settings
                if x.works_only_if
                and s.id in parse_condition(x.works_only_if).names()
                and entry
                and not _may_work(x.works_only_if, s.id, shown)
            ]
            orders.append(
                SourceOrder(
                    profile=profile.id,
                    quantity=quantity,
                    wanted=wanted,
                    label=s.label,
                    entry=entry,
                    offers=list((s.encoding.choices or {}).values()),
                    idle=idle,
                )
            )
    ac = "mains" in job.site.sources or "generator" in job.site.sources
    return SourcesPlan(
        ac_window=ac_window(job.site.ac.volts, strays(job)) if ac else None, orders=orders, generator=_generator(solved)
    )


def _may_work(text: str, name: str, shown: dict[str, str]) -> bool:
    """Return whether a condition holds in what it asks of one setting, whatever the others show."""
    mine = [c for c in compares(parse_condition(text)) if c.name == name]
    return all(c.holds(shown) for c in mine)


def _generator(solved: Solved) -> GeneratorPlan | None:
    g = solved.job.generator
    if g is None or "generator" not in solved.job.site.sources or solved.bank is None or solved.limits is None:
        return None
    budget = next((s for s in solved.limits.ac.sources if s.source == "generator"), None)
    safe = min(budget.charge_a if budget else 0.0, solved.mains_charge_a)
    step = sum(ac_step_a(u) for u in solved.units) or 1.0
    rated = g.continuous_w
    efficiency = solved.units[0].profile.ratings.charger_efficiency if solved.units else CHARGER_EFFICIENCY
    drawn = (budget.loads_w if budget else 0.0) + safe * solved.charge_v / efficiency
    needed_a = (
        max(0.0, (MIN_GENERATOR_LOAD * rated - (budget.loads_w if budget else 0.0)) * efficiency / solved.charge_v)
        if solved.charge_v
        else 0.0
    )
    hours = quiet_hours(g)
    load_w = (solved.job.loads.daily_wh or (solved.job.loads.continuous_w or 0.0) * 24) / 24
    low = LOW_END_SOC["usual"]
    if solved.ladder is not None and solved.ladder.rungs:
        rung = solved.ladder.rungs.get("shutdown_soc") or solved.ladder.rungs.get("shutdown_v")
        low = (rung.under_load_soc or 0.0) if rung else low
    stop = _stop_level(solved)
    available = max(0.0, stop - low) * solved.bank.energy_wh
    ladder = solved.ladder.rungs if solved.ladder else {}
    words = {n: ladder[n] for n in ("gen_start_soc", "gen_start_v", "gen_stop_soc", "gen_stop_v") if n in ladder}

    def at(name: str) -> str:
        for key in (f"{name}_soc", f"{name}_v"):
            if key in words:
                r = words[key]
                return f"{figure(r.value * 100, 0)} %" if r.kind == "soc" else f"{figure(r.value)} V"
        return "the point of your choice"

    if g.start == "auto":
        recipe = [
            f"Loads from sun, bank, then generator; it starts at {at('gen_start')} and stops at {at('gen_stop')}.",
            f"Warm up {figure(g.warm_up_min)} min before it is loaded; run at least {figure(g.min_run_min)} min; cool down {figure(COOL_DOWN_MIN)} min unloaded.",
            "Three attempts to start, then give up and call.",
        ]
        if hours:
            recipe.append(f"Quiet from {g.quiet_from} to {g.quiet_to}: no start in between.")
    else:
        recipe = [
            "Start by hand: source order AC first while it runs, charging from sun and AC.",
            "Warm it up unloaded, connect, watch volts and hertz settle, then let the charger come in.",
            "Before it is stopped, let the charging fall or switch it off; let it cool unloaded.",
        ]
    recipe.append("Once a month, half an hour under load.")
    return GeneratorPlan(
        available_w=budget.available_w if budget else 0.0,
        derate=engine_derate(solved.job),
        loads_w=budget.loads_w if budget else 0.0,
        safe_charge_a=safe,
        loaded=round(drawn / rated, 3) if rated else 0.0,
        least_loaded=MIN_GENERATOR_LOAD,
        ramp_min=RAMP_MIN,
        least_charge_a=floor_to_step(needed_a + 1 - 1e-3, 1) if needed_a > 0 else 0.0,
        quiet_h=hours,
        quiet_needs_wh=round(load_w * hours, 0),
        quiet_has_wh=round(available, 0),
        ramp_a=list(dict.fromkeys([*(a for part in RAMP[:-1] if (a := floor_to_step(safe * part, step)) > 0), clean(safe)])),
        recipe=recipe,
    )


def _stop_level(solved: Solved) -> float:
    if solved.ladder is None:
        return GENERATOR_STOP_SOC
    for name in ("gen_stop_soc", "return_bank_soc"):
        if name in solved.ladder.rungs:
            return solved.ladder.rungs[name].value
    return GENERATOR_STOP_SOC
