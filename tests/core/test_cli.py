"""The command line and its exit codes."""

import json
import subprocess
import sys

import pytest

from ewerer import cli
from tests.jobs import DEMO, LARCH, SKERRY, changed, hand_written, inline


def write(tmp_path, job):
    path = tmp_path / "job.json"
    path.write_text(job if isinstance(job, str) else json.dumps(job))
    return str(path)


def test_plan_of_a_demo_job(capsys):
    assert cli.main(["plan", str(DEMO / f"{SKERRY}.json")]) == 0
    made = json.loads(capsys.readouterr().out)
    assert made["ewerer"] == "plan/1" and made["bank"]["charge_limit_a"] == 420


def test_hand_written_job_with_unequal_modules_from_standard_input():
    job = hand_written(inline("A", resistance_mohm=10), inline("B", resistance_mohm=20))
    done = subprocess.run(
        [sys.executable, "-m", "ewerer.entry", "plan", "-"], input=json.dumps(job), capture_output=True, text=True
    )
    assert done.returncode == 3, "no unit yet is a stop"
    bank = json.loads(done.stdout)["bank"]
    assert bank["charge_limit_a"] < bank["charge_limit_sum_a"] and bank["binding_module"] == "A"


@pytest.mark.parametrize(
    ("job", "words"),
    [
        ("not json", "/: not JSON at line 1"),
        (changed(SKERRY, bank__colour="red"), "/bank/colour: unknown key"),
        (changed(SKERRY, bank__modules__0__resting_v=53060), "millivolts"),
        (changed(SKERRY, bank__fuse_a=-5), "/bank/fuse_a: too low"),
        ("[" * 100000, "nested too deeply"),
        ('{"x": "' + "y" * 10_000_000 + '"}', "too big"),
    ],
    ids=["not-json", "unknown-key", "unit", "negative", "deep", "10-MB"],
)
def test_refused_input_is_exit_2_with_words_and_no_traceback(tmp_path, capsys, job, words):
    assert cli.main(["plan", write(tmp_path, job)]) == 2
    out, err = capsys.readouterr()
    assert out == "" and words in err and "Traceback" not in err


def test_stop_finding_is_exit_3_with_the_plan(tmp_path, capsys):
    assert cli.main(["plan", write(tmp_path, {"ewerer": "job/1", "name": "Empty"})]) == 3
    assert json.loads(capsys.readouterr().out)["bank"] is None


def test_missing_file_and_folder(tmp_path, capsys):
    assert cli.main(["plan", str(tmp_path / "none.json")]) == 2
    assert "cannot read" in capsys.readouterr().err
    assert cli.main(["plan", str(DEMO / f"{SKERRY}.json"), "--library", str(tmp_path / "none")]) == 2
    assert "no such folder" in capsys.readouterr().err


def test_library_folder_adds_profiles(tmp_path, capsys):
    profile = json.loads((DEMO.parent / "library" / "cobbleway-200.json").read_text()) | {"id": "mine", "charge_a": 60}
    folder = tmp_path / "lib"
    folder.mkdir()
    (folder / "mine.json").write_text(json.dumps(profile))
    job = {"ewerer": "job/1", "name": "Own", "bank": {"modules": [{"id": "A", "profile": "mine"}]}}
    assert cli.main(["plan", write(tmp_path, job), "--library", str(folder)]) == 3
    assert json.loads(capsys.readouterr().out)["bank"]["charge_limit_a"] == 60
    (folder / "broken.json").write_text("{}")
    assert cli.main(["plan", write(tmp_path, job), "--library", str(folder)]) == 2
    assert "broken.json: not a device profile" in capsys.readouterr().err


def test_sheet_to_a_file_and_unknown_unit(tmp_path, capsys):
    out = tmp_path / "u1.csv"
    job = str(DEMO / f"{SKERRY}.json")
    assert cli.main(["sheet", job, "--unit", "U1", "--format", "csv", "-o", str(out)]) == 0
    assert "store-kind" in out.read_text()
    assert cli.main(["sheet", job, "--unit", "U9"]) == 2
    assert "one of U1, U2" in capsys.readouterr().err


def test_no_sheet_while_a_stop_prevents_it(tmp_path, capsys):
    job = changed(SKERRY, bank__modules=[])
    assert cli.main(["sheet", write(tmp_path, job), "--unit", "U1"]) == 2
    assert "no sheet can be made yet: No module yet" in capsys.readouterr().err


@pytest.mark.parametrize("kind", ["job", "profile", "plan"])
def test_schema(kind, capsys):
    assert cli.main(["schema", kind]) == 0
    assert json.loads(capsys.readouterr().out)["title"] == kind.capitalize()


@pytest.mark.parametrize(
    ("name", "never"), [(SKERRY, {"django", "numba", "ninja", "scipy"}), (LARCH, {"django", "numba", "ninja", "numpy"})]
)
def test_core_commands_do_not_load_the_web_framework(name, never):
    """Only windows load NumPy, and only simulations what is compiled."""
    code = f"import sys; from ewerer.entry import main; main(['plan', sys.argv[1]]); assert not {never!r} & set(sys.modules)"
    done = subprocess.run([sys.executable, "-c", code, str(DEMO / f"{name}.json")], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


TARN_FILE, LARCH_FILE = str(DEMO / "tarn-dairy.json"), str(DEMO / "larch-hollow-workshop.json")
REFUSED = [
    (["simulate", TARN_FILE, "--days", "0"], "/days: no such number of days; found 0; expected 1 to 731"),
    (["simulate", TARN_FILE, "--days", "9999"], "/days: no such number of days"),
    (["simulate", TARN_FILE, "--step-s", "90"], "/step-s: no such step; found 90"),
    (["simulate", TARN_FILE, "-o", "/nowhere/at/all.csv"], "cannot write /nowhere/at/all.csv"),
    (["order", TARN_FILE, "--unit", "U9"], 'no such unit; found "U9"; expected one of P1, P2, P3'),
    (["windows", "/nowhere.json"], "cannot read /nowhere.json"),
]


@pytest.mark.parametrize(("argv", "words"), REFUSED, ids=[" ".join(a[:1] + a[2:]) for a, _ in REFUSED])
def test_what_is_asked_wrongly_is_exit_2_with_what_would_be_right(capsys, argv, words):
    assert cli.main(argv) == 2
    out, err = capsys.readouterr()
    assert out == "" and words in err and "Traceback" not in err


@pytest.mark.parametrize(
    "argv", [["simulate", TARN_FILE, "--days", "many"], ["sheet", TARN_FILE, "--unit", "P1", "--format", "odt"], ["plan"], []]
)
def test_what_is_no_command_is_exit_2_with_the_usage(capsys, argv):
    with pytest.raises(SystemExit) as stopped:
        cli.main(argv)
    assert stopped.value.code == 2 and "usage: ewerer" in capsys.readouterr().err


def test_windows_as_slots_and_as_a_calendar(capsys):
    assert cli.main(["windows", TARN_FILE]) == 0
    made = json.loads(capsys.readouterr().out)
    assert [u["unit"] for u in made["units"]] == ["P1", "P2", "P3"] and made["units"][0]["differs_minutes"] == 0
    assert cli.main(["windows", str(DEMO / f"{SKERRY}.json")]) == 0
    skerry = json.loads(capsys.readouterr().out)["units"][0]
    assert skerry["differs_minutes"] == sum(len(w["days"].split(",")) * 240 for w in skerry["where"]) > 0
    assert cli.main(["windows", TARN_FILE, "--format", "ics"]) == 0
    assert capsys.readouterr().out.count("BEGIN:VEVENT") == 2


def test_simulate_writes_the_series_beside_the_ledger(tmp_path, capsys):
    path = tmp_path / "series.csv"
    assert cli.main(["simulate", LARCH_FILE, "--days", "2", "--step-s", "300", "-o", str(path)]) == 0
    ledger = json.loads(capsys.readouterr().out)
    lines = path.read_text().splitlines()
    assert len(lines) == 1 + 2 * 288 and {"soc", "volts", "reason"} <= set(lines[0].split(","))
    assert ledger["ledger"]["days"] == 2 and any("started by hand" in a for a in ledger["assumed"])


def test_the_order_of_entry_from_a_list_of_what_was_found(tmp_path, capsys):
    found = tmp_path / "found.csv"
    found.write_text("setting,value\nfill-volts,56.4\n")
    argv = ["order", str(DEMO / f"{SKERRY}.json"), "--unit", "U1", "--as-found", str(found)]
    assert cli.main(argv) == 0
    made = json.loads(capsys.readouterr().out)
    assert made["noted"] == 1 and next(s for s in made["steps"] if s["setting"] == "fill-volts")["shows"] == "56.4"
    found.write_text("setting,value\nfill-volts,999\n")
    assert cli.main(argv) == 2
    assert "line 2" in capsys.readouterr().err
