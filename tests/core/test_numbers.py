"""Numbers as typed: the shared table, and what must hold of any text."""

import decimal
import math

import pytest
from hypothesis import given, strategies as st

from ewerer.core.trade.numbers import KINDS, gauge_mm2, read_number
from tests.numbers import rows


@pytest.mark.parametrize("case", rows(), ids=lambda c: f"{c['text']!r}-{c['unit']}")
def test_the_shared_table(case):
    said = read_number(case["text"], case["unit"], **case["options"])
    expected = case["expected"]
    if expected is None:
        assert said.empty
    elif expected == "refused":
        assert said.refused and said.value is None and not said.ask
    elif isinstance(expected, list):
        assert list(said.ask) == expected and said.value is None
    else:
        assert said.value == expected, said


def test_the_table_is_long_enough():
    assert len(rows()) >= 120


@given(st.text(max_size=60), st.sampled_from(["", *(u for kind in KINDS.values() for u in kind)]), st.booleans())
def test_any_text_says_one_thing(text, unit, whole):
    said = read_number(text, unit, whole=whole)
    assert (said.value is not None) + bool(said.ask) + bool(said.refused) + said.empty == 1
    for value in ([said.value] if said.value is not None else []) + list(said.ask):
        assert math.isfinite(value)


@given(
    st.decimals(allow_nan=False, allow_infinity=False, min_value=-(10**9), max_value=10**9, places=3),
    st.sampled_from([".", ","]),
    st.sampled_from(["", " ", "'"]),
)
def test_what_is_written_as_people_write_it_is_what_is_read(number, mark, gap):
    """The oracle is Python's decimal: the figure itself is known before it is spelled."""
    whole, _, part = f"{abs(number):f}".partition(".")
    groups = f"{int(whole):,}".replace(",", gap)
    text = ("-" if number < 0 else "") + groups + mark + part
    said = read_number(text, "W")
    right = float(+decimal.Context(prec=12).create_decimal(number))
    if said.ask:  # three places after a comma and up to three digits before it
        assert mark == "," and right in said.ask
    else:
        assert said.value == right


@given(st.integers(1, 999), st.integers(0, 999))
def test_never_a_silent_choice_between_two_readings(before, after):
    assert set(read_number(f"{before},{after:03d}", "W").ask) == {before * 1000 + after, before + after / 1000}


@pytest.mark.parametrize(("kind", "units"), KINDS.items())
def test_units_of_a_kind_lead_to_each_other_and_back(kind, units):
    for a in units:
        for b in units:
            there = read_number(f"8 {a}", b).value
            assert there is not None, (a, b)
            back = read_number(f"{there:.17g} {b}"[:40], a).value
            assert back == pytest.approx(8, rel=1e-9)


@pytest.mark.parametrize(
    ("gauge", "mm2"), [(-3, 107.2), (-1, 67.43), (0, 53.49), (2, 33.63), (4, 21.15), (6, 13.30), (10, 5.261), (14, 2.081)]
)
def test_gauges_are_those_of_the_standard(gauge, mm2):
    """Sections as listed with ASTM B258, to four digits."""
    assert gauge_mm2(gauge) == pytest.approx(mm2, rel=5e-4)
