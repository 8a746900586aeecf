"""Rounding to steps."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.trade.steps import ceil_to_step, decimals_of, figure, floor_to_step, round_to_step

steps = st.sampled_from([0.01, 0.1, 0.2, 0.5, 1, 5, 10])
values = st.integers(-10_000, 10_000).map(lambda n: n / 37)


@given(values, steps)
def test_floor_and_ceil_enclose(value, step):
    assert floor_to_step(value, step) <= value + 1e-6 <= ceil_to_step(value, step) + step
    assert ceil_to_step(value, step) - floor_to_step(value, step) <= step + 1e-9
    assert abs(round_to_step(value, step) - value) <= step / 2 + 1e-6


@given(st.integers(-5000, 5000), steps)
def test_multiples_stay(n, step):
    value = n * step
    assert floor_to_step(value, step) == ceil_to_step(value, step) == pytest.approx(value)


def test_binary_dust_does_not_cost_an_ampere():
    assert floor_to_step(0.95 * 300, 1) == 285
    assert floor_to_step(47.5, 1) == 47


@pytest.mark.parametrize(("step", "digits"), [(1, 0), (0.1, 1), (0.05, 2), (0.2, 1), (0.005, 3)])
def test_decimals(step, digits):
    assert decimals_of(step) == digits


@pytest.mark.parametrize(("value", "text"), [(55.2, "55.2"), (55.0, "55"), (100.0, "100"), (0.0625, "0.06"), (48.05, "48.05")])
def test_figures_for_sentences(value, text):
    assert figure(value) == text
