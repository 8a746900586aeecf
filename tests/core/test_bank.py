"""Bank arithmetic."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.stages.bank.solve import parallel_mohm, reported_a, shared_limit_a, shares
from tests.jobs import SKERRY, TARN, changed, hand_written, inline, plan_of, rules

ohms = st.floats(0.5, 100)
branches = st.lists(ohms, min_size=1, max_size=12)


def test_three_equal_modules():
    assert parallel_mohm([15, 15, 15]) == pytest.approx(5)


@given(branches)
def test_shares_add_up_and_follow_conductance(rs):
    parts = shares(rs)
    assert sum(parts) == pytest.approx(1)
    assert all(p * r == pytest.approx(parts[0] * rs[0]) for p, r in zip(parts, rs, strict=True))


@given(st.lists(st.tuples(st.floats(1, 300), ohms), min_size=1, max_size=12))
def test_shared_limit_never_overloads_a_module_and_is_tight(pairs):
    limits, rs = [a for a, _ in pairs], [r for _, r in pairs]
    bank, at = shared_limit_a(limits, rs)
    carried = [bank * w for w in shares(rs)]
    assert all(i <= limit * (1 + 1e-6) for i, limit in zip(carried, limits, strict=True))
    assert carried[at] == pytest.approx(limits[at], rel=1e-6)
    assert bank <= sum(limits) * (1 + 1e-9)


@given(st.integers(1, 12), st.floats(1, 300), ohms)
def test_equal_modules_give_the_plain_sum(n, limit, r):
    assert shared_limit_a([limit] * n, [r] * n)[0] == pytest.approx(n * limit)


@pytest.mark.parametrize(("n", "shown"), [(1, 47), (2, 95), (3, 142)])
def test_fifty_ampere_modules_report(n, shown):
    assert reported_a([50] * n, 0.95, 1) == shown


def test_two_unequal_modules_bind():
    bank = plan_of(hand_written(inline("A", resistance_mohm=10), inline("B", resistance_mohm=20))).bank
    assert bank.charge_limit_sum_a == 100
    assert bank.charge_limit_a == pytest.approx(75)
    assert bank.binding_module == "A"
    assert bank.resistance_mohm == pytest.approx(20 / 3, abs=1e-3)
    assert [m.current_at_limit_a for m in bank.modules] == pytest.approx([50, 25])


def test_the_worst_loss_is_named():
    bank = plan_of(TARN).bank
    assert bank.without_one.lost_module == "OLD"
    assert bank.without_one.capacity_ah == 300
    assert bank.without_one.charge_limit_a == 150


def test_one_module_has_no_rest():
    assert plan_of(hand_written(inline("A"))).bank.without_one is None


def test_join_current_is_drop_over_both_branches():
    made = plan_of(hand_written(inline("A", resting_v=53.2, lead_mohm=0.5), inline("B", resting_v=53.1, lead_mohm=0.5)))
    assert made.bank.join_current_a == pytest.approx(0.1 / 0.031, abs=0.01)
    assert "join-voltage" not in rules(made, "stop")


def test_join_tolerance_scales_with_cells():
    pair = [inline(i, series_cells=8, resting_v=v) for i, v in (("A", 26.6), ("B", 26.54))]
    assert "join-voltage" in rules(plan_of(hand_written(*pair)), "stop")


def test_small_spread_but_large_current_is_a_stop():
    pair = [inline(i, resistance_mohm=0.5, charge_a=20, resting_v=v) for i, v in (("A", 53.0), ("B", 53.09))]
    made = plan_of(hand_written(*pair))
    finding = next(f for f in made.findings if f.rule == "join-voltage")
    assert finding.severity == "stop" and "smaller charge limit of 20 A" in finding.message


def test_warranty_and_derating_belong_to_limits_not_to_the_bank():
    assert plan_of(SKERRY).bank.charge_limit_a == 420


def test_the_narrower_window_counts():
    bank = plan_of(TARN).bank
    assert (bank.cell_min_v, bank.cell_max_v) == (2.7, 3.6)


def test_own_figures_override_the_profile():
    made = plan_of(changed(SKERRY, bank__modules__0__charge_a=100))
    assert made.bank.charge_limit_a == 300 and made.bank.binding_module == "M1"


def test_mixed_makes_report_nothing():
    made = plan_of(changed(SKERRY, bank__modules__2=inline("X", capacity_ah=280)))
    assert made.bank.reported_charge_a is None and made.link.loop == "open"
    assert "makers-apart" in rules(made)
