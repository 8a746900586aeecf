"""Registers of a device: what lies where, which requests hold it, what is written for a text."""

import random

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.codec import canonical_text, factory_shown
from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.registers import (
    Request,
    image,
    mapped,
    measured_by,
    measured_words,
    raw_of,
    registers_for,
    requests_for,
    shown_by,
    slices,
    words_of,
)
from ewerer.core.documents.registers import Block, MeasuredAt, Register, RegisterMap
from ewerer.core.trade.measures import MEASURES

PROFILES = [p for p in shipped_library() if getattr(p, "modbus", None) is not None]


def some_text(setting, rng, profile):
    """A text that a setting can show."""
    if setting.is_choice:
        return rng.choice(list((setting.encoding.choices or {}).values()))
    if setting.values:
        value = rng.choice(setting.values)
    else:
        value = setting.min + setting.step * rng.randrange(int((setting.max - setting.min) / setting.step + 1e-6) + 1)
    if setting.encoding.kind == "hhmm":
        return f"{int(value) // 60:02d}:{int(value) % 60:02d}"
    return canonical_text(setting, f"{value:.9f}".rstrip("0").rstrip("."), profile)


@pytest.mark.parametrize("profile", PROFILES, ids=lambda p: p.id)
def test_whatever_a_display_can_show_comes_back_from_its_registers(profile):
    rng = random.Random(4)
    for setting in mapped(profile).values():
        for _ in range(12):
            text = some_text(setting, rng, profile)
            words = registers_for(setting, text, profile)
            assert len(words) == setting.register_.width and all(0 <= w < 65_536 for w in words)
            assert shown_by(setting, words, profile) == text


@pytest.mark.parametrize("profile", PROFILES, ids=lambda p: p.id)
def test_no_two_values_of_a_shipped_map_lie_on_each_other_and_every_setting_is_read_in_few_requests(profile):
    taken = set()
    places = [s.register_ for s in mapped(profile).values()] + [m.register_ for m in profile.modbus.measurements]
    for r in places:
        here = {(r.registers, r.at + k) for k in range(r.width)}
        assert not here & taken
        taken |= here
    settings = [s.register_ for s in mapped(profile).values()]
    assert len(requests_for(settings, profile.modbus)) <= 12
    for setting in mapped(profile).values():
        if setting.is_choice:
            assert set(setting.register_.enum.values()) == set((setting.encoding.choices or {}).values())


@given(st.data())
def test_requests_hold_every_wanted_register_and_none_is_longer_than_the_device_answers(data):
    """Against a plain oracle: the union of what is asked for."""
    most = data.draw(st.integers(2, 125))
    registers = [
        Register(registers=data.draw(st.sampled_from(["holding", "input"])), at=data.draw(st.integers(0, 400)), type=data.draw(st.sampled_from(["u16", "i32", "f32"])))
        for _ in range(data.draw(st.integers(1, 20)))
    ]  # fmt: skip
    blocks = [Block(at=a, count=data.draw(st.integers(1, most))) for a in data.draw(st.lists(st.integers(0, 400), max_size=4))]
    how = RegisterMap(most_registers=most, blocks=blocks)
    asked = requests_for(registers, how)
    assert all(r.count <= most for r in asked)
    for r in registers:
        whole = any(q.table == r.registers and q.at <= r.at and r.at + r.width <= q.at + q.count for q in asked)
        assert whole, (r, asked)
    named = {(b.registers, b.at, b.count) for b in blocks}
    for q in asked:  # nothing is asked for in vain: each request holds something wanted
        assert any(slices(r, q, range(q.count)) is not None for r in registers)
        if (q.table, q.at, q.count) not in named:
            assert any(r.registers == q.table and r.at == q.at for r in registers)


@given(st.sampled_from(["u16", "i16", "u32", "i32"]), st.sampled_from(["big", "little"]), st.data())
def test_whole_numbers_come_back_in_either_order_of_words(kind, order, data):
    bits = 32 if kind.endswith("32") else 16
    low, high = (-(1 << bits - 1), (1 << bits - 1) - 1) if kind[0] == "i" else (0, (1 << bits) - 1)
    register = Register(at=1, type=kind, word_order=order)
    value = data.draw(st.integers(low, high))
    words = words_of(register, value)
    assert raw_of(register, words) == value
    # Restated: big order is the number in base 65536.
    plain = value % (1 << bits)
    expected = [plain] if bits == 16 else [plain >> 16, plain & 0xFFFF]
    assert words == (expected[::-1] if order == "little" else expected)
    with pytest.raises(ValueError, match="does not fit"):
        words_of(register, high + 1)


def test_texts_and_floats_and_too_few_registers():
    name = Register(at=1, type="string", length=4)
    assert raw_of(name, words_of(name, "Tallow")) == "Tallow"
    assert raw_of(Register(at=1, type="f32"), words_of(Register(at=1, type="f32"), 52.5)) == 52.5
    with pytest.raises(ValueError, match="2 registers are needed, 1 came"):
        raw_of(Register(at=1, type="u32"), [1])


def test_a_number_that_stands_for_no_word_and_a_figure_out_of_range_are_refused_by_name():
    profile = next(p for p in PROFILES if p.id == "orrowan-t8")
    kind, volts = (profile.setting_for(q) for q in ("battery_type", "absorb_v"))
    with pytest.raises(ValueError, match="99 stands for none of its words"):
        shown_by(kind, [99], profile)
    with pytest.raises(ValueError, match="outside 48 to 61 V"):
        shown_by(volts, [6500], profile)
    with pytest.raises(ValueError):
        registers_for(volts, "99.0", profile)


@pytest.mark.parametrize("profile", PROFILES, ids=lambda p: p.id)
def test_an_image_holds_what_the_device_shows_and_measures(profile):
    measured = dict.fromkeys(MEASURES, 3.0)
    held = image(profile, factory_shown(profile), measured)
    for setting in mapped(profile).values():
        r = setting.register_
        words = [held[r.registers][r.at + k] for k in range(r.width)]
        if factory_shown(profile).get(setting.id) is not None:
            try:
                assert shown_by(setting, words, profile) == factory_shown(profile)[setting.id]
            except ValueError:
                assert words == [0] * r.width  # its factory figure cannot be shown
    for m in profile.modbus.measurements:
        words = [held[m.register_.registers][m.register_.at + k] for k in range(m.register_.width)]
        assert measured_by(m, words) == pytest.approx(3.0, abs=m.register_.scale)


@given(st.sampled_from([m for p in PROFILES for m in p.modbus.measurements]), st.floats(-1e7, 1e7))
def test_a_measurement_too_large_for_its_register_is_cut_not_wrapped(place: MeasuredAt, value):
    back = measured_by(place, measured_words(place, value))
    if abs(value) < 30 * place.register_.scale and (value * place.sign >= 0 or place.register_.type[0] == "i"):
        assert back == pytest.approx(value, abs=place.register_.scale)
    assert back * value >= 0 or abs(back) <= place.register_.scale


def test_a_map_refuses_what_cannot_be():
    with pytest.raises(ValueError, match="beyond the last register"):
        Register(at=65_535, type="u32")
    with pytest.raises(ValueError, match="input register cannot be written"):
        Register(at=1, registers="input", write=True)
    with pytest.raises(ValueError, match="stands twice"):
        RegisterMap(measurements=[MeasuredAt(measure="volts", register=Register(at=k)) for k in (1, 2)])
    with pytest.raises(ValueError, match="not a known measurement"):
        MeasuredAt(measure="colour", register=Register(at=1))
    assert slices(Register(at=5, type="u32"), Request("holding", 1, 5), [1, 2, 3, 4, 5]) is None
