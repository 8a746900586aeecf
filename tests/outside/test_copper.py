"""Leads, short circuit, drop and pre-charge against standards, worked examples and a nodal solution."""

import math

import numpy as np
import pytest
from hypothesis import given, strategies as st
from scipy.integrate import solve_ivp

from ewerer.core.trade.copper import ampacity_a, lead_mohm, precharge, short_circuit_a
from tests.jobs import SKERRY, changed, hand_written, inline, plan_of, rules


@pytest.mark.parametrize(
    ("length_m", "section_mm2", "at_c", "mohm"),
    [
        (500, 1, 20, 17240),  # IEC 60028: a kilometre of 1 mm2 has 17.24 ohm at 20 degC
        (5, 50, 20, 3.448),  # by hand: 10 m x 0.01724 / 50
        (1.5, 95, 20, 0.5444),  # by hand: 3 m x 0.01724 / 95
        (5, 50, 70, 3.448 * 1.1965),  # 50 K above: 0.00393 x 50 more
    ],
)
def test_resistance_of_a_pair_of_leads(length_m, section_mm2, at_c, mohm):
    assert lead_mohm(length_m, section_mm2, at_c) == pytest.approx(mohm, rel=1e-3)


@pytest.mark.parametrize(
    ("section_mm2", "place", "ambient_c", "amps"),
    [
        (107.2, "conduit", 30, 230),  # NEC 310.16: 4/0 AWG, 75 degC copper
        (33.6, "conduit", 30, 115),  # 2 AWG
        (35, "conduit", 30, 115),  # between two sections the smaller counts
        (107.2, "free-air", 30, 360),  # NEC 310.17
        (107.2, "conduit", 50, 230 * math.sqrt(25 / 45)),  # NEC 310.15(B): ambient of 50 degC
        (1.0, "conduit", 30, 0),
    ],
)
def test_ampacity(section_mm2, place, ambient_c, amps):
    assert ampacity_a(section_mm2, place, ambient_c) == pytest.approx(amps, rel=1e-3)


@given(st.floats(2.1, 240), st.floats(2.1, 240), st.sampled_from(["conduit", "free-air"]), st.floats(0, 74))
def test_thicker_carries_no_less_and_hotter_no_more(a, b, place, at_c):
    thin, thick = sorted((a, b))
    assert ampacity_a(thin, place, at_c) <= ampacity_a(thick, place, at_c)
    assert ampacity_a(thin, place, 74.9) <= ampacity_a(thin, place, at_c) + 1e-9


def test_a_dead_short_of_three_modules():
    """By hand: three of 15 + 0.5 mohm are 5.1667 mohm; with 0.5 mohm of main leads 58.4 V drive 10 306 A."""
    assert short_circuit_a(58.4, 15.5 / 3, 0.5) == pytest.approx(10306, rel=1e-3)
    job = hand_written(*(inline(f"M{i}", resistance_mohm=15, lead_mohm=0.5) for i in range(3)))
    assert plan_of(job).limits.wiring.short_circuit_a == pytest.approx(10306, rel=1e-3)


@given(st.lists(st.tuples(st.floats(2, 40), st.floats(0.1, 3)), min_size=1, max_size=8), st.floats(0.1, 5))
def test_a_dead_short_by_nodal_analysis(modules, main):
    """Nodes: the bar, and one behind each module's own resistance; the far end of the main leads is shorted to the return."""
    n = len(modules)
    g, source = np.zeros((n + 1, n + 1)), np.zeros(n + 1)
    for i, (own, lead) in enumerate(modules):
        inner, outer = 1000 / own, 1000 / lead
        g[i, i] += inner + outer
        source[i] += 58.4 * inner
        g[i, n] -= outer
        g[n, i] -= outer
        g[n, n] += outer
    g[n, n] += 1000 / main
    bar = np.linalg.solve(g, source)[n]
    job = hand_written(*(inline(f"M{i}", resistance_mohm=round(r, 3), lead_mohm=round(x, 3)) for i, (r, x) in enumerate(modules)))
    job["bank"]["main_lead_mohm"] = round(main, 3)
    assert plan_of(job).limits.wiring.short_circuit_a == pytest.approx(bar / main * 1000, rel=0.02)


def test_drop_at_the_design_load():
    """By hand: 100 A through 5 m there and 5 m back of 35 mm2 lose 0.4926 V."""
    made = plan_of(changed(SKERRY, bank__main_lead={"length_m": 5, "section_mm2": 35}, site__bank_ambient_c=20))
    w, needed = made.limits.wiring, made.limits.discharge.needed_a
    assert w.drop_v / needed * 100 == pytest.approx(0.4926, rel=1e-3)
    assert made.bank.path_mohm == pytest.approx(made.bank.resistance_mohm + 4.926, abs=1e-3), "sag is counted with it too"


def test_pre_charge_beside_the_differential_equation():
    """R C dV/dt = V0 - V: after 5 RC the inputs stand at 99.3 %."""
    first, seconds, joules = precharge(50, 50, 10_000)
    assert (first, seconds, joules) == (1.0, 2.5, 12.5)
    tau = 50 * 0.01
    solved = solve_ivp(lambda _, v: (50 - v) / tau, (0, seconds), [0.0], rtol=1e-9)
    assert solved.y[0, -1] / 50 == pytest.approx(1 - math.exp(-5), abs=1e-4)
    heat = np.trapezoid((50 - solved.y[0]) ** 2 / 50, solved.t)
    assert heat == pytest.approx(joules, rel=0.05)


LEADS = {"bank__main_lead": {"length_m": 2, "section_mm2": 107}}


@pytest.mark.parametrize(
    ("rule", "severity", "speaks", "silent"),
    [
        ("fuse-breaking", "stop", {"bank__fuse_breaking_a": 6000}, {"bank__fuse_breaking_a": 20000}),
        ("fuse-breaking", "note", {}, {"bank__fuse_breaking_a": 20000}),
        ("fuse-protects-lead", "caution", {"bank__cable_a": 300}, {"bank__cable_a": 400}),
        ("fuse-protects-lead", "note", {"bank__cable_a": 380}, {"bank__cable_a": 400}),
        ("fuse-protects-lead", "caution", LEADS | {"bank__fuse_a": 450}, LEADS | {"bank__fuse_a": 350}),
        ("lead-drop", "caution", {"bank__main_lead": {"length_m": 20, "section_mm2": 16}}, LEADS),
        (
            "module-lead",
            "caution",
            {"bank__lead": {"length_m": 1, "section_mm2": 16}},
            {"bank__lead": {"length_m": 1, "section_mm2": 95}},
        ),
        ("pre-charge", "caution", {"bank__inputs_uf": 20000}, {}),
        ("pre-charge", "caution", {"bank__inputs_uf": 20000, "bank__precharge_ohm": 0.2}, {}),
        ("pre-charge", "note", {"bank__inputs_uf": 20000, "bank__precharge_ohm": 33}, {}),
    ],
)
def test_wiring_findings(rule, severity, speaks, silent):
    found = next(f for f in plan_of(changed(SKERRY, **speaks)).findings if f.rule == rule)
    assert found.severity == severity and found.message and found.fix is not None
    assert rule not in rules(plan_of(changed(SKERRY, **silent)), severity)


def test_a_thin_main_lead_binds_the_chain():
    made = plan_of(changed(SKERRY, bank__cable_a=None, bank__main_lead={"length_m": 2, "section_mm2": 21.2}))
    assert made.limits.charge.binding == "lead" and made.limits.charge.bank_a == 125
    assert sum(u.a for u in made.limits.charge.units) <= 125
