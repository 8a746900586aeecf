"""Verdicts on readings, and the figures worked out from them: worked examples, their edges, and what keeps them silent."""

from random import Random

import pytest

from ewerer.core.devices.library import shipped_library
from ewerer.core.documents.event import Meter
from ewerer.core.documents.results.run import Ask, Gate, GateZone
from ewerer.core.flow.predict import predict
from ewerer.core.record.figures import (
    KINDS,
    Noted,
    ac_draw,
    cap,
    charge,
    gain,
    ramp,
    resistance,
    same,
    shade,
    share,
    soc_trend,
    temperature,
    timed,
    transformer,
    zero,
)
from ewerer.core.record.fold import fold
from ewerer.core.record.judge import judge_ask, judge_gate, meter_error, same_text
from ewerer.core.record.record import judge_step, proposals_of, record_of
from ewerer.core.record.run import run_of
from ewerer.core.record.steps import text_ask
from tests.events import at, event
from tests.jobs import OSTRAND, SKERRY, TARN, job_of

LIBRARY = shipped_library()
OHMS = Gate(
    low=57, high=63, expected=60, zones=[GateZone(low=102, high=138, text="One terminator is missing", then="Look at the end.")]
)
METER = Meter(name="Blue", pct=1.2, digits=3, step=0.1)


def noted(given=None, meters=None, timers=None, **values):
    return Noted({k: float(v) for k, v in values.items()}, {}, meters or {}, given or {}, timers or {})


@pytest.mark.parametrize(
    ("reading", "meter", "verdict", "words"),
    [
        (60, METER, "pass", "Good"),
        (57, METER, "pass", "Good"),
        (56.5, METER, "unsure", "Cannot tell"),
        (55.0, METER, "fail", "57 at least"),
        (55.0, None, "fail", "57 at least"),
        (56.99, None, "fail", "57 at least"),
        (64.0, METER, "unsure", "outside by 1"),
        (118, METER, "fail", "One terminator is missing. Look at the end."),
        (60, Meter(name="Coarse", pct=6), "unsure", "the gate is 6 wide"),
    ],
)
def test_a_gate_and_what_the_meter_may_be_wrong(reading, meter, verdict, words):
    made = judge_gate(OHMS, reading, meter, "Ω")
    assert (made.verdict, words in made.text) == (verdict, True), made.text


def test_a_gate_restated():
    """Beside the rule as a picture: the true value lies anywhere within the meter's error of the reading."""
    dice = Random(1)
    for _ in range(3000):
        low = dice.uniform(-5, 5)
        high = low + dice.uniform(0, 4)
        meter = Meter(name="m", pct=dice.uniform(0, 3), digits=dice.randint(0, 5), step=dice.choice([0.01, 0.1]))
        reading = round(dice.uniform(-8, 12), 2)
        u = meter.pct / 100 * abs(reading) + meter.digits * meter.step
        assert meter_error(meter, reading) == pytest.approx(u)
        made = judge_gate(Gate(low=low, high=high), reading, meter)
        inside = low <= reading <= high
        if made.verdict == "pass":
            assert inside and 2 * u <= high - low + 1e-6
        elif made.verdict == "fail":
            assert not inside and (reading + u < low + 1e-6 or reading - u > high - 1e-6), "no true value within reach is good"
        else:
            assert (inside and 2 * u > high - low - 1e-6) or (
                not inside and reading + u >= low - 1e-6 and reading - u <= high + 1e-6
            )
        assert made.margin == pytest.approx(min(reading - low, high - reading), abs=1e-6)


def test_readings_of_one_meter_compared_with_each_other_count_only_its_last_digits():
    gate, meter = Gate(low=26.47, high=26.57), Meter(name="V", pct=0.5, digits=2, step=0.01)
    assert judge_gate(gate, 26.52, meter).verdict == "unsure" and judge_gate(gate, 26.52, meter, compared=True).verdict == "pass"


def test_exact_limits_and_texts():
    exact = Gate(low=399, high=399, expected=399)
    assert judge_gate(exact, 399).verdict == "pass" and judge_gate(exact, 398).verdict == "fail"
    for a, b, same_ in (
        ("53.6", "53.60", True),
        ("53,6", "53.6", True),
        (" On ", "on", True),
        ("On", "Off", False),
        ("53.6 V", "53.6", False),
    ):
        assert same_text(a, b) is same_
    assert judge_ask(Ask(name="a", label="A", kind="choice", choices=["x", "y"], good=["x"]), "y", None).verdict == "fail"
    assert judge_ask(Ask(name="a", label="A", kind="text"), "anything", None) is None
    assert judge_ask(Ask(name="a", label="A"), "3", 3.0) is None


def test_gain_worked_example():
    """Charger 30 A, own draw 0.3, shown 29.2: error 1.7 %, leave."""
    made = gain(noted({"rated_a": 200, "entry": 500, "entry_step": 5}, reference=30, own_draw=0.3, shown=29.2))
    assert made.verdict == "pass" and made.figures[0].value == pytest.approx(-1.684, abs=0.001) and "leave it" in made.text


def test_gain_corrects_the_entry_refuses_little_current_and_leaves_less_than_a_step():
    given = {"rated_a": 500, "entry": 500, "entry_step": 50}
    made = gain(noted(given, reference=100, shown=83))
    assert made.verdict == "fail" and "enter 600 instead of 500" in made.text
    made = gain(noted({**given, "entry_step": 1}, reference=100, shown=83))
    assert "enter 602 instead of 500" in made.text  # 500 * 100 / 83
    assert "below one step" in gain(noted(given, reference=100, shown=96)).text
    assert gain(noted(given, reference=49, shown=40)).verdict == "unsure"
    assert gain(noted(given, reference=51, shown=49.6)).verdict == "pass"
    assert gain(noted(given, shown=4)).verdict is None


def test_zero_and_drift():
    given = {"own_draw_a": 0.3, "capacity_ah": 280}
    assert zero(noted(given, amps=0.4)).verdict == "pass"
    made = zero(noted(given, amps=-0.9))
    assert made.verdict == "fail" and made.figures[0].value == pytest.approx((0.9 - 0.3) * 24 / 280 * 100, abs=1e-3)
    assert zero(noted(given)).verdict is None


def test_resistance_and_what_it_cannot_tell():
    meters = {"v1": Meter(name="V", pct=0.1, digits=2, step=0.01), "i1": Meter(name="A", pct=1, digits=3, step=0.1)}
    given = {"expected_mohm": 5.0}
    made = resistance(noted(given, meters, v1=53.2, i1=5, v2=52.7, i2=105))
    assert made.verdict == "pass" and made.figures[0].value == pytest.approx(5.0)
    assert resistance(noted(given, meters, v1=53.2, i1=5, v2=51.2, i2=105)).verdict == "fail"
    assert resistance(noted(given, meters, v1=53.2, i1=5, v2=53.19, i2=7)).verdict == "unsure"
    assert resistance(noted(given, meters, v1=53.2, i1=5, v2=53.4, i2=105)).verdict == "fail"
    assert resistance(noted(given, meters, v1=53.2, i1=5, v2=53.2, i2=5)).verdict == "unsure"
    assert resistance(noted(given, v1=53.2)).verdict is None


CHARGE = {"absorb_v": 55.2, "hold_min": 30, "tail_a": 12, "float_v": 53.6, "capacity_ah": 280}


def points(*rows):
    return {f"{n}{i}": v for i, row in enumerate(rows, 1) for n, v in zip("mva", row, strict=False)}


def test_charge_from_points_typed_by_hand():
    made = charge(
        noted(CHARGE, **points((0, 54, 80), (20, 55.2, 60), (25, 55.42, 40), (40, 55.2, 20), (52, 55.2, 11), (70, 53.6, 0)))
    )
    figures = {f.name: f.value for f in made.figures}
    assert made.verdict == "pass" and figures["overshoot_v"] == pytest.approx(0.22) and figures["hold_min"] == 32
    assert figures["tail_a"] == 11 and figures["c_rate"] == pytest.approx(80 / 280, abs=1e-4)
    short = charge(noted(CHARGE, **points((0, 54, 80), (20, 55.2, 60), (30, 55.2, 30), (45, 53.6, 0))))
    assert short.verdict == "unsure" and "its timer began earlier" in short.text
    low = charge(noted(CHARGE, **points((0, 54, 80), (20, 55.2, 60), (52, 55.2, 11), (70, 53.0, 0))))
    assert low.verdict == "fail" and "float 53" in low.text
    assert "never reached" in charge(noted(CHARGE, **points((0, 54, 80), (20, 54.4, 60), (52, 54.8, 11)))).text
    assert charge(noted(CHARGE, **points((0, 54, 80)))).verdict is None


@pytest.mark.parametrize(
    ("made", "verdict", "words"),
    [
        (cap(noted({"cap_a": 100}, bank=80, dc=20)), "pass", "counts the DC loads"),
        (cap(noted({"cap_a": 100}, bank=100, dc=20)), "pass", "the bank's own"),
        (cap(noted({"cap_a": 100}, bank=60, dc=20)), "unsure", "bound by the sun"),
        (cap(noted({"cap_a": 100}, bank=120, dc=20)), "fail", "read the entries"),
        (cap(noted({"cap_a": 100}, bank=120)), None, "DC loads"),
        (transformer(noted(known=1000, before=200, after=1190)), "pass", "right"),
        (transformer(noted(known=1000, before=200, after=-810)), "fail", "reversed"),
        (transformer(noted(known=1000, before=200, after=190, other=1010)), "fail", "swapped"),
        (transformer(noted(known=1000, before=200, after=190)), "fail", "sees nothing"),
        (transformer(noted(known=1000)), None, "the grid before"),
        (share(noted({"part": 0.1}, U1=20, U2=22)), "pass", "from the mean"),
        (share(noted({"part": 0.1}, U1=20, U2=30)), "fail", "lead lengths"),
        (share(noted({"part": 0.1}, U1=20)), None, "each unit"),
        (soc_trend(noted(error1=50, error2=41, error3=33)), "pass", "8.5 % a day"),
        (soc_trend(noted(error1=50, error2=50, error3=52)), "fail", "does not fall"),
        (soc_trend(noted(error1=50)), None, "two days"),
        (temperature(noted(shown=24, second=22)), "pass", "2 K apart"),
        (temperature(noted(shown=25.0, second=12)), "fail", "a default, not a sensor"),
        (temperature(noted(shown=31, second=24)), "fail", "7 K apart"),
        (temperature(noted(shown=31)), None, "both"),
        (shade(noted(before=44, after=31, minutes=6)), "fail", "move the sensor, not the limit"),
        (shade(noted(before=32, after=31, minutes=6)), "pass", "1 K"),
        (shade(noted(before=32)), None, "minutes"),
        (timed(noted({"lasts_s": 60}, timers={"asked": at(0), "ended": "2026-05-04T09:01:04.000Z"})), "pass", "64 s"),
        (timed(noted({"lasts_s": 60}, timers={"asked": at(0), "ended": "2026-05-04T09:01:06.000Z"})), "fail", "66 s"),
        (timed(noted({"lasts_s": 60}, timers={"asked": at(0)})), None, "when it ends"),
        (ac_draw(noted({"efficiency": 0.9}, amps=40, volts=54, loads=600, input=3000)), "pass", "3000 W"),  # 40 * 54 / 0.9 + 600
        (ac_draw(noted({"efficiency": 0.9}, amps=40, volts=54, loads=600, input=3200)), "fail", "3000 W are expected"),
        (ac_draw(noted({"efficiency": 0.9, "breaker_w": 2900}, amps=40, volts=54, loads=600, input=3000)), "fail", "0.8 of the breaker"),
        (ac_draw(noted(amps=40)), None, "input"),
        (same(noted({"volts_v": 0.3}, **{"bms.volts": 53, "unit.volts": 53.2, "bms.charge": 399, "unit.charge": 399, "bms.discharge": 570, "unit.discharge": 570})), "pass", "3 lines"),
        (same(noted({"volts_v": 0.3}, **{"bms.volts": 53, "unit.volts": 53.2, "bms.charge": 399, "unit.charge": 398, "bms.discharge": 570, "unit.discharge": 570})), "fail", "charge by -1 A"),
        (same(noted({"volts_v": 0.3}, **{"bms.volts": 53, "unit.volts": 0, "bms.charge": 399, "unit.charge": 0, "bms.discharge": 570, "unit.discharge": 0})), "fail", "all zeros"),
        (same(noted(**{"bms.volts": 53})), None, "both sides"),
    ],
)  # fmt: skip
def test_figures_speak_and_keep_silent(made, verdict, words):
    assert made.verdict == verdict and words in made.text, made.text


def test_ramp_stops_at_the_first_step_that_is_not_good():
    given = {"low_v": 207, "high_v": 253, "nominal_hz": 50}
    good = {"10.volts": 232, "10.hertz": 50.4, "20.volts": 229, "20.hertz": 49.8}
    assert ramp(noted(given, **good)).figures[0].value == 20
    sags = ramp(noted(given, **good, **{"30.volts": 221, "30.hertz": 48.7, "40.volts": 222, "40.hertz": 50}))
    assert sags.figures[0].value == 20 and "Stop at 30 A" in sags.text and sags.verdict == "unsure"
    assert ramp(noted(given, **{"10.volts": 232, "10.hertz": 48})).verdict == "fail"
    assert ramp(noted(given)).verdict is None


@pytest.mark.parametrize("name", [SKERRY, OSTRAND, TARN])
def test_mode_is_judged_by_the_simulations_own_decisions(name):
    job = job_of(name)
    made = run_of(job, LIBRARY)
    step = next(s for s in made.steps if s.id.startswith("proof:mode:sun") or s.id == "proof:mode:night")
    want = predict(job, LIBRARY, 1500.0, 0.6, 4000.0 if "sun" in step.id else 0.0, "12:00")
    shown = {"soc": 60.0, "load": 1500.0, "bank": want["predicted_bank_w"], "grid": want["predicted_grid_w"]}
    if "sun" in step.id:
        shown["sun"] = 4000.0

    def stream(**figures):
        return [
            event(f"e{i}", "reading", at(i), step=step.id, name=n, value=v, shown=f"{v:g}")
            for i, (n, v) in enumerate({**shown, **figures}.items())
        ]

    assert judge_step(job, LIBRARY, step, fold(stream())["steps"][step.id]).verdict == "pass"
    off = judge_step(job, LIBRARY, step, fold(stream(bank=want["predicted_bank_w"] + 900))["steps"][step.id])
    assert off.verdict == "fail" and "off by 900" in off.text
    incomplete = [e for e in stream() if e["name"] != "load"]
    assert judge_step(job, LIBRARY, step, fold(incomplete)["steps"][step.id]).verdict is None


def test_measured_figures_become_proposals_and_answers_stay():
    job = job_of(SKERRY)
    made = run_of(job, LIBRARY)
    meters = {"v": {"name": "V", "pct": 0.05, "digits": 1, "step": 0.01}, "i": {"name": "A", "pct": 1, "digits": 2, "step": 0.1}}
    r = {"v1": 53.2, "i1": 2.0, "v2": 51.6, "i2": 102.0}
    stream = [
        event(f"r{n}", "reading", at(i), step="proof:resistance", name=n, value=v, shown=f"{v}", meter=meters[n[0]])
        for i, (n, v) in enumerate(r.items())
    ]
    stream += [
        event("m", "reading", at(10), step="join:rest", name="M1", value=53.11, shown="53.11", unit="V"),
        event("o", "reading", at(11), step="address:ohms", name="ohms", value=118.0, shown="118", verdict="fail"),
        event("f", "reading", at(12), step="found:firmware", name="U1", shown="2.15"),
        *[event(f"c{i}", "reading", at(20 + i), step="proof:charge", name=n, value=v, shown=f"{v}") for i, (n, v) in enumerate(points((0, 54, 80), (20, 55.2, 60), (25, 55.42, 40)).items())],
    ]  # fmt: skip
    record = record_of(job, LIBRARY, made, fold(stream))
    found = {p.pointer: p for p in record.proposals}
    assert found["/bank/modules/0/resting_v"].value == 53.11 and found["/bank/modules/0/resting_v"].before == 53.06
    assert found["/units/0/firmware"].value == "2.15" and "/link/measured_ohm" not in found, "a failed reading is no proposal"
    assert found["/policy/overshoot_v"].value == pytest.approx(0.22)
    lead = found["/bank/main_lead_mohm"]
    expected = next(s.given["expected_mohm"] for s in made.steps if s.id == "proof:resistance")
    assert lead.value == pytest.approx(16.0 - (expected - 0.5), abs=1e-3) and lead.error and lead.error > 0
    answered = fold([*stream, event("z", "proposal", at(50), name=lead.name, shown="leave")])
    assert next(p for p in proposals_of(job, made, answered, record.judged) if p.name == lead.name).answer == "leave"


def test_every_kind_of_figures_is_used_by_some_step():
    used = {s.figures for name in (SKERRY, OSTRAND, TARN) for s in run_of(job_of(name), LIBRARY).steps} | {
        "gain",
        "zero",
        "cap",
        "shade",
    }
    assert set(KINDS) <= used | {""}


# What a sign, a drop or an empty row says


@pytest.mark.parametrize(
    ("kind", "values", "given", "verdict", "word"),
    [
        ("gain", {"shown": -60, "reference": 60}, {"rated_a": 300, "entry": 300, "entry_step": 1}, "fail", "backwards"),
        ("gain", {"shown": -60, "reference": -60}, {"rated_a": 300, "entry": 300, "entry_step": 1}, "pass", "leave it"),
        ("gain", {"shown": 2, "reference": 20}, {"rated_a": 300, "entry": 300, "entry_step": 1}, "fail", "type or rating"),
        ("gain", {"shown": 19, "reference": 20}, {"rated_a": 300, "entry": 300, "entry_step": 1}, "unsure", "Too little"),
        ("share", {"U1": 50, "U2": -50}, {"part": 0.1}, "fail", "the other way"),
        ("share", {"U1": -50, "U2": -50}, {"part": 0.1}, "pass", "mean"),
        ("share", {"U1": 50, "U2": 51}, {"part": 0.1}, "pass", "mean"),
        ("ramp", {"5.volts": 230, "5.hertz": 50, "9.hertz": 50}, {"low_v": 200, "high_v": 260, "nominal_hz": 50}, None, "Still"),
        ("ramp", {"5.volts": 230, "5.hertz": 50, "9.volts": 190, "9.hertz": 50}, {"low_v": 200, "high_v": 260, "nominal_hz": 50}, "unsure", "5 A is the last good"),
    ],
)  # fmt: skip
def test_what_a_sign_or_an_empty_row_says(kind, values, given, verdict, word):
    judged = KINDS[kind](Noted(values={k: float(v) for k, v in values.items()}, given=given))
    assert judged.verdict == verdict and word in judged.text, judged.text


def test_a_drop_in_a_hold_is_not_a_hold():
    whole = points((0, 54, 80), (20, 55.2, 60), (40, 55.2, 50), (85, 55.2, 8))
    broken_ = points((0, 54, 80), (20, 55.2, 60), (40, 53.0, 70), (60, 55.2, 40), (85, 55.2, 20))
    given = {"absorb_v": 55.2, "capacity_ah": 300.0, "hold_min": 60.0}
    held = {name: KINDS["charge"](Noted(values=v, given=given)) for name, v in (("whole", whole), ("broken", broken_))}
    hold = {name: next(f.value for f in j.figures if f.name == "hold_min") for name, j in held.items()}
    assert hold == {"whole": 65, "broken": 25} and held["whole"].verdict == "pass"
    assert held["broken"].verdict == "unsure" and "dropped" in held["broken"].text


def test_the_last_good_entry_of_a_ramp_becomes_a_proposal():
    job = job_of(SKERRY)
    made = run_of(job, LIBRARY)
    step = next(s for s in made.steps if s.id == "proof:ramp")
    rows = sorted({float(a.name.rsplit(".", 1)[0]) for a in step.asks})
    told = []
    for i, a in enumerate(rows[:3]):
        for name, value in (("volts", 230.0 if i < 2 else 150.0), ("hertz", 50.0)):
            told.append(event(f"{i}{name}", "reading", at(i), step=step.id, name=f"{a:g}.{name}", value=value, shown=f"{value}"))
    offered = {p.pointer: p.value for p in record_of(job, LIBRARY, made, fold(told)).proposals}
    assert offered["/policy/own_figures/mains_charge_max_a"] == rows[1]


@pytest.mark.parametrize(
    ("shown", "verdict"),
    [("27.6", "pass"), ("27,6", "pass"), ("27.6 V", "pass"), ("27.60V", "pass"), ("27.5", "fail"), ("", "fail")],
)
def test_a_read_back_is_typed_as_anywhere_else(shown, verdict):
    ask = text_ask("absorb", "Fill to", unit="V", good=["27.6"])
    assert judge_ask(ask, shown, None).verdict == verdict
