"""Checks of the sources: generator, AC window, orders."""

from __future__ import annotations

from collections.abc import Iterator

from ...trade.finding import Finding
from ...trade.margins import LEGS, MIN_GENERATOR_LOAD
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Solved
from .solve import quiet_hours


@check(
    "ac-shared-input",
    "sources",
    "Mains and generator on one input share one window, the wide one",
    "wide where a generator comes in on the mains' input",
)
def _shared(rule: Rule, solved: Solved) -> Iterator[Finding]:
    job = solved.job
    if job.mains is not None and job.mains.shares_input and {"mains", "generator"} <= set(job.site.sources):
        yield rule.finding(
            "caution",
            "The window is wide for the mains too",
            "The generator comes in on the same input, so the window is wide: electronics see all that the mains do.",
            "/mains/shares_input",
            "A second input, a changeover with two sets of values, or a small UPS for what is delicate.",
        )


@check(
    "source-size", "sources", "What a source can give is known before anything is charged from it", "I_breaker, P_generator given"
)
def _size(rule: Rule, solved: Solved) -> Iterator[Finding]:
    job = solved.job
    for source, held, at, fix in (
        ("mains", job.mains, "/mains/breaker_a", "Read the rating on the breaker that feeds the units."),
        ("generator", job.generator, "/generator/continuous_w", "Read the continuous power on its plate."),
    ):
        if source in job.site.sources and held is None:
            word = "breaker of the mains" if source == "mains" else "power of the generator"
            yield rule.finding(
                "caution", f"The {word} is not known", f"Until it is, nothing is planned to be charged from the {source}.", at, fix
            )


@check("generator-quiet-empty", "sources", "Quiet hours that end when they begin are none", "from = to: 0 h")
def _quiet_empty(rule: Rule, solved: Solved) -> Iterator[Finding]:
    g = solved.job.generator
    if g is not None and g.quiet_from and g.quiet_to and not quiet_hours(g):
        yield rule.finding(
            "note",
            "No quiet hours",
            f"They begin and end at {g.quiet_from}: that is read as none, never as the whole day.",
            "/generator/quiet_to",
            "Enter when they end, or empty both.",
        )


@check(
    "generator-quiet",
    "sources",
    "The bank carries the loads through the quiet hours",
    "E(stop level) - E(shut-down) >= P_load * hours",
)
def _quiet(rule: Rule, solved: Solved) -> Iterator[Finding]:
    g = solved.sources.generator if solved.sources else None
    if g is not None and g.quiet_h and g.quiet_needs_wh > g.quiet_has_wh:
        yield rule.finding(
            "caution",
            "The quiet hours are longer than the bank",
            f"{figure(g.quiet_h, 1)} h of loads take {figure(g.quiet_needs_wh / 1000, 1)} kWh; above the shut-down the bank holds {figure(g.quiet_has_wh / 1000, 1)} kWh when the generator has stopped.",
            "/generator/quiet_from",
            "Shorter quiet hours, a higher stop level, a larger bank or less load at night.",
            needs_wh=g.quiet_needs_wh,
            has_wh=g.quiet_has_wh,
        )


@check(
    "generator-min-load",
    "sources",
    "A generator is loaded to at least {MIN_GENERATOR_LOAD:%}, against wet stacking",
    "(P_loads + P_charge) / P_rated >= {MIN_GENERATOR_LOAD}",
)
def _min_load(rule: Rule, solved: Solved) -> Iterator[Finding]:
    g = solved.sources.generator if solved.sources else None
    if g is not None and g.loaded < MIN_GENERATOR_LOAD:
        yield rule.finding(
            "caution",
            "The generator is underloaded",
            f"Loads and charging are {figure(g.loaded * 100, 0)} % of its rating; under 30 % it soots up.",
            "/generator/continuous_w",
            f"Charging amps may be raised to {figure(g.least_charge_a)} A where the bank allows it.",
            loaded=g.loaded,
            least_charge_a=g.least_charge_a,
        )


@check("generator-derated", "sources", "What height and heat take from the generator is said", "k < 1, from height and heat")
def _over(rule: Rule, solved: Solved) -> Iterator[Finding]:
    g = solved.sources.generator if solved.sources else None
    if g is not None and g.derate < 1 and solved.job.generator is not None and solved.job.generator.derate >= 1:
        yield rule.finding(
            "note",
            "Height and heat derate the generator",
            f"{figure(g.derate * 100, 0)} % of {figure(solved.job.generator.continuous_w)} W is counted.",
            "/generator/derate",
            derate=g.derate,
        )


@check(
    "ac-window-weak",
    "sources",
    "A wide window lets through what delicate loads may not bear",
    "range = wide and mains among the sources",
    "common practice",
)
def _weak(rule: Rule, solved: Solved) -> Iterator[Finding]:
    window = solved.sources.ac_window if solved.sources else None
    if window is not None and window.range == "wide" and "mains" in solved.job.site.sources:
        yield rule.finding(
            "note",
            "The wide window passes weak mains on",
            f"From {figure(window.low_off_v, 1)} to {figure(window.high_off_v, 1)} V the loads run on whatever the mains give.",
            "/mains/supply",
            low_off_v=window.low_off_v,
            high_off_v=window.high_off_v,
        )


@check(
    "output-sun-charger",
    "sources",
    "What an array on the output side gives beyond the loads goes through the units' chargers, or must be lowered",
    "sum(P_inverter) <= min(sum(I_charge,AC) * V, I_bank * V)",
)
def _output_charger(rule: Rule, solved: Solved) -> Iterator[Finding]:
    arrays = solved.job.sun.on_output
    if not arrays or not solved.units or solved.limits is None:
        return
    given = sum(a.inverter_w for a in arrays)
    chargers = sum(u.profile.ratings.ac_charge_max_a for u in solved.units) * solved.charge_v
    takes = min(chargers, solved.limits.charge.bank_a * solved.charge_v)
    fixed = [i for i, a in enumerate(arrays) if not a.lowers_by_hz]
    if fixed:
        yield rule.finding(
            "stop",
            f"{arrays[fixed[0]].id} cannot be turned down",
            f"With the bank full and the loads off nothing takes its {figure(arrays[fixed[0]].inverter_w)} W: the volts rise until something trips or breaks.",
            f"/sun/on_output/{fixed[0]}/lowers_by_hz",
            "One that lowers its power as the frequency rises, or a switch that cuts it off; a licensed person decides.",
            given_w=given,
            takes_w=takes,
        )
    elif given > takes + 1:
        yield rule.finding(
            "caution",
            "Output-side array exceeds what can be charged",
            f"{figure(given)} W with the loads off; chargers and bank take {figure(takes, 0)} W. When the bank is full or the load drops, the rest "
            "must be lowered by frequency within seconds.",
            "/sun/on_output/0",
            "Test it with a full bank and the loads switched off before it is left alone; else a smaller array, or larger chargers.",
            given_w=given,
            takes_w=round(takes),
        )


@check(
    "output-sun-rating",
    "sources",
    "Arrays on the output side give no more than the units can take back",
    "sum(P_inverter) <= sum(P_units)",
)
def _output_rating(rule: Rule, solved: Solved) -> Iterator[Finding]:
    given = sum(a.inverter_w for a in solved.job.sun.on_output)
    rated = sum(u.profile.ratings.continuous_w for u in solved.units)
    if solved.units and given > rated:
        yield rule.finding(
            "caution",
            "Output-side array is larger than the units",
            f"{figure(given)} W against {figure(rated)} W: a cloud's edge or a switched load is more than the units can follow.",
            "/sun/on_output/0",
            "No more than the units' rating; the makers of both give the figure.",
            given_w=given,
            rated_w=rated,
        )


@check(
    "ac-source-overload",
    "sources",
    "All loads together stay below what feeds them, before any charging",
    "P_essential + P_other <= breaker * V * legs; P_essential <= P_generator",
    "common practice",
)
def _overload(rule: Rule, solved: Solved) -> Iterator[Finding]:
    job = solved.job
    essential = job.loads.continuous_w
    if essential is None or solved.limits is None:
        return
    other = (job.loads.other_daily_wh or 0.0) / 24
    if job.mains is not None and "mains" in job.site.sources:
        carries = job.mains.breaker_a * job.site.ac.volts * LEGS[job.site.ac.topology]
        if essential + other > carries + 1e-6:
            yield rule.finding(
                "caution",
                "The loads are more than the breaker carries",
                f"{figure(essential)} W essential and {figure(other, 0)} W other loads against {figure(carries, 0)} W of the breaker: charging "
                "gives way, and the breaker still trips.",
                "/mains/breaker_a",
                "Move loads to the bank's hours, shed some, or a larger supply; a licensed person decides.",
                loads_w=round(essential + other),
                carries_w=round(carries),
            )
    engine = next((s for s in solved.limits.ac.sources if s.source == "generator"), None)
    if engine is not None and essential > engine.available_w + 1e-6:
        yield rule.finding(
            "caution",
            "The loads are more than the generator gives",
            f"{figure(essential)} W of loads against {figure(engine.available_w, 0)} W: it stalls or trips when it takes them over.",
            "/generator/continuous_w",
            "Shed loads before it starts, a larger one, or units that help a weak source.",
            loads_w=round(essential),
            carries_w=round(engine.available_w),
        )


@check(
    "generator-never-stops",
    "sources",
    "A generator that starts by itself needs the order sun, bank, AC and charging from sun and AC",
    "start = auto: source order sun-bank-mains, charge order that lets AC charge",
)
def _never_stops(rule: Rule, solved: Solved) -> Iterator[Finding]:
    job = solved.job
    if job.generator is None or job.generator.start != "auto" or "generator" not in job.site.sources or "mains" in job.site.sources:
        return
    if job.policy.mode == "off-grid" and job.policy.source_order != "sun-bank-mains":
        yield rule.finding(
            "caution",
            "The generator would never stop",
            "With AC first the loads stay on it as long as it runs, and it is never told to stop.",
            "/policy/source_order",
            "Sun, bank, then AC; the start and stop points do the rest.",
        )
    if job.policy.charge_order in ("sun-only", "sun-first"):
        yield rule.finding(
            "caution",
            "The generator runs without charging",
            "It runs for the bank's sake, but "
            + ("AC never charges." if job.policy.charge_order == "sun-only" else "AC charges only when there is no sun."),
            "/policy/charge_order",
            "Charging from sun and AC.",
        )


@check("export-permission", "sources", "Feeding the grid needs its operator's permission", "export only with permission")
def _export(rule: Rule, solved: Solved) -> Iterator[Finding]:
    p = solved.job.policy
    if p.mode == "feed-in" or p.sell_surplus:
        yield rule.finding(
            "caution",
            "Export needs permission",
            "This job feeds the grid"
            + (f", up to {figure(p.export_limit_w)} W." if p.export_limit_w is not None else " without a limit."),
            "/policy/mode",
            "Get the grid operator's permission and islanding protection approved first.",
        )


@check("peak-cap", "sources", "Peak shaving needs a cap", "cap given")
def _cap(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.job.policy.mode == "peak-shaving" and solved.job.policy.peak_cap_w is None:
        yield rule.finding(
            "caution",
            "No cap to shave to",
            "Peak shaving was chosen without a cap.",
            "/policy/peak_cap_w",
            "Give the cap in watts.",
        )


@check("order-idle", "sources", "Settings that the chosen orders leave without effect are named", "works only if")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for o in solved.sources.orders if solved.sources else []:
        if o.idle:
            yield rule.finding(
                "note",
                f"{o.label} at {o.entry} leaves settings without effect",
                f"{', '.join(o.idle)}: leave at factory value.",
                f"/policy/{o.quantity}",
                settings=o.idle,
            )
