"""The link: pairings with their exact findings, cable, addresses, displays, firmware."""

import json
import math
from dataclasses import replace

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.addresses import address_of, planned_addresses, up_positions
from ewerer.core.devices.cable import T568B, make_cable, ohms_with, pair_of, terminators_at
from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.documents.profiles import HostRule, Port, TimedRequest
from ewerer.core.plan import plan
from ewerer.core.stages.bank.solve import resolve_modules
from ewerer.core.stages.link.solve import displays
from tests.jobs import LARCH, SKERRY, changed, data, inline, job_of, plan_of, rules
from tests.links import ALPHA, A, B, H, L, can, paired, port, protocol, serial, switched, with_silent


def link_findings(made):
    return {
        (f.rule, f.severity): f.message
        for f in made.findings
        if f.stage == "link" and f.rule.startswith(("link", "cable", "firmware"))
    }


CLOSED, OPEN = "closed", "open"
# name, unit ports, unit protocols, BMS ports, BMS protocols, job, loop, {(rule, severity): words}
PAIRINGS = [
    ("same pins on the blue pair", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {}, CLOSED, {}),
    ("same pins on the orange pair", [can(1, 2)], ALPHA, [can(1, 2)], ALPHA, {}, CLOSED, {}),
    ("same pins on the green pair", [can(3, 6)], ALPHA, [can(3, 6)], ALPHA, {}, CLOSED, {}),
    ("same pins on the brown pair", [can(7, 8)], ALPHA, [can(7, 8)], ALPHA, {}, CLOSED, {}),
    ("other pair at the unit", [can(4, 5)], ALPHA, [can(1, 2)], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 1 to 4 (white/orange), CAN-L 2 to 5 (orange)."}),
    ("swapped signals", [can(5, 4)], ALPHA, [can(4, 5)], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 4 to 5 (blue), CAN-L 5 to 4 (white/blue)."}),
    ("split pair at both ends", [can(2, 3)], ALPHA, [can(2, 3)], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 2 to 2 (blue), CAN-L 3 to 3 (white/blue)."}),
    ("split pair by patch cable", [can(2, 3)], ALPHA, [can(2, 3)], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-pair", "caution"): "belong to different twisted pairs"}),
    ("other pins by patch cable", [can(4, 5)], ALPHA, [can(1, 2)], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-kind", "stop"): "Straight through it would join CAN-H to nothing, CAN-L to nothing."}),
    ("swapped by patch cable", [can(5, 4)], ALPHA, [can(4, 5)], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-kind", "stop"): "would join CAN-H to CAN-L, CAN-L to CAN-H", ("cable-power-pin", "stop"): "CAN-L of the BMS would meet CAN-H of the unit in position 5"}),
    ("power of the BMS faces an unused pin", [can(4, 5)], ALPHA, [can(4, 5, extra={8: "+5V"})], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 4 to 4 (blue), CAN-L 5 to 5 (white/blue)."}),
    ("power under a CAN pin", [can(4, 5)], ALPHA, [can(1, 2, extra={4: "+5V"})], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 1 to 4"}),
    ("power under a CAN pin by patch cable", [can(4, 5)], ALPHA, [can(4, 5, extra={})], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {}),
    ("power of the unit by patch cable", [can(4, 5, extra={8: "+12V"})], ALPHA, [can(4, 5)], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-power-pin", "stop"): "+12V in position 8 would meet an unused pin of the BMS"}),
    ("power of the BMS on a signal by patch cable", [can(4, 5, extra={1: "GND"})], ALPHA, [can(4, 5, extra={1: "+5V"})], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-power-pin", "stop"): "+5V in position 1 would meet GND of the unit"}),
    ("power on both ends by patch cable", [can(4, 5, extra={1: "+12V"})], ALPHA, [can(4, 5, extra={1: "+5V"})], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-power-pin", "stop"): "+5V in position 1 would meet +12V of the unit"}),
    ("another bus in the same plug by patch cable", [can(4, 5, extra={1: B})], ALPHA, [can(4, 5)], ALPHA, {"link": {"cable": "patch"}}, CLOSED, {("cable-power-pin", "stop"): "485-B of another bus in position 1 of the unit would be carried over"}),
    ("another bus in the same plug", [can(4, 5, extra={1: B, 2: A})], ALPHA, [can(4, 5)], ALPHA, {}, CLOSED, {("cable-kind", "note"): "CAN-H 4 to 4 (blue)"}),
    ("common at both ends", [can(4, 5, extra={2: "GND"})], ALPHA, [can(1, 2, extra={3: "GND"})], ALPHA, {}, CLOSED, {("cable-kind", "note"): "GND 3 to 2 (white/green)."}),
    ("same pins and the same common", [can(4, 5, extra={2: "GND"})], ALPHA, [can(4, 5, extra={2: "GND"})], ALPHA, {}, CLOSED, {}),
    ("common at one end only", [can(4, 5, extra={2: "GND"})], ALPHA, [can(4, 5)], ALPHA, {}, CLOSED, {}),
    ("terminals at the unit", [can(1, 2, connector="terminal")], ALPHA, [can(4, 5)], ALPHA, {}, CLOSED, {}),
    ("no name in common", [can(4, 5)], [protocol("beta")], [can(4, 5)], ALPHA, {}, OPEN, {}),
    ("no name in common, closed wanted", [can(4, 5)], [protocol("beta")], [can(4, 5)], ALPHA, {"policy": {"loop": "closed"}}, OPEN, {("link-chosen", "stop"): "Closed loop is wanted. No link can be made: the BMS speaks alpha; the unit beta."}),
    ("unit speaks nothing", [can(4, 5)], [], [can(4, 5)], ALPHA, {"policy": {"loop": "closed"}}, OPEN, {("link-chosen", "stop"): "the BMS speaks alpha; the unit nothing"}),
    ("BMS speaks nothing", [can(4, 5)], ALPHA, [can(4, 5)], [], {}, OPEN, {}),
    ("other version", [can(4, 5)], [protocol(version="2")], [can(4, 5)], ALPHA, {}, OPEN, {("link-near-miss", "caution"): "alpha: the BMS speaks version 1, the unit version 2."}),
    ("one of two versions fits", [can(4, 5)], [protocol(version="2"), protocol()], [can(4, 5)], ALPHA, {}, CLOSED, {}),
    ("rate not offered by the unit", [can(4, 5, rates=(250_000,))], ALPHA, [can(4, 5)], ALPHA, {}, OPEN, {("link-near-miss", "caution"): "alpha: the unit does not offer 500 kbit/s at P."}),
    ("rate not offered by the BMS", [can(4, 5)], ALPHA, [can(4, 5, rates=(250_000,))], ALPHA, {}, OPEN, {("link-near-miss", "caution"): "alpha: the BMS does not offer 500 kbit/s at P."}),
    ("rates differ", [can(4, 5)], [protocol(rate=250_000)], [can(4, 5)], ALPHA, {}, OPEN, {("link-near-miss", "caution"): "alpha: the BMS sends at 500 kbit/s, the unit listens at 250 kbit/s."}),
    ("RS-485 only against CAN only", [can(4, 5)], ALPHA, [serial(1, 2)], [protocol(rate=9600)], {}, OPEN, {("link-near-miss", "caution"): "alpha: the BMS has RS-485 at P, the unit CAN at P"}),
    ("CAN only against RS-485 only", [serial(1, 2)], [protocol(rate=9600)], [can(4, 5)], ALPHA, {}, OPEN, {("link-near-miss", "caution"): "alpha: the BMS has CAN at P, the unit RS-485 at P"}),
    ("RS-485 at both ends", [serial(1, 2)], [protocol(rate=9600)], [serial(1, 2)], [protocol(rate=9600)], {}, CLOSED, {}),
    ("RS-485 with swapped signals", [serial(2, 1)], [protocol(rate=9600)], [serial(1, 2)], [protocol(rate=9600)], {}, CLOSED, {("cable-kind", "note"): "485-A 1 to 2 (white/orange), 485-B 2 to 1 (orange)."}),
    ("port taken", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"link": {"taken_ports": {"U1": ["p"]}}}, OPEN, {("link-near-miss", "caution"): "port P of the unit is taken by another device."}),
    ("port taken, another free", [can(4, 5), can(1, 2, id="q", label="Q")], [*ALPHA, protocol(port="q")], [can(4, 5)], ALPHA, {"link": {"taken_ports": {"U1": ["p"]}}}, CLOSED, {("cable-kind", "note"): "P of the BMS to Q of the unit: CAN-H 4 to 1 (blue)"}),
    ("bad firmware of the unit", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"firmware": "2.11"}, CLOSED, {("firmware-listed", "caution"): "Asks the bank for a forced charge at full and then does not discharge. Known good: 2.14."}),
    ("unlisted firmware of the unit", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"firmware": "9.0"}, CLOSED, {("firmware-listed", "note"): "Known good: 2.14. Latest is not best"}),
    ("own note against a firmware", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"link": {"firmware_notes": [{"profile": "unit", "version": "2.14", "verdict": "bad", "why": "lost its clock here"}]}}, CLOSED, {("firmware-listed", "caution"): "Lost its clock here."}),
    ("own note clears a firmware", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"firmware": "2.11", "link": {"firmware_notes": [{"profile": "unit", "version": "2.11", "verdict": "good"}]}}, CLOSED, {}),
    ("too long for its rate", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"link": {"length_m": 140}}, CLOSED, {("cable-length", "caution"): "140 m at 500 kbit/s; 100 m is the most."}),
    ("long but slow", [can(4, 5)], [protocol(rate=250_000)], [can(4, 5)], [protocol(rate=250_000)], {"link": {"length_m": 140}}, CLOSED, {}),
    ("chosen link is gone", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"link": {"choice": "module/beta/1/p/p"}}, CLOSED, {("link-chosen", "stop"): "module/beta/1/p/p: no such link exists any more."}),
    ("chosen link is impossible", [can(4, 5)], [protocol(version="2")], [can(4, 5)], ALPHA, {"link": {"choice": "module/alpha/1/p/p"}}, OPEN, {("link-chosen", "stop"): "alpha 1: alpha: the BMS speaks version 1, the unit version 2.", ("link-near-miss", "caution"): "version"}),
    ("open loop chosen", [can(4, 5)], ALPHA, [can(4, 5)], ALPHA, {"link": {"choice": "open"}}, OPEN, {}),
    ("open loop by policy", [can(4, 5)], [protocol(version="2")], [can(4, 5)], ALPHA, {"policy": {"loop": "open"}}, OPEN, {}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("case", "up", "uproto", "bp", "bproto", "job", "loop", "expected"), PAIRINGS, ids=[p[0] for p in PAIRINGS]
)
def test_pairing(case, up, uproto, bp, bproto, job, loop, expected):
    made = paired(up, uproto, bp, bproto, **json.loads(json.dumps(job)))
    assert made.link.loop == loop
    found = link_findings(made)
    assert set(found) == set(expected)
    for key, words in expected.items():
        assert words in found[key]


def test_there_are_forty_pairings():
    assert len(PAIRINGS) >= 40


AGAINST = [
    ("link-protocol", [protocol("beta")], ALPHA, {}),
    ("link-version", [protocol(version="2")], ALPHA, {}),
    ("link-bitrate", [protocol(rate=250_000)], ALPHA, {}),
    ("link-port-free", ALPHA, ALPHA, {"link": {"taken_ports": {"U1": ["p"]}}}),
    ("link-firmware", ALPHA, ALPHA, {"firmware": "2.11"}),
]


@pytest.mark.parametrize(("rule", "unit", "bms", "job"), AGAINST, ids=[a[0] for a in AGAINST])
def test_what_speaks_against_a_link_names_its_rule(rule, unit, bms, job):
    made = paired([can(4, 5)], unit, [can(4, 5)], bms, **json.loads(json.dumps(job)))
    closed = [c for c in made.link.candidates if c.loop == "closed"]
    against = {p.rule: p.severity for c in closed for p in c.speaks_against}
    assert rule in against
    assert against[rule] == ("caution" if rule == "link-firmware" else "stop")
    assert all(c.possible == all(p.severity != "stop" for p in c.speaks_against) for c in closed)


def test_two_layers_do_not_meet():
    made = paired([can(4, 5)], ALPHA, [serial(1, 2)], [protocol(rate=9600)])
    assert "link-bus" in {p.rule for c in made.link.candidates for p in c.speaks_against}


def test_approved_comes_before_generic_before_open():
    """Rule link-rank."""
    keys = [c.key for c in plan_of(SKERRY).link.candidates]
    assert keys[0] == "dunmarrow/dunmarrow-link/2/bat/inv"
    assert keys.index("dunmarrow/openstore-can/1/bat/inv") < keys.index("open/metered") < keys.index("open")


def test_open_loop_is_always_among_them():
    for name in (SKERRY, LARCH):
        assert any(c.key == "open" and c.possible for c in plan_of(name).link.candidates)


def test_another_port_makes_another_cable():
    made = plan_of(changed(SKERRY, link__choice="dunmarrow/openstore-can/1/net/inv"))
    assert (made.link.unit_port, made.link.bitrate) == ("net", 250_000)
    assert [(w.from_, w.to) for w in made.link.cable.wires] == [(1, 1), (2, 2), (3, 3)]
    assert [(p.end, p.pin) for p in made.link.cable.open_pins] == [("bms", 8)]
    row = next(r for r in made.units[0].settings if r.quantity == "bms_protocol")
    assert row.entry == "Scheme 1"


def test_contract_keys_of_the_link():
    link = json.loads(plan_of(SKERRY).model_dump_json())["link"]
    assert link["cable"]["straight"] is False
    assert link["cable"]["wires"][0] | {"from": 1, "to": 4, "signal": H, "colour": "white/orange"} == link["cable"]["wires"][0]
    assert len(link["addresses"]["modules"]) == 3 and link["terminators"]["expected_ohm"] == [None, 120, 60, 40]


# Addresses


hosts = st.builds(
    HostRule,
    host_address=st.integers(0, 3),
    first_other=st.integers(0, 4),
    switches=st.integers(4, 8),
    least_first=st.booleans(),
    on_is=st.sampled_from(["up", "down"]),
)


@given(hosts, st.integers(0, 15))
def test_switches_round_trip(rule, address):
    """Rule address-switches."""
    assert address_of(rule, up_positions(rule, address)) == address


@given(hosts, st.integers(1, 8))
def test_addresses_are_unique_with_one_host(rule, count):
    plan = planned_addresses(rule, count)
    assert len(set(plan)) == count and plan[0] == rule.host_address


@pytest.mark.parametrize(
    ("rule", "address", "drawn"),
    [
        ({"host_address": 1, "first_other": 2}, 3, "uudd"),
        ({"host_address": 1, "first_other": 2, "least_first": False}, 3, "dduu"),
        ({"host_address": 0, "first_other": 1, "switches": 6, "on_is": "down"}, 0, "uuuuuu"),
        ({"host_address": 0, "first_other": 1, "switches": 6, "on_is": "down"}, 5, "duduuu"),
        ({"host_address": 0, "first_other": 1, "switches": 3, "host_pattern": "uuu"}, 0, "uuu"),
    ],
)
def test_switches_as_the_family_draws_them(rule, address, drawn):
    assert "".join("u" if u else "d" for u in up_positions(HostRule(**rule), address)) == drawn


def test_an_address_the_switches_cannot_hold():
    with pytest.raises(ValueError, match="hold addresses up to 3, not 4"):
        up_positions(HostRule(host_address=0, first_other=1, switches=2), 4)


def finding(made, rule):
    return next(f for f in made.findings if f.rule == rule)


def test_host_address_off_by_one_is_a_stop_that_says_what_is_shown():
    found = finding(switched("dudd", "uudd", "ddud"), "address-host")
    assert found.severity == "stop" and found.at == "/bank/modules/0/switches"
    assert "The host's address is 1; found are M1: 2, M2: 3, M3: 4." in found.message
    assert "one of 3 at best: 133 A in and 190 A out instead of 399 and 570" in found.message
    assert "power cycle" in found.fix


def test_two_hosts():
    assert finding(switched("uddd", "uddd", "uudd"), "address-host").title == "Two modules are the host"


def test_equal_addresses_and_gaps():
    assert finding(switched("uddd", "dudd", "dudd"), "address-unique").severity == "stop"
    gap = finding(switched("uddd", "dudd", "ddud"), "address-unique")
    assert gap.severity == "caution" and "Found 1, 2, 4; the family counts 1, 2, 3" in gap.message


def test_right_and_unnoted_switches_are_quiet():
    assert not rules(switched("uddd", "dudd", "uudd")) & {"address-host", "address-unique", "address-fits"}
    assert not rules(switched(None, None, None)) & {"address-host", "address-unique", "address-fits"}


def test_wrong_number_of_switches_noted():
    assert finding(switched("uddddd", "dudd", "uudd"), "address-fits").severity == "caution"


def test_more_modules_than_addresses():
    job = data(LARCH)
    job["bank"]["modules"] = [{"id": f"K{i}", "profile": "kelder-24-230"} for i in range(7)]
    made = plan_of(job)
    assert made.link.protocol == "rv-c 1" and finding(made, "address-fits").severity == "stop"


def test_cables_between_modules_use_the_link_ports():
    plan = plan_of(SKERRY).link.addresses
    assert plan.path[0] == {"from": "M1", "from_port": "CHAIN OUT", "to": "M2", "to_port": "CHAIN IN"}
    assert any("never HOST, which looks alike" in s for s in plan.steps) and "Power cycle" in plan.steps[-1]


# What the inverter shows


def three_hundreds():
    job = data(SKERRY)
    for m in job["bank"]["modules"]:
        m |= {"charge_a": 100, "discharge_a": 100}
    return plan_of(job)


def test_expected_displays():
    """Rule link-display."""
    rows = {d.case: d for d in three_hundreds().link.displays}
    assert [rows[c].charge_a for c in ("all", "left-2", "left-1")] == [285, 190, 95]
    for case in ("host-out", "cable-out"):
        assert (rows[case].charge_a, rows[case].discharge_a, rows[case].charge_v) == (None, None, None)
        assert "nothing is shown" in rows[case].note


def test_charge_voltage_by_the_hosts_rule_or_the_lowest():
    job = data(SKERRY)
    assert plan_of(job).link.displays[0].charge_v == 56.0
    modules = resolve_modules(job_of(job), shipped_library())
    lowest = modules[0].bms.model_copy(update={"charge_voltage_rule": "lowest"})
    mixed = [modules[0], modules[1], replace(modules[2], asked_cell_v=3.45)]
    assert displays(mixed, lowest, None)[0].charge_v == 55.2
    assert displays(mixed, modules[0].bms, None)[0].charge_v == 56.0


@given(st.lists(st.integers(5, 300), min_size=1, max_size=8), st.sampled_from([1.0, 0.95, 0.9]), st.sampled_from([1, 5]))
def test_displays_fall_as_modules_go(limits, buffer, step):
    one = resolve_modules(job_of(SKERRY), shipped_library())[0]
    modules = [replace(one, id=f"M{i}", charge_a=a, discharge_a=a) for i, a in enumerate(limits)]
    bms = one.bms.model_copy(update={"buffer": buffer, "report_step_a": step})
    rows = displays(modules, bms, None)
    shown = [d.charge_a for d in rows if d.charge_a is not None and (d.case == "all" or d.case.startswith("left"))]
    assert shown == sorted(shown, reverse=True) and len(shown) == len(limits)
    assert shown[0] <= buffer * sum(limits) < shown[0] + step + 1e-6


def test_mixed_makes_are_open_loop_unless_one_is_made_to_speak():
    """Rule link-silent."""
    job = changed(SKERRY, bank__modules__2=inline("X", capacity_ah=280, charge_a=140, discharge_a=200))
    auto = plan_of(job)
    assert auto.link.loop == "open" and "different makes" in auto.link.why
    job["link"]["choice"] = "dunmarrow/dunmarrow-link/2/bat/inv"
    made = plan_of(job)
    assert made.link.speaking == ["M1", "M2"] and made.link.silent == ["X"]
    assert next(c.a for c in made.limits.charge.caps if c.cap == "bms-reported") == 266
    found = finding(made, "link-silent-modules")
    assert found.severity == "caution" and "sees only M1, M2: 266 A in" in found.message


def test_the_cable_goes_to_the_host_and_followers_are_told():
    units = {u.unit: u for u in plan_of(SKERRY).link.units}
    assert (units["U1"].cable, units["U1"].battery_type, units["U1"].entry) == (True, "protocol", "Scheme 4")
    assert (units["U2"].cable, units["U2"].battery_type, units["U2"].entry) == (False, "user", None)


@pytest.mark.parametrize(
    ("ohm", "title"), [(120, "one is missing"), (40, "one too many"), (29, "far too many"), (5000, "none is in")]
)
def test_ohms_at_the_plug(ohm, title):
    assert title in finding(plan_of(changed(SKERRY, link__measured_ohm=ohm)), "terminators").message


@given(st.integers(1, 6))
def test_terminators_from_ohms_and_back(n):
    assert terminators_at(ohms_with(n)) == n


def test_sixty_ohms_are_right():
    assert "terminators" not in rules(plan_of(changed(SKERRY, link__measured_ohm=62)))


pin_sets = st.permutations(range(1, 9)).map(lambda p: p[:3])


@given(pin_sets, pin_sets, st.booleans(), st.booleans())
def test_made_cables_join_each_signal_once_on_one_pair(here, there, ground, power):
    """Rule cable-pins."""

    def made(pins, volts):
        signals = {pins[0]: H, pins[1]: L}
        if ground:
            signals[pins[2]] = "GND"
        elif power:
            signals[pins[2]] = volts
        return Port.model_validate(port(signals))

    bms, unit = made(there, "+5V"), made(here, "+12V")
    cable = make_cable(bms, unit, 250_000, "auto", None)
    ends = [("b", w.from_) for w in cable.wires] + [("u", w.to) for w in cable.wires]
    assert len(set(ends)) == len(ends) and len({w.conductor for w in cable.wires}) == len(cable.wires)
    pair = [w for w in cable.wires if w.signal in (H, L)]
    assert len(pair) == 2 and pair[0].pair == pair[1].pair
    for w in cable.wires:
        assert bms.pins[str(w.from_)] == unit.pins[str(w.to)] == w.signal
        assert not w.signal.startswith("+") and w.colour == T568B[w.conductor] and w.pair == pair_of(w.conductor)


# What only one direction changes, what is asked at its own times, who is not heard


@given(st.lists(st.tuples(st.integers(5, 300), st.integers(5, 300)), min_size=2, max_size=6), st.sampled_from([1.0, 0.95]))
def test_a_direction_switched_off_leaves_the_other_as_it_is(limits, buffer):
    one = resolve_modules(job_of(SKERRY), shipped_library())[0]
    modules = [replace(one, id=f"M{i}", charge_a=a, discharge_a=b) for i, (a, b) in enumerate(limits)]
    rows = {d.case: d for d in displays(modules, one.bms.model_copy(update={"buffer": buffer, "report_step_a": 1}), None)}
    charge, discharge = [a for a, _ in limits], [b for _, b in limits]
    for case, left_in, left_out in (
        ("all", charge, discharge),
        ("charge-off", sorted(charge)[:-1], discharge),
        ("discharge-off", charge, sorted(discharge)[:-1]),
    ):
        want = math.floor(buffer * sum(left_in) + 1e-9), math.floor(buffer * sum(left_out) + 1e-9)
        assert (rows[case].charge_a, rows[case].discharge_a) == want


def test_timed_requests_are_rows_with_their_times():
    one = resolve_modules(job_of(SKERRY), shipped_library())[0]
    asks = [
        TimedRequest(ask="full-charge", every_days=30, lasts_min=120, request_cell_v=3.55),
        TimedRequest(ask="stop-discharge", below_soc=0.05),
    ]
    rows = {d.case: d for d in displays([one], one.bms.model_copy(update={"timed_requests": asks}), None)}
    assert rows["asks-full-charge"].note == "every 30 days, for 120 min" and rows["asks-full-charge"].charge_v == 16 * 3.55
    assert rows["asks-stop-discharge"].discharge_a == 0 and rows["asks-stop-discharge"].charge_a == rows["all"].charge_a


def test_a_silent_module_outside_what_is_asked_is_a_stop_with_both_numbers():
    assert "silent-window" not in rules(with_silent())
    low = finding(with_silent(cell_max_v=3.45), "silent-window")
    assert low.severity == "stop" and "ask for 56 V; X bears 55.2 V" in low.message
    weak = finding(with_silent(charge_a=20, resistance_mohm=2), "silent-window")
    assert weak.severity == "stop" and weak.numbers["carried_a"] > weak.numbers["limit_a"] == 20


def test_the_bms_volts_beside_the_plans_and_followers_that_do_not_listen():
    told = finding(plan_of(SKERRY), "asked-volts")
    assert (
        told.severity == "caution"
        and (told.numbers["asked_v"], told.numbers["absorb_v"]) == (56.0, 55.2)
        and "U2 does" in told.message
    )
    assert "asked-volts" not in rules(plan_of(changed(SKERRY, policy__own_figures={"absorb_v": 56.0})))
    alone = changed(SKERRY, units=[data(SKERRY)["units"][0]])
    assert finding(plan_of(alone), "asked-volts").severity == "note"


def test_two_ways_of_counting_the_host():
    """One family's host is 1, the other's 0: a module set to 0 leads nobody in its own family."""
    job = changed(SKERRY, bank__modules__2={"id": "F", "profile": "fennick-100", "series_cells": 16})
    assert finding(plan_of(job), "address-families").severity == "caution"
    for m in job["bank"]["modules"][:2]:
        m["switches"] = "dddd"
    told = finding(plan_of(job), "address-families")
    assert told.severity == "stop" and told.numbers["hosts"] == {"dunmarrow": 1, "fennick": 0}


def test_the_port_that_looks_alike_is_of_the_same_kind_of_bus():
    profile = json.loads(
        next(p for p in shipped_library() if p.id == "dunmarrow-280").model_dump_json(by_alias=True, exclude_unset=True)
    )
    profile["id"], link = "other", next(p for p in profile["bms"]["ports"] if p["purpose"] == "module")
    for p in profile["bms"]["ports"]:
        if p["purpose"] == "inverter":
            p |= {"bus": "rs485" if link["bus"] == "can" else "can"}
    library = Library([*shipped_library(), parse_profile(json.dumps(profile))])
    job = changed(SKERRY, policy__loop="closed")
    for m in job["bank"]["modules"]:
        m["profile"] = "other"
    addresses = plan(parse_job(json.dumps(job), library), library).link.addresses
    assert addresses is None or not any("looks alike" in s for s in addresses.steps)
    assert any("looks alike" in s for s in plan_of(SKERRY).link.addresses.steps)


@pytest.mark.parametrize("gone", ["fill-volts", "low-out", "fill-amps"])
def test_carry_on_only_where_the_fallback_is_entered_and_acts(gone):
    """Behind a lost link a unit must not find the factory's volts, current or shut-down."""
    profile = json.loads(
        next(p for p in shipped_library() if p.id == "orrowan-t8").model_dump_json(by_alias=True, exclude_unset=True)
    )
    for s in profile["settings"]:
        if s["id"] in (gone, "rest-volts", "pct-out") and gone in (s["id"], "fill-volts", "low-out"):
            s["works_only_if"] = "store-kind = 'Own values'"
    library = Library([parse_profile(json.dumps(profile)), *(p for p in shipped_library() if p.id != "orrowan-t8")])

    def made(**policy):
        job = data(SKERRY)
        job["policy"] |= policy
        return plan(parse_job(json.dumps(job), library), library)

    entry = {r.value for u in made().units for r in u.settings if r.quantity == "link_loss_action"}
    assert entry == {"stop"} and "carry-on-safe" not in rules(made())
    assert "carry-on-safe" in rules(made(link_loss="carry-on"), "stop")
    assert {r.value for u in plan_of(SKERRY).units for r in u.settings if r.quantity == "link_loss_action"} == {"carry-on"}
