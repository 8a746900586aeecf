"""Many weathers: bands restated with NumPy, one field varied, threads and a cluster of two workers alike."""

import json
import subprocess
import sys
import time

import numpy as np
import pytest

from ewerer import cli
from ewerer.core.devices.library import demo_job, shipped_library
from ewerer.core.flow.results import simulate
from ewerer.core.flow.sweep import FIGURES, sweep, varied
from ewerer.core.trade.errors import DocumentError
from ewerer.demo.week import week_of
from tests.jobs import DEMO, LARCH, SKERRY, changed, job_of

LIBRARY = shipped_library()


def test_bands_are_those_of_the_years_simulated_one_by_one():
    """Rule weather-bands, beside ``simulate`` with every seed."""
    job = changed(SKERRY, flow={"start": "2025-03-01", "seed": 40})
    told = sweep(job_of(job), LIBRARY, 9, 20)
    ledgers, days = [], []
    for seed in range(40, 49):
        made = simulate(job_of(changed(SKERRY, flow={"start": "2025-03-01", "seed": seed})), LIBRARY, 20)
        ledgers.append(made.ledger)
        days.append(made.daily)
    (part,) = told.parts
    for name in FIGURES:
        values = [getattr(x, name) for x in ledgers]
        held = getattr(part, name)
        assert (held.p10, held.p50, held.p90) == pytest.approx(np.percentile(values, (10, 50, 90)), abs=1e-3), name
        assert held.mean == pytest.approx(np.mean(values), abs=1e-3)
    by_three = [sum(d.full and d.full_at_h <= 15 for d in each) / 20 for each in days]
    assert part.full_by_hour[15].p50 == pytest.approx(np.median(by_three), abs=1e-3)
    assert [b.p50 for b in part.full_by_hour] == sorted(b.p50 for b in part.full_by_hour)
    assert told.weathers == 9 and told.field == "" and ledgers[0] != ledgers[1]


@pytest.mark.parametrize(
    ("field", "values", "better"),
    [
        ("modules", "1,3,6", "unserved_kwh"),
        ("array", "1000,6000,20000", "generator_h"),
        ("/loads/daily_wh", "20000,9000,2000", "generator_h"),
    ],
)
def test_one_field_is_varied(field, values, better):
    job = job_of(changed(LARCH, flow={"start": "2025-11-01"}))
    told = sweep(job, LIBRARY, 3, 25, (field, values.split(",")))
    assert [p.value for p in told.parts] == values.split(",")
    worth = [getattr(p, better).mean for p in told.parts]
    assert worth[0] > worth[-1] and worth[0] >= worth[1] >= worth[2] - 0.5


def test_reserve_and_amps_are_those_of_the_job():
    job = job_of(SKERRY)
    assert varied(job, LIBRARY, "reserve", "0.4").policy.reserve_soc == 0.4
    rate = varied(job, LIBRARY, "amps", "84").policy.max_c_rate
    assert rate == pytest.approx(0.1), "840 Ah"
    assert sum(c.array_w for c in varied(job, LIBRARY, "array", "9300").sun.chargers) == pytest.approx(9300)


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("modules", "0", "above zero"),
        ("modules", "2.5", "number of modules"),
        ("array", "lots", "above zero"),
        ("colour", "3", "no such field"),
        ("/bank/modules/9/id", "x", "leads nowhere"),
        ("reserve", "2", "between 0 and 1|less than or equal"),
    ],
)
def test_what_cannot_be_varied_is_refused(field, value, words):
    with pytest.raises(DocumentError, match=words):
        varied(job_of(SKERRY), LIBRARY, field, value)


def test_on_the_command_line(capsysbinary):
    path = str(DEMO / f"{SKERRY}.json")
    assert cli.main(["sweep", path, "--weathers", "3", "--days", "5", "--vary", "modules=2,4"]) == 0
    made = json.loads(capsysbinary.readouterr().out)
    assert (
        made["field"] == "modules"
        and [p["value"] for p in made["parts"]] == ["2", "4"]
        and len(made["parts"][0]["full_by_hour"]) == 25
    )
    for wrong, words in (
        (["--weathers", "0"], b"/weathers"),
        (["--vary", "modules"], b"field=a,b,c"),
        (["--vary", "colour=1"], b"no such field"),
        (["--days", "0"], b"/days"),
    ):
        assert cli.main(["sweep", path, "--weathers", "2", "--days", "2", *wrong]) == 2
        assert words in capsysbinary.readouterr().err


@pytest.mark.long
def test_a_cluster_of_two_workers_says_the_same(tmp_path, capsysbinary):
    """A Dask scheduler and two workers started as processes of their own; the same command, with their address."""
    distributed = pytest.importorskip("distributed")
    where = tmp_path / "scheduler.json"
    dask = [
        sys.executable,
        "-m",
        "distributed.cli.dask_scheduler",
        "--port",
        "0",
        "--host",
        "127.0.0.1",
        "--no-dashboard",
        "--scheduler-file",
        str(where),
    ]
    started = [subprocess.Popen(dask, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)]
    try:
        ends = time.monotonic() + 60
        while not where.exists() and time.monotonic() < ends:
            time.sleep(0.2)
        worker = [
            sys.executable,
            "-m",
            "distributed.cli.dask_worker",
            "--scheduler-file",
            str(where),
            "--nthreads",
            "1",
            "--no-dashboard",
            "--no-nanny",
        ]
        started += [subprocess.Popen(worker, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=tmp_path) for _ in range(2)]
        address = json.loads(where.read_text())["address"]
        with distributed.Client(address, timeout="30s") as client:
            client.wait_for_workers(2, timeout=60)
        common = ["sweep", str(DEMO / f"{LARCH}.json"), "--weathers", "4", "--days", "10", "--vary", "array=2000,8000"]
        assert cli.main([*common, "--scheduler", address]) == 0
        theirs = json.loads(capsysbinary.readouterr().out)
        assert cli.main(common) == 0
        assert theirs == json.loads(capsysbinary.readouterr().out)
        weeks = tmp_path / "weeks"
        weeks.mkdir()
        for name in (LARCH, SKERRY):
            (weeks / f"{name}.csv").write_bytes(week_of(demo_job(name), shipped_library()))
            (weeks / f"{name}.json").write_bytes((DEMO / f"{name}.json").read_bytes())
        code = cli.main(["log", str(weeks), "--scheduler", address])
        theirs = json.loads(capsysbinary.readouterr().out)
        assert cli.main(["log", str(weeks)]) == code and json.loads(capsysbinary.readouterr().out) == theirs
        assert [r["rows"] for r in theirs] == [10_080, 10_080]
    finally:
        for process in started:
            process.kill()
            process.wait()


@pytest.mark.long
def test_a_scheduler_that_is_not_there_is_said(capsys):
    pytest.importorskip("distributed")
    assert cli.main(["sweep", str(DEMO / f"{LARCH}.json"), "--weathers", "1", "--scheduler", "tcp://127.0.0.1:9"]) == 2
    assert "/scheduler" in capsys.readouterr().err
