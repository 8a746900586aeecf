"""Copies of the data made and taken back by command while the server runs and people save."""

import sqlite3
import threading

import pytest
from bench.server import server

from tests.jobs import SKERRY, changed, data
from tests.server.running import Session, command


def names(session):
    return sorted(j["name"] for j in session.call("GET", "/jobs?limit=500")["items"])


def test_backup_and_restore_while_people_work(tmp_path):
    kept_in, copy = tmp_path / "data", tmp_path / "copy.sqlite3"
    with server(kept_in) as (_, base):
        me = Session(base)
        job = me.call("POST", "/jobs", data(SKERRY) | {"name": "Before"})
        saved, stop = [], threading.Event()

        def work():
            mine, revision = Session(base), 1
            while not stop.is_set():
                body = {"base_revision": revision, "document": changed(SKERRY, bank__fuse_a=300 + revision) | {"name": "Before"}}
                revision = mine.call("PUT", f"/jobs/{job['id']}", body)["revision"]
                saved.append(revision)

        worker = threading.Thread(target=work)
        worker.start()
        while len(saved) < 3:
            stop.wait(0.05)
        at_least = saved[-1]
        made = command(kept_in, "backup", copy)
        stop.set()
        worker.join()
        assert made.returncode == 0, made.stderr
        assert "checked" in made.stdout and oct(copy.stat().st_mode)[-3:] == "600"

        me.call("POST", "/jobs", data(SKERRY) | {"name": "After"})
        assert "After" in names(me)
        put_back = command(kept_in, "restore", copy)
        assert put_back.returncode == 0, put_back.stderr
        assert "After" not in names(me) and "Before" in names(me), "the running server shows the copy at once"
        assert me.call("GET", f"/jobs/{job['id']}")["revision"] >= at_least, "what was acknowledged before the copy is in it"
        assert me.call("POST", "/jobs", data(SKERRY) | {"name": "Goes on"})["name"] == "Goes on"

        kept = list(kept_in.glob("before-restore-*.sqlite3"))
        assert len(kept) == 1 and str(kept[0]) in put_back.stdout
        assert command(kept_in, "restore", kept[0]).returncode == 0
        assert "After" in names(me) and "Goes on" not in names(me)


@pytest.fixture
def folder(tmp_path):
    where = tmp_path / "data"
    assert command(where, "person", "list").returncode == 0
    return where


def foreign(path):
    with sqlite3.connect(path) as db:
        db.execute("CREATE TABLE songs (title TEXT)")


def newer(path, folder):
    assert command(folder, "backup", path).returncode == 0
    with sqlite3.connect(path) as db:
        db.execute("INSERT INTO django_migrations (app, name, applied) VALUES ('jobs', '9999_not_yet', '2030-01-01')")


def torn(path, folder):
    assert command(folder, "backup", path).returncode == 0
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2] + b"\x00" * (len(whole) - len(whole) // 2))


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda p, f: None, "there is no file"),
        (lambda p, f: p.write_text("not a database at all, but long enough to be read as a header of one"), "is not a database"),
        (lambda p, f: foreign(p), "not one of Ewerer"),
        (newer, "newer version of Ewerer (jobs.9999_not_yet)"),
        (torn, ""),
    ],
    ids=["missing", "text", "foreign", "newer", "torn"],
)
def test_a_copy_that_cannot_be_used_changes_nothing(folder, tmp_path, make, words):
    path = tmp_path / "copy.sqlite3"
    make(path, folder)
    before = (folder / "ewerer.sqlite3").read_bytes() if (folder / "ewerer.sqlite3").exists() else None
    told = command(folder, "restore", path)
    assert told.returncode != 0 and words in told.stderr and "nothing was changed" in told.stderr
    assert "Traceback" not in told.stderr and list(folder.glob("before-restore-*")) == []
    assert before is None or (folder / "ewerer.sqlite3").read_bytes() == before


def test_a_backup_overwrites_nothing_and_says_where_it_cannot_write(folder, tmp_path):
    there = tmp_path / "there.sqlite3"
    there.write_text("mine")
    told = command(folder, "backup", there)
    assert told.returncode != 0 and "exists already" in told.stderr and there.read_text() == "mine"
    told = command(folder, "backup", tmp_path / "no" / "folder.sqlite3")
    assert told.returncode != 0 and "cannot write" in told.stderr and "Traceback" not in told.stderr
