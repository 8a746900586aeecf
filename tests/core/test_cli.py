"""The command line and its exit codes."""

import json
import subprocess
import sys

import pytest

from ewerer.core import cli
from tests.jobs import DEMO, SKERRY, changed, hand_written, inline


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


def test_core_commands_do_not_load_the_web_framework():
    code = "import sys; from ewerer.entry import main; main(['plan', sys.argv[1]]); assert not {'django', 'numpy', 'numba', 'ninja'} & set(sys.modules)"
    done = subprocess.run([sys.executable, "-c", code, str(DEMO / f"{SKERRY}.json")], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
