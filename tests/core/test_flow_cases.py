"""Simulations that once came out wrong, on the command line; steps of every length."""

import csv
import io
import json

import pytest

from ewerer import cli
from ewerer.core.flow.scenario import STEPS_S
from tests.cases import CASES
from tests.jobs import DEMO, NAMES
from tests.sizes import size


@pytest.fixture
def simulated(tmp_path, capsysbinary):
    """Return a function that runs ``ewerer simulate`` and gives ledger and rows."""

    def run(path, *more):
        out = tmp_path / "series.csv"
        code = cli.main(["simulate", str(path), "-o", str(out), *more])
        said = capsysbinary.readouterr()
        assert code in (0, 3), said.err
        rows = [
            {k: float(v) for k, v in row.items() if k not in ("minute", "reason")}
            for row in csv.DictReader(io.StringIO(out.read_text()))
        ]
        return json.loads(said.out)["ledger"], rows

    return run


def test_sun_and_bank_give_no_more_than_the_units_rating(simulated):
    ledger, rows = simulated(CASES / "inverter-over.json")
    given = [sum(r[f"{who}_{what}_w"] for who in ("sun", "bank") for what in ("load", "other", "grid")) for r in rows]
    assert max(given) == pytest.approx(8000, abs=0.2) and ledger["unserved_kwh"] == pytest.approx(6 * 24, rel=0.01)


@pytest.mark.parametrize("case", ["export-to-generator", "feedback"])
def test_a_generator_feeds_the_essential_loads_and_is_never_exported_to(simulated, case):
    ledger, rows = simulated(CASES / f"{case}.json", "--days", "2")
    assert ledger["generator_h"] > 5 and ledger["export_kwh"] == 0
    assert all(r["mains_other_w"] == r["sun_grid_w"] == r["bank_grid_w"] == 0 for r in rows)
    assert all(r["mains_load_w"] == 0 for r in rows if not r["generator"])


@pytest.mark.parametrize(("case", "holds_kwh"), [("coarse-step", 5.1 * 0.3), ("tiny-bank", 0.056)])
def test_a_bank_gives_no_more_than_it_holds_whatever_the_step(simulated, case, holds_kwh):
    fine, _ = simulated(CASES / f"{case}.json", "--step-s", "60")
    coarse, rows = simulated(CASES / f"{case}.json", "--step-s", "3600")
    assert coarse["bank_out_kwh"] <= holds_kwh
    for name in ("bank_out_kwh", "unserved_kwh", "mains_kwh"):
        assert coarse[name] == pytest.approx(fine[name], rel=0.02, abs=0.001)
    served = sum(r["load_w"] - r["unserved_w"] for r in rows) / 1000
    assert served <= holds_kwh, "nothing but the bank could serve it"


@pytest.mark.parametrize("name", size(NAMES[::3], NAMES))
def test_steps_of_ten_seconds_to_an_hour_tell_the_same(simulated, name):
    said = {s: simulated(DEMO / f"{name}.json", "--days", "2", "--step-s", str(s)) for s in (10, 60, 300, 3600)}
    minute = said[60][0]
    for step, (ledger, rows) in said.items():
        assert len(rows) == 2 * 86400 // step
        for key in ("mains_kwh", "unserved_kwh", "bank_out_kwh", "curtailed_kwh", "generator_kwh"):
            assert ledger[key] == pytest.approx(minute[key], rel=0.02, abs=0.06), (step, key)
        for column in ("load_w", "sun_w", "mains_load_w", "bank_load_w"):
            mean, fine = (sum(r[column] for r in rows_) / len(rows_) for rows_ in (rows, said[60][1]))
            assert mean == pytest.approx(fine, rel=0.02, abs=3), (step, column)


def test_a_step_that_is_none_is_refused_with_what_would_be_right(capsys):
    for step in ("0", "7", "90", "7200"):
        assert cli.main(["simulate", str(DEMO / f"{NAMES[0]}.json"), "--step-s", step]) == 2
        said = capsys.readouterr().err
        assert "/step-s" in said and step in said and "3600" in said
    assert all(3600 % s == 0 and (s % 60 == 0 or 60 % s == 0) for s in STEPS_S)
