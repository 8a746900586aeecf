"""Every quantity of the trade has a setting that carries it, a rule or a person, an own figure, a line on a sheet."""

import json
from pathlib import Path
from random import Random

import pytest
from tools.write_docs import quantities_markdown

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from ewerer.core.stages.sheet.derived import FIXED
from ewerer.core.stages.sheet.wishes import HAND
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.quantities import OWN_AMPS, QUANTITIES
from tests.jobs import HERON, SKERRY, changed, data, plan_of, rules
from tests.vocabulary import carried, planned

UNITS = [p for p in shipped_library() if p.version_tag == "inverter/1"]
WENDLE = next(p for p in UNITS if p.id == "wendle-hy6")
RARE = [q for q in QUANTITIES.values() if q.rare and q.name not in HAND]


def wendle(**more):
    return json.loads(WENDLE.model_dump_json(by_alias=True, exclude_unset=True)) | more


def with_profile(job, profile):
    library = Library([*(p for p in shipped_library() if p.id != profile["id"]), parse_profile(json.dumps(profile))])
    return plan(parse_job(json.dumps(job), library), library)


@pytest.mark.parametrize("name", sorted(QUANTITIES))
def test_no_quantity_is_only_a_word(name):
    """A shipped setting carries it; a rule plans it or a person decides it; a demo sheet has its line; it can be wished for or says why not."""
    assert carried(name), f"no shipped setting carries {name}"
    if name in HAND:
        assert any(
            name in {s.quantity for s in WENDLE.settings if s.id == d.setting} for u in plan_of(HERON).units for d in u.decide
        )
        return
    found = planned(name)
    assert found, f"no plan of a demo, or of a changed one, enters {name}"
    assert found.why or QUANTITIES[name].kind in ("number", "choice"), f"{name} has no reason"


def test_the_table_of_quantities_is_made_from_the_code():
    assert (Path(__file__).resolve().parents[2] / "docs" / "quantities.md").read_text() == quantities_markdown(), "run make docs"


# Wishes


def wish(q, base):
    """Return another value of the same kind."""
    if q.kind == "switch":
        return not base
    if q.kind == "choice":
        return next(k for k, _ in q.choices if k != base)
    return base * 0.9 if base else 0.0


BASES = ({}, {"policy__mode": "peak-shaving", "policy__peak_cap_w": 4000}, {"policy__control": "volts"}, {"policy__new_bank": True})
"""What a demo job is asked besides, until it plans the quantity that is wished for."""


@pytest.mark.parametrize("q", [q for q in RARE if q.name != "interface_role"], ids=lambda q: q.name)
def test_a_wish_is_granted_inside_what_the_rules_permit_or_refused_with_both_numbers(q):
    base = next(b for b in BASES if q.name in plan_of(changed(HERON, **b)).quantities)
    made = plan_of(changed(HERON, **base))
    before = made.quantities[q.name]
    own = wish(q, before.value)
    after = plan_of(changed(HERON, **base, **{f"policy__own_figures__{q.name}": own}))
    d = after.quantities[q.name]
    fits = q.name not in FIXED and (
        isinstance(own, (str, bool))
        or ((d.lowest is None or own >= d.lowest - 1e-9) and (d.highest is None or own <= d.highest + 1e-9))
    )
    assert d.wished == own and d.own == fits and (d.value == own) == (fits or own == before.value)
    told = [f for f in after.findings if f.rule == "own-wish-refused" and f.numbers["quantity"] == q.name]
    assert bool(told) != fits
    if fits and not isinstance(own, (str, bool)) and own != before.value:
        rows = [[r.entry for u in p.units for r in u.settings if r.quantity == q.name] for p in (made, after)]
        assert rows[0] != rows[1] or abs(own - before.value) < 2, "the sheet has it"


def test_a_wish_for_what_follows_from_the_link_is_said_to_do_nothing():
    """The place on the interface is each unit's own and has no figure for all of them."""
    made = plan_of(changed(HERON, policy__own_figures__interface_role="host"))
    told = next(f for f in made.findings if f.at == "/policy/own_figures/interface_role")
    assert told.rule in ("own-figure-idle", "own-wish-refused")
    roles = [r.value for u in made.units for r in u.settings if r.quantity == "interface_role"]
    assert roles == ["host", "follower"]


def test_a_refusal_names_the_rule_and_both_numbers():
    told = next(
        f for f in plan_of(changed(HERON, policy__own_figures={"bank_charge_max_a": 900})).findings if f.rule == "own-wish-refused"
    )
    assert told.numbers["own"] == 900 and told.numbers["highest"] == told.numbers["given"] and "A" in told.message
    fixed = next(
        f for f in plan_of(changed(HERON, policy__own_figures={"temp_comp_mv_per_c": -18})).findings if f.rule == "own-wish-refused"
    )
    assert "ithium" in fixed.message


@pytest.mark.parametrize("name", OWN_AMPS)
def test_an_own_current_asks_for_less_and_never_gets_more(name):
    job = SKERRY if name == "ac_input_max_a" else HERON

    def entered(own):
        made = plan_of(changed(job, policy__own_figures=own))
        return made, {u.id: next(r.value for r in u.settings if r.quantity == name) for u in made.units}

    _, usual = entered({})
    assert all(a > 10 for a in usual.values()) and set(entered({name: 10})[1].values()) == {10.0}
    more, kept = entered({name: 999})
    assert kept == usual and {"own-amps-refused", "own-wish-refused"} & rules(more, "caution")


@pytest.mark.parametrize(
    ("own", "words"),
    [
        ({"buzzer": 3}, "true or false"),
        ({"mode": "party"}, "one of"),
        ({"backlight_min": "long"}, "figure"),
        ({"colour": 1}, "not a quantity"),
    ],
)
def test_a_wish_of_the_wrong_kind_is_refused(own, words):
    with pytest.raises(DocumentError, match=words):
        plan_of(changed(HERON, policy__own_figures=own))


# Caps by what they limit


def test_a_cluster_total_is_set_once_and_never_divided():
    """Bank of 180 A, 90 with one module gone: 180 on the host, nothing on the follower."""
    job = data(HERON)
    job["bank"]["modules"] = [
        {"id": f"M{i}", "series_cells": 16, "capacity_ah": 280, "charge_a": 90, "discharge_a": 150, "resistance_mohm": 5}
        for i in (1, 2)
    ]
    job["policy"] |= {"loop": "open", "max_c_rate": 5}
    made = plan_of(job)
    assert made.limits.charge.bank_a == 180 and made.limits.charge.without_one_a == 90
    rows = {u.id: [r for r in u.settings if r.quantity == "bank_charge_max_a"] for u in made.units}
    assert [r.entry for r in rows["H1"]] == ["180"] and rows["H1"][0].scope == "cluster-total" and rows["H2"] == []
    assert any("once" in x.why for u in made.units if u.id == "H2" for x in u.leave_alone)


def test_a_units_own_sun_is_not_throttled_by_a_share_of_the_bank():
    """A tracker of 80 A with 20 A of the bank left to the unit: its cap stays 80 where it does not limit the bank."""
    job = data(HERON)
    job["policy"]["own_figures"] = {}
    job["bank"]["cable_a"] = 40
    made = plan_of(job)
    assert [s.a for s in made.limits.charge.units] == [20, 20]
    assert {r.entry for u in made.units for r in u.settings if r.quantity == "sun_charge_max_a"} == {"80"}
    assert [r.entry for u in made.units for r in u.settings if r.quantity == "bank_charge_max_a"] == ["40"]
    bare = wendle()
    bare["settings"] = [s for s in bare["settings"] if s.get("quantity") not in ("bank_charge_max_a", "charge_max_a")]
    alone = with_profile(job, bare)
    assert {r.entry for u in alone.units for r in u.settings if r.quantity == "sun_charge_max_a"} == {"20"}


def test_all_units_of_a_total_may_draw_no_more_from_ac_than_the_source_has():
    profile = wendle()
    profile["settings"] = [s for s in profile["settings"] if s.get("quantity") != "mains_charge_max_a"]
    next(s for s in profile["settings"] if s.get("quantity") == "charge_max_a").update(scope="cluster-total", max=400)
    made = with_profile(data(HERON), profile)
    rows = [r for u in made.units for r in u.settings if r.quantity == "charge_max_a"]
    assert len(rows) == 1 and rows[0].value == 224
    assert "entry-ac-budget" in rules(made, "stop"), "112 A of AC chargers each, and nothing holds them"


# Nothing vanishes


@pytest.mark.parametrize("seed", range(40))
def test_each_setting_of_a_random_profile_is_entered_left_alone_or_decided_by_hand(seed):
    dice = Random(seed)
    profile = wendle(interlocks=[])
    kept = [s for s in profile["settings"] if dice.random() < 0.5]
    ids = {s["id"] for s in kept}
    for s in kept:
        if not set(s.get("works_only_if", "").split()[:1]) <= ids:
            s.pop("works_only_if", None)
        s["side_effects"] = [e for e in s.get("side_effects", []) if set(e["sets"]) <= ids]
    profile["settings"] = kept or profile["settings"][:1]
    job = data(HERON)
    job["policy"]["control"] = dice.choice(["auto", "volts", "soc"])
    made = with_profile(job, profile)
    for u in made.units:
        told = [r.setting for r in u.settings] + [x.setting for x in u.leave_alone] + [x.setting for x in u.decide]
        assert sorted(told) == sorted(s["id"] for s in profile["settings"]), "each once"
        assert all(x.why for x in u.leave_alone) and all(x.known and x.takes for x in u.decide)
