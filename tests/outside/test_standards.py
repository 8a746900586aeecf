"""Figures of published standards. [S, memory]: named standard, figure written from memory."""

import pytest

from ewerer.core.trade.margins import CONTINUOUS, FUSE_FACTOR
from tests.jobs import SKERRY, TARN, changed, plan_of


def test_continuous_load_on_a_breaker():  # [S, memory] NEC 210.20(A): breaker at least 125 % of the continuous load
    assert pytest.approx(1 / 1.25) == CONTINUOUS
    assert plan_of(SKERRY).limits.ac.sources[0].available_w == pytest.approx(32 / 1.25 * 230)


def test_fuse_at_125_percent():  # [S, memory] NEC 215.3
    assert FUSE_FACTOR == 1.25
    fuse = next(c for c in plan_of(changed(SKERRY, bank__fuse_a=250)).limits.charge.caps if c.cap == "fuse")
    assert fuse.a == 200


def test_three_phase_power():  # physics: three conductors carry three times the phase power
    assert plan_of(TARN).limits.ac.sources[0].available_w == pytest.approx(3 * 20 * 230)
