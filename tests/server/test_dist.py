"""The wheel by itself: in an environment of its own under a path with a space, started from another folder; first person, first job, updates."""

import gzip
import os
import subprocess
import sys
import sysconfig
import venv
import zipfile
from pathlib import Path

import pytest
from bench.server import free_port, until_it_answers

from tests.jobs import SKERRY, data
from tests.server.running import Session
from tests.server.upgrades import HELD, whole

ROOT = Path(__file__).resolve().parents[2]
pytestmark = pytest.mark.long


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """The command ``ewerer`` of a wheel made now, and a folder to start it from."""
    place = tmp_path_factory.mktemp("a place with a space")
    pip = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "-w", str(place), str(ROOT)]
    subprocess.run(pip, check=True, capture_output=True, timeout=300)
    (wheel,) = place.glob("ewerer-*.whl")
    assert {"ewerer/server/static/index.html", "ewerer/demo/skerry-field-station.json"} <= set(zipfile.ZipFile(wheel).namelist())
    home = place / "env"
    venv.create(home, with_pip=False)
    packages = Path(sysconfig.get_path("purelib", vars={"base": str(home), "platbase": str(home)}))
    with zipfile.ZipFile(wheel) as file:
        file.extractall(packages)
    # What it needs is borrowed; a plain entry of the path brings no editable install with it.
    (packages / "borrowed.pth").write_text(sysconfig.get_path("purelib") + "\n")
    elsewhere = place / "elsewhere"
    elsewhere.mkdir()
    env = {k: v for k, v in os.environ.items() if k not in ("DJANGO_SETTINGS_MODULE", "PYTHONPATH")} | {"EWERER_PLAIN_HTTP": "1"}

    def ewerer(*words, **more):
        command = [str(home / "bin/python"), "-c", "from ewerer.entry import main; raise SystemExit(main())", *map(str, words)]
        return more.pop("by", subprocess.run)(command, cwd=elsewhere, env=env, **more)

    told = ewerer("doctor", "--data", place / "none", capture_output=True, text=True)
    assert told.returncode == 1 and "there is no folder" in told.stderr
    return ewerer, place


def served(ewerer, folder, act):
    port = free_port()
    process = ewerer("serve", "--port", port, "--data", folder, by=subprocess.Popen, stdout=subprocess.DEVNULL)
    try:
        until_it_answers(f"http://127.0.0.1:{port}")
        act(f"http://127.0.0.1:{port}")
    finally:
        process.terminate()
        process.wait(60)
    assert not list(Path(folder).glob("*-wal")) and not list(Path(folder).glob("*-shm")), "nothing lies beside the database"


def test_a_first_person_and_a_first_job(installed):
    ewerer, place = installed
    folder = place / "data of a crew"
    told = ewerer("person", "add", "kim", "--crew", "Ours", "--data", folder, input="otter lamp fern quarry\n", capture_output=True, text=True)  # fmt: skip
    assert told.returncode == 0 and "kim works in Ours as a lead" in told.stdout, told.stderr
    assert oct((folder / "ewerer.sqlite3").stat().st_mode)[-3:] == "600"

    def work(base):
        me = Session(base, "kim", "otter lamp fern quarry")
        made = me.call("POST", "/jobs", data(SKERRY))
        assert me.call("GET", f"/jobs/{made['id']}/plan")["bank"]["capacity_ah"] > 0

    served(ewerer, folder, work)
    listed = ewerer("person", "list", "--data", folder, capture_output=True, text=True).stdout
    assert listed.split("\t")[:3] == ["kim", "Ours", "lead"]


@pytest.mark.parametrize("held", HELD, ids=lambda p: p.name.split(".")[0])
def test_it_takes_over_the_data_of_every_earlier_version(installed, held):
    ewerer, place = installed
    folder = place / held.name
    folder.mkdir()
    (folder / "ewerer.sqlite3").write_bytes(gzip.decompress(held.read_bytes()))
    served(ewerer, folder, whole)
    assert len(list(folder.glob("before-update-*.sqlite3"))) == 1
