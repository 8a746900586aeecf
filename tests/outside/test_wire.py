"""Wire formats against reference libraries: identifiers, register layouts, DBC files; lengths and colours of standards."""

import json
from pathlib import Path

import cantools
import pytest
import sunspec2
from cantools import j1939
from hypothesis import given, strategies as st

from ewerer.core.devices.cable import CAN_LENGTH_M, PAIRS, T568B, length_limit_m, ohms_with
from ewerer.core.devices.wire import models, rvc
from ewerer.core.devices.wire.protocols import FAMILIES, FOLDER


@given(st.integers(0, 0x1FFFF), st.integers(0, 255), st.integers(0, 7))
def test_identifiers_equal_the_reference_packing(group, source, priority):
    # Reference: cantools' J1939 helpers. The data group is data page, PDU format and PDU specific.
    packed = j1939.frame_id_pack(priority, 0, group >> 16 & 1, group >> 8 & 0xFF, group & 0xFF, source)
    assert rvc.frame_id(group, source, priority) == packed
    parts = j1939.frame_id_unpack(packed)
    assert rvc.split_id(packed) == (parts.priority, group, parts.source_address)


@pytest.mark.parametrize("bad", [(1 << 17, 0, 6), (0, 256, 6), (0, 0, 8), (-1, 0, 6)])
def test_identifiers_that_do_not_fit(bad):
    with pytest.raises(ValueError, match="group is"):
        rvc.frame_id(*bad)


@pytest.mark.parametrize("name", rvc.DATA_GROUPS)
def test_battery_groups_are_broadcast(name):  # [S, memory] RV-C: broadcast groups have a PDU format of F0h and up
    parts = j1939.frame_id_unpack(rvc.frame_id(rvc.DATA_GROUPS[name], 70))
    assert not j1939.is_pdu_format_1(parts.pdu_format)


def test_status_1_worked_by_hand():  # [S, memory] RV-C: volts in 0.05 V, amps in 0.001 A from -2,000,000 A
    data = rvc.SourceStatus1(1, 53.2, -12.5).encode()
    assert data[:4] == bytes([1, 120]) + (1064).to_bytes(2, "little")
    assert int.from_bytes(data[4:], "little") == 1_999_987_500
    assert rvc.decode_source_status_1(data) == rvc.SourceStatus1(1, 53.2, -12.5)


@given(st.integers(0, 250), st.integers(0, 1300), st.integers(-500_000, 500_000), st.integers(0, 200), st.integers(-40, 80))
def test_messages_round_trip(instance, volts, amps, soc, temp):
    one = rvc.SourceStatus1(instance, round(volts * 0.05, 2), round(amps * 0.001, 3))
    two = rvc.SourceStatus2(instance, float(temp), soc / 200)
    four = rvc.SourceStatus4(instance, round(volts * 0.05, 2), round(abs(amps) // 1000 * 0.05, 2))
    assert rvc.decode_source_status_1(one.encode()) == one
    assert rvc.decode_source_status_2(two.encode()) == two
    assert rvc.decode_source_status_4(four.encode()) == four


@pytest.mark.parametrize("decode", [rvc.decode_source_status_1, rvc.decode_source_status_2, rvc.decode_source_status_4])
def test_short_and_empty_messages(decode):
    with pytest.raises(ValueError, match="8 bytes"):
        decode(b"\x01\x02")
    assert decode(b"\xff" * 8) is None


MODELS = sorted(int(p.stem.split("_")[1]) for p in (Path(sunspec2.__file__).parent / "models" / "json").glob("model_*.json"))


@pytest.mark.parametrize("number", [1, 101, 103, 124, 160, 701, 702, 713, 714, 802, 803])
def test_models_lie_where_the_definition_says(number):
    """Sum of sizes before each point, walked anew over the published definition; groups once each."""
    group = json.loads((Path(sunspec2.__file__).parent / "models" / "json" / f"model_{number}.json").read_text())["group"]
    offset, found = 0, []

    def walk(g):
        nonlocal offset
        for p in g.get("points", []):
            found.append((p["name"], offset, p["size"], p["type"]))
            offset += p["size"]
        for inner in g.get("groups", []):
            walk(inner)

    walk(group)
    assert [(f.path.split("/")[-1], f.offset, f.size, f.type) for f in models.layout(number)] == found


@given(st.data())
def test_points_come_back_within_their_scale(data):
    number = data.draw(st.sampled_from([124, 160, 701, 702, 713, 714, 802, 803]))
    fields = models.layout(number)
    values = {f.path: data.draw(st.integers(-3, 1)) for f in fields if f.type == "sunssf"}
    for f in fields:
        if f.type in ("uint16", "int16", "uint32", "acc32") and f.path not in ("ID", "L") and f.unit and isinstance(f.scale, str):
            values[f.path] = data.draw(st.integers(0, 30_000)) * 10.0 ** values[f.scale]
    words = models.pack(number, values)
    back, points = models.unpack(words)
    assert back == number and words[1] == len(words) - 2 == sum(f.size for f in fields) - 2
    for f in fields:
        if f.path in values and f.type != "sunssf":
            assert points[f.path] == pytest.approx(values[f.path], abs=10.0 ** values[f.scale] / 2 + 1e-9)
    left_out = [f for f in fields if f.path not in values and f.type in ("uint16", "int16", "enum16") and f.path not in ("ID", "L")]
    assert not [f for f in left_out if f.path in points]


@pytest.mark.parametrize("number", MODELS)
def test_every_published_model_can_be_laid_out_packed_and_taken_apart(number):
    words = models.pack(number, {})
    assert words[0] == number and len(words) == words[1] + 2
    assert models.unpack(words)[0] == number


def test_models_that_are_cut_off_or_unknown():
    with pytest.raises(ValueError, match="says 62 registers, 10 came"):
        models.unpack([802, 62, *[0] * 10])
    with pytest.raises(ValueError, match="begins with"):
        models.unpack([802])
    with pytest.raises(KeyError):
        models.unpack([64_999, 0])


@pytest.mark.parametrize("path", sorted(FOLDER.glob("*.dbc")), ids=lambda p: p.stem)
def test_dbc_files_load_strictly_and_round_trip(path):
    # Reference: cantools in strict mode refuses overlapping or overflowing signals.
    database = cantools.database.load_file(path, strict=True)
    assert FAMILIES[path.stem].dbc == path.name and FAMILIES[path.stem].dbc_text() == path.read_text()
    for message in database.messages:
        assert message.frame_id < 0x800
        low = {s.name: s.minimum for s in message.signals}
        high = {s.name: min(s.maximum, s.conversion.raw_to_scaled(2 ** (s.length - s.is_signed) - 1)) for s in message.signals}
        for values in (low, high):
            back = message.decode(message.encode(values, strict=True))
            assert all(back[k] == pytest.approx(v, abs=abs(message.get_signal_by_name(k).scale)) for k, v in values.items())


def test_limits_frame_carries_the_reported_amps():
    database = cantools.database.load_file(FOLDER / "dunmarrow-link.dbc")
    values = {"ChargeVoltageLimit": 56.0, "ChargeCurrentLimit": 285, "DischargeCurrentLimit": 285, "DischargeVoltageLimit": 44.8}
    data = database.encode_message("Limits", values)
    assert data == bytes.fromhex("30021d011d01c001")


def test_colours_and_pairs():  # [S] TIA-568, pattern B
    """Rule cable-colours."""
    assert [T568B[p] for p in range(1, 9)] == [
        "white/orange",
        "orange",
        "white/green",
        "blue",
        "white/blue",
        "green",
        "white/brown",
        "brown",
    ]
    assert PAIRS == ((1, 2), (3, 6), (4, 5), (7, 8))
    for a, b in PAIRS:
        stripe, solid = sorted((T568B[a], T568B[b]), key=lambda c: "/" not in c)
        assert stripe == f"white/{solid}"


@pytest.mark.parametrize(("rate", "metres"), [(1_000_000, 25), (500_000, 100), (250_000, 250), (125_000, 500)])
def test_bus_lengths(rate, metres):  # [S, memory] CiA 303-1; 25 to 40 m at 1 Mbit/s
    assert length_limit_m("can", rate) == metres
    assert length_limit_m("can", rate + 1) <= metres


def test_lengths_fall_with_the_rate():
    rates = sorted(r for r, _ in CAN_LENGTH_M)
    assert [length_limit_m("can", r) for r in rates] == sorted((m for _, m in CAN_LENGTH_M), reverse=True)
    assert length_limit_m("rs485", 9600) == 1200 and length_limit_m("rs485", 1_000_000) == 100  # [S, memory] TIA-485


def test_terminated_bus_is_sixty_ohm():  # [S] ISO 11898-2: 120 ohm at each end
    assert [ohms_with(n) for n in range(4)] == [None, 120, 60, 40]
