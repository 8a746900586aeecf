"""Databases of every earlier version come up to this one: everything in them is there, and can be worked on."""

import contextlib
import gzip
import json
import sqlite3
import subprocess
import sys

import pytest
from bench.server import server

from tests.server.running import command
from tests.server.upgrades import HELD, whole
from tests.sizes import size


def test_there_is_one_of_every_earlier_version():
    assert [p.name for p in HELD] == ["release-1.sqlite3.gz", "release-2.sqlite3.gz"]


@pytest.mark.parametrize("held", size(HELD[:1], HELD), ids=lambda p: p.name.split(".")[0])
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
