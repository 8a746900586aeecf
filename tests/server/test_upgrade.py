"""Databases of every earlier version come up to this one: everything in them is there, and can be worked on."""

import contextlib
import gzip
import json
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from bench.server import server

from tests.server.running import Session, command

HELD = sorted((Path(__file__).parents[1] / "data" / "upgrade").glob("*.sqlite3.gz"))


def whole(base):
    """Everything that was put in is there, and can be worked on."""
    ann = Session(base, "ann", "a-long-password")
    assert ann.call("GET", "/session")["role"] == "lead", "whoever was in a crew may do what they could"
    (line,) = ann.call("GET", "/jobs")["items"]
    assert line["name"] == "Skerry Field Station" and line["revision"] == 3
    fuses = [ann.call("GET", f"/jobs/{line['id']}/revisions/{n}")["bank"]["fuse_a"] for n in (2, 3)]
    assert fuses == [310, 320]
    (told,) = ann.call("GET", f"/jobs/{line['id']}/revisions/2/against/3")["items"]
    assert (told["before"], told["after"], told["unit"]) == ("310", "320", "A")
    state = ann.call("GET", f"/jobs/{line['id']}/state")
    assert state["found"] == {"U1": {"fill-volts": "56.4"}} and state["steps"]["enter:U1:fill-volts"]["back"] == "55.2"
    assert [j["name"] for j in ann.call("GET", "/jobs?put_away=true")["items"]] == ["Larch Hollow Workshop"]
    assert any(p["id"] == "our-t8" and p["own"] for p in ann.call("GET", "/library?limit=500")["items"])
    document = ann.call("GET", f"/jobs/{line['id']}")["document"]
    assert document["ewerer"] == "job/2"
    saved = ann.call("PUT", f"/jobs/{line['id']}", {"base_revision": 3, "document": {**document, "notes": "after the update"}})
    assert saved["revision"] == 4
    assert ann.call("GET", f"/jobs/{line['id']}/plan")["bank"]["capacity_ah"] > 0


def test_there_is_one_of_every_earlier_version():
    assert [p.name for p in HELD] == ["release-1.sqlite3.gz", "release-2.sqlite3.gz"]


@pytest.mark.parametrize("held", HELD, ids=lambda p: p.name.split(".")[0])
def test_an_earlier_database_comes_up_to_this_version(held, tmp_path):
    old = gzip.decompress(held.read_bytes())
    (tmp_path / "ewerer.sqlite3").write_bytes(old)
    with server(tmp_path, demo=False) as (_, base):
        whole(base)
    (kept,) = tmp_path.glob("before-update-*.sqlite3")
    with contextlib.closing(sqlite3.connect(kept)) as was:
        assert was.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert json.loads(was.execute("SELECT document FROM jobs_revision WHERE number = 3").fetchone()[0])["bank"]["fuse_a"] == 320
    told = subprocess.run(
        [sys.executable, "-m", "ewerer.entry", "doctor", "--data", str(tmp_path)], capture_output=True, text=True, timeout=120
    )
    assert "cannot be read" not in told.stdout and "the database is of this version" in told.stdout, told.stdout


@pytest.mark.long
def test_a_backup_of_an_earlier_version_is_restored(tmp_path):
    for held in HELD:
        folder = tmp_path / held.name
        folder.mkdir()
        file = folder / "backup.sqlite3"
        file.write_bytes(gzip.decompress(held.read_bytes()))
        for words in (("person", "list"), ("restore", file)):
            told = command(folder, *words)
            assert told.returncode == 0, told.stderr
        with server(folder, demo=False) as (_, base):
            whole(base)
