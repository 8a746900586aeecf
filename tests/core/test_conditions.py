"""The small language of profiles."""

import pytest

from ewerer.core.documents.conditions import ConditionError, parse_condition, parse_interlock

SHOWN = {"order": "Sun, store, grid", "judge": "Volts", "amps": "20", "eq": "Off"}


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("judge = Volts", True),
        ("judge = volts", False),
        ("judge != Percent", True),
        ("order = 'Sun, store, grid' and judge = Volts", True),
        ("order = 'Sun, store, grid' and judge = Percent", False),
        ("judge = Percent or eq = Off", True),
        ("not (judge = Percent or eq = On)", True),
        ("amps > 19.5 and amps <= 20", True),
        ("amps = 20.0", True),
        ("judge > 3", False),
        ("unknown = 1", False),
        ("judge = Percent and eq = On or amps = 20", True),
        ("judge = Percent and (eq = On or amps = 20)", False),
    ],
)
def test_conditions(text, holds):
    assert parse_condition(text).holds(SHOWN) is holds


def test_names_are_collected():
    assert parse_condition("a = 1 and (b = 2 or not c = 3)").names() == {"a", "b", "c"}


@pytest.mark.parametrize(
    "text", ["", "judge", "judge =", "= Volts", "(a = 1", "a = 1 b = 2", "a = 1 and", "__import__('os')", "a = 'open"]
)
def test_unreadable_conditions_are_refused(text):
    with pytest.raises(ConditionError, match="condition"):
        parse_condition(text)


def test_interlocks():
    parsed = parse_interlock("low-warn - low-out >= 0.5")
    assert (parsed.above, parsed.below, parsed.margin) == ("low-warn", "low-out", 0.5)


@pytest.mark.parametrize("text", ["a >= b", "a - b > 1", "a - b >= x", "a - b >= 1; import os", "a-b>=1"])
def test_unreadable_interlocks_are_refused(text):
    with pytest.raises(ConditionError, match="upper - lower >= number"):
        parse_interlock(text)
