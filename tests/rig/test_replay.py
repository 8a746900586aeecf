"""A log replayed as a port: what stands in the file at each moment, at any speed; gaps grow old, the end is told."""

import json
import time

import numpy as np
import pytest

from ewerer.core.logs.keeping import save
from ewerer.core.logs.report import open_log
from ewerer.ports import replay
from ewerer.ports.base import OLD_S, PortError
from ewerer.ports.keeper import Keeper
from ewerer.ports.make import make_port


class Clock:
    def __init__(self):
        self.now = 1_000_000.0

    def time(self):
        return self.now


@pytest.fixture
def clock(monkeypatch):
    made = Clock()
    monkeypatch.setattr(replay, "time", made)
    return made


HEAD = "time,volts,amps,soc,limit_in_a,pv_w\n"


def text(seconds):
    return HEAD + "".join(
        f"2026-06-01 {s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d},{50 + s / 1000:.3f},{s % 90 - 40},{50 + s % 40},{100 + s % 7},{s * 2}\n"
        for s in seconds
    )


@pytest.fixture
def path(tmp_path):
    file = tmp_path / "log.csv"
    file.write_text(text([*range(600), *range(1200, 1800)]))
    return file


@pytest.mark.parametrize("kept", [False, True])
@pytest.mark.parametrize("speed", [1, 7.5, 60, 1000])
def test_each_moment_gives_the_row_that_stands_there(path, tmp_path, clock, speed, kept):
    source = path
    if kept:
        source = tmp_path / "columns"
        save(open_log(path, path.name), source)
    port = make_port({"kind": "replay", "path": str(source), "speed": speed, "from_s": 100, "name": "week"})
    port.open()
    assert {p.name for p in port.points()} == {"volts", "amps", "soc_pct", "charge_a", "sun_w"}
    dice = np.random.default_rng(1)
    for real in sorted(dice.uniform(0, 480 / speed, 40)):
        clock.now = 1_000_000.0 + real
        row = int(100 + real * speed + 1e-9)
        got = {n: v.value for n, v in port.read(["volts", "amps", "soc_pct", "charge_a", "sun_w"]).items()}
        assert got == pytest.approx(
            {"volts": round(50 + row / 1000, 3), "amps": row % 90 - 40, "soc_pct": 50 + row % 40, "charge_a": 100 + row % 7, "sun_w": row * 2}
        )  # fmt: skip
        assert port.told()["at_s"] == pytest.approx(100 + real * speed, abs=0.06)
    assert port.frames() == [] and port.told()["speed"] == speed


def test_a_gap_grows_old_and_the_end_is_told(path, clock):
    port = replay.ReplayPort(str(path), 60)
    port.open()
    clock.now += 10.5  # in the middle of the ten minutes that were not logged
    (value,) = port.read(["volts"]).values()
    assert clock.now - value.at == pytest.approx((630 - 599 - 1) / 60, abs=0.01)
    clock.now += 9  # ten minutes of the log are ten seconds
    assert clock.now - port.read(["volts"])["volts"].at > OLD_S
    clock.now += 1
    assert port.read(["volts"])["volts"].at == clock.now
    clock.now += 10
    with pytest.raises(PortError, match="the log ended at 2026-06-01 00:29:59"):
        port.read(["volts"])
    port.close()
    port.open()
    with pytest.raises(PortError, match="ended"):
        port.read(["volts"])


def test_a_keeper_replays_and_answers_like_any_port(path):
    keeper = Keeper({"kind": "replay", "path": str(path), "speed": 1})
    keeper.start()
    try:
        for _ in range(200):
            told = keeper.told()
            if told["values"]:
                break
            time.sleep(0.02)
        assert told["state"] == "open" and told["values"]["volts"]["old"] is False and told["replay"]["of_s"] == 1799
        json.dumps(told)
        task = keeper.answer({"do": "write", "id": "w", "names": ["volts"], "value": "1"})
        for _ in range(300):
            task = keeper.answer({"do": "task", "id": "w"})
            if task["state"] not in ("waiting", "working"):
                break
            time.sleep(0.02)
        assert (task["state"], task["error"]) == ("failed", "nothing is written to a log")
    finally:
        keeper.end()


@pytest.mark.parametrize("wrong", [{"speed": 0}, {"speed": 1001}, {"speed": "fast"}, {"from_s": []}])
def test_what_is_no_replay_is_refused(path, wrong):
    with pytest.raises(PortError, match=r"1 to 1000 times|are figures"):
        make_port({"kind": "replay", "path": str(path)} | wrong)


def test_what_is_no_log_is_said(tmp_path):
    (tmp_path / "x.csv").write_text("nothing at all")
    with pytest.raises(PortError, match=r"the log x\.csv cannot be read"):
        make_port({"kind": "replay", "path": str(tmp_path / "x.csv")}).open()
    with pytest.raises(PortError, match="cannot be read"):
        make_port({"kind": "replay", "path": str(tmp_path / "none.csv")}).open()
