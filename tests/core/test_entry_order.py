"""The order of entry: exact against breadth-first search, replayed on the device model, safe and explained."""

from collections import deque
from itertools import pairwise

import pytest
from hypothesis import given, settings, strategies as st

from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal, UnitState
from ewerer.core.visit.order import entry_order, menu_distance, needed_mode, why_now
from tests.orders import OPEN, ORROWAN, device, orrowan_order, replay, setting
from tests.sizes import size


def choice(id, *words, menu="A", **more):
    return {
        "id": id,
        "menu": menu.split("/"),
        "label": id,
        "factory": words[0],
        "encoding": {"kind": "choice", "choices": {w: w for w in words}},
    } | more


def shortest(model, found, target, domain, most=400_000):
    """Breadth-first reference: the least number of writes from found to target with values of ``domain``."""
    start = model.start(found, "off", "installer")
    ids = list(model.settings)
    key = lambda shown: tuple(shown.get(i, "") for i in ids)  # noqa: E731
    queue, seen = deque([(start, 0)]), {key(start.shown)}
    while queue:
        state, depth = queue.popleft()
        if all(state.shown.get(i) == t for i, t in target.items()):
            return depth
        for id in ids:
            for text in domain(id):
                if state.shown.get(id) == text:
                    continue
                after = model.write(state, id, text)
                if not isinstance(after, Refusal) and key(after.shown) not in seen:
                    seen.add(key(after.shown))
                    queue.append((after, depth + 1))
        assert len(seen) < most
    return None


@st.composite
def puzzles(draw, most=14, locks=True, temporary=False):
    """Random devices with interlocks, side effects and conditions, and two states that keep all interlocks."""
    n = draw(st.integers(2, most))
    numeric = draw(st.integers(0, min(n, 3 if temporary else 5)))
    names = [f"s{i}" for i in range(n)]
    menus = ["A", "A/B", "A/C", "D", "D/E"]
    items = []
    for i, id in enumerate(names):
        menu = draw(st.sampled_from(menus))
        items.append(setting(id, menu, 0, 4 if temporary else 9) if i < numeric else choice(id, "p", "q", "r", menu=menu))
    for item in items[numeric:]:
        if draw(st.integers(0, 3)) == 0:
            others = draw(st.lists(st.sampled_from(names), min_size=1, max_size=4, unique=True))
            sets = {
                o: str(draw(st.integers(0, 4))) if names.index(o) < numeric else draw(st.sampled_from("pqr"))
                for o in others
                if o != item["id"]
            }
            if sets and not (set(sets) & set(names[:numeric])):
                item["side_effects"] = [{"sets": sets}]
        if draw(st.integers(0, 3)) == 0 and n > numeric + 1:
            other = draw(st.sampled_from(names[numeric:]))
            if other != item["id"]:
                item["works_only_if"] = f"{other} = {draw(st.sampled_from('pqr'))}"
    rules = []
    low, high = [draw(st.lists(st.integers(0, 4), min_size=numeric, max_size=numeric)) for _ in range(2)]
    if locks:
        for a, b in pairwise(range(numeric)):
            gap = min(low[a] - low[b], high[a] - high[b])
            rules.append(f"s{a} - s{b} >= {gap - draw(st.integers(0, 1))}")
            if temporary and draw(st.booleans()):
                back = min(low[b] - low[a], high[b] - high[a])
                rules.append(f"s{b} - s{a} >= {back - draw(st.integers(0, 1))}")
    model = device(*items, locks=rules)
    found = {id: str(low[i]) if i < numeric else draw(st.sampled_from("pqr")) for i, id in enumerate(names)}
    target = {id: str(high[i]) if i < numeric else draw(st.sampled_from("pqr")) for i, id in enumerate(names)}
    return model, found, target


@settings(max_examples=size(20, 480))
@given(puzzles())
def test_as_short_as_breadth_first_and_replay_ends_in_the_target(puzzle):
    """Rule entry-order-search."""
    model, found, target = puzzle
    order = entry_order(model, found, target)
    least = shortest(model, found, target, lambda id: [target[id]])
    if least is None:
        assert order.blocked or any(w.temporary for w in order.writes)
        return
    assert order.blocked is None and order.proven
    assert len(order.writes) == least and not any(w.temporary for w in order.writes)
    shown = replay(model, found, order)
    assert {id: shown[id] for id in target} == target


@settings(max_examples=size(20, 320))
@given(puzzles(most=5, temporary=True))
def test_temporary_values_only_when_needed_and_then_as_few_as_possible(puzzle):
    model, found, target = puzzle
    order = entry_order(model, found, target)
    plain = shortest(model, found, target, lambda id: [target[id]])
    if plain is not None:
        assert len(order.writes) == plain
        return
    every = lambda id: [str(k) for k in range(5)] if not model.settings[id].is_choice else ["p", "q", "r"]  # noqa: E731
    least = shortest(model, found, target, every)
    if least is None:
        assert order.blocked is not None and order.blocked.reasons
        return
    assert order.blocked is None
    assert len(order.writes) == least
    shown = replay(model, found, order)
    assert {id: shown[id] for id in target} == target


def walk(model, sequence):
    places = [model.settings[id].menu for id in sequence]
    return sum(menu_distance(a, b) for a, b in pairwise(places))


@settings(max_examples=size(20, 240))
@given(puzzles(most=6))
def test_the_menu_walk_is_the_least_among_the_shortest(puzzle):
    model, found, target = puzzle
    order = entry_order(model, found, target)
    if order.blocked or any(w.temporary for w in order.writes):
        return
    best = None
    stack = [(model.start(found, "off", "installer"), [])]
    while stack:
        state, path = stack.pop()
        if all(state.shown.get(i) == t for i, t in target.items()):
            if len(path) == len(order.writes):
                best = walk(model, path) if best is None else min(best, walk(model, path))
            continue
        if len(path) >= len(order.writes):
            continue
        for id, text in target.items():
            if state.shown.get(id) != text:
                after = model.write(state, id, text)
                if not isinstance(after, Refusal):
                    stack.append((after, [*path, id]))
    assert walk(model, [w.setting for w in order.writes]) == best


def test_alarm_and_shut_down_upwards_raise_the_alarm_first():
    found, target = OPEN | {"low-out": "46.0", "low-warn": "47.5"}, {"low-out": "48.0", "low-warn": "48.5"}
    model, order, writes = orrowan_order(found, target)
    assert writes == [("low-warn", "48.5"), ("low-out", "48.0")]
    assert replay(model, found, order)["low-out"] == "48.0"
    assert why_now(model, found, order.writes, ())[0] == "before Output stops at: Low warning at least 0.5 over Output stops at"


def test_alarm_and_shut_down_downwards_lower_the_shut_down_first():
    found, target = OPEN | {"low-out": "48.0", "low-warn": "48.5"}, {"low-out": "46.0", "low-warn": "47.5"}
    assert orrowan_order(found, target)[2][0] == ("low-out", "46.0")
    # 46 under a warning of 47.5 is fine either way; with a narrow step only one order is.
    assert orrowan_order(found, {"low-out": "47.0", "low-warn": "47.5"})[2] == [("low-out", "47.0"), ("low-warn", "47.5")]


def test_a_target_that_needs_a_temporary_value():
    model = device(
        setting("warn", low=40, high=60), setting("stop", low=40, high=60), locks=("warn - stop >= 1", "stop - warn >= -2")
    )
    order = entry_order(model, {"warn": "46", "stop": "44"}, {"warn": "51", "stop": "49"})
    assert order.blocked is None and any(w.temporary for w in order.writes)
    assert replay(model, {"warn": "46", "stop": "44"}, order) == {"warn": "51", "stop": "49"}
    assert len(order.writes) == shortest(
        model, {"warn": "46", "stop": "44"}, {"warn": "51", "stop": "49"}, lambda _: [str(v) for v in range(40, 61)]
    )


def test_an_impossible_target_names_the_interlock_and_the_nearest():
    found, target = OPEN | {"low-out": "46.0", "low-warn": "47.5"}, {"low-out": "48.0", "low-warn": "48.2"}
    model, order, _ = orrowan_order(found, target)
    assert order.blocked.reasons[0].rule == "low-warn - low-out >= 0.5"
    assert "Low warning at least 0.5 over Output stops at" in order.blocked.reasons[0].text
    near = order.blocked.nearest
    assert float(near["low-warn"]) - float(near["low-out"]) >= 0.5 - 1e-9
    shown = replay(model, found, order)
    assert {k: shown[k] for k in near} == dict(near)


def test_new_store_comes_before_what_it_resets():
    found = {
        "store-kind": "Own values",
        "new-store": "No",
        "fill-amps": "76",
        "shunt": "500",
        "low-out": "45.7",
        "low-warn": "47.0",
    }
    target = {"new-store": "Yes", "fill-amps": "76", "shunt": "500"}
    model, order, writes = orrowan_order(found, target)
    assert writes[0] == ("new-store", "Yes") and {w[0] for w in writes[1:]} == {"fill-amps", "shunt"}
    assert "which it resets" in why_now(model, found, order.writes, ())[0]


def test_nothing_to_do_is_an_empty_sequence():
    assert entry_order(DeviceModel(ORROWAN), {"judge": "Percent"}, {"judge": "Percent"}).writes == ()


def test_the_kind_of_battery_comes_before_the_volts_it_resets():
    target = {
        "store-kind": "Own values",
        "fill-volts": "55.2",
        "rest-volts": "53.6",
        "low-out": "45.7",
        "low-warn": "48.1",
        "low-back": "51.3",
    }
    model, order, writes = orrowan_order({}, target)
    assert writes[0] == ("store-kind", "Own values") and len(writes) == len(target)
    replay(model, {}, order)


def test_hidden_settings_are_opened_first():
    model, order, writes = orrowan_order({"judge": "Volts"}, {"judge": "Percent", "pct-out": "12"})
    assert [w[0] for w in writes] == ["judge", "pct-out"]
    assert why_now(model, {"judge": "Volts"}, order.writes, ())[0] == "before Output stops at percent, which it allows"


def test_a_setting_visible_only_under_another_value_is_passed_through():
    model = device(choice("mode", "volts", "percent"), setting("level", works_only_if="mode = percent"))
    order = entry_order(model, {"mode": "volts", "level": "2"}, {"mode": "volts", "level": "5"})
    assert [(w.setting, w.text, w.temporary) for w in order.writes] == [
        ("mode", "percent", True),
        ("level", "5", False),
        ("mode", "volts", False),
    ]


def test_a_dangerous_value_goes_first():
    model = device(setting("a"), setting("b", menu="B"), choice("equalise", "off", "on", menu="C"))
    order = entry_order(model, {"a": "0", "b": "0", "equalise": "on"}, {"a": "1", "b": "2", "equalise": "off"}, first=["equalise"])
    assert order.writes[0].setting == "equalise" and len(order.writes) == 3
    assert why_now(model, {}, order.writes, ["equalise"])[0].startswith("first, it ends a danger")


@pytest.mark.parametrize(
    ("state", "setting_id", "text", "kind"),
    [
        (("on", "installer"), "store-kind", "Linked", "mode"),
        (("standby", "user"), "warm-slope", "0", "level"),
        (("standby", "installer"), "scheme", "Scheme 4", "condition"),
        (("standby", "installer"), "fill-volts", "70", "value"),
        (("standby", "installer"), "low-warn", "41.0", "interlock"),
        (("standby", "installer"), "ghost", "1", "unknown"),
    ],
)
def test_what_the_unit_refuses(state, setting_id, text, kind):
    model = DeviceModel(ORROWAN)
    refused = model.write(model.start({}, *state), setting_id, text)
    assert isinstance(refused, Refusal) and refused.kind == kind and refused.text


def test_a_write_applies_its_side_effects_and_asks_for_a_restart():
    model = device(choice("kind", "a", "b", side_effects=[{"sets": {"x": "7"}}], takes_effect="restart"), setting("x"))
    state = model.write(UnitState({"kind": "a", "x": "1"}), "kind", "b")
    assert state.shown == {"kind": "b", "x": "7"} and state.restart_due
    same = model.write(UnitState({"kind": "a", "x": "1"}), "kind", "a")
    assert same.shown == {"kind": "a", "x": "1"} and not same.restart_due


def test_mode_is_the_most_demanding_of_the_entries():
    model = DeviceModel(ORROWAN)
    assert needed_mode(model, ["judge"], False) == "on"
    assert needed_mode(model, ["judge"], True) == needed_mode(model, ["judge", "place"], False) == "standby"
    brackwater = DeviceModel(next(p for p in shipped_library() if p.id == "brackwater-m5"))
    assert needed_mode(brackwater, ["c-type", "v-bulk"], True) == "off"
