"""Frames of a bus: what python-can wrote and cantools alone decodes is what the log holds, in every format."""

import json
import random
import re

import can
import cantools
import numpy as np
import pytest

from ewerer.cli import main
from ewerer.core.devices.wire import rvc
from ewerer.core.devices.wire.protocols import FAMILIES
from ewerer.core.logs import frames as F
from ewerer.core.logs.report import open_log

LINK = FAMILIES["dunmarrow-link"]
DBC = cantools.database.load_string(LINK.dbc_text(), "dbc")


def bus(seconds=300, seed=1):
    """Return messages as a bank sends them: a state each second, limits each second a little later, a lone counter."""
    draw = random.Random(seed)
    out, said = [], []
    for s in range(seconds):
        at = 1_750_000_000 + s
        state = {"BankVoltage": round(52 + 3 * s / seconds, 2), "BankCurrent": round(draw.uniform(-200, 200), 1), "Temperature": 21.5,
                 "StateOfCharge": 50 + s * 50 // seconds, "StateOfHealth": 99}  # fmt: skip
        limits = {
            "ChargeVoltageLimit": 55.2,
            "ChargeCurrentLimit": draw.randint(0, 399),
            "DischargeCurrentLimit": 570,
            "DischargeVoltageLimit": 45.7,
        }
        for name, values, late in (("Limits", limits, 0.0), ("State", state, 0.1)):
            message = DBC.get_message_by_name(name)
            out.append(can.Message(at + late, message.frame_id, is_extended_id=False, data=message.encode(values)))
        out.append(can.Message(at + 0.2, 0x360, is_extended_id=False, data=bytes([s % 256])))
        said.append({**limits, **state})
    return out, said


def written(folder, suffix, messages):
    path = folder / f"bus{suffix}"
    with can.Logger(path) as logger:
        for m in messages:
            logger.on_message_received(m)
    return path


@pytest.mark.parametrize("suffix", [".log", ".asc", ".blf", ".trc"])
def test_every_format_gives_what_was_sent(tmp_path, suffix):
    messages, said = bus()
    path = written(tmp_path, suffix, messages)
    log = open_log(path, path.name)
    assert log.rows == len(said) and log.bad_rows == 0
    pairs = {
        "volts": "BankVoltage",
        "amps": "BankCurrent",
        "limit_in_a": "ChargeCurrentLimit",
        "limit_out_a": "DischargeCurrentLimit",
        "asked_v": "ChargeVoltageLimit",
    }
    for column, signal in pairs.items():
        assert np.allclose(log.columns[column], [s[signal] for s in said]), (suffix, column)
    assert np.allclose(log.columns["soc"], [s["StateOfCharge"] / 100 for s in said])
    assert log.clock.step_s == pytest.approx(1.0, abs=0.002) and log.clock.gaps == []


def test_both_ways_of_reading_candump_agree_and_agree_with_the_reader(tmp_path):
    messages, _ = bus(2000)
    draw = random.Random(3)
    for _ in range(2000):
        long = draw.random() < 0.5
        messages.append(
            can.Message(
                draw.uniform(1, 2e9),
                draw.randrange(2**29 if long else 2**11),
                is_extended_id=long,
                data=draw.randbytes(draw.randint(0, 8)),
            )
        )
    path = written(tmp_path, ".log", messages)
    raw = path.read_bytes()
    lines = raw.splitlines()
    for _ in range(300):
        at = draw.randrange(len(lines))
        lines[at] = draw.choice(
            [lines[at][: draw.randrange(len(lines[at]) + 1)], b"", b"noise", lines[at].replace(b"#", b"##"), lines[at] + b"F"]
        )
    dirty = b"\n".join(lines)
    slow = F.parse_candump(dirty)
    at, ids, long, sizes, data, bad = F._fast()(np.frombuffer(dirty, np.uint8), len(lines) + 1)
    assert bad == slow.bad and np.array_equal(ids, slow.id) and np.array_equal(long, slow.extended)
    assert np.array_equal(sizes, slow.size) and np.array_equal(data, slow.data) and np.allclose(at, slow.at, atol=1e-6)
    clean = F.parse_candump(raw)
    with can.LogReader(path) as reader:
        read = list(reader)
    assert [m.arbitration_id for m in read] == clean.id.tolist() and [bytes(m.data) for m in read] == [
        int(d).to_bytes(8, "little")[:n] for d, n in zip(clean.data, clean.size, strict=True)
    ]


def test_signals_of_either_byte_order_and_sign_are_what_cantools_says():
    draw = random.Random(5)
    for family in FAMILIES.values():
        text = family.dbc_text()
        if text is None:
            continue
        # The same signals the other way round: big endian, signed, shifted.
        for form in (
            text,
            re.sub(
                r": (\d+)\|(\d+)@1\+ ", lambda m: f": {int(m[1]) // 8 * 8 + 7}|{m[2]}@0- " if int(m[2]) % 8 == 0 else m[0], text
            ),
        ):
            database = cantools.database.load_string(form, "dbc")

            class Made:
                name, signals = family.name, family.signals
                dbc_text = staticmethod(lambda form=form: form)

            rows = [(m, draw.randbytes(8)) for m in database.messages for _ in range(20)]
            frames = F.Frames(np.arange(len(rows), dtype=float), np.array([m.frame_id for m, _ in rows], np.uint32), np.zeros(len(rows), bool),
                              np.full(len(rows), 8, np.uint8), np.array([int.from_bytes(d, "little") for _, d in rows], np.uint64))  # fmt: skip
            got = F.decode(frames, Made)
            seen = 0
            for measure, (at, figures) in got.items():
                for second, figure in zip(at, figures, strict=True):
                    message, data = rows[int(second)]
                    told = message.decode(data, decode_choices=False)
                    name = next(s for s, m in family.signals.items() if m == measure and s in told)
                    assert figure == pytest.approx(told[name], abs=1e-9), (family.name, name)
                    seen += 1
            assert seen > 50


def test_rv_c_is_read_by_its_public_layout(tmp_path):
    lines = []
    for s in range(60):
        one = rvc.SourceStatus1(1, 52.0 + s * 0.05, -12.5).encode().hex().upper()
        two = rvc.SourceStatus2(1, 22.0, 0.5).encode().hex().upper()
        lines += [
            f"({1000 + s}.000000) can0 {rvc.frame_id(rvc.DC_SOURCE_STATUS_1, 5):08X}#{one}",
            f"({1000 + s}.100000) can0 {rvc.frame_id(rvc.DC_SOURCE_STATUS_2, 5):08X}#{two}",
        ]
    log = open_log("\n".join(lines).encode(), "bus.log")
    assert np.allclose(log.columns["volts"], 52 + 0.05 * np.arange(60)) and np.allclose(log.columns["amps"], -12.5)
    assert np.allclose(log.columns["soc"][1:], 0.5) and log.columns["temp_c"][5] == pytest.approx(22.0, abs=0.05)


def test_a_bus_that_falls_silent_is_found(tmp_path):
    """The link is pulled for a minute: a gap where nothing came; limits alone missing is told as no limits from the BMS."""
    messages, _ = bus(600)
    quiet = [m for m in messages if not (200 <= m.timestamp - 1_750_000_000 < 260 and m.arbitration_id == 0x350)]
    path = written(tmp_path, ".log", quiet)
    assert main(["log", str(path), "-o", str(tmp_path / "out.json")]) == 3
    told = json.loads((tmp_path / "out.json").read_text())
    link = [f for f in told["findings"] if f["what"] == "link"]
    assert len(link) == 1 and 50 <= link[0]["figure"] <= 62
    gone = [m for m in messages if not 200 <= m.timestamp - 1_750_000_000 < 260]
    log = open_log(written(tmp_path, ".asc", gone), "bus.asc")
    assert len(log.clock.gaps) == 1


def test_frames_of_no_known_protocol_are_refused_in_words(tmp_path, capsys):
    path = tmp_path / "bus.log"
    path.write_text("(1.000000) can0 7FF#01\n(2.000000) can0 7FF#02\n")
    assert main(["log", str(path)]) == 2
    assert "no frame of a protocol" in capsys.readouterr().err
