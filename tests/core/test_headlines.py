"""The answer of each stage: there for every job, short, and of the plan's own figures."""

import copy
import re

import pytest

import ewerer
from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.slots.week import DAYS, days_of, days_said
from ewerer.core.devices.wire.protocols import protocol_word
from ewerer.core.headlines import headlines
from ewerer.core.stages.pipeline import solve
from tests.jobs import NAMES as DEMOS, data

STAGES = ("site", "bank", "units", "link", "limits", "thresholds", "sources", "windows")


def heads(job):
    return headlines(solve(ewerer.Job.parse(job), shipped_library()))


@pytest.mark.parametrize("name", DEMOS)
def test_each_planned_stage_answers_in_one_short_sentence(name):
    told = {s.stage: s for s in ewerer.plan(ewerer.demo_job(name)).stages}
    for stage in STAGES:
        says = told[stage].answer
        assert says.endswith(".") and says[0].isupper(), stage
        assert len(says.split()) <= 26, says
        figures = re.findall(r"\d[\d.]* (?:V|A|Ah|kWh|kW)\b", says)
        assert len(figures) == len(set(figures)), says
        assert "None" not in says + told[stage].rests_on
    assert all(told[s].answer == "" for s in told if s not in STAGES)


@pytest.mark.parametrize("name", DEMOS)
def test_the_figures_are_those_of_the_plan(name):
    plan = ewerer.plan(ewerer.demo_job(name))
    told = {s.stage: s.answer for s in plan.stages}
    assert f"at most {plan.limits.charge.bank_a:.0f} A" in told["limits"]
    assert f"at most {plan.limits.discharge.bank_a:.0f} A." in told["limits"]
    for rung, words in (("absorb_v", "Charge to"), ("shutdown_v", "shut down at")):
        assert f"{words} {plan.ladder[rung].value:.1f} V" in told["thresholds"]
    assert f"{plan.bank.capacity_ah:.0f} Ah" in told["bank"]
    if plan.link.loop == "closed":
        assert protocol_word(plan.link.protocol) in told["link"]
    else:
        assert "settings alone" in told["link"]


def test_an_empty_job_says_what_comes_first():
    told = heads({"ewerer": "job/2", "name": "Nothing"})
    assert told["site"].says == "Nothing feeds this site yet."
    assert told["bank"].says == "There is no bank yet."
    assert told["units"].says == "There are no inverter-chargers yet."
    assert all(told[s].says for s in STAGES)


def test_what_stands_in_the_way_is_the_answer():
    job = data("skerry-field-station")
    job["policy"]["own_figures"] = {}
    job["bank"]["modules"] = []
    told = heads(job)
    assert told["limits"].says == "No limit can be worked out yet."
    assert told["thresholds"].says == "No threshold can be worked out yet."


def test_modules_that_cannot_be_one_bank_are_said_to_be_none():
    job = data("skerry-field-station")
    job["bank"]["modules"][1]["series_cells"] = 15
    assert heads(job)["bank"].says == "These modules cannot be one bank."


def test_without_units_nothing_is_said_of_slots():
    job = data("skerry-field-station")
    job["units"] = []
    told = heads(job)["windows"]
    assert told.says.startswith("The bank is charged") and told.rests_on == ""


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"source_order": "mains-first"}, "The mains carry the loads; sun and bank stand by."),
        ({"mode": "feed-in"}, "The sun feeds the grid; the bank waits for an outage."),
        ({"mode": "zero-export", "sell_surplus": True}, "Sun and bank carry all loads; surplus is sold."),
        ({"mode": "peak-shaving", "peak_cap_w": 3000}, "The grid carries the loads up to its cap, the bank carries what is above."),
    ],
)
def test_sources_are_said_as_they_are_chosen(change, words):
    job = data("skerry-field-station")
    job["policy"].update(change)
    assert heads(job)["sources"].says == words
    without = copy.deepcopy(job)
    without["site"]["sources"] = ["mains"]
    assert "sun" not in heads(without)["sources"].says.lower().replace("sun feeds the grid", "")


def test_days_are_written_as_people_write_them():
    said = {days_said(d): d for d in ("all", "mon-fri", "sat,sun", "mon", "fri-mon", "mon,wed,sat")}
    assert list(said) == ["every day", "on weekdays", "at weekends", "on Mon", "on Mon, Fri, Sat and Sun", "on Mon, Wed and Sat"]
    # Restated: the days named are the days meant.
    for words, text in said.items():
        if words.startswith("on ") and words != "on weekdays":
            assert {DAYS.index(w.lower()) for w in re.findall(r"[A-Z]\w\w", words)} == days_of(text)
