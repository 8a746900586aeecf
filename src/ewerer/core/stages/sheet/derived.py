"""Figures and choices that are not thresholds: hold time, tail current, switches, orders, battery data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

from ...devices.codec import factor_of, factory_shown
from ...documents.conditions import parse_condition
from ...documents.job import Job
from ...documents.profiles import MenuProfile
from ...documents.results.base import Alternative, Reason
from ...documents.results.sources import AcWindow
from ...documents.results.thresholds import Derived, Option
from ...trade.chemistries import Chemistry, soc_at, soc_band
from ...trade.margins import (
    CHARGE_TIME_FACTOR,
    COMPENSATION_RANGE,
    FULL_CHARGE_DAYS,
    HOLD_H_PER_100AH,
    LEAST_SHUTDOWN_DELAY_S,
    LEGS,
    MOST_EQUALISE_MIN,
    MOST_FULL_CHARGE_DAYS,
    MOST_SHUTDOWN_DELAY_S,
    REFERENCE_C,
    SHORT_HOLD_MIN,
    SHORT_HOLD_RANGE_MIN,
    SHUTDOWN_DELAY_S,
    TAIL_FRACTION,
    TAIL_RANGE,
    TIMER_SPARE_H,
    WARN_BELOW_STOP_C,
)
from ...trade.quantities import QUANTITIES
from ...trade.rules import Rule
from ...trade.steps import clean, figure
from ..bank.solve import chemistry_of
from ..limits.ac import breaker_part, engine_derate
from ..limits.solve import bank_gets_a
from ..solved import Ladder, Module, Solved, Unit
from ..sources.rules import AC_WINDOW
from ..sources.solve import ac_window, strays
from ..thresholds.rules import FLOAT_SCHOOL
from .own import CHARGING
from .rules import (
    COMPENSATES,
    DELAY,
    EQUALISES,
    FULL_DAYS,
    GIVEN,
    HOLD,
    INPUT,
    LOSS,
    MAX_CHARGE,
    NO_COMP,
    NO_EQUALISE,
    NOW,
    TEMPS,
    TYPE,
)
from .wishes import wishes


def hold_per_ah_h(capacity_ah: float) -> tuple[float, float]:
    """Return the shortest and longest hold time [h] by size: 0.2 to 0.5 h per 100 Ah.

    >>> hold_per_ah_h(300)
    (0.6, 1.5)
    """
    return clean(HOLD_H_PER_100AH[0] * capacity_ah / 100), clean(HOLD_H_PER_100AH[1] * capacity_ah / 100)


def tail_range_a(capacity_ah: float) -> tuple[float, float]:
    """Return the lowest and highest tail current [A]: 2 to 5 % of capacity.

    >>> tail_range_a(300)
    (6.0, 15.0)
    """
    return clean(TAIL_RANGE[0] * capacity_ah), clean(TAIL_RANGE[1] * capacity_ah)


def max_charge_h(capacity_ah: float, lowest_soc: float, charge_a: float, hold_h: float) -> float:
    """Return the safety timer [h]: 25 % longer than a charge from ``lowest_soc`` and its hold.

    >>> max_charge_h(300, 0.1, 60.0, 1.0)
    6.875
    """
    return CHARGE_TIME_FACTOR * (capacity_ah * (1 - lowest_soc) / charge_a + hold_h)


def derive(solved: Solved, profile: MenuProfile | None) -> dict[str, Derived]:
    """Return every derived quantity by name for units of ``profile``. System-wide ones only; per-unit amps are in the limits."""
    job, modules, units, link = solved.job, solved.modules, solved.units, solved.link
    bank, b, ladder = solved.bank, solved.basis, solved.ladders[profile.id if profile else ""]
    assert bank is not None and b is not None
    out: dict[str, Derived] = {}

    def put(
        name: str,
        value: float | str | bool,
        rule: Rule,
        text: str,
        lowest: float | None = None,
        highest: float | None = None,
        others: list[Alternative] | None = None,
    ) -> None:
        q = QUANTITIES[name]
        out[name] = Derived(
            word=q.word,
            value=value,
            unit=q.unit,
            lowest=lowest,
            highest=highest,
            fixed=fixed_why(name, chemistry_of(modules)),
            choices=[Option(value=k, word=w) for k, w in q.choices],
            percent=q.unit == "%",
            clock=q.kind == "clock",
            rare=q.rare,
            why=[rule.id],
            reasons=[Reason(rule=rule.id, text=text, bound="value")],
            alternatives=others or [],
        )

    c = bank.capacity_ah
    low_h, high_h = hold_per_ah_h(c)
    tail_low, tail_high = tail_range_a(c)
    tail = clean(TAIL_FRACTION * c)
    can_tail = profile is None or profile.setting_for("tail_a") is not None
    school = job.policy.hold_school
    if school == "tail" and not can_tail:
        school = "per-ah"
    hold = {"tail": high_h * 60, "per-ah": low_h * 60, "short": SHORT_HOLD_MIN}[school]
    words = {
        "tail": f"ends on tail current; at most 0.5 h per 100 Ah × {figure(c)} Ah = {figure(high_h)} h",
        "per-ah": f"0.2 h per 100 Ah × {figure(c)} Ah = {figure(low_h)} h"
        + (", the unit cannot end on tail current" if job.policy.hold_school == "tail" else ""),
        "short": "10 min, enough to balance",
    }
    schools = [
        Alternative(school="per-ah", value=clean(round(low_h * 60, 1)), text=f"{figure(low_h)} to {figure(high_h)} h by size"),
        Alternative(
            school="short",
            value=SHORT_HOLD_MIN,
            text=f"{figure(SHORT_HOLD_RANGE_MIN[0])} to {figure(SHORT_HOLD_RANGE_MIN[1])} min, enough to balance",
        ),
        Alternative(school="tail", value=clean(round(high_h * 60, 1)), text=f"until {figure(tail_low)} to {figure(tail_high)} A"),
    ]
    put(
        "absorb_min",
        clean(round(hold, 1)),
        HOLD,
        words[school],
        SHORT_HOLD_RANGE_MIN[0],
        clean(round(high_h * 60, 1)),
        [a for a in schools if a.school != school],
    )
    put("tail_a", tail, HOLD, f"{figure(TAIL_FRACTION * 100)} % of {figure(c)} Ah = {figure(tail)} A", tail_low, tail_high)
    gets = (bank_gets_a(solved, a) for a in (b.charge_a, b.transfer_charge_a))
    slow = min((a for a in gets if a > 0), default=0.0)
    if slow > 0:
        longest = max_charge_h(c, b.shutdown_soc, slow, hold / 60)
        put(
            "max_charge_h",
            clean(round(longest + TIMER_SPARE_H, 1)),
            MAX_CHARGE,
            f"{CHARGE_TIME_FACTOR} × ({figure(c)} Ah × {figure(1 - b.shutdown_soc)} / {figure(slow, 1)} A + {figure(hold / 60)} h) = {figure(longest, 1)} h",
            clean(round(longest, 2)),
        )
    put("full_charge_days", FULL_CHARGE_DAYS, FULL_DAYS, f"every {figure(FULL_CHARGE_DAYS)} days", 1.0, MOST_FULL_CHARGE_DAYS)
    chem = chemistry_of(modules)
    if chem.equalise is None:
        put("equalise_on", False, NO_EQUALISE, f"off for {chem.kind}")
        put("equalise_min", 0.0, NO_EQUALISE, "0 min, in case it is ever switched on")
    else:
        mixes = chem.equalise
        put("equalise_on", True, EQUALISES, "on: the acid settles, equalising mixes it")
        put(
            "equalise_min",
            mixes.minutes,
            EQUALISES,
            f"{figure(mixes.minutes)} min, under watch: gas and acid",
            0.0,
            MOST_EQUALISE_MIN,
        )
    if chem.compensation_mv_per_c == 0:
        put("temp_comp_mv_per_c", 0.0, NO_COMP, f"0 mV/°C for {chem.kind}")
    else:
        n = bank.series_cells
        low, high = sorted(n * k for k in COMPENSATION_RANGE)
        put(
            "temp_comp_mv_per_c",
            clean(round(n * chem.compensation_mv_per_c, 2)),
            COMPENSATES,
            f"{n} × {figure(chem.compensation_mv_per_c)} mV/°C from {figure(REFERENCE_C)} °C",
            clean(low),
            clean(high),
        )
    put("float_on", job.policy.float_school != "none", FLOAT_SCHOOL, f"float school: {job.policy.float_school}")
    put("charge_order", job.policy.charge_order, GIVEN, "as chosen")
    put("source_order", job.policy.source_order, GIVEN, "as chosen")
    put(
        "shutdown_delay_s",
        SHUTDOWN_DELAY_S,
        DELAY,
        f"{figure(SHUTDOWN_DELAY_S)} s: longer than a motor start, shorter than harm",
        LEAST_SHUTDOWN_DELAY_S,
        MOST_SHUTDOWN_DELAY_S,
    )
    kind, why = ("protocol", f"closed loop. {link.why}") if link.loop == "closed" else open_type(profile, chem, ladder)
    put("battery_type", kind, TYPE, why or f"open loop. {link.why}")
    put("capacity_ah", c, GIVEN, f"sum of {len(modules)} modules")
    put("series_cells", float(bank.series_cells), GIVEN, "counted on the nameplate")
    put("control", ladder.view.decide_by, GIVEN, f"thresholds act on {ladder.view.decide_by}")
    if job.bank.shunt_a is not None:
        put("shunt_a", job.bank.shunt_a, GIVEN, "read on the shunt")
    if job.bank.shunt_mv is not None:
        put("shunt_mv", job.bank.shunt_mv, GIVEN, "read on the shunt")
    if job.policy.new_bank:
        put("new_bank", True, GIVEN, "the bank was replaced")
        rested = [m for m in modules if m.resting_v is not None]
        if rested:
            volts = [(m, (m.resting_v or 0.0) / m.series_cells) for m in rested]
            guess = round(sum(soc_at(m.chemistry, v) for m, v in volts) / len(volts), 2)
            bands = [soc_band(m.chemistry, v, b.meter_v / b.n) for m, v in volts]
            least, most = round(min(low for low, _ in bands), 2), round(max(high for _, high in bands), 2)
            put(
                "soc_now",
                guess,
                NOW,
                f"anything from {figure(least * 100, 0)} to {figure(most * 100, 0)} % by resting volts, {figure(guess * 100, 0)} % "
                "to begin with: a guess until the first full charge",
                least,
                most,
            )
    if link.protocol is not None:
        put("bms_protocol", link.protocol.split(" ")[0], TYPE, link.why)
        if link.unit_port is not None:
            put("bms_port", link.unit_port, TYPE, link.why)
        if link.bitrate is not None:
            put("bms_bitrate", float(link.bitrate), TYPE, link.why)
    safe = ladder.view.feasible
    action = job.policy.link_loss if job.policy.link_loss != "auto" else ("carry-on" if safe else "stop")
    put(
        "link_loss_action",
        action,
        LOSS,
        "as chosen"
        if job.policy.link_loss != "auto"
        else "the open-loop thresholds and ceilings behind the link are safe"
        if safe
        else "no safe thresholds back up the link",
    )
    put("topology", job.site.ac.topology, GIVEN, "the site's AC system")
    put("output_v", job.site.ac.volts, GIVEN, "the site's AC system")
    put("output_hz", float(job.site.ac.hz), GIVEN, "the site's AC system")
    if "mains" in job.site.sources or "generator" in job.site.sources:
        window = ac_window(job.site.ac.volts, strays(job))
        put("ac_range", window.range, AC_WINDOW, "narrow on a steady grid, wide for a generator or a weak grid")
        taken = shown_window(window, profile)
        for name, edge_v in taken.items():
            asked = getattr(window, name)
            said = f"; the unit goes to {figure(edge_v)} V" if abs(asked - edge_v) > 1e-9 else ""
            put(f"ac_{name}", edge_v, AC_WINDOW, f"{window.range} around {figure(window.nominal_v)} V: {figure(asked)} V{said}")
    feed = feeding_amps(job, units)
    if feed is not None:
        put("ac_input_max_a", feed[0], INPUT, feed[1], None, feed[0])
    stop, top, cold = min(_stop_c(m) for m in modules), charge_top_c(modules), charge_bottom_c(modules)
    put("temp_stop_c", stop, TEMPS, f"the modules charge up to {figure(top)} °C", None, top)
    put("temp_warn_c", stop - WARN_BELOW_STOP_C, TEMPS, f"{figure(stop)} - {figure(WARN_BELOW_STOP_C)} °C", None, top)
    put("low_temp_stop_c", cold, TEMPS, f"no charging below {figure(cold)} °C", cold)
    if profile is not None:
        for name, given in wishes(solved, profile, ladder, out):
            put(name, given.value, given.rule, given.text, given.lowest, given.highest)
    return {name: granted(name, d, job) for name, d in out.items()}


def granted(name: str, planned: Derived, job: Job) -> Derived:
    """Return a figure with the person's own in its place where the rules permit it; else as planned, with the wish kept to be told."""
    own = job.policy.own_figures.get(name)
    if own is None:
        return planned
    low, high = planned.lowest, planned.highest
    number = job.policy.own_number(name)
    fits = number is None or ((low is None or number >= low - 1e-9) and (high is None or number <= high + 1e-9))
    if not fits or planned.fixed:
        return planned.model_copy(update={"wished": own})
    mine = Reason(rule=GIVEN.id, text="your own figure; the plan's would be:", bound="value")
    why = [GIVEN.id, *planned.why]
    return planned.model_copy(update={"value": own, "wished": own, "own": True, "why": why, "reasons": [mine, *planned.reasons]})


WINDOW = ("low_off_v", "low_on_v", "high_on_v", "high_off_v")


def shown_window(window: AcWindow, profile: MenuProfile | None) -> dict[str, float]:
    """Return the AC input window [V] as near as a unit can show it, where its order stays; else as it is. Source: AC_WINDOW."""
    asked = {name: float(getattr(window, name)) for name in WINDOW}
    near = dict(asked)
    for name, volts in asked.items():
        s = profile.setting_for(f"ac_{name}") if profile is not None else None
        if profile is not None and s is not None and s.min is not None and s.max is not None:
            factor = factor_of(s, profile)
            near[name] = min(max(volts, s.min * factor), s.max * factor)
    around = [near["low_off_v"], near["low_on_v"], window.nominal_v, near["high_on_v"], near["high_off_v"]]
    return near if all(a < b for a, b in pairwise(around)) else asked


def open_type(profile: MenuProfile | None, chemistry: Chemistry, ladder: Ladder) -> tuple[str, str]:
    """Return the battery type of a unit that hears no BMS, and why: a lead-acid bank's own kind where the unit has it, else user.

    The kind of its own is taken only where the volts that it sets pass, or where they are entered over it. Source: TYPE.
    """
    setting = profile.setting_for("battery_type") if profile is not None else None
    offered = (setting.encoding.choices or {}) if setting is not None else {}
    own = f"lead-{chemistry.name}"
    if chemistry.has_bms or profile is None or setting is None or own not in offered:
        return "user", "" if chemistry.has_bms else f"it has no kind of its own for {chemistry.kind}"
    shown = factory_shown(profile) | {setting.id: offered[own]}
    volts = [s for n in CHARGING for s in profile.all_by_quantity.get(n, ())]
    entered = all(not s.works_only_if or parse_condition(s.works_only_if).holds(shown) for s in volts)
    preset = next((p for p in getattr(profile, "presets", []) if p.name == offered[own]), None)
    fits = preset is not None and all(
        r.lowest - 1e-9 <= v <= r.highest + 1e-9 for n, v in preset.sets.items() if (r := ladder.rungs.get(n))
    )
    if volts and (entered or fits):
        return (
            own,
            f"its own kind of {chemistry.kind}; the planned volts are entered over what it brings" if entered else "its volts pass",
        )
    return "user", f"what its kind of {chemistry.kind} sets does not pass"


FIXED: Mapping[str, str] = {
    "series_cells": "it is counted on the nameplate; change the modules",
    "interface_role": "it follows from the link that is chosen",
    "bms_protocol": "it follows from the link that is chosen",
    "bms_port": "it follows from the link that is chosen",
    "bms_bitrate": "it follows from the link that is chosen",
    "battery_type": "it follows from the link that is chosen",
    "ac_range": "it follows from what feeds the AC input",
    "source_order": "it is chosen on its own, at Sources",
    "charge_order": "it is chosen on its own, at Sources",
    "control": "it is chosen on its own, at Thresholds",
    "float_on": "it follows from what is chosen after absorption",
    "final_stage": "it follows from what is chosen after absorption",
    "link_loss_action": "it is chosen on its own, at Link",
    "gen_quiet_from": "it is chosen on its own, at Sources",
    "gen_quiet_to": "it is chosen on its own, at Sources",
    "mode": "it is chosen on its own, at Sources",
    "sun_priority": "it is chosen on its own, at Sources",
    "capacity_ah": "it is the sum of the modules",
    "new_bank": "it is chosen on its own, at Bank",
    "topology": "it is the site's",
    "output_v": "it is the site's",
    "output_hz": "it is the site's",
}
"""Quantities that no wish changes, and why."""


def fixed_why(name: str, chemistry: Chemistry) -> str:
    """Return why no wish changes a quantity; empty where a wish may."""
    if name == "temp_comp_mv_per_c" and chemistry.compensation_mv_per_c == 0:
        return f"{chemistry.kind} takes none"
    if name in ("equalise_on", "equalise_min") and chemistry.equalise is None:
        return f"{chemistry.kind} is not equalised"
    return FIXED.get(name, "")


def charge_top_c(modules: Sequence[Module]) -> float:
    """Return the highest temperature [°C] at which every module still takes some charge."""

    def top(m: Module) -> float:
        last = max((t for t, f in m.charge_derating if f > 0), default=0.0)
        return next((t for t, f in m.charge_derating if f == 0 and t > last), last)

    return float(min(top(m) for m in modules))


def charge_bottom_c(modules: Sequence[Module]) -> float:
    """Return the temperature [°C] below which some module is not charged."""
    return float(max(next((t for t, f in m.charge_derating if f > 0), 0.0) for m in modules))


def _stop_c(m: Module) -> float:
    """Return the highest temperature [°C] of the module's line at which it still takes current, in whole degrees."""
    allowed = [t for t, f in m.charge_derating if f > 0] or [m.charge_derating[0][0]]
    zero = [t for t, f in m.charge_derating if f == 0 and t > max(allowed)]
    return float(zero[0] - 2) if zero else float(max(allowed))


def on_one_phase(units: Sequence[Unit]) -> int:
    """Return how many units share the fullest phase; a unit that makes every phase draws on each."""
    phases = [u.job.phase for u in units if not u.makes_all]
    return max(1, sum(u.makes_all for u in units) + max((phases.count(p) for p in phases), default=0))


def feeding_amps(job: Job, units: Sequence[Unit]) -> tuple[float, str] | None:
    """Return the AC input current [A] of each unit that every source can feed, and the words; None without AC sources."""
    legs = LEGS[job.site.ac.topology]
    feeds = []
    if job.mains is not None and "mains" in job.site.sources:
        part = breaker_part(job)
        feeds.append((part * job.mains.breaker_a, f"{figure(part)} × {figure(job.mains.breaker_a)} A breaker"))
    if job.generator is not None and "generator" in job.site.sources:
        watts = job.generator.continuous_w * engine_derate(job)
        feeds.append(
            (watts / (job.site.ac.volts * legs), f"{figure(watts)} W of the generator / {figure(job.site.ac.volts * legs)} V")
        )
    if not feeds:
        return None
    amps, words = min(feeds)
    sharing = on_one_phase(units)
    if sharing > 1:
        words += f", shared by {sharing} units on a phase"
    each = amps / sharing
    bears = min((u.profile.ratings.ac_input_max_a for u in units if u.profile.ratings.ac_input_max_a > 0), default=each)
    if bears < each:
        return clean(round(bears, 2)), f"{figure(bears)} A is what the unit's input bears; {words}"
    return clean(round(each, 2)), words
