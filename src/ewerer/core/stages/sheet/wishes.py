"""What only some units know: each planned by a rule, or a wish with its default and its reason.

Nothing here is planned, or shown, before a unit has a setting for it or a person gives a figure. ``HAND`` are the
quantities that nobody but the person on site decides.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

from ...devices.slots.week import minutes_of
from ...documents.job import Job
from ...documents.profiles import InverterProfile, MenuProfile
from ...documents.results.thresholds import Derived
from ...trade.margins import (
    COOL_DOWN_MIN,
    EFFICIENCY_RANGE,
    EQUALISE_DAYS_RANGE,
    EXERCISE_DAYS,
    EXERCISE_MIN,
    FAN_BELOW_WARN_C,
    OUTAGE_RETURN_SOC,
    OUTAGE_SOC,
    RESERVE_SOC,
    RESUME_BELOW_WARN_C,
    SHUTDOWN_SOC_FLOOR,
    SOC_TOP,
    START_TRIES,
)
from ...trade.rules import Rule
from ...trade.steps import clean, figure
from ..bank.solve import chemistry_of
from ..solved import Ladder, Solved
from .rules import AC_CHARGE, DATA, END, ENGINE, HYBRID, OWN_SUN, PERIODIC, PROTECT, SENSORS, WHOLE, WISH

HAND: dict[str, str] = {
    "neutral_bond": "Neutral and earth are joined in one place only; local code and a licensed person decide where.",
    "shunt_zero": "With all loads and chargers off, once, after the sensor is in; nothing to leave set.",
    "search_w": "Only with power saving on: below what the smallest load that must wake it takes.",
}
"""Quantities decided on site, with what is known about them."""


HOUSE: dict[str, tuple[bool | float, str]] = {
    "overload_restart": (True, "on: a trip by a motor start ends by itself"),
    "overtemp_restart": (True, "on: it comes back when it has cooled"),
    "power_saving": (False, "off: a search cycle lets small loads flicker and modems fall asleep"),
    "solar_balance": (True, "on: sun that the loads do not need goes into the bank"),
    "buzzer": (True, "on: a fault is heard"),
    "backlight_min": (1.0, "a minute: the display is part of the unit's own use"),
    "source_beep": (False, "off: sources switch every day"),
    "gen_top_off": (False, "off: the last part of a charge keeps an engine at low load"),
}
"""Defaults with their reasons."""


class Given(NamedTuple):
    """One figure with its rule and its words, and the range it may be wished in."""

    value: float | str | bool
    rule: Rule
    text: str
    lowest: float | None = None
    highest: float | None = None


def wishes(solved: Solved, profile: MenuProfile, ladder: Ladder, out: Mapping[str, Derived]) -> Iterator[tuple[str, Given]]:
    """Yield every rare quantity that ``profile`` has a setting for, or that was wished for, with value and reason."""
    wanted = {s.quantity for s in profile.settings if s.quantity} | set(solved.job.policy.own_figures)
    for name, found in _all(solved, profile, ladder, out):
        if name in wanted:
            got = found()
            if got is not None:
                yield name, got


def _all(
    solved: Solved, profile: MenuProfile, ladder: Ladder, out: Mapping[str, Derived]
) -> Iterator[tuple[str, Callable[[], Given | None]]]:
    job, bank, basis, rungs = solved.job, solved.bank, solved.basis, ladder.rungs
    policy = job.policy
    if bank is None or basis is None or solved.limits is None:
        return
    ac = bool({"mains", "generator"} & set(job.site.sources))

    def rung(*names: str) -> tuple[float, str] | None:
        return next(((rungs[n].value, rungs[n].word.lower()) for n in names if n in rungs), None)

    def from_rung(rule: Rule, *names: str) -> Callable[[], Given | None]:
        def given() -> Given | None:
            found = rung(*names)
            return None if found is None else Given(found[0], rule, f"as {found[1]}")

        return given

    def highest(*names: str) -> list[str]:
        """Return the names by falling level: an engine is charged from until its own stop."""
        return sorted((n for n in names if n in rungs), key=lambda n: -rungs[n].value)

    can_tail = policy.hold_school == "tail" and profile.setting_for("tail_a") is not None
    absorb = rung("absorb_v", "float_v")
    hold = out.get("absorb_min")
    yield (
        "absorb_end",
        lambda: Given("tail" if can_tail else "time", END, "tail current, which the unit measures" if can_tail else "time"),
    )
    yield "absorb_end_soc", lambda: Given(1.0, END, "full: a level below it would end every charge early", SOC_TOP, 1.0)
    yield (
        "final_stage",
        lambda: Given("none" if policy.float_school == "none" else "float", END, f"float school: {policy.float_school}"),
    )
    yield "charge_to_soc", lambda: Given(1.0, END, "full; a weekly full charge balances the cells", 0.5, 1.0)
    yield "full_charge_v", lambda: Given(absorb[0], PERIODIC, f"as {absorb[1]}", None, absorb[0]) if absorb else None
    yield (
        "full_charge_min",
        lambda: Given(hold.value, PERIODIC, "as the hold", 0.0, hold.highest) if hold and isinstance(hold.value, float) else None,
    )
    mixes = chemistry_of(solved.modules).equalise
    yield (
        "equalise_days",
        lambda: (
            Given(mixes.days, PERIODIC, f"every {figure(mixes.days)} days, to mix the acid", *EQUALISE_DAYS_RANGE)
            if mixes
            else Given(0.0, PERIODIC, "never: equalising is off", 0.0, 0.0)
        ),
    )
    yield "ac_charge_start_v", from_rung(AC_CHARGE, "to_mains_v", "gen_start_v", "alarm_v")
    # Cells that rise while they are charged touch any such level long before they are full: the hold ends the charge.
    over_v = absorb[0] + basis.hysteresis_v if absorb and basis.rises else 0.0
    yield (
        "ac_charge_stop_v",
        (lambda: Given(clean(round(over_v, 2)), AC_CHARGE, "above absorption: the hold ends the charge"))
        if over_v
        else from_rung(AC_CHARGE, *highest("return_bank_v", "gen_stop_v"), "recharge_v"),
    )
    yield "ac_charge_start_soc", from_rung(AC_CHARGE, "to_mains_soc", "gen_start_soc", "alarm_soc")
    yield "ac_charge_stop_soc", from_rung(AC_CHARGE, *highest("return_bank_soc", "gen_stop_soc"), "recharge_soc")
    yield "protect_1_soc", from_rung(PROTECT, "to_mains_soc", "gen_start_soc", "alarm_soc")
    yield "protect_2_soc", from_rung(PROTECT, "alarm_soc", "to_mains_soc")
    yield "protect_3_soc", from_rung(PROTECT, "shutdown_soc")

    most = solved.limits.charge.bank_a
    yield "bank_charge_max_a", lambda: Given(most, WHOLE, f"{figure(most, 1)} A for all units together", 0.0, most)
    sun, capped = profile.own_sun_a, any(profile.setting_for(n) for n in ("bank_charge_max_a", "charge_max_a"))
    share = min((s.a for s in solved.limits.charge.units if s.kind == "unit"), default=sun)
    roof = sun if capped else min(sun, share)
    said = "the rating of its own sun charger" if roof == sun else "the unit's part of the bank's limit, which nothing else holds"
    yield "sun_charge_max_a", lambda: Given(clean(roof), OWN_SUN, f"{figure(roof)} A, {said}", 0.0, clean(roof))
    yield (
        "ac_breaker_a",
        lambda: Given(job.mains.breaker_a, HYBRID, "read on the breaker", None, job.mains.breaker_a) if job.mains else None,
    )
    longest = out.get("max_charge_h")
    yield from _engine(job, longest.value if longest is not None and isinstance(longest.value, float) else None)
    yield from _hybrid(solved, profile, rung)

    block_v = profile.counts_blocks_of_v
    blocks = 1.0 if block_v is None else float(max(1, round(profile.menu_class_v / block_v)))
    counted = (
        "one block: the modules stand in parallel"
        if block_v is None
        else f"{figure(profile.menu_class_v)} V in blocks of {figure(block_v)} V"
    )
    yield "blocks_in_series", lambda: Given(blocks, DATA, counted, blocks, blocks)
    yield "resistance_mohm", lambda: Given(bank.resistance_mohm, DATA, "modules and their leads in parallel")
    chem = chemistry_of(solved.modules)
    yield (
        "charge_efficiency_pct",
        lambda: Given(
            chem.charge_efficiency,
            DATA,
            "what goes in of the ampere-hours comes out",
            *EFFICIENCY_RANGE["lithium" if chem.has_bms else "lead"],
        ),
    )
    yield "empty_v", from_rung(DATA, "shutdown_v")
    yield "shunt_type", lambda: Given("none" if job.bank.shunt_a is None else "external", SENSORS, "as noted for the bank")
    yield "temp_sensor", lambda: Given("bank", SENSORS, "at the bank: the unit's own place is not the cells'")
    warn = out.get("temp_warn_c")
    if warn is not None and isinstance(warn.value, float):
        top = warn.value
        yield (
            "temp_resume_c",
            lambda: Given(top - RESUME_BELOW_WARN_C, SENSORS, f"{figure(top)} - {figure(RESUME_BELOW_WARN_C)} °C", None, top - 1),
        )
        yield (
            "fan_start_c",
            lambda: Given(top - FAN_BELOW_WARN_C, SENSORS, f"{figure(top)} - {figure(FAN_BELOW_WARN_C)} °C", None, top),
        )
    yield (
        "ups_narrow",
        lambda: (
            Given("generator" not in job.site.sources, WISH, "quick for electronics; a generator needs the slow one")
            if ac
            else None
        ),
    )
    yield "overload_bypass", lambda: Given(ac, WISH, "on where an AC source can carry the loads")
    yield (
        "assist",
        lambda: Given(
            job.mains is not None and job.mains.supply == "weak-grid", WISH, "on for a weak grid: the bank carries what it cannot"
        ),
    )
    for name, (value, text) in HOUSE.items():
        yield name, lambda value=value, text=text: Given(value, WISH, text)  # type: ignore[misc]


def _engine(job: Job, charge_h: float | None) -> Iterator[tuple[str, Callable[[], Given | None]]]:
    g = job.generator
    if g is None or "generator" not in job.site.sources:
        return
    if g.quiet_from and g.quiet_to:
        begin, end = float(minutes_of(g.quiet_from) % 1440), float(minutes_of(g.quiet_to) % 1440)
        yield "gen_quiet_from", lambda: Given(begin, ENGINE, f"quiet from {g.quiet_from}")
        yield "gen_quiet_to", lambda: Given(end, ENGINE, f"quiet to {g.quiet_to}")
    if charge_h is not None:
        least = charge_h * 60
        yield (
            "gen_max_run_min",
            lambda: Given(least, ENGINE, "as the longest charge: a run that ends earlier never fills the bank", least),
        )
    yield "gen_min_run_min", lambda: Given(g.min_run_min, ENGINE, "as given: a start costs more than minutes")
    yield "gen_warm_up_s", lambda: Given(g.warm_up_min * 60, ENGINE, f"{figure(g.warm_up_min)} min before it is loaded")
    yield "gen_cool_down_min", lambda: Given(COOL_DOWN_MIN, ENGINE, f"{figure(COOL_DOWN_MIN)} min without load")
    yield "gen_exercise_days", lambda: Given(EXERCISE_DAYS, ENGINE, "once a month")
    yield "gen_exercise_min", lambda: Given(EXERCISE_MIN, ENGINE, "half an hour under load")
    yield "gen_tries", lambda: Given(START_TRIES, ENGINE, "then give up and call", 1.0, 5.0)


def _hybrid(
    solved: Solved, profile: MenuProfile, rung: Callable[..., tuple[float, str] | None]
) -> Iterator[tuple[str, Callable[[], Given | None]]]:
    job = solved.job
    policy = job.policy
    sells = policy.sells
    rated = sum(u.profile.ratings.continuous_w for u in solved.units) or profile.rated_w or 1.0
    export_w = (policy.export_limit_w if policy.export_limit_w is not None else rated) if sells else 0.0
    reserve = rung("to_mains_soc", "gen_start_soc")
    shut = rung("shutdown_soc")
    least = shut[0] if shut else SHUTDOWN_SOC_FLOOR
    outage = max(policy.outage_reserve_soc if policy.outage_reserve_soc is not None else OUTAGE_SOC, least)
    slow = "generator" in job.site.sources
    yield (
        "backup_output",
        lambda: Given("slow" if slow else "fast", HYBRID, "slow: an engine strays" if slow else "fast: electronics run on"),
    )
    arrays = bool(job.sun.on_output)
    yield (
        "second_meter",
        lambda: Given(arrays, HYBRID, "on: the sun on the AC side is measured apart" if arrays else "off: no sun on the AC side"),
    )
    yield "mode", lambda: Given(policy.mode, HYBRID, "as chosen")
    shaves = policy.mode == "peak-shaving"
    yield (
        "sun_priority",
        lambda: Given("loads-first" if shaves else policy.priority, HYBRID, "shaving peaks forces it" if shaves else "as chosen"),
    )
    rests = isinstance(profile, InverterProfile) and profile.slots is not None and profile.slots.rests_without_master
    yield (
        "windows_on",
        lambda: Given(
            bool(job.windows) or rests,
            HYBRID,
            "on: with it off this unit never uses the bank while the grid is there"
            if rests and not job.windows
            else "on where windows are planned: without it they do nothing",
        ),
    )
    yield "export_on", lambda: Given(sells, HYBRID, "only with the grid operator's permission" if sells else "nothing is sold")
    yield (
        "export_cap_on",
        lambda: Given(
            not sells or policy.export_limit_w is not None,
            HYBRID,
            "on: without it the cap does nothing" if not sells or policy.export_limit_w is not None else "off: export has no cap",
        ),
    )
    yield "export_limit_w", lambda: Given(clean(export_w), HYBRID, f"{figure(export_w)} W for the site", 0.0, clean(export_w))
    part = min(1.0, export_w / rated)
    yield (
        "export_limit_pct",
        lambda: Given(clean(round(part, 4)), HYBRID, f"{figure(export_w)} of {figure(rated)} W", 0.0, clean(round(part, 4))),
    )
    yield (
        "peak_cap_w",
        lambda: (
            Given(policy.peak_cap_w, HYBRID, "as chosen")
            if policy.mode == "peak-shaving" and policy.peak_cap_w is not None
            else None
        ),
    )
    yield (
        "on_grid_min_soc",
        lambda: (
            Given(reserve[0], HYBRID, f"as {reserve[1]}", least, 1.0)
            if reserve
            else Given(policy.reserve_soc or RESERVE_SOC, HYBRID, "the reserve", least, 1.0)
        ),
    )
    yield "outage_min_soc", lambda: Given(outage, HYBRID, "above the shut-down, kept for nothing else", least, 1.0)
    yield (
        "outage_return_soc",
        lambda: Given(
            clean(round(min(1.0, outage + OUTAGE_RETURN_SOC), 3)),
            HYBRID,
            f"{figure(OUTAGE_RETURN_SOC * 100)} % above it",
            outage,
            1.0,
        ),
    )
    meter = policy.mode in ("zero-export", "peak-shaving") or (policy.mode == "feed-in" and policy.export_limit_w is not None)
    yield (
        "meter_kind",
        lambda: Given(
            "clamp" if meter else "none", HYBRID, "the unit must see the grid to follow it" if meter else "nothing to follow"
        ),
    )
