"""Files that are cut, shuffled, swollen or of another kind: refused in words or read, never a crash, never for long."""

import random

import numpy as np
import pytest

from ewerer.core.logs.find import find
from ewerer.core.logs.report import open_log, report
from ewerer.core.trade.errors import DocumentError
from tests.logs.logmaker import frame_of, made, noisy
from tests.logs.test_frames import bus
from tests.sizes import size


def base(kind, seed):
    if kind == "candump":
        return b"\n".join(f"({m.timestamp:.6f}) can0 {m.arbitration_id:03X}#{m.data.hex().upper()}".encode() for m in bus(60)[0])
    t, columns, _ = made(seed % 3, days=1)
    frame = frame_of(t[::120], {k: x[::120] for k, x in noisy(columns, seed).items()})
    return frame.write_csv(separator=";" if kind == "semicolons" else ",").encode("utf-16" if kind == "wide" else "utf-8")


BASES = {}
WORDS = [
    b"",
    b";",
    b",",
    b"\t",
    b'"',
    b"\n",
    b"\r",
    b"\0",
    b"NaN",
    b"1e999",
    b"-1e308",
    b"inf",
    b"9" * 400,
    b"\xff\xfe",
    b"=cmd()",
    b"2025-13-45 99:99",
    b"\xf0\x9f\x94\x8b",
    b"#",
    b"(",
    b"{}",
]


def mutated(draw):
    kind = draw.choice(["commas", "semicolons", "wide", "candump"])
    key = (kind, draw.randrange(3))
    raw = bytearray(BASES.setdefault(key, base(*key)))
    for _ in range(draw.choice([1, 1, 3, 20, 200])):
        at = draw.randrange(len(raw) or 1)
        act = draw.randrange(6)
        if act == 0:
            raw[at : at + draw.randrange(200)] = b""
        elif act == 1:
            raw[at:at] = draw.choice(WORDS) * draw.choice([1, 1, 1, 50])
        elif act == 2:
            raw[at : at + 1] = bytes([draw.randrange(256)])
        elif act == 3:
            other = draw.randrange(len(raw) or 1)
            raw[at:at] = raw[other : other + draw.randrange(300)]
        elif act == 4:
            raw = raw[:at] if draw.random() < 0.1 else raw
        else:
            line = raw.find(b"\n", at)
            raw[line:line] = draw.choice(WORDS)
    return bytes(raw)


@pytest.mark.parametrize("part", range(4))
def test_mutated_files_are_read_or_refused(part):
    draw = random.Random(part)
    read = 0
    for n in range(size(6, 500)):
        raw = mutated(draw)
        try:
            log = open_log(raw, draw.choice(["a.csv", "a.log", "a.txt", "a.xlsx", "a.asc"]))
            told = report(log)
        except DocumentError as error:
            assert error.problems and all(p.message and p.expected for p in error.problems), (part, n)
            continue
        read += 1
        assert told.rows >= 2 and told.bad_rows >= 0 and np.all(np.diff(log.t_s) >= 0), (part, n)
        assert told.model_dump_json(by_alias=True)
    assert read


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"\n\n\n",
        b"a",
        b"PK\x03\x04 no",
        b"PAR1xxxx",
        b"LOGG" + b"\0" * 100,
        b"time,volts\n",
        b"\xff\xfe",
        b"time,volts\nx,y\n" * 5,
        b"," * 10_000,
        b"1\n" * 1000,
    ],
)
def test_what_is_no_log_is_refused_with_what_would_be_right(raw):
    for name in ("a.csv", "a.xlsx", "a.parquet", "a.blf", "a.trc", "a.log", "a.mf4"):
        with pytest.raises(DocumentError) as refused:
            open_log(raw, name)
        assert refused.value.problems[0].expected


def test_a_log_of_nothing_but_one_quantity_is_judged_as_far_as_it_goes():
    t, columns, _ = made(1, days=1)
    for name in columns:
        frame = frame_of(t[::60], {name: columns[name][::60]})
        told = report(open_log(frame.write_csv().encode(), "a.csv"))
        assert told.rows == len(t[::60]) and told.columns[name] == name
    empty = frame_of(t[::60], {"volts": np.full(len(t[::60]), np.nan), "amps": columns["amps"][::60]})
    assert "absorb_v" not in find(open_log(empty.write_csv().encode(), "a.csv")).figures
