"""Checks of the limits."""

from __future__ import annotations

from collections.abc import Iterator

from ...trade.finding import Finding
from ...trade.margins import CONTINUOUS, FUSE_FACTOR, GENTLE_RATE, USUAL_RATE
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..bank.solve import shared_limit_a
from ..solved import Solved
from .ac import breaker_part, loads_unmetered
from .solve import bank_gets_a


@check(
    "controller-caps",
    "limits",
    "Where a controller caps the bank's own current, chargers stand at their own maxima and the cap is the bank's limit",
    "cap = I_bank; DC loads not metered: bank gets cap - I_dc",
)
def _controller(rule: Rule, solved: Solved) -> Iterator[Finding]:
    job, limits = solved.job, solved.limits
    if job.controller is None or limits is None:
        return
    if solved.controller is None:
        yield rule.finding(
            "caution",
            "The controller limits nothing",
            f"{job.controller.id} has no setting for the bank's current; each charger is held by its own part of the limit.",
            "/controller/profile",
        )
        return
    dc = job.site.dc_loads_a or 0.0
    unmetered = loads_unmetered(job, solved.library)
    gets = f" DC loads of {figure(dc)} A are not metered: the bank gets {figure(max(0.0, limits.charge.bank_a - dc), 1)} A while they run."
    yield rule.finding(
        "note",
        f"The controller holds the bank at {figure(limits.charge.bank_a, 1)} A",
        "Chargers stand at their own maxima, so that none starves the loads." + (gets if unmetered and dc else ""),
        "/controller",
        "",
        cap_a=limits.charge.bank_a,
        dc_loads_a=dc,
        metered=not unmetered,
    )


@check("charge-limit-none", "limits", "A bank that may not be charged now is named", "I_charge > 0")
def _none(rule: Rule, solved: Solved) -> Iterator[Finding]:
    cap = next((c for c in solved.limits.charge.caps if c.a <= 0), None) if solved.limits else None
    if cap is not None:
        yield rule.finding(
            "stop",
            "No charging now",
            f"{cap.word}: {cap.why}.",
            "/site/bank_ambient_c" if cap.cap == "temperature" else "/bank",
            "Warm the bank above freezing before any charge." if cap.cap == "temperature" else "Correct the cap.",
            charge_limit_a=cap.a,
        )


@check(
    "temperature-today",
    "limits",
    "What the bank takes at today's temperature is said beside what is entered",
    "I_today = f(T) * I; who holds it: the BMS in closed loop, the person in open loop",
)
def _today(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None:
        return
    for way, chain in (("in", solved.limits.charge), ("out", solved.limits.discharge)):
        cap = next((c for c in chain.caps if c.today), None)
        if cap is None or cap.a <= 0 or cap.a >= chain.bank_a - 1e-6:
            continue
        held = solved.link.loop == "closed" and not solved.link.silent
        at = figure(solved.limits.temperature_c or 0.0, 1)
        yield rule.finding(
            "note" if held else "caution",
            f"{'Charge' if way == 'in' else 'Discharge'} limit is lower at {at} °C",
            f"{figure(cap.a, 1)} A today; {figure(chain.bank_a, 1)} A is entered, for the bank's usual temperature. "
            + ("The BMS holds the difference back." if held else "Nothing but the person holds the difference back."),
            "/site/bank_ambient_c",
            "" if held else "Watch the current today, or wait until the bank is warm.",
            today_a=cap.a,
            entered_a=chain.bank_a,
            at_c=solved.limits.temperature_c,
        )


@check("discharge-adequate", "limits", "The bank's limit covers the design load, also in surges", "P / (eta * V_low) <= I_bank")
def _adequate(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or not solved.units:
        return
    chain = solved.limits.discharge
    # The units' own rating is judged in stage Units; here the bank's side counts.
    cap = min((c for c in chain.caps if c.cap != "units"), key=lambda c: c.a)
    limit = cap.a
    if chain.needed_a is not None and chain.needed_a > limit:
        yield rule.finding(
            "stop",
            "The bank cannot carry the load",
            f"The continuous load takes {figure(chain.needed_a, 1)} A at the shut-down voltage; {cap.word.lower()} allows {figure(limit, 1)} A.",
            "/loads/continuous_w",
            "Add a module, raise the lowest limit, or lower the load.",
            needed_a=chain.needed_a,
            limit_a=limit,
            binding=cap.cap,
        )
    wires = [c.a * (FUSE_FACTOR if c.cap == "fuse" else 1) for c in chain.caps if c.cap in ("fuse", "cable", "lead")]
    peak_limit = min(
        [shared_limit_a([m.discharge_peak_a for m in solved.modules], [m.branch_ohm for m in solved.modules])[0], *wires]
    )
    if chain.needed_peak_a is not None and chain.needed_peak_a > peak_limit:
        yield rule.finding(
            "caution",
            "Peaks are above the bank's limit",
            f"The peak load takes {figure(chain.needed_peak_a, 1)} A; modules, fuse and cable allow {figure(peak_limit, 1)} A for seconds.",
            "/loads/peak_w",
            "Stagger the starts, or add a module.",
            needed_peak_a=chain.needed_peak_a,
            peak_limit_a=round(peak_limit, 1),
        )


@check("charge-rate", "limits", "Charging is gentle up to {GENTLE_RATE} C, usual up to {USUAL_RATE} C", "I / C <= {USUAL_RATE}")
def _rate(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or solved.bank is None:
        return
    rate = solved.limits.charge.bank_a / solved.bank.capacity_ah
    if rate > USUAL_RATE + 1e-9:
        yield rule.finding(
            "caution",
            "Fast charging",
            f"{figure(solved.limits.charge.bank_a, 1)} A is {figure(rate)} C; usual is at most {figure(USUAL_RATE)} C.",
            "/policy/max_c_rate",
            f"Set a chosen rate; {figure(GENTLE_RATE)} C is gentle.",
            c_rate=round(rate, 3),
        )


@check("ac-source-free", "limits", "An AC source has something left for charging", "P_free > 0")
def _ac_free(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None:
        return
    for s in solved.limits.ac.sources:
        at = f"/{s.source}"
        if s.charge_a <= 0:
            yield rule.finding(
                "caution",
                f"The {s.source} has nothing left for charging",
                f"{figure(s.available_w)} W available, {figure(s.loads_w)} W of loads while charging"
                + (", assumed: half of the units' rating." if s.loads_assumed else "."),
                at,
                "Enter the loads that run while charging." if s.loads_assumed else "Shed load while charging, or a larger source.",
                available_w=s.available_w,
                loads_w=s.loads_w,
            )
        elif s.shortcut_a > s.charge_a:
            yield rule.finding(
                "note",
                f"The rule of thumb overstates the {s.source}",
                f"{figure(s.free_w)} W over {solved.bank.class_v if solved.bank else 48} V says {figure(s.shortcut_a)} A, which would draw "
                f"{figure(s.shortcut_draws_w, 0)} W. {figure(s.charge_a)} A is safe.",
                at,
                free_w=s.free_w,
                shortcut_a=s.shortcut_a,
                charge_a=s.charge_a,
                shortcut_draws_w=s.shortcut_draws_w,
            )


@check(
    "breaker-for-hours",
    "limits",
    "More than {CONTINUOUS:%} of a breaker is drawn for short charging only",
    "part <= {CONTINUOUS}, or the unit takes {CONTINUOUS:%} itself",
    "NEC 210.20(A)",
    "S, M",
)
def _for_hours(rule: Rule, solved: Solved) -> Iterator[Finding]:
    part = breaker_part(solved.job)
    if solved.job.mains is None or "mains" not in solved.job.site.sources or part <= CONTINUOUS + 1e-9:
        return
    if solved.units and all(u.profile.ratings.takes_eighty_itself for u in solved.units):
        return
    yield rule.finding(
        "caution",
        "The breaker is drawn on beyond 80 %",
        f"{figure(part * 100, 0)} % of {figure(solved.job.mains.breaker_a)} A; 80 % is the most it may carry continuously.",
        "/mains/breaker_school",
        "Short charging only, watched; else 80 %.",
        part=part,
    )


@check("sun-takes-all", "limits", "Sun chargers and units share one limit", "sum(I_sun) + sum(I_unit) <= I_bank")
def _sun_share(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or not solved.sun_chargers or not solved.units:
        return
    units = [s for s in solved.limits.charge.units if s.kind == "unit"]
    sun = sum(s.a for s in solved.limits.charge.units if s.kind == "sun-charger")
    left = sum(s.a for s in units)
    possible = min(sum(s.own_max_a for s in units), solved.limits.charge.bank_a)
    if left < possible - 1:
        yield rule.finding(
            "note",
            "Sun chargers take part of the limit",
            f"Of {figure(solved.limits.charge.bank_a, 1)} A, {figure(sun)} A are left to the sun chargers and {figure(left)} A to the units, so that the sum holds.",
            "/sun/chargers",
            "A controller that limits the bank's own current lifts this.",
            sun_a=sun,
            units_a=left,
        )


@check("dc-loads", "limits", "DC loads that are not metered count as charging", "I_bank = cap - I_dc")
def _dc_loads(rule: Rule, solved: Solved) -> Iterator[Finding]:
    dc = solved.job.site.dc_loads_a
    if solved.limits and dc and loads_unmetered(solved.job, solved.library):
        left = bank_gets_a(solved, solved.limits.charge.bank_a)
        yield rule.finding(
            "note",
            "DC loads come off the charge",
            f"With {figure(dc)} A of DC loads that the units do not measure, the bank gets {figure(left, 1)} A of {figure(solved.limits.charge.bank_a, 1)} A.",
            "/site/dc_loads_a",
            "Say so in the handover, or meter them with the shunt.",
            dc_a=dc,
            bank_gets_a=round(left, 1),
        )
