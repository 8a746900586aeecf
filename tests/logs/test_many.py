"""A folder of logs as one table: each row is what the command says of that log alone, wherever it is judged."""

import json
import shutil
from concurrent.futures import ThreadPoolExecutor

import polars as pl
import pytest

from ewerer.cli import main
from ewerer.core.devices.library import demo_job, shipped_library
from ewerer.core.logs.many import FIRST, judge_all, logs_below, table
from ewerer.demo.week import week_of
from tests.jobs import LARCH, SKERRY, data


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Two sites with a job each, a log with a job of its own, one without any, one that is none."""
    top = tmp_path_factory.mktemp("logs")
    weeks = {n: week_of(demo_job(n), shipped_library()) for n in ("skerry-field-station", "larch-hollow-workshop")}
    for place, name, job in (("north", "skerry-field-station", SKERRY), ("south/2026", "larch-hollow-workshop", LARCH)):
        where = top / place
        where.mkdir(parents=True)
        (where.parent / "job.json" if place.count("/") else where / "job.json").write_text(json.dumps(data(job)))
        (where / "june.csv").write_bytes(weeks[name])
    (top / "north" / "own.csv").write_bytes(weeks["larch-hollow-workshop"])
    (top / "north" / "own.json").write_text(json.dumps(data(LARCH)))
    (top / "alone.csv").write_bytes(weeks["skerry-field-station"])
    (top / "north" / "none.csv").write_text("this is no log")
    (top / "north" / "notes.md").write_text("not looked at")
    return top


def test_each_log_finds_its_job(folder):
    found = {one.place: one.job and one.job.removeprefix(str(folder) + "/") for one in logs_below(folder)}
    assert found == {
        "alone.csv": None,
        "north/june.csv": None,  # two jobs lie there: neither is meant for sure
        "north/none.csv": None,
        "north/own.csv": "north/own.json",
        "south/2026/june.csv": "south/job.json",
    }
    job = folder / "south" / "job.json"
    assert {one.job for one in logs_below(folder, job)} - {str(folder / "north" / "own.json")} == {str(job)}


def test_every_row_is_what_the_log_alone_says(folder, tmp_path, capsysbinary):
    out = tmp_path / "verdicts.parquet"
    code = main(["log", str(folder), "-o", str(out)])
    rows = pl.read_parquet(out).to_dicts()
    assert list(rows[0])[: len(FIRST)] == list(FIRST) and len(rows) == 5
    told = capsysbinary.readouterr().err.decode()
    assert "5 logs:" in told and "1 refused" in told
    bad = 0
    for one, row in zip(logs_below(folder), rows, strict=True):
        if one.place.endswith("none.csv"):
            assert row["verdict"] == "refused" and "expected" in row["refused"] and row["rows"] is None
            continue
        single = main(["log", one.path, *(["--job", one.job] if one.job else [])])
        report = json.loads(capsysbinary.readouterr().out)
        assert row["rows"] == report["rows"] and row["bad"] == sum(f["verdict"] == "bad" for f in report["findings"])
        for name, figure in report["figures"].items():
            assert row[name] == figure["value"], (one.place, name)
        bad += row["verdict"] == "bad"
        assert single in (0, 3) and (row["verdict"] == "bad") <= (single == 3)
    assert code == (3 if bad else 0)


def test_any_executor_gives_the_same_table(folder):
    with ThreadPoolExecutor(2) as threads:
        rows = list(judge_all(logs_below(folder), threads))
    assert [r["log"] for r in rows] == [one.place for one in logs_below(folder)]
    assert table(rows).equals(table(rows[:]))


class Gone(ThreadPoolExecutor):
    """Whose third log ends the process that reads it."""

    count = 0

    def submit(self, *args, **more):
        self.count += 1
        if self.count == 3:

            def lost():
                raise OSError("the worker is gone")

            return super().submit(lost)
        return super().submit(*args, **more)


def test_a_worker_that_is_lost_costs_its_log_only(folder):
    with Gone(1) as threads:
        rows = list(judge_all(logs_below(folder), threads))
    assert rows[2]["verdict"] == "refused" and "OSError" in rows[2]["refused"]
    assert rows[3]["rows"] == 10_080 and table(rows).height == 5


def test_a_folder_without_logs_and_a_mapping_for_a_folder_are_refused(tmp_path, folder, capsys):
    assert main(["log", str(tmp_path)]) == 2
    assert "no log is below this folder" in capsys.readouterr().err
    (tmp_path / "m.json").write_text("{}")
    assert main(["log", str(folder), "--map", str(tmp_path / "m.json")]) == 2
    shutil.rmtree(tmp_path)
