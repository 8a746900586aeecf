"""What AC sources have left for charging, and how units share it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from ...devices.codec import encode, factor_of
from ...devices.library import Library
from ...documents.job import Job
from ...documents.profiles import ControllerProfile, Setting
from ...documents.results.bank import Bank
from ...documents.results.limits import Ac, AcFeed, AcSource, UnitShare
from ...trade.margins import (
    CHARGER_EFFICIENCY,
    CONTINUOUS,
    DERATE_FROM_C,
    DERATE_FROM_M,
    DERATE_PER_10K,
    DERATE_PER_100M,
    LEAST_DERATE,
    LEGS,
)
from ...trade.steps import clean, floor_to_step
from ..solved import Unit


def design_load_w(job: Job, units: Sequence[Unit]) -> float:
    """Return the continuous design load [W]; half of the units' rating where none is given."""
    if job.loads.continuous_w is not None:
        return job.loads.continuous_w
    return sum(u.profile.ratings.continuous_w for u in units) / 2


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
    """Return each unit's part [A] of ``limit_a``: floor_to_step(min(limit / N, own maximum)).

    >>> split(140.0, [100.0, 100.0], [5.0, 5.0])
    [70.0, 70.0]
    """
    n = len(maxima)
    return [floor_to_step(min(limit_a / n, top), step) for top, step in zip(maxima, steps, strict=True)]


def least_a(unit: Unit, quantity: str) -> float:
    """Return the least current [A] that a unit can be set to; 0 where it has no such setting."""
    setting = unit.profile.setting_for(quantity)
    if setting is None or setting.is_choice or setting.min is None:
        return 0.0
    return max(0.0, setting.min * factor_of(setting, unit.profile))


def amp_step(unit: Unit, quantity: str) -> float:
    """Return the step [A] that a unit's display gives a quantity of amps."""
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


def ac_limits(job: Job, bank: Bank, units: Sequence[Unit], charge_v: float) -> Ac:
    """Return what each AC source leaves for charging, and each unit's part of it."""
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
