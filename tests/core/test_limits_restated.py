"""The chain of caps worked out a second time, by hand as on paper, for random jobs."""

import math
from itertools import pairwise

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import shipped_library
from tests.jobs import LARCH, SKERRY, changed, data, hand_written, inline, plan_of, random_jobs, rules

RATED = {p.id: p.ratings for p in shipped_library() if hasattr(p, "ratings")}
CHARGE_LINE = [(0, 0.2), (10, 1.0), (42, 1.0), (52, 0.0)]
DISCHARGE_LINE = [(-20, 0.3), (0, 1.0), (45, 1.0), (58, 0.0)]


def on_line(points, at):
    if at < points[0][0]:
        return 0.0
    for (x0, y0), (x1, y1) in pairwise(points):
        if x0 <= at <= x1:
            return y0 + (y1 - y0) * (at - x0) / (x1 - x0)
    return points[-1][1]


def shared(amps, ohms):
    """Raise the bank's current until the first module reaches its limit: Kirchhoff, nothing else."""
    conductance = sum(1 / r for r in ohms)
    return min(a * conductance * r for a, r in zip(amps, ohms, strict=True))


def branches(job):
    return [m["resistance_mohm"] + m["lead_mohm"] for m in job["bank"]["modules"]]


@given(random_jobs())
def test_every_cap_of_the_charge_chain(job):
    caps = {c.cap: c.a for c in plan_of(job).limits.charge.caps}
    found, ohms = job["bank"]["modules"], branches(job)
    sheet = [m["charge_a"] for m in found]
    want = {"modules-sheet": sum(sheet), "modules-share": shared(sheet, ohms)}
    if any("charge_warranty_a" in m for m in found):
        want["warranty"] = shared([min(m["charge_a"], m.get("charge_warranty_a", math.inf)) for m in found], ohms)
    if "bank_ambient_c" in job["site"]:
        part = on_line(CHARGE_LINE, job["site"]["bank_ambient_c"])
        want["temperature"] = shared([a * part for a in sheet], ohms)
    if "fuse_a" in job["bank"]:
        want["fuse"] = job["bank"]["fuse_a"] / 1.25
    want["chargers"] = sum(RATED[u["profile"]].charge_max_a for u in job["units"])
    assert caps == pytest.approx(want, abs=2e-3)


@given(random_jobs())
def test_every_cap_of_the_discharge_chain(job):
    made = plan_of(job)
    caps = {c.cap: c.a for c in made.limits.discharge.caps}
    found, ohms = job["bank"]["modules"], branches(job)
    sheet = [m["discharge_a"] for m in found]
    low_v = found[0]["series_cells"] * (max(m["cell_min_v"] for m in found) + 0.0625)
    rated = RATED[job["units"][0]["profile"]]
    want = {
        "modules-sheet": sum(sheet),
        "modules-share": shared(sheet, ohms),
        "units": len(job["units"]) * rated.continuous_w / (rated.inverter_efficiency * low_v),
    }
    if "bank_ambient_c" in job["site"]:
        part = on_line(DISCHARGE_LINE, job["site"]["bank_ambient_c"])
        want["temperature"] = shared([a * part for a in sheet], ohms)
    if "fuse_a" in job["bank"]:
        want["fuse"] = job["bank"]["fuse_a"] / 1.25
    assert caps == pytest.approx(want, abs=2e-3)
    assert made.limits.discharge.needed_a == pytest.approx(
        job["loads"]["continuous_w"] / (rated.inverter_efficiency * low_v), abs=1e-3
    ), "rule discharge-need: the most current at the lowest voltage"


@given(random_jobs())
def test_without_the_worst_module(job):
    """Every loss is tried; the figure shown is the least that is left of the lowest cap."""
    found, ohms = job["bank"]["modules"], branches(job)
    shown = plan_of(job).limits.charge
    if len(found) == 1:
        assert shown.caps[0].without_one_a == 0 and plan_of(job).bank.without_one is None, "nothing is left"
        return
    sheet = [m["charge_a"] for m in found]

    def rest(values, gone):
        return [v for i, v in enumerate(values) if i != gone]

    left = min(shared(rest(sheet, i), rest(ohms, i)) for i in range(len(found)))
    assert next(c.without_one_a for c in shown.caps if c.cap == "modules-share") == pytest.approx(left, abs=2e-3)
    assert shown.without_one_a <= min(c.without_one_a or c.a for c in shown.caps if c.cap != "temperature") + 1e-6


@given(random_jobs())
def test_bank_figures(job):
    """Rules bank-capacity, bank-resistance, window-narrowest."""
    bank, found = plan_of(job).bank, job["bank"]["modules"]
    assert bank.capacity_ah == sum(m["capacity_ah"] for m in found)
    assert bank.energy_wh == pytest.approx(bank.capacity_ah * found[0]["series_cells"] * 3.2)
    assert bank.resistance_mohm == pytest.approx(1 / sum(1 / r for r in branches(job)), abs=2e-3)
    assert bank.path_mohm == pytest.approx(bank.resistance_mohm + job["bank"]["main_lead_mohm"], abs=2e-3)
    assert bank.cell_max_v == min(m["cell_max_v"] for m in found)
    assert bank.cell_min_v == max(m["cell_min_v"] for m in found)


@given(st.integers(1, 6), st.integers(20, 200), st.sampled_from([0.9, 0.95, 1.0]), st.sampled_from([1.0, 5.0, 10.0]))
def test_reported_limit_is_buffered_and_rounded_down(count, amps, buffer, step):
    """Rule bms-report, on the module family that speaks."""
    module = data(SKERRY)["bank"]["modules"][0] | {"charge_a": amps}
    job = changed(SKERRY, bank__modules=[module | {"id": f"M{i}"} for i in range(count)])
    library = shipped_library()
    shown = plan_of(job).bank.reported_charge_a
    bms = library.get(module["profile"], type(library.get(module["profile"], object))).bms
    exact = bms.buffer * amps * count
    assert shown <= exact + 1e-9 and exact - shown < bms.report_step_a
    from ewerer.core.stages.bank.solve import reported_a

    other = reported_a([amps] * count, buffer, step)
    assert other <= buffer * amps * count + 1e-9 < other + step + 1e-6
    assert other / step == pytest.approx(round(other / step))


@pytest.mark.parametrize("what", ["charge_warranty_a", "charge_a"])
def test_the_lower_of_sheet_and_warranty_counts(what):
    job = hand_written(inline("A", **{"charge_a": 80, "charge_warranty_a": 60, what: 40}))
    caps = {c.cap: c for c in plan_of(job).limits.charge.caps}
    assert caps["warranty"].a == 40 and caps["warranty"].rule == "warranty-limit"


def test_a_rate_is_of_the_whole_bank():
    made = plan_of(changed(SKERRY, policy__max_c_rate=0.1, policy__max_discharge_c_rate=0.3))
    for chain, rate in ((made.limits.charge, 0.1), (made.limits.discharge, 0.3)):
        cap = next(c for c in chain.caps if c.rule == "c-rate")
        assert cap.a == pytest.approx(rate * made.bank.capacity_ah) and cap.without_one_a < cap.a


@pytest.mark.parametrize(("at", "part"), [(-0.1, 0), (0, 0.2), (5, 0.6), (10, 1), (42, 1), (47, 0.5), (52, 0), (60, 0)])
def test_cold_and_heat_on_a_nameplate(at, part):
    """Rule temperature-derating: nothing below freezing, full from 10 to 42 °C, nothing from 52 °C."""
    job = hand_written(inline("A"), site={"bank_ambient_c": at})
    cap = next(c for c in plan_of(job).limits.charge.caps if c.cap == "temperature")
    assert cap.a == pytest.approx(50 * part) and cap.rule == "temperature-derating"


def test_each_rule_stands_beside_its_cap():
    made = plan_of(SKERRY).limits.charge
    said = {c.cap: c.rule for c in made.caps}
    assert (said["fuse"], said["cable"], said["chargers"]) == ("fuse-continuous", "chain-of-caps", "chain-of-caps")
    assert (said["modules-sheet"], said["modules-share"]) == ("bank-capacity", "bank-share")
    assert all(c.why and c.word for c in made.caps)


@given(random_jobs())
def test_a_source_is_never_asked_for_more_than_it_has(job):
    """Rules ac-budget and ac-short-cut: 0.8 of a breaker, the engine's rating, less the loads; the short cut beside."""
    made = plan_of(job)
    volts, loads = job["site"]["ac"]["volts"], job["loads"]["continuous_w"]
    eta = RATED[job["units"][0]["profile"]].charger_efficiency
    for s in made.limits.ac.sources:
        if s.source == "mains":
            assert s.available_w == pytest.approx(0.8 * job["mains"]["breaker_a"] * volts)
        else:
            heat = max(0, job["site"].get("bank_ambient_c", 0) - 25) / 10 * 0.02
            assert s.available_w == pytest.approx(job["generator"]["continuous_w"] * (1 - heat), rel=1e-3)
        assert s.free_w == pytest.approx(max(0, s.available_w - loads))
        if made.ladder:
            assert s.charge_a * made.ladder["absorb_v"].value / eta <= s.free_w * 1.03 + 1
        assert s.charge_a <= s.shortcut_a + 1e-9 or s.free_w == 0, "the short cut always says more"


@given(random_jobs())
def test_every_unit_gets_its_part_on_its_own_step(job):
    """Rule split-to-units."""
    chain = plan_of(job).limits.charge
    top = RATED[job["units"][0]["profile"]].charge_max_a
    parts = [u.a for u in chain.units]
    assert len(set(parts)) == 1 and 0 <= parts[0] <= min(top, chain.bank_a / len(parts)) + 1e-6
    assert sum(parts) <= chain.bank_a + 1e-6


def test_dc_loads_are_named_where_a_cap_counts_them():
    found = next(f for f in plan_of(changed(SKERRY, site__dc_loads_a=12)).findings if f.rule == "dc-loads")
    assert "12 A" in found.message


def test_what_the_limits_say_about_the_loss_of_a_module():
    assert "n-1" in rules(plan_of(changed(LARCH, loads__continuous_w=5800)), "caution")
    assert "n-1" not in rules(plan_of(changed(LARCH, loads__continuous_w=500)))
