"""Facts of the trade and worked examples. The source stands beside each."""

import math

import pytest

from ewerer.core.devices.codec import decode, encode
from ewerer.core.devices.library import shipped_library
from ewerer.core.stages.bank.solve import parallel_mohm, reported_a
from ewerer.core.stages.limits.ac import ac_budget
from ewerer.core.stages.limits.solve import discharge_a
from ewerer.core.stages.sheet.derived import hold_per_ah_h
from ewerer.core.stages.sources.solve import ac_window
from ewerer.core.trade.chemistries import LFP, charge_level_v, peukert_capacity_ah
from ewerer.core.trade.steps import clean


def test_three_modules_in_parallel():  # common practice; parallel resistances
    assert parallel_mohm([15, 15, 15]) == pytest.approx(5)


@pytest.mark.parametrize(("modules", "shown"), [(2, 95), (1, 47)])  # common practice: 5 % buffer, whole amperes
def test_what_the_bms_reports(modules, shown):
    assert reported_a([50] * modules, 0.95, 1) == shown


@pytest.mark.parametrize(
    ("cells", "level", "volts"),
    [
        (16, LFP.everyday_v, 55.2),
        (16, LFP.rest_v, 53.6),
        (15, LFP.everyday_v, 51.75),
        (8, LFP.full_v, 28.4),
        (4, LFP.absolute_max_v, 14.6),
    ],
)  # common practice: table of cell levels
def test_pack_volts(cells, level, volts):
    assert clean(cells * level) == pytest.approx(volts)


def test_volts_per_two_volt_cell():  # common practice: 24 cells in a 48 V bank
    assert clean(2.26 * 24) == 54.24 and clean(2.30 * 24) == 55.2


def test_generator_short_cut():  # common practice: a worked example of the trade
    free = 3000 - 1040
    budget = ac_budget("generator", 3000, 1040, 56, 48, 0.92)
    assert budget.free_w == free == 1960
    assert budget.shortcut_a == 40 and budget.charge_a == 32 and budget.charge_a < budget.shortcut_a
    assert budget.shortcut_draws_w == pytest.approx(40 * 56 / 0.92, abs=0.1) and round(budget.shortcut_draws_w) == 2435


def test_hold_time_by_size():  # common practice: 0.2 to 0.5 h per 100 Ah
    assert hold_per_ah_h(500) == (1.0, 2.5)


def test_peukert():
    """A textbook case, from memory: 100 Ah over 20 h with exponent 1.2 gives 79.4 Ah over 5 h.

    Peukert's own form I^p * t = const: I20 = 5 A, 5^1.2 * 20 = I^1.2 * 5 gives I = 15.87 A and 79.4 Ah.
    """
    current = (5**1.2 * 20 / 5) ** (1 / 1.2)
    assert peukert_capacity_ah(100, 20, 5, 1.2) == pytest.approx(current * 5, rel=1e-9)
    assert peukert_capacity_ah(100, 20, 5, 1.2) == pytest.approx(79.4, abs=0.05)


def test_direct_current_of_a_load():  # energy balance; common practice
    assert discharge_a(5000, 0.93, 48) == pytest.approx(112.0, abs=0.01)


def test_schools_in_order():  # common practice
    assert [charge_level_v(LFP, s) for s in ("everyday", "full", "limit")] == [3.45, 3.55, 3.65]


@pytest.mark.parametrize(
    ("volts", "low", "high"), [(230, 207.0, 253.0), (120, 110.0, 127.0)]
)  # EN 50160: 230 V +/- 10 %; ANSI C84.1 range B service: 110 to 127 V (from memory); rule ac-window
def test_grid_windows(volts, low, high):
    w = ac_window(volts, wide=False)
    assert w.low_off_v < w.low_on_v < low < volts < high < w.high_on_v < w.high_off_v, "a lawful grid never ends it"
    wide = ac_window(volts, wide=True)
    assert wide.low_off_v < w.low_off_v and wide.high_off_v > w.high_off_v


@pytest.mark.parametrize(("volts", "edges"), [(120, (90, 100, 135, 140)), (230, (172, 191, 259, 269))])  # common practice
def test_engine_windows(volts, edges):
    w = ac_window(volts, wide=True)
    assert [w.low_off_v, w.low_on_v, w.high_on_v, w.high_off_v] == pytest.approx(edges, abs=0.6)


@pytest.mark.parametrize(("cell_v", "pack_v"), [(2.30, 55.2), (2.26, 54.24), (2.25, 54.0)])
def test_entry_per_2v_cell(cell_v, pack_v):  # common practice: 24 cells of 2 V in a 48 V bank; rule entry-per-2v-cell
    profile = next(p for p in shipped_library() if p.id == "brackwater-m5")
    assert decode(profile.setting_for("absorb_v"), f"{cell_v:.2f}", profile) == pytest.approx(pack_v)
    assert float(encode(profile.setting_for("absorb_v"), pack_v + 0.2, profile).text) == pytest.approx(cell_v)


@pytest.mark.parametrize("amps", [3.3, 40, 61.9, 100])
def test_entry_percent_of_rated(amps):  # common practice: floor(100 * I / rated); rule entry-percent-of-rated
    profile = next(p for p in shipped_library() if p.id == "hexley-pr3")
    s = profile.setting_for("charge_max_a")
    entry = encode(s, amps, profile)
    rated = profile.ratings.charge_max_a
    assert float(entry.text) == max(s.min, math.floor(100 * amps / rated / s.step) * s.step)
