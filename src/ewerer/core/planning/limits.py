"""Stage Limits: the chain of caps on charge and discharge current, and the split to units.

All currents are amperes at the bank. The lowest cap binds. Caps never raise a limit: lowering any
of them can only lower the result.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

from ..devices.codec import encode, factor_of
from ..devices.library import Library
from ..documents.job import Job
from ..documents.profiles import ControllerProfile, Setting
from ..documents.results.bank import Bank
from ..documents.results.limits import Ac, AcFeed, AcSource, Cap, Chain, Limits, UnitShare
from ..documents.results.link import Link
from ..trade.chemistries import derating
from ..trade.finding import Finding
from ..trade.margins import (
    CHARGER_EFFICIENCY,
    CONTINUOUS,
    DERATE_FROM_C,
    DERATE_FROM_M,
    DERATE_PER_10K,
    DERATE_PER_100M,
    FUSE_FACTOR,
    GENTLE_RATE,
    INVERTER_EFFICIENCY,
    LEAST_DERATE,
    LEGS,
    USUAL_RATE,
)
from ..trade.rules import Rule, check, formula_rule
from ..trade.steps import clean, figure, floor_to_step
from .bank import chemistry_of, limits_without, reported_a, shared_limit_a
from .solved import Module, Solved, Unit
from .wiring import carries_a, plan_wiring

CHAIN = formula_rule("chain-of-caps", "limits", "The lowest of all caps binds", "I = min(caps)")


FUSE = formula_rule(
    "fuse-continuous",
    "limits",
    "A fuse carries its rating over {FUSE_FACTOR} for hours",
    "I = fuse / {FUSE_FACTOR}",
    "NEC 210.20(A), 215.3: 125 % of continuous load",
    "S, M",
)


TEMPERATURE = formula_rule(
    "temperature-derating",
    "limits",
    "Cold and hot cells take less; below 0 °C lithium is not charged. Today's figure is shown, never stored in a unit",
    "I_i = f(T) * I_i, f from the module's sheet or the usual line",
    "common practice; the module's sheet rules",
    "T",
)


PREFERENCE = formula_rule("c-rate", "limits", "A chosen rate limits the current for long life", "I = rate * C")


WARRANTY = formula_rule(
    "warranty-limit", "limits", "Warranty terms may be lower than the data sheet", "I_i = min(sheet_i, warranty_i)"
)


AC_BUDGET = formula_rule(
    "ac-budget",
    "limits",
    "What an AC source has left after the loads limits charging from it",
    "P_free = min({CONTINUOUS} * breaker * V, P_gen * derate) - P_loads; I = P_free * eta / V_charge_max",
    "NEC 210.20(A): continuous load at most 80 % of the breaker",
    "S, M",
)


SHORTCUT = formula_rule(
    "ac-short-cut", "limits", "The trade's short cut divides by the nominal voltage and overstates", "I = P_free / V_nominal"
)


SPLIT = formula_rule(
    "split-to-units",
    "limits",
    "What is set on each unit adds up at the bank, so each gets its part",
    "I_unit = floor_to_step(min(I / N, I_unit_max))",
)


DISCHARGE_NEED = formula_rule(
    "discharge-need", "limits", "A load draws the most current at the lowest voltage", "I_dc = P_ac / (eta * V_low)"
)


BREAKER = formula_rule(
    "breaker-school",
    "limits",
    "{CONTINUOUS:%} of a breaker for hours; all of it for short charging or where the unit takes {CONTINUOUS:%} itself; or a person's own part",
    "I = part * breaker, part = {CONTINUOUS}, 1 or own",
    "NEC 210.20(A)",
    "S, M",
)


def breaker_part(job: Job) -> float:
    """Return the part (0..1) of the mains breaker that is drawn for hours. Source: BREAKER."""
    if job.mains is None or job.mains.breaker_school == "eighty":
        return CONTINUOUS
    return 1.0 if job.mains.breaker_school == "all" else (job.mains.breaker_part or CONTINUOUS)


def ac_budget(
    source: Literal["mains", "generator"],
    available_w: float,
    loads_w: float,
    charge_v: float,
    nominal_v: float,
    efficiency: float = CHARGER_EFFICIENCY,
    loads_assumed: bool = False,
) -> AcSource:
    """Return the charging budget of one AC source.

    ``available_w`` [W] after the breaker's or generator's own factor; ``loads_w`` [W] running while
    charging; ``charge_v`` the highest charging voltage [V]; ``nominal_v`` the class voltage [V] of
    the trade's short cut. Currents are whole amperes, rounded down. Source: AC_BUDGET, SHORTCUT.
    """
    free = max(0.0, available_w - loads_w)
    shortcut = floor_to_step(free / nominal_v, 1)
    return AcSource(
        source=source,
        available_w=clean(available_w),
        loads_w=clean(loads_w),
        free_w=clean(free),
        charge_a=floor_to_step(free * efficiency / charge_v, 1),
        shortcut_a=shortcut,
        shortcut_draws_w=round(shortcut * charge_v / efficiency, 1),
        loads_assumed=loads_assumed,
    )


def engine_derate(job: Job) -> float:
    """Return the part (0..1) of the generator's rating that height and heat leave; the job's own figure rules.

    1 % per 100 m over 300 m, 2 % per 10 K over 25 degC (common practice; the maker's figure rules).
    """
    if job.generator is None:
        return 1.0
    if job.generator.derate < 1.0:
        return job.generator.derate
    over_m = max(0.0, (job.site.altitude_m or 0.0) - DERATE_FROM_M)
    over_c = max(0.0, (job.site.bank_ambient_c or 0.0) - DERATE_FROM_C)
    return clean(max(LEAST_DERATE, round(1.0 - over_m / 100 * DERATE_PER_100M - over_c / 10 * DERATE_PER_10K, 3)))


def split(limit_a: float, maxima: Sequence[float], steps: Sequence[float]) -> list[float]:
    """Return each unit's part [A] of ``limit_a``: floor_to_step(min(limit / N, own maximum))."""
    n = len(maxima)
    return [floor_to_step(min(limit_a / n, top), step) for top, step in zip(maxima, steps, strict=True)]


def discharge_a(power_w: float, efficiency: float, low_v: float) -> float:
    """Return the current [A] that ``power_w`` of AC load takes from the bank at ``low_v``."""
    return power_w / (efficiency * low_v)


def _worst_without_one(limits_a: Sequence[float], branches: Sequence[float]) -> float | None:
    """Return the least bank limit [A] with any one module gone; None for one module."""
    return min(limits_without(limits_a, branches)) if len(limits_a) > 1 else None


def _module_caps(job: Job, modules: Sequence[Module], bank: Bank, link: Link, out: bool) -> Iterator[Cap]:
    """Yield the caps that come from the modules themselves, in working order."""
    branches = [m.branch_ohm for m in modules]
    sheet = [m.discharge_a if out else m.charge_a for m in modules]
    total = clean(sum(sheet))
    yield Cap(
        cap="modules-sheet",
        word="Data sheet",
        a=total,
        rule="bank-capacity",
        why=f"{len(modules)} modules, sum of their data sheets",
        without_one_a=clean(total - max(sheet)),
    )
    limit, _ = shared_limit_a(sheet, branches)
    binds = bank.binding_module_discharge if out else bank.binding_module
    share = next((m.share for m in bank.modules if m.id == binds), 1.0)
    own = next((a for m, a in zip(modules, sheet, strict=True) if m.id == binds), limit)
    yield Cap(
        cap="modules-share",
        word="Shared out",
        a=round(limit, 3),
        rule="bank-share",
        why=f"{binds} carries {figure(share * 100, 1)} %: {figure(own)} A / {figure(share, 3)}"
        if binds
        else "all reach their limits together",
        without_one_a=_worst_without_one(sheet, branches),
    )
    terms = [m.discharge_warranty_a if out else m.charge_warranty_a for m in modules]
    if any(t is not None for t in terms):
        bound = [min(s, t) if t is not None else s for s, t in zip(sheet, terms, strict=True)]
        yield Cap(
            cap="warranty",
            word="Warranty",
            a=round(shared_limit_a(bound, branches)[0], 3),
            rule="warranty-limit",
            why="lower of data sheet and warranty, shared",
            without_one_a=_worst_without_one(bound, branches),
        )
    rate = job.policy.max_discharge_c_rate if out else job.policy.max_c_rate
    if rate is not None:
        least = bank.without_one.capacity_ah if bank.without_one else None
        yield Cap(
            cap="preference",
            word="Chosen rate",
            a=round(rate * bank.capacity_ah, 3),
            rule="c-rate",
            why=f"{figure(rate)} C of {figure(bank.capacity_ah)} Ah",
            without_one_a=_rounded(rate * least if least else None),
        )
    ambient = job.site.bank_ambient_c
    if ambient is not None:
        part = [derating(m.discharge_derating if out else m.charge_derating, ambient) for m in modules]
        cooled = [s * f for s, f in zip(sheet, part, strict=True)]
        yield Cap(
            cap="temperature",
            word="Temperature today",
            today=True,
            a=round(shared_limit_a(cooled, branches)[0], 3),
            rule="temperature-derating",
            why=f"{figure(min(part) * 100, 0)} % allowed at {figure(ambient, 1)} °C",
            without_one_a=_worst_without_one(cooled, branches),
        )
    speaking = [m for m in modules if m.id in link.speaking]
    bms = speaking[0].bms if speaking else None
    if link.loop == "closed" and bms is not None:
        heard = [m.discharge_a if out else m.charge_a for m in speaking]
        only = f" of {', '.join(link.speaking)} alone" if link.silent else ""
        yield Cap(
            cap="bms-reported",
            word="BMS report",
            a=reported_a(heard, bms.buffer, bms.report_step_a),
            rule="bms-report",
            why=f"{figure(bms.buffer * 100, 0)} % of {figure(sum(heard))} A{only}, rounded down to {figure(bms.report_step_a)} A",
            without_one_a=reported_a(sorted(heard)[:-1], bms.buffer, bms.report_step_a) if len(heard) > 1 else None,
        )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)


def _wire_caps(job: Job) -> Iterator[Cap]:
    if job.bank.fuse_a is not None:
        yield Cap(
            cap="fuse",
            word="Main fuse",
            a=round(job.bank.fuse_a / FUSE_FACTOR, 3),
            rule="fuse-continuous",
            why=f"{figure(job.bank.fuse_a)} A / 1.25 for hours",
        )
    lead, carries = job.bank.main_lead, carries_a(job.bank.main_lead, job)
    if lead is not None and carries is not None:
        side = f"{lead.side_by_side} × " if lead.side_by_side > 1 else ""
        yield Cap(
            cap="lead",
            word="Main lead",
            a=carries,
            rule="lead-ampacity",
            why=f"{side}{figure(lead.section_mm2 or 0.0)} mm² copper {'in conduit' if job.bank.leads_place == 'conduit' else 'in free air'}",
        )
    if job.bank.cable_a is not None:
        yield Cap(cap="cable", word="Main cable", a=job.bank.cable_a, rule="chain-of-caps", why="as given")


def lasting(caps: Sequence[Cap]) -> list[Cap]:
    """Return the caps that hold on every day: without today's temperature, which no unit is set to."""
    return [c for c in caps if not c.today]


def _chain(caps: list[Cap], shares: list[UnitShare], needed: float | None, peak: float | None) -> Chain:
    kept = lasting(caps)
    lowest = min(kept, key=lambda c: c.a)
    return Chain(
        bank_a=lowest.a,
        binding=lowest.cap,
        caps=caps,
        units=shares,
        needed_a=_rounded(needed),
        needed_peak_a=_rounded(peak),
        without_one_a=min(c.without_one_a if c.without_one_a is not None else c.a for c in kept)
        if any(c.without_one_a is not None for c in kept)
        else None,
    )


def design_load_w(job: Job, units: Sequence[Unit]) -> float:
    """Return the continuous design load [W]; half of the units' rating where none is given."""
    if job.loads.continuous_w is not None:
        return job.loads.continuous_w
    return sum(u.profile.ratings.continuous_w for u in units) / 2


def plan_limits(solved: Solved, bank: Bank) -> Limits:
    """Return both chains and the AC budget of a job whose bank, units and link are known."""
    job, modules, units, sun_chargers, link = solved.job, solved.modules, solved.units, solved.sun_chargers, solved.link
    charge_v, host = solved.charge_v, solved.host
    ratings = host.profile.ratings if host else None
    into = [*_module_caps(job, modules, bank, link, out=False), *_wire_caps(job)]
    sun_max = [c.max_a(charge_v) for c in sun_chargers]
    unit_max = [u.profile.ratings.charge_max_a for u in units]
    if units or sun_chargers:
        into.append(
            Cap(
                cap="chargers",
                word="Chargers' own limits",
                a=round(sum(unit_max) + sum(sun_max), 3),
                rule="chain-of-caps",
                why=" and ".join(
                    f"{n} {word}{'' if n == 1 else 's'}"
                    for n, word in ((len(units), "unit"), (len(sun_chargers), "sun charger"))
                    if n
                )
                + " together",
            )
        )
    bank_in = min(c.a for c in lasting(into))
    system = solved.controller is not None
    unit_steps = [_amp_step(u, "charge_max_a") for u in units]
    units_first = job.policy.charge_order == "mains-first"
    if system:  # the controller holds the bank's current, so that no charger starves the loads
        unit_parts = [floor_to_step(top, step) for top, step in zip(unit_max, unit_steps, strict=True)]
        sun_parts = [floor_to_step(c.profile.charge_max_a, 1.0) for c in sun_chargers]
    elif units_first:
        unit_parts = split(bank_in, unit_max, unit_steps) if units else []
        sun_parts = split(bank_in - sum(unit_parts), sun_max, [1.0] * len(sun_max)) if sun_max else []
    else:
        kept = sum(_least_a(u, "charge_max_a") for u in units)  # no unit can be set to less, so it is not the sun's to take
        sun_parts = split(max(0.0, bank_in - kept), sun_max, [1.0] * len(sun_max)) if sun_max else []
        unit_parts = split(bank_in - sum(sun_parts), unit_max, unit_steps) if units else []
    charge_shares = [
        UnitShare(unit=u.id, a=a, own_max_a=u.profile.ratings.charge_max_a) for u, a in zip(units, unit_parts, strict=True)
    ]
    charge_shares += [
        UnitShare(unit=c.job.id, a=a, own_max_a=c.profile.charge_max_a, kind="sun-charger")
        for c, a in zip(sun_chargers, sun_parts, strict=True)
    ]

    low_v = bank.series_cells * (bank.cell_min_v + chemistry_of(modules).margins.shutdown_v)
    eta = ratings.inverter_efficiency if ratings else INVERTER_EFFICIENCY
    outof = [*_module_caps(job, modules, bank, link, out=True), *_wire_caps(job)]
    out_max = [discharge_a(u.profile.ratings.continuous_w, u.profile.ratings.inverter_efficiency, low_v) for u in units]
    if units:
        outof.append(
            Cap(
                cap="units",
                word="Units' own limits",
                a=round(sum(out_max), 3),
                rule="discharge-need",
                why=f"{figure(sum(u.profile.ratings.continuous_w for u in units))} W at {figure(low_v)} V",
            )
        )
    out_steps = [_amp_step(u, "discharge_max_a") for u in units]
    bank_out = min(c.a for c in lasting(outof))
    out_parts = split(bank_out, out_max, out_steps) if units else []
    out_shares = [UnitShare(unit=u.id, a=a, own_max_a=round(top, 1)) for u, a, top in zip(units, out_parts, out_max, strict=True)]
    load_w = design_load_w(job, units)
    needed = discharge_a(load_w, eta, low_v)
    ac = _ac(job, bank, units, charge_v)
    peak_w = job.loads.peak_w if job.loads.peak_w is not None else load_w
    return Limits(
        charge=_chain(into, charge_shares, None, None),
        discharge=_chain(outof, out_shares, needed, discharge_a(peak_w, eta, low_v)),
        ac=ac.model_copy(update={"units": ac_parts(job, units, charge_shares, ac)}),
        wiring=plan_wiring(job, bank, needed, low_v),
        temperature_c=job.site.bank_ambient_c,
    )


def _least_a(unit: Unit, quantity: str) -> float:
    """Return the least current [A] that a unit can be set to; 0 where it has no such setting."""
    setting = unit.profile.setting_for(quantity)
    if setting is None or setting.is_choice or setting.min is None:
        return 0.0
    return max(0.0, setting.min * factor_of(setting, unit.profile))


def _amp_step(unit: Unit, quantity: str) -> float:
    setting = unit.profile.setting_for(quantity)
    if setting is None or setting.is_choice or setting.step is None:
        return 1.0
    return setting.step * factor_of(setting, unit.profile)


def _feed(job: Job, name: str, breaker_a: float, load_w: float, bank: Bank, charge_v: float, efficiency: float) -> AcFeed:
    """Return what one more feed allows: input current and charging, as a unit would be set while it is in use."""
    assert job.mains is not None
    input_a = clean(round(breaker_part(job) * breaker_a, 2))
    own = job.mains.loads_while_charging_w
    watts = input_a * job.site.ac.volts * LEGS[job.site.ac.topology]
    budget = ac_budget("mains", watts, load_w if own is None else own, charge_v, bank.class_v, efficiency)
    return AcFeed(name=name, breaker_a=breaker_a, input_a=input_a, free_w=budget.free_w, charge_a=budget.charge_a)


def other_load_w(job: Job) -> float:
    """Return the other loads on the mains' side [W], as a mean over the day."""
    return (job.loads.other_daily_wh or 0.0) / 24


def _ac(job: Job, bank: Bank, units: Sequence[Unit], charge_v: float) -> Ac:
    sources = []
    efficiency = min((u.profile.ratings.charger_efficiency for u in units), default=CHARGER_EFFICIENCY)
    assumed = design_load_w(job, units)
    if job.mains is not None and "mains" in job.site.sources:
        own = job.mains.loads_while_charging_w
        sources.append(
            ac_budget(
                "mains",
                breaker_part(job) * job.mains.breaker_a * job.site.ac.volts * LEGS[job.site.ac.topology],
                assumed + other_load_w(job) if own is None else own,
                charge_v,
                bank.class_v,
                efficiency,
                own is None and job.loads.continuous_w is None,
            )
        )
    if job.generator is not None and "generator" in job.site.sources:
        own = job.generator.loads_while_charging_w
        sources.append(
            ac_budget(
                "generator",
                job.generator.continuous_w * engine_derate(job),
                assumed if own is None else own,
                charge_v,
                bank.class_v,
                efficiency,
                own is None and job.loads.continuous_w is None,
            )
        )
    if not sources:
        return Ac(free_w=None, charge_a=None, shortcut_a=None, source=None, sources=[])
    tight = min(sources, key=lambda s: s.charge_a)
    return Ac(
        free_w=tight.free_w,
        charge_a=tight.charge_a,
        shortcut_a=tight.shortcut_a,
        source=tight.source,
        charge_v=clean(round(charge_v, 4)),
        sources=sources,
        feeds=[_feed(job, f.name, f.breaker_a, assumed, bank, charge_v, efficiency) for f in job.mains.feeds] if job.mains else [],
    )


def may_charge_from_ac(unit: Unit, job: Job) -> bool:
    """Return whether the unit charges from AC: a source is there, and no charge order that it offers forbids it."""
    order = unit.profile.setting_for("charge_order")
    forbidden = job.policy.charge_order == "sun-only" and order is not None and "sun-only" in (order.encoding.choices or {})
    return bool({"mains", "generator"} & set(job.site.sources)) and not forbidden


def ac_limiter(unit: Unit) -> Setting | None:
    """Return the setting that holds back what the unit charges from AC: its AC charger's own, else its only charge setting."""
    profile = unit.profile
    if profile.setting_for("mains_charge_max_a") is not None or profile.setting_for("ac_input_max_a") is not None:
        return profile.setting_for("mains_charge_max_a")
    return profile.setting_for("charge_max_a")


def ac_step_a(unit: Unit) -> float:
    """Return the least change [A] of what the unit can be set to charge from AC."""
    setting = ac_limiter(unit)
    if setting is None or setting.step is None or setting.is_choice:
        return 1.0
    return setting.step * factor_of(setting, unit.profile)


def ac_parts(job: Job, units: Sequence[Unit], shares: Sequence[UnitShare], ac: Ac) -> list[UnitShare]:
    """Return what each unit is to charge from AC at most [A], as it can be entered; nothing without an AC source.

    The lowest of the unit's part of the bank's limit, its part of what the source leaves, and its own AC charger.
    """
    if ac.charge_a is None:
        return []
    out = []
    for unit in units:
        own = next(s.a for s in shares if s.unit == unit.id)
        top = unit.profile.ratings.ac_charge_max_a
        part = min(own, ac.charge_a / len(units), top)
        setting = ac_limiter(unit)
        if setting is not None and not setting.is_choice:
            entered = encode(setting, part, unit.profile).value
            part = min(float(entered), part)  # a range that begins above its part is told by entry-out-of-range
        out.append(UnitShare(unit=unit.id, a=clean(part), own_max_a=top))
    return out


def loads_unmetered(job: Job, library: Library) -> bool:
    """Return whether DC loads draw from the bank without being metered: always, unless a controller meters them."""
    if job.controller is None:
        return True
    own = job.controller.meters_dc_loads
    held = library.get(job.controller.profile, ControllerProfile)
    return not (own if own is not None else held is not None and held.meters_dc_loads)


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
            "The controller caps nothing",
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


def bank_gets_a(solved: Solved, charge_a: float) -> float:
    """Return what of a charging current [A] reaches the bank where DC loads that nobody measures take their part first."""
    unmetered = loads_unmetered(solved.job, solved.library)
    return max(0.0, charge_a - (solved.job.site.dc_loads_a or 0.0)) if unmetered else charge_a


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
            f"At {at} °C less may go {way}",
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
            "Add a module, raise what binds, or lower the load.",
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
                f"The short cut overstates the {s.source}",
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
        f"{figure(part * 100, 0)} % of {figure(solved.job.mains.breaker_a)} A; for hours 80 % is the most.",
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
