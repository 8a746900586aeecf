"""Every rule is run: once where it speaks or changes a figure, once where it has nothing to say.

Checks speak in findings; formulas show in the reasons of a plan, or in the effects set out below.
"""

import datetime as dt
import json
from collections.abc import Callable, Mapping
from functools import cache

import pytest

from ewerer.core.devices.addresses import address_of, up_positions
from ewerer.core.devices.cable import pair_of, straight_contacts
from ewerer.core.devices.codec import encode
from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.slots.week import local_minutes
from ewerer.core.documents.profiles import HostRule, Port, Setting
from ewerer.core.documents.results.plan import Plan
from ewerer.core.documents.results.run import Gate
from ewerer.core.flow.adviser import optimum_cost
from ewerer.core.flow.results import AT, gentlest_current, simulate
from ewerer.core.flow.scenario import build, sun_power_w
from ewerer.core.flow.sweep import sweep
from ewerer.core.plan import plan
from ewerer.core.record.figures import KINDS, Noted
from ewerer.core.record.judge import judge_gate
from ewerer.core.stages.limits.ac import engine_derate
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.lead_acid import charging_v
from ewerer.core.trade.rules import load_all
from tests import links, orders, pins
from tests.found import found
from tests.jobs import FENWICK, HERON, LARCH, OSTRAND, SKERRY, TARN, changed, data, hand_written, inline, job_of, plan_of
from tests.libraries import narrow_library
from tests.links import ALPHA, can, paired, protocol, serial, switched
from tests.sizes import size

RULES = load_all()
LIBRARY = shipped_library()
PATCH = {"link": {"cable": "patch"}}


def orrowan(**more) -> dict:
    shipped = next(p for p in LIBRARY if p.id == "orrowan-t8")
    return json.loads(shipped.model_dump_json(by_alias=True, exclude_unset=True)) | more


def with_profile(profile: dict, job: dict | None = None) -> Plan:
    library = Library([*LIBRARY, parse_profile(json.dumps(profile))])
    return plan(parse_job(json.dumps(job or data(SKERRY)), library), library)


def only_linked() -> dict:
    """Return a unit whose charging volts are taken in open loop only."""
    profile = orrowan()
    for s in profile["settings"]:
        if s["id"] in ("fill-volts", "rest-volts"):
            s["works_only_if"] = "store-kind = 'Own values'"
    return profile


def path_mohm(**bank) -> float:
    job = data(SKERRY)
    job["bank"] |= bank
    return plan_of(job).bank.path_mohm


def shipped_as(name: str) -> dict:
    return json.loads(next(p for p in LIBRARY if p.id == name).model_dump_json(by_alias=True, exclude_unset=True))


def never_full(name: str) -> dict:
    """Return a unit without a periodic full charge."""
    profile = shipped_as(name)
    gone = {s["id"] for s in profile["settings"] if str(s.get("quantity", "")).startswith("full_charge")}
    profile["settings"] = [s for s in profile["settings"] if s["id"] not in gone]
    return profile


def no_low_end() -> dict:
    """Return a unit that nothing stops."""
    profile = orrowan()
    gone = {s["id"] for s in profile["settings"] if s.get("quantity") in ("shutdown_v", "shutdown_soc", "unit_off_v")}
    profile["settings"] = [s for s in profile["settings"] if s["id"] not in gone]
    for s in profile["settings"]:
        effects = [{**e, "sets": {k: v for k, v in e["sets"].items() if k not in gone}} for e in s.get("side_effects", [])]
        s["side_effects"] = [e for e in effects if e["sets"]]
    profile["interlocks"] = [i for i in profile.get("interlocks", []) if not any(g in json.dumps(i) for g in gone)]
    profile.pop("presets", None)
    return profile


def wide_input() -> dict:
    shipped = next(p for p in LIBRARY if p.id == "hexley-pr3")
    profile = json.loads(shipped.model_dump_json(by_alias=True, exclude_unset=True))
    next(s for s in profile["settings"] if s["id"] == "line-low")["max"] = 140
    return profile


def without_slots() -> Plan:
    profile = orrowan()
    del profile["slots"]
    profile["settings"] = [s for s in profile["settings"] if not str(s.get("quantity", "")).startswith("slot")]
    return with_profile(profile)


def counting_cells() -> Plan:
    profile = orrowan()
    profile["settings"].append(
        {"id": "cells", "menu": ["Storage"], "label": "Cells", "quantity": "series_cells", "min": 4, "max": 20, "step": 1}
    )
    return with_profile(profile, found(cells="15"))


def many_units() -> Plan:
    units = [
        {"id": f"U{i}", "profile": "hexley-pr3", "role": "follower" if i else "host", "phase": "L2" if i % 2 else "L1"}
        for i in range(6)
    ]
    return plan_of(changed(LARCH, units=units))


def long_leads() -> Plan:
    pair = [inline(f"M{i}", series_cells=8, cell_min_v=2.8, resistance_mohm=30, discharge_a=250) for i in (1, 2)]
    return plan_of(changed(LARCH, bank={"modules": pair, "main_lead_mohm": 0.5}, as_found={}, site__bank_ambient_c=20))


def reads_back() -> Plan:
    return plan_of(changed(SKERRY, sheet_marks={"U1": {"low-out": {"state": "done", "read_back": "44.0"}}}))


def two_makes() -> Plan:
    job = changed(SKERRY, bank__modules__2=inline("X", capacity_ah=280, charge_a=140, discharge_a=200))
    job["link"]["choice"] = "dunmarrow/dunmarrow-link/2/bat/inv"
    return plan_of(job)


# Jobs in which a check speaks that is silent in all pinned documents
def acid(**more) -> dict:
    """Return a job with a string of flooded lead-acid, rated at six hours."""
    return hand_written(
        inline("A", chemistry="flooded", series_cells=24, capacity_ah=510, rated_h=6, peukert=1.152, charge_a=60, cell_max_v=2.65)
        | {"cell_min_v": 1.75},
        **more,
    )


def curve(top: float) -> list[dict]:
    return [{"soc": 0, "cell_v": 2.6}, {"soc": 0.5, "cell_v": 3.29}, {"soc": 1, "cell_v": top}]


SPEAKS: dict[str, Callable[[], Plan]] = {
    "peukert-rating": lambda: plan_of(acid()),
    "ocv-apart": lambda: plan_of(hand_written(inline("A", ocv=curve(3.48)), inline("B", ocv=curve(3.5)))),
    "sun-array-voltage": lambda: plan_of(changed(FENWICK, sun__chargers__0__array_v=160)),
    "device-ids": lambda: plan_of(changed(FENWICK, sun__chargers__0__id="EAST")),
    "bank-empty": lambda: plan_of({"ewerer": "job/1", "name": "New"}),
    "cell-count-equal": lambda: plan_of(hand_written(*[inline(f"M{i}", series_cells=15 + i % 2) for i in range(4)])),
    "chemistry-equal": lambda: plan_of(changed(SKERRY, bank__modules__0__chemistry="nmc")),
    "cell-count-plausible": lambda: plan_of(changed(SKERRY, bank__modules__0__resting_v=26.5)),
    "ac-window-weak": lambda: plan_of(changed(TARN, mains__supply="weak-grid")),
    "output-sun-charger": lambda: plan_of(changed(TARN, sun={"on_output": [{"id": "R", "inverter_w": 14000}]})),
    "output-sun-rating": lambda: plan_of(changed(TARN, sun={"on_output": [{"id": "R", "inverter_w": 40000}]})),
    "windows-season-change": lambda: plan_of(
        changed(
            TARN,
            seasons=[{"name": "S", "from": "04-01", "to": "09-30"}],
            windows=[{"from": "01:00", "to": "05:00", "action": "charge", "season": "S"}],
        )
    ),
    "peak-cap": lambda: plan_of(changed(TARN, policy__mode="peak-shaving")),
    "ladder-conflict": lambda: plan(job_of(SKERRY), narrow_library(40, 44.0)),
    "sag-at-peak": lambda: plan_of(changed(SKERRY, loads__peak_w=15000, bank__main_lead_mohm=15)),
    "school-raised": long_leads,
    "reserve-order": lambda: plan_of(changed(SKERRY, policy__shutdown_soc=0.3)),
    "limit-school": lambda: plan_of(changed(SKERRY, policy__charge_school="limit")),
    "link-near-miss": lambda: paired([can(4, 5)], [protocol(version="2")], [can(4, 5)], ALPHA),
    "link-silent-modules": two_makes,
    "cable-power-pin": lambda: paired([can(4, 5, extra={8: "+12V"})], ALPHA, [can(4, 5)], ALPHA, **PATCH),
    "cable-pair": lambda: paired([can(2, 3)], ALPHA, [can(2, 3)], ALPHA, **PATCH),
    "cable-length": lambda: paired([can(4, 5)], ALPHA, [can(4, 5)], ALPHA, link={"length_m": 140}),
    "terminators": lambda: plan_of(changed(SKERRY, link__measured_ohm=120)),
    "address-host": lambda: switched("dudd", "uudd", "ddud"),
    "address-unique": lambda: switched("uddd", "dudd", "dudd"),
    "address-fits": lambda: switched("uddddd", "dudd", "uudd"),
    "units-one-host": lambda: plan_of(changed(SKERRY, units__1__role="host")),
    "units-max-parallel": many_units,
    "units-ac": lambda: plan_of(changed(SKERRY, site__ac__volts=120)),
    "windows-idle": without_slots,
    "feed-too-small": lambda: plan_of(changed(SKERRY, mains__feeds=[{"name": "Cord", "breaker_a": 3}])),
    "found-undercharge": lambda: plan_of(found(fill_volts="52.0")),
    "found-cell-count": counting_cells,
    "found-alarm-in-range": lambda: plan_of(found(low_warn="52.6")),
    "read-back-differs": reads_back,
    "own-entry-read": lambda: plan_of(changed(SKERRY, extra_entries={"U1": {"fill-volts": "999"}})),
    "entry-ac-window": lambda: with_profile(wide_input(), changed(LARCH, extra_entries={"LEFT": {"line-low": "121"}})),
    "entry-temperature": lambda: plan_of(changed(SKERRY, extra_entries={"U1": {"fill-hot": "60"}})),
    "entry-ac-input": lambda: plan_of(changed(SKERRY, extra_entries={"U1": {"feed-amps": "40"}})),
    "address-families": lambda: plan_of(
        changed(SKERRY, bank__modules__2={"id": "F", "profile": "fennick-100", "series_cells": 16})
    ),
    "carry-on-safe": lambda: with_profile(only_linked(), changed(SKERRY, policy__link_loss="carry-on")),
    "found-recharge": lambda: plan_of(found(fill_volts="56.0", rest="Off", refill="56.0")),
    "silent-window": lambda: links.with_silent(cell_max_v=3.45),
    "lead-drop": lambda: plan_of(changed(SKERRY, bank__main_lead={"length_m": 20, "section_mm2": 16})),
    "module-lead": lambda: plan_of(changed(SKERRY, bank__lead={"length_m": 1, "section_mm2": 16})),
    "own-amps-refused": lambda: plan_of(changed(SKERRY, policy__own_figures={"charge_max_a": 999})),
    "own-wish-refused": lambda: plan_of(changed(SKERRY, policy__own_figures={"temp_comp_mv_per_c": -18})),
    "ac-shared-input": lambda: plan_of(changed(SKERRY, mains__shares_input=True)),
    "breaker-for-hours": lambda: plan_of(changed(SKERRY, mains__breaker_school="all")),
    "entry-sum": lambda: plan_of(changed(SKERRY, extra_entries={"U1": {"fill-amps": "160"}, "U2": {"fill-amps": "160"}})),
    "tried-low-end": lambda: with_profile(no_low_end()),
    "tried-sold": lambda: plan_of(
        changed(
            HERON,
            policy__mode="feed-in",
            windows=[{"from": "17:00", "to": "21:00", "action": "export", "target_soc": 0.5, "power_w": 1000}],
            extra_entries={"H1": {"time-1-to": "20"}},
        )
    ),
    "tried-outage": lambda: plan_of(changed(HERON, extra_entries={"H1": {"keep-dark": "60"}})),
    "tried-windows": lambda: plan_of(changed(HERON, extra_entries={"H1": {"time-1-street": "No"}})),
    "tried-full": lambda: with_profile(never_full("wendle-hy6"), changed(HERON, extra_entries={"H1": {"fill-to": "90"}})),
    "profile-revision": lambda: with_profile(orrowan(revision=9), changed(SKERRY, profile_revisions={"orrowan-t8": 1})),
}


@cache
def spoken() -> tuple[dict[str, list[str]], dict[str, list[str]], list[str]]:
    """Return over all pinned documents: who speaks where, which rule stands in whose reasons, and all names."""
    said: dict[str, list[str]] = {}
    reasons: dict[str, list[str]] = {}
    names = []
    empty = ("empty", b'{"ewerer": "job/1", "name": "New"}', LIBRARY)  # where no formula has anything to work on
    for name, text, library in [*pins.documents(), empty]:
        if name.startswith("seed/") and int(name[5:]) % size(4, 1):
            continue
        try:
            made = plan(parse_job(text, library), library)
        except DocumentError:
            continue
        names.append(name)
        findings = {f.rule for f in made.findings}
        for rule in findings:
            said.setdefault(rule, []).append(name)
        bare = made.model_copy(update={"findings": []}).model_dump_json()
        for rule in RULES:
            if f'"{rule}"' in bare:
                reasons.setdefault(rule, []).append(name)
    return said, reasons, names


CHECKS = sorted(r.id for r in RULES.values() if r.kind == "check")


@pytest.mark.parametrize("rule", CHECKS)
def test_every_check_speaks_somewhere_and_is_silent_elsewhere(rule):
    said, _, names = spoken()
    if rule in SPEAKS:
        one = next(f for f in SPEAKS[rule]().findings if f.rule == rule)
        assert one.title and one.message and one.stage == RULES[rule].stage
    else:
        assert said.get(rule), f"{rule} speaks nowhere"
    assert len(said.get(rule, [])) < len(names) - 1, f"{rule} is never silent"


# Effects of formulas that stand in no reason of a plan


def setting(**more) -> Setting:
    shape = {"id": "s", "menu": ["A"], "label": "S", "quantity": "absorb_v", "unit": "V", "min": 1, "max": 70, "step": 0.1}
    return Setting.model_validate(shape | more)


def encoded(value: float, **more) -> str:
    return encode(setting(**more), value, next(p for p in LIBRARY if p.id == "orrowan-t8")).text


def against(*link, **job) -> set[str]:
    made = paired(*link, **json.loads(json.dumps(job)))
    return {p.rule for c in made.link.candidates if c.loop == "closed" for p in c.speaks_against}


def fitting() -> set[str]:
    return against([can(4, 5)], ALPHA, [can(4, 5)], ALPHA)


def sun_w(hour: int) -> float:
    return float(sun_power_w(job_of(changed(SKERRY, site__time_zone="UTC")), dt.date(2025, 6, 21), 1, 3600)[hour])


def resistance(count: int) -> float:
    bank = plan_of(hand_written(*[inline(f"M{i}") for i in range(count)])).bank
    assert bank is not None
    return bank.path_mohm


def foresight(**changes) -> bool:
    """Say whether windows could save more than the losses of the bank, and that none could cost less than the optimum."""
    job = job_of(changed(TARN, **changes))
    scenario = build(job, LIBRARY, 1, windows=[])
    _, daily = scenario.run()
    gain = float(daily[:, AT["cost"]].sum()) - optimum_cost(scenario, 0.0, scenario.stored_kwh(scenario.last_soc))
    assert gain >= -0.02
    return gain > 2


def entry_of(unit: str, setting: str) -> str:
    sheet = next(u for u in plan_of(SKERRY).units if u.id == unit)
    return next(r.entry for r in sheet.settings if r.setting == setting)


def flows_by(**changes) -> bool:
    """Say whether a change of what the units are set to changes the figures that the simulation goes by."""
    plain, other = (build(job_of(changed(SKERRY, **c)), LIBRARY, 1) for c in ({}, changes))
    return plain.par != other.par


def balanced(hour: int) -> bool:
    """Say whether sun flows in the hour, and that what is given is what is taken."""
    series = simulate(job_of(SKERRY), LIBRARY, 1, 3600).series
    assert series is not None
    at = {name: values[hour] for name, values in series.columns.items()}
    served = at["sun_load_w"] + at["bank_load_w"] + at["mains_load_w"] + at["unserved_w"]
    assert served == pytest.approx(at["load_w"], abs=1)
    return at["sun_w"] > 1


def spread(cloudiness: float) -> bool:
    """Say whether weathers differ where there are clouds."""
    part = sweep(job_of(changed(LARCH, flow={"cloudiness": cloudiness})), LIBRARY, 6, 4).parts[0]
    return part.curtailed_kwh.p90 > part.curtailed_kwh.p10 or part.generator_h.p90 > part.generator_h.p10


def gentler(daily_wh: float) -> bool:
    job = job_of(changed(SKERRY, windows=[], flow={"cloudiness": 0.1}, loads__daily_wh=daily_wh))
    told = gentlest_current(job, LIBRARY, 30, 0.5)
    return told.enough and told.a < told.plan_a


def reordered(found_: dict[str, str], target: Mapping[str, str]) -> bool:
    """Say whether the order of entry is another than the menu's."""
    model, order, writes = orders.orrowan_order(orders.OPEN | found_, dict(target))
    menu = [s.id for s in orders.ORROWAN.settings]
    places = [menu.index(setting) for setting, _ in writes]
    assert orders.replay(model, orders.OPEN | found_, order) is not None
    return places != sorted(places)


def temporary(*locks: str) -> bool:
    model = orders.device(orders.setting("warn", low=40, high=60), orders.setting("stop", low=40, high=60), locks=locks)
    order = orders.entry_order(model, {"warn": "46", "stop": "44"}, {"warn": "51", "stop": "49"})
    assert order.blocked is None
    return any(w.temporary for w in order.writes)


def changes_clock(date: str) -> bool:
    return len(local_minutes(dt.date.fromisoformat(date), "Europe/Lisbon")) != 1440


def shown(modules: Plan) -> bool:
    return bool(modules.link and any(d.charge_a for d in modules.link.displays))


def caps(made: Plan) -> set[str]:
    assert made.limits is not None
    return {c.cap for c in made.limits.charge.caps if c.a is not None}


def minutes_off(job: dict) -> bool:
    made = plan_of(job).windows
    assert made is not None
    return any(u.differs_minutes for u in made.units)


def coinciding(*pins: int) -> bool:
    """Say whether a straight cable joins the signal at these pins to its like."""
    ends = [Port.model_validate(can(pin, pin % 8 + 1)) for pin in pins]
    return any(c.bms == c.unit == "CAN-H" for c in straight_contacts(*ends))


def rates(job: str | dict) -> tuple[float, float]:
    par = build(job_of(job), shipped_library(), 1, 60).par
    return par.peukert, par.rated_a


def calibrated(shown: str) -> str:
    made = plan_of(changed(SKERRY, bank__shunt_a=500, as_found={"U1": {"shunt": shown}}))
    return next(r.entry for r in made.units[0].settings if r.quantity == "shunt_a")


ADDRESS = HostRule(host_address=1, first_other=2, switches=4)
BAND = "to_mains_v"

# rule -> where it has its effect, where it has none
EFFECTS: dict[str, tuple[Callable[[], object], Callable[[], object]]] = {
    "own-bank-cap": (
        lambda: plan_of(changed(SKERRY, policy__own_figures={"bank_charge_max_a": 90})).limits.charge.bank_a == 90,
        lambda: plan_of(changed(SKERRY, policy__own_figures={"bank_charge_max_a": 900})).limits.charge.bank_a == 900,
    ),
    "join-rest": (
        lambda: (
            KINDS["rest"](Noted(values={"A": 53.2, "B": 50.0}, given={"tolerance_v": 0.1, "ohm.A": 0.01, "ohm.B": 0.01})).verdict
            == "fail"
        ),
        lambda: (
            KINDS["rest"](Noted(values={"A": 53.2, "B": 53.18}, given={"tolerance_v": 0.1, "ohm.A": 0.01, "ohm.B": 0.01})).verdict
            == "fail"
        ),
    ),
    "lead-acid-charge": (
        lambda: charging_v(0.8, 10, 100) > charging_v(0.5, 10, 100) + 0.2,
        lambda: plan_of(SKERRY).bank.chemistry == "gel",
    ),
    "lead-acid-draw": (
        lambda: min(rates(changed(SKERRY, bank__modules=acid()["bank"]["modules"]))) > 0.1,
        lambda: rates(SKERRY)[1] > 0,
    ),
    "calibrated-kept": (lambda: calibrated("450") == "450", lambda: calibrated("100") == "100"),
    "feed-entries": (
        lambda: bool(plan_of(changed(SKERRY, mains__feeds=[{"name": "Cord", "breaker_a": 10}])).units[0].feeds),
        lambda: bool(plan_of(SKERRY).units[0].feeds),
    ),
    "equalising": (
        lambda: plan_of(acid()).quantities["equalise_on"].value is True,
        lambda: plan_of(SKERRY).quantities["equalise_on"].value is True,
    ),
    "temperature-compensation": (
        lambda: plan_of(acid()).quantities["temp_comp_mv_per_c"].value == -96,
        lambda: plan_of(SKERRY).quantities["temp_comp_mv_per_c"].value != 0,
    ),
    "start-order": (lambda: plan_of(OSTRAND).group.start == [["V1"], ["V2"]], lambda: len(plan_of(FENWICK).group.start) > 1),
    "link-adapter": (
        lambda: all(c.follows for c in plan_of(FENWICK).link.chargers),
        lambda: any(c.follows for c in plan_of(changed(FENWICK, link__adapter=None)).link.chargers),
    ),
    "entry-safe-side": (lambda: encoded(55.27, safe="down") == "55.2", lambda: encoded(55.2, safe="down") != "55.2"),
    "lead-resistance": (
        lambda: path_mohm(main_lead={"length_m": 4, "section_mm2": 50}) > path_mohm(main_lead={"length_m": 4, "section_mm2": 95}),
        lambda: path_mohm(main_lead_mohm=0.5) != path_mohm(),
    ),
    "breaker-school": (
        lambda: plan_of(changed(SKERRY, mains__breaker_school="all")).limits.ac.sources[0].available_w == 32 * 230,
        lambda: plan_of(changed(SKERRY, mains__breaker_school="eighty")).limits.ac.sources[0].available_w != 0.8 * 32 * 230,
    ),
    "entry-per-2v-cell": (
        lambda: encoded(55.2, encoding={"kind": "per-2v-cell"}, step=0.01, min=1, max=3) == "2.30",
        lambda: encoded(55.2) != "55.2",
    ),
    "entry-percent-of-rated": (
        lambda: (
            encoded(71, quantity="charge_max_a", unit="%", encoding={"kind": "percent-of-rated", "rated": 160}, step=1, max=100)
            == "44"
        ),
        lambda: encoded(71, quantity="charge_max_a", unit="A", step=1, max=200) != "71",
    ),
    "bank-resistance": (lambda: resistance(3) < resistance(1) / 2, lambda: resistance(1) != pytest.approx(15.5)),
    "ac-short-cut": (
        lambda: any(s.shortcut_a > s.charge_a for s in plan_of(SKERRY).limits.ac.sources),
        lambda: plan_of(changed(SKERRY, site__sources=["sun"])).limits.ac.sources,
    ),
    "generator-derating": (
        lambda: engine_derate(job_of(changed(SKERRY, site__altitude_m=1300, site__bank_ambient_c=20))) == pytest.approx(0.9),
        lambda: engine_derate(job_of(changed(SKERRY, site__altitude_m=300, site__bank_ambient_c=25))) != 1,
    ),
    "generator-exercise": (
        lambda: any("Once a month" in r for r in plan_of(SKERRY).sources.generator.recipe),
        lambda: plan_of(TARN).sources.generator,
    ),
    "soc-band": (
        lambda: plan_of(changed(SKERRY, policy__control="volts")).ladder[BAND].at_rest_soc_band,
        lambda: plan_of(SKERRY).ladder["to_mains_soc"].at_rest_soc_band,
    ),
    "charge-now": (
        lambda: "soc_now" in plan_of(changed(SKERRY, policy__new_bank=True)).quantities,
        lambda: "soc_now" in plan_of(SKERRY).quantities,
    ),
    "address-switches": (
        lambda: up_positions(ADDRESS, 3) == [True, True, False, False],
        lambda: address_of(ADDRESS, [False] * 4) != 0,
    ),
    "cable-pins": (lambda: coinciding(4, 4), lambda: coinciding(4, 1)),
    "cable-colours": (lambda: pair_of(4) == pair_of(5), lambda: pair_of(2) == pair_of(3)),
    "link-version": (
        lambda: "link-version" in against([can(4, 5)], [protocol(version="2")], [can(4, 5)], ALPHA),
        lambda: "link-version" in fitting(),
    ),
    "link-bus": (
        lambda: "link-bus" in against([can(4, 5)], ALPHA, [serial(1, 2)], [protocol(rate=9600)]),
        lambda: "link-bus" in fitting(),
    ),
    "link-bitrate": (
        lambda: "link-bitrate" in against([can(4, 5)], [protocol(rate=250_000)], [can(4, 5)], ALPHA),
        lambda: "link-bitrate" in fitting(),
    ),
    "link-port-free": (
        lambda: "link-port-free" in against([can(4, 5)], ALPHA, [can(4, 5)], ALPHA, link={"taken_ports": {"U1": ["p"]}}),
        lambda: "link-port-free" in fitting(),
    ),
    "link-firmware": (
        lambda: "link-firmware" in against([can(4, 5)], ALPHA, [can(4, 5)], ALPHA, firmware="2.11"),
        lambda: "link-firmware" in fitting(),
    ),
    "link-silent": (lambda: two_makes().link.silent == ["X"], lambda: plan_of(SKERRY).link.silent),
    "link-display": (lambda: shown(plan_of(SKERRY)), lambda: shown(plan_of(changed(SKERRY, policy__loop="open")))),
    "entry-order": (
        lambda: (
            reordered({"low-out": "46.0", "low-warn": "47.5"}, {"low-out": "48.0", "low-warn": "48.5"})
            or reordered({"low-out": "48.0", "low-warn": "48.5"}, {"low-out": "47.0", "low-warn": "47.5"})
        ),
        lambda: reordered({"low-out": "46.0"}, {"low-out": "46.5"}),
    ),
    "entry-order-search": (lambda: temporary("warn - stop >= 1", "stop - warn >= -2"), lambda: temporary("warn - stop >= 1")),
    "windows-compile": (lambda: minutes_off(data(SKERRY)), lambda: minutes_off(data(TARN))),
    "windows-dst": (lambda: changes_clock("2025-03-30"), lambda: changes_clock("2025-06-10")),
    "sun-clear-sky": (lambda: sun_w(12) > 100, lambda: sun_w(1) > 0),
    "flow-settings": (
        lambda: flows_by(extra_entries={"U1": {"low-out": "50.0"}}),
        lambda: flows_by(extra_entries={"U1": {"low-out": entry_of("U1", "low-out")}}),
    ),
    "flow-balance": (lambda: balanced(12), lambda: balanced(1)),
    "gentlest-sufficient-current": (lambda: gentler(9000), lambda: gentler(60000)),
    "weather-bands": (lambda: spread(0.6), lambda: spread(0.0)),
    "windows-optimum": (lambda: foresight(), lambda: foresight(tariff__prices=[])),
}


JUDGED: dict[str, tuple[str, dict[str, float]]] = {
    "proof-gain": ("gain", {"shown": 97, "reference": 100, "rated_a": 200}),
    "proof-zero": ("zero", {"amps": 0.2}),
    "proof-resistance": ("resistance", {"v1": 53, "i1": 0, "v2": 52, "i2": 100}),
    "proof-charge": ("charge", {"absorb_v": 55.2, "m1": 0, "v1": 54, "m2": 20, "v2": 55.2, "m3": 50, "v3": 55.2}),
    "proof-cap": ("cap", {"cap_a": 100, "bank": 80, "dc": 20}),
    "proof-ramp": ("ramp", {"10.volts": 230, "10.hertz": 50}),
    "proof-ac-draw": ("ac_draw", {"amps": 40, "volts": 54, "loads": 0, "input": 2400}),
    "proof-transformer": ("ct", {"known": 1000, "before": 0, "after": 1000}),
    "proof-mode": ("mode", {"bank": 100}),
    "proof-share": ("share", {"U1": 10, "U2": 10}),
    "proof-soc-trend": ("soc_trend", {"error1": 50, "error2": 40}),
    "proof-temperature": ("temperature", {"shown": 20, "second": 21}),
    "proof-timed": ("timed", {"lasts_s": 60}),
    "proof-same": ("same", {f"{end}.{n}": 5 for end in ("bms", "unit") for n in ("volts", "charge", "discharge")}),
}
"""Rules of proof: the kind of figures each stands for, and figures that make it speak; with none it keeps silent."""


def judges(rule: str, whole: bool) -> str | None:
    kind, figures = JUDGED[rule]
    timers = {"asked": "2026-05-04T09:00:00.000Z", "ended": "2026-05-04T09:01:00.000Z"} if whole else {}
    given = {"predicted_bank_w": 100.0} if whole and kind == "mode" else {}
    values = {k: float(v) for k, v in figures.items()} if whole else {}
    return KINDS[kind](Noted(values, given={**given, **values}, timers=timers)).verdict


EFFECTS |= {rule: (lambda rule=rule: judges(rule, True), lambda rule=rule: judges(rule, False)) for rule in JUDGED}
EFFECTS["reading-gate"] = (
    lambda: judge_gate(Gate(low=57, high=63), 118).verdict == "fail",
    lambda: judge_gate(Gate(low=57, high=63), 60).verdict == "fail",
)


@pytest.mark.parametrize("rule", sorted(r.id for r in RULES.values() if r.kind != "check"))
def test_every_formula_has_an_effect_somewhere_and_none_elsewhere(rule):
    _, reasons, names = spoken()
    if rule in EFFECTS:
        there, elsewhere = EFFECTS[rule]
        assert there() and not elsewhere()
    else:
        assert reasons.get(rule), f"{rule} is no reason anywhere"
        assert len(reasons[rule]) < len(names)


def test_no_list_here_names_a_rule_that_is_gone_or_is_spoken_anyway():
    said, reasons, _ = spoken()
    assert set(SPEAKS) | set(EFFECTS) <= set(RULES)
    nowhere = {rule for rule, where in said.items() if where == ["empty"]}
    assert not set(SPEAKS) & (set(said) - nowhere) and not set(EFFECTS) & set(reasons)
