"""Every rule of the ladder stated a second time, against solved ladders; and each speaks when a figure breaks it."""

import json

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from ewerer.core.trade.chemistries import LFP, ocv_v, slope_v, soc_at
from tests.jobs import LARCH, NAMES, OSTRAND, SKERRY, TARN, changed, data, inline, plan_of, random_jobs, rules

EPS = 1e-6


class Solved:
    """A solved plan and the figures its rules speak of."""

    def __init__(self, job):
        self.plan = plan_of(job)
        bank, limits = self.plan.bank, self.plan.limits
        self.v = {q: r.value for q, r in self.plan.ladder.items()}
        self.n, self.h = bank.series_cells, 0.025 * bank.series_cells
        self.low, self.high = bank.cell_min_v * self.n, bank.cell_max_v * self.n
        self.ohm = bank.path_mohm / 1000
        self.load = min(limits.discharge.needed_a, limits.discharge.bank_a)
        self.full = limits.discharge.bank_a


RULES = {
    "charge-below-cell-max": lambda s: s.high - 0.3 / 16 * s.n - 0.03 * s.n - s.v["absorb_v"],
    "equalise-harmless": lambda s: s.v["absorb_v"] - s.v["equalise_v"],
    "float-below-absorption": lambda s: s.v["absorb_v"] - s.v["float_v"],
    "recharge-below-float": lambda s: s.v.get("float_v", s.v["absorb_v"]) - s.v["recharge_v"] - s.h,
    "recharge-above-restart": lambda s: s.v["recharge_v"] - s.v["restart_v"] - s.h,
    "recharge-above-return": lambda s: s.v["recharge_v"] - s.v["return_bank_v"] - 0.01 * s.n,
    "shutdown-above-cutoff": lambda s: s.v["shutdown_v"] - s.low - 0.0625 * s.n,
    "unit-off-above-cutoff": lambda s: s.v["unit_off_v"] - s.low,
    "unit-off-below-shutdown": lambda s: s.v["shutdown_v"] - s.v["unit_off_v"] - 0.01 * s.n,
    "alarm-above-shutdown": lambda s: s.v["alarm_v"] - s.v["shutdown_v"] - 0.03 * s.n,
    "transfer-above-alarm": lambda s: min(s.v.get("to_mains_v", 99), s.v.get("gen_start_v", 99)) - s.v["alarm_v"],
    "restart-no-chatter": lambda s: s.v["restart_v"] - s.v["shutdown_v"] - s.full * s.ohm - s.h,
    "source-chatter": lambda s: s.v["return_bank_v"] - s.v["to_mains_v"] - s.load * s.ohm - s.h,
    "return-reachable": lambda s: s.v["absorb_v"] - s.v["return_bank_v"] - 0.03 * s.n,
}


@given(random_jobs())
def test_every_margin_is_kept(job):
    s = Solved(job)
    for rule, margin in RULES.items():
        try:
            left = margin(s)
        except KeyError:  # a threshold this unit or job does not have
            continue
        assert left >= -1e-3, rule


@given(random_jobs())
def test_charge_levels_keep_their_order(job):
    """Rule soc-order: gaps of 5, 10, 0 and 3 %, nothing above 98 %."""
    job["policy"]["control"] = "soc"
    v = Solved(job).v
    for upper, lower, gap in [
        ("alarm_soc", "shutdown_soc", 0.03),
        ("to_mains_soc", "alarm_soc", 0),
        ("gen_start_soc", "alarm_soc", 0),
        ("return_bank_soc", "to_mains_soc", 0.1),
        ("gen_stop_soc", "gen_start_soc", 0.1),
        ("restart_soc", "shutdown_soc", 0.05),
        ("recharge_soc", "return_bank_soc", 0),
    ]:
        if upper in v and lower in v:
            assert v[upper] - v[lower] >= gap - EPS, (upper, lower)
    assert all(x <= 0.98 + EPS for q, x in v.items() if q.endswith("_soc"))


WAYS = [
    (SKERRY, "absorb_v", 59.6, "charge-below-cell-max"),
    (SKERRY, "absorb_v", 52.0, "charge-recommended"),
    (SKERRY, "float_v", 59.0, "charge-below-cell-max"),
    (SKERRY, "equalise_v", 58.2, "charge-below-cell-max"),
    (SKERRY, "recharge_v", 58.0, "recharge-below-float"),
    (SKERRY, "recharge_v", 45.0, "recharge-above-restart"),
    (SKERRY, "restart_v", 44.0, "restart-no-chatter"),
    (SKERRY, "restart_v", 57.2, "recharge-above-restart"),
    (SKERRY, "alarm_v", 43.0, "unit-interlock"),
    (SKERRY, "alarm_v", 58.0, "unit-range"),
    (SKERRY, "shutdown_v", 43.0, "shutdown-above-cutoff"),
    (SKERRY, "unit_off_v", 41.0, "unit-off-above-cutoff"),
    (SKERRY, "unit_off_v", 56.0, "unit-range"),
    (SKERRY, "shutdown_soc", 0.01, "soc-order"),
    (SKERRY, "return_bank_soc", 0.99, "soc-order"),
    (TARN, "return_bank_v", 45.1, "source-chatter"),
    (TARN, "return_bank_v", 57.6, "recharge-above-return"),
    (TARN, "to_mains_v", 43.2, "transfer-above-alarm"),
    (LARCH, "return_bank_v", 30.0, "return-reachable"),
    (LARCH, "alarm_v", 29.0, "transfer-above-alarm"),
]


@pytest.mark.parametrize(("name", "quantity", "own", "rule"), WAYS, ids=lambda x: str(x))
def test_a_figure_outside_is_refused_by_the_rule_it_breaks(name, quantity, own, rule):
    made = plan_of(changed(name, policy__own_figures={quantity: own}))
    found = next(f for f in made.findings if f.rule == "own-figure-refused")
    assert rule in found.numbers["rules"]
    rung = made.ladder[quantity]
    assert rung.value in (rung.lowest, rung.highest) and rung.wished == own and not rung.own
    assert len(found.message.split(". ")) >= 3 and ". ." not in found.message, "says what is permitted, what is kept, and why"


@given(st.sampled_from(NAMES), st.data())
def test_a_figure_inside_is_granted_as_given(name, draw):
    """Whatever lies between lowest and highest on the unit's grid can be had, whatever it costs the other thresholds."""
    base = plan_of(name).ladder
    quantity = draw.draw(st.sampled_from(sorted(base)))
    rung = base[quantity]
    steps = round((rung.highest - rung.lowest) / rung.step)
    own = round(rung.lowest + draw.draw(st.integers(0, steps)) * rung.step, 4)
    made = plan_of(changed(name, policy__own_figures={quantity: own}))
    assert made.ladder[quantity].value == pytest.approx(own, abs=rung.step / 2 + EPS)
    assert not [f for f in made.findings if f.rule == "own-figure-refused"]
    assert RULES["shutdown-above-cutoff"](Solved(changed(name, policy__own_figures={quantity: own}))) >= -1e-3


@given(random_jobs())
def test_figures_that_are_not_asked_for_stand_by_their_school(job):
    """Rules charge-school and float-school, where nothing binds."""
    s = Solved(job)
    if not s.v:
        return
    cell = {"everyday": 3.45, "full": 3.55, "limit": 3.65}[job["policy"]["charge_school"]]
    rung = s.plan.ladder["absorb_v"]
    assert rung.value == pytest.approx(max(rung.lowest, min(cell * s.n, rung.highest)), abs=rung.step + EPS)
    floats = {"same": cell, "rest": 3.35}.get(job["policy"]["float_school"])
    if floats is not None and "float_v" in s.v:
        rung = s.plan.ladder["float_v"]
        assert rung.value == pytest.approx(max(rung.lowest, min(floats * s.n, s.v["absorb_v"])), abs=rung.step + EPS)


@pytest.mark.parametrize("name", [n for n in NAMES if n != OSTRAND])  # whose cells have a curve of their own
def test_the_reserve_is_a_charge_under_load(name):
    """Rules reserve-level and sag: V = n * OCV(reserve) - I * R_path, rounded up to the step."""
    job = changed(name, policy__control="volts", policy__reserve_soc=0.3, policy__float_school="same")
    s = Solved(job)
    rung = s.plan.ladder["to_mains_v"]
    exact = s.n * ocv_v(LFP, 0.3) - s.load * s.ohm
    assert exact - EPS <= rung.value <= exact + rung.step + EPS
    assert rung.sag_v == pytest.approx(s.load * s.ohm, abs=1e-3)
    assert rung.under_load_soc == pytest.approx(0.3, abs=0.08) and rung.under_load_soc >= 0.3 - EPS


def test_a_reserve_without_room_is_said_aloud():
    """A low float pushes the way back down, that pushes the transfer below the reserve a person chose."""
    paths = {"policy__control": "volts", "policy__reserve_soc": 0.5}
    made = plan_of(changed(TARN, **paths))
    found = next(f for f in made.findings if f.rule == "reserve-kept")
    assert found.severity == "caution" and found.numbers["under_load_soc"] < 0.35
    assert "float at 53.52 V" in found.message and "above the transfer" in found.message
    room = plan_of(changed(TARN, policy__float_school="same", **paths))
    assert not [f for f in room.findings if f.rule == "reserve-kept"]
    assert room.ladder["to_mains_v"].under_load_soc >= 0.5


def test_absorption_above_the_school_is_said_aloud():
    """Rule school-raised: long thin leads push restart up, that pushes charging up."""
    pair = [inline(f"M{i}", series_cells=8, cell_min_v=2.8, resistance_mohm=30, discharge_a=250) for i in (1, 2)]
    job = changed(LARCH, bank={"modules": pair, "main_lead_mohm": 0.5}, as_found={}, site__bank_ambient_c=20)
    made = plan_of(job)
    found = next(f for f in made.findings if f.rule == "school-raised")
    assert found.severity == "caution" and found.numbers["absorb_v"] > found.numbers["wished_v"] == 27.6
    assert "above the shut-down" in found.message and "cut-off 22.4" in found.message
    assert not [f for f in plan_of(LARCH).findings if f.rule == "school-raised"]


@given(random_jobs())
def test_no_reserve_is_given_up_in_silence(job):
    made = plan_of(job)
    for name in ("to_mains_v", "gen_start_v"):
        rung = made.ladder.get(name)
        if rung is None:
            continue
        s = Solved(job)
        short = s.n * ocv_v(LFP, job["policy"]["reserve_soc"]) - s.load * s.ohm - rung.value > 2 * rung.step
        said = any(f.rule == "reserve-kept" and f.numbers["quantity"] == name for f in made.findings)
        assert said or not short


@given(random_jobs())
def test_what_a_threshold_means_at_rest_and_under_load(job):
    """Rules sag and soc-band: s(V) at rest, s(V + I R) under load, and ds = dV / slope on a straight piece of the curve."""
    s = Solved(job)
    for q, rung in s.plan.ladder.items():
        if rung.kind != "volts":
            continue
        assert rung.at_rest_soc == pytest.approx(soc_at(LFP, rung.value / s.n), abs=1e-4)
        assert rung.cell_v == pytest.approx(rung.value / s.n, abs=1e-4)
        low, high = rung.at_rest_soc_band
        assert low <= rung.at_rest_soc <= high
        if q in ("shutdown_v", "alarm_v", "to_mains_v"):
            assert rung.sag_v == pytest.approx(s.load * s.ohm, abs=1e-3)
            assert rung.under_load_soc >= rung.at_rest_soc - EPS
            assert rung.full_load_soc >= rung.under_load_soc - 1e-4
            off = 0.1 / 16 + 0.3 * rung.sag_v / s.n
            width, slope = high - low, slope_v(LFP, rung.at_rest_soc)
            ends = {slope_v(LFP, x) for x in (low + EPS, high - EPS)}
            if ends == {slope} and low > 0.02 and high < 0.98:
                assert width == pytest.approx(2 * off / slope, rel=0.02, abs=2e-4)


def test_wider_margins_push_apart():
    """What a person measures replaces what is assumed: overshoot, spread, the meter's error."""
    base = plan_of(changed(TARN, policy__charge_school="limit"))
    tight = plan_of(changed(TARN, policy__charge_school="limit", policy__overshoot_v=0.1, policy__imbalance_v=0.005))
    loose = plan_of(changed(TARN, policy__charge_school="limit", policy__overshoot_v=1.0, policy__imbalance_v=0.05))
    assert tight.ladder["absorb_v"].highest > base.ladder["absorb_v"].highest > loose.ladder["absorb_v"].highest
    vague = plan_of(changed(TARN, policy__meter_error_v=0.4)).ladder["to_mains_v"].at_rest_soc_band
    sharp = plan_of(changed(TARN, policy__meter_error_v=0.02)).ladder["to_mains_v"].at_rest_soc_band
    assert vague[1] - vague[0] > sharp[1] - sharp[0]


def test_a_deeper_cell_window_lets_the_shut_down_sink():
    floors = []
    for cell_min in (2.5, 2.7, 2.9):
        job = data(TARN)
        for m in job["bank"]["modules"]:
            m["cell_min_v"] = cell_min
        floors.append(plan_of(job).ladder["shutdown_v"].lowest)
    assert floors == sorted(floors) and floors[2] - floors[0] == pytest.approx(16 * 0.4, abs=0.49)


def test_the_generator_has_its_own_pair():
    v = plan_of(changed(SKERRY, policy__control="soc")).ladder
    assert 0.80 <= v["gen_stop_soc"].value <= 0.90 and v["gen_start_soc"].value == 0.2  # common practice
    assert plan_of(changed(SKERRY, generator__start="manual")).ladder.keys().isdisjoint({"gen_start_soc", "gen_stop_soc"})


# Hours between two transfers, advice by the rule that binds


@given(random_jobs())
def test_hours_between_transfers_restated(job):
    """(E(return) - E(transfer)) / P >= 2 h: common practice; sag of the load and lift of AC charging counted."""
    made = plan_of(job)
    told = next((f for f in made.findings if f.rule == "transfer-hours"), None)
    if told is None:
        return
    span = told.numbers["return_soc"] - told.numbers["transfer_soc"]
    hours = max(0.0, span) * made.bank.energy_wh / job["loads"]["continuous_w"]
    assert (
        told.numbers["hours"] == pytest.approx(hours, abs=0.02 + 0.002 * made.bank.energy_wh / job["loads"]["continuous_w"])
        and hours < 2.01
    )


def test_hours_by_charge_percent():
    """840 Ah at 51.2 V, 20 % to 50 %: 12.9 kWh carry 2.6 kW for 5 h and 8 kW for 1.6 h."""
    assert "transfer-hours" not in rules(plan_of(SKERRY))
    told = next(f for f in plan_of(changed(SKERRY, loads__continuous_w=8000)).findings if f.rule == "transfer-hours")
    assert told.numbers["hours"] == pytest.approx(0.3 * 840 * 51.2 / 8000, abs=0.1)


def test_advice_fits_the_rule_that_binds():
    """Where the module's sheet asks for the volts, thicker leads are no help."""
    pair = [inline(f"M{i}", series_cells=8, cell_min_v=2.8, resistance_mohm=30, discharge_a=250) for i in (1, 2)]
    thin = changed(LARCH, bank={"modules": pair, "main_lead_mohm": 0.5}, as_found={}, site__bank_ambient_c=20)
    told = next(f for f in plan_of(thin).findings if f.rule == "school-raised")
    assert "leads" in told.fix and "sheet" not in told.fix
    shipped = next(p for p in shipped_library() if p.id == "dunmarrow-280")
    profile = json.loads(shipped.model_dump_json(by_alias=True, exclude_unset=True)) | {"id": "stiff"}
    profile |= {"charge_cell_low_v": 3.55, "charge_cell_high_v": 3.58}
    library = Library([*shipped_library(), parse_profile(json.dumps(profile))])
    document = changed(SKERRY, policy__loop="open")
    for m in document["bank"]["modules"]:
        m["profile"] = "stiff"
    made = plan(parse_job(json.dumps(document), library), library)
    raised = next(f for f in made.findings if f.rule == "school-raised")
    assert "sheet recommends" in raised.fix and "leads" not in raised.fix


def test_entries_say_how_they_were_rounded():
    words = {r.setting: r.encoding for r in plan_of(SKERRY).units[0].settings}
    row = next(r for r in plan_of(SKERRY).units[0].settings if r.setting == "tail")
    assert row.value != row.target and words["tail"].startswith("rounded ") and words["fill-volts"] == ""


# Low end school, an alarm that nobody heeds


def test_the_low_end_school_says_how_far_down_the_bank_is_used():
    """Deep: cut-off + 0.0625 V a cell; usual 10 %, careful 20 % at the design load: common practice."""
    made = {
        s: plan_of(changed(TARN, policy__low_end_school=s, policy__reserve_soc=0.4)).ladder["shutdown_v"]
        for s in ("deep", "usual", "careful")
    }
    bank = plan_of(TARN).bank
    assert made["deep"].value == pytest.approx(16 * (bank.cell_min_v + 0.0625), abs=0.24) == made["deep"].lowest
    assert made["deep"].value < made["usual"].value < made["careful"].value
    assert made["usual"].under_load_soc == pytest.approx(0.10, abs=0.03) and made["careful"].under_load_soc == pytest.approx(
        0.20, abs=0.04
    )
    assert "low-end-school" in made["usual"].why


@given(random_jobs(), st.sampled_from(["deep", "usual", "careful"]))
def test_an_alarm_above_the_careful_level_at_full_load_is_a_caution(job, school):
    job["policy"]["low_end_school"] = school
    made = plan_of(job)
    rung = made.ladder.get("alarm_v")
    if rung is not None:
        n, chem = made.bank.series_cells, LFP
        at = soc_at(chem, (rung.value + made.limits.discharge.bank_a * made.bank.path_mohm / 1000) / n)
        assert ("alarm-cries-wolf" in rules(made, "caution")) == (at > 0.2 + 1e-4) or abs(at - 0.2) < 1e-3
