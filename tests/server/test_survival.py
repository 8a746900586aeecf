"""Kills, copies put back, a full disk, two servers: what was acknowledged is there afterwards, and the database is whole."""

import contextlib
import http.client
import itertools
import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request

import pytest
from bench.server import free_port, server

from tests.jobs import SKERRY, changed
from tests.server.running import Session, command
from tests.sizes import size

KILLS = size(3, 200)
FUSES = itertools.count(100)
"""Each save tells another figure, so that it is known again."""


def whole(folder):
    with contextlib.closing(sqlite3.connect(folder / "ewerer.sqlite3")) as database:
        return database.execute("PRAGMA integrity_check").fetchone() == ("ok",)


class Writer(threading.Thread):
    """Saves a job again and again and notes what was acknowledged; takes a stale save up from where the server stands."""

    def __init__(self, session, job, stop):
        super().__init__(daemon=True)
        self.session, self.job, self.stop = session, job, stop
        self.saved, self.events, self.refused = [], [], {}

    def run(self):
        # An answer that is cut off by a kill acknowledges nothing.
        with contextlib.suppress(OSError, ValueError, http.client.HTTPException):
            revision = self.session.call("GET", f"/jobs/{self.job}")["revision"]
            while not self.stop.is_set():
                fuse = next(FUSES)
                body = {"base_revision": revision, "document": changed(SKERRY, bank__fuse_a=fuse)}
                try:
                    revision = self.session.call("PUT", f"/jobs/{self.job}", body)["revision"]
                    self.saved.append((self.job, revision, fuse))
                    key = f"e-{fuse}"
                    event = {"ewerer": "event/1", "id": key, "at": "2026-01-01T10:00:00.000Z", "by": "demo", "kind": "note"}
                    self.session.call("POST", f"/jobs/{self.job}/events", {"events": [event | {"step": "s", "text": key}]})
                    self.events.append((self.job, key))
                except urllib.error.HTTPError as error:
                    told = json.load(error)
                    self.refused[error.code] = self.refused.get(error.code, 0) + 1
                    if error.code != 409:
                        raise
                    revision = told["current_revision"]


def there(session, saved):
    """Those of the saves that a server still has, each with its own figure."""
    found = set()
    for job, revision, fuse in saved:
        try:
            document = session.call("GET", f"/jobs/{job}/revisions/{revision}")
        except urllib.error.HTTPError as error:
            assert error.code == 404
            continue
        if document["bank"]["fuse_a"] == fuse:
            found.add((job, revision, fuse))
    return found


def noted(session, job):
    return {line["event"]["id"] for line in session.call("GET", f"/jobs/{job}/events?limit=5000")["items"]}


NEST = """
import os, sys
os.environ |= {"EWERER_DATA": sys.argv[1], "DJANGO_SETTINGS_MODULE": "ewerer.server.settings.demo"}
import django
django.setup()
import waitress, ewerer.server.urls
from ewerer.core.devices.library import shipped_library
from ewerer.server.ops.serve import serve
shipped_library()
for port in sys.stdin:
    child = os.fork()
    if not child:
        os._exit(serve("serve", int(port), "127.0.0.1", sys.argv[1]))
    print(child, flush=True)
    os.waitpid(child, 0)
"""


@contextlib.contextmanager
def nest(folder):
    """What starts a server within a moment, by parting from a process that has everything loaded; yields how to start one."""
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
    parent = subprocess.Popen(
        [sys.executable, "-c", NEST, str(folder)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment
    )

    def started():
        port = free_port()
        parent.stdin.write(f"{port}\n")
        parent.stdin.flush()
        child = next(int(line) for line in parent.stdout if line.strip().isdigit())
        for _ in range(2000):
            with contextlib.suppress(OSError):
                urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=5).read()
                break
            time.sleep(0.01)
        return child, f"http://127.0.0.1:{port}"

    try:
        yield started
    finally:
        parent.stdin.close()
        parent.wait(30)


def new_jobs(base, count):
    session = Session(base)
    return [session.call("POST", "/jobs", changed(SKERRY) | {"name": f"Job {n}"})["id"] for n in range(count)]


def test_no_kill_costs_what_was_acknowledged(tmp_path):
    """Killed again and again at a random moment of a burst of saves and events; every acknowledged one is there at the end."""
    lot = random.Random(5)
    saved, events = [], []
    with server(tmp_path) as (_, base):
        jobs, me = new_jobs(base, 3), Session(base)
    with nest(tmp_path) as started:
        for _ in range(KILLS):
            child, base = started()
            over = threading.Event()
            writers = [Writer(me.at(base), job, over) for job in jobs]
            for w in writers:
                w.start()
            deadline = time.time() + 30
            while not any(w.saved for w in writers) and time.time() < deadline:
                time.sleep(0.005)
            time.sleep(lot.uniform(0, 0.5))
            os.kill(child, signal.SIGKILL)
            for w in writers:
                w.join(30)
            saved += [s for w in writers for s in w.saved]
            events += [e for w in writers for e in w.events]
            assert whole(tmp_path)
    print(f"{KILLS} kills; {len(saved)} saves and {len(events)} events were acknowledged")
    assert len(saved) >= KILLS and len(events) >= KILLS / 2
    with server(tmp_path) as (_, base):
        session = Session(base)
        assert set(saved) - there(session, saved) == set()
        for job in jobs:
            assert {key for at, key in events if at == job} <= noted(session, job)
            latest = session.call("GET", f"/jobs/{job}")
            body = {"base_revision": latest["revision"], "document": changed(SKERRY)}
            assert session.call("PUT", f"/jobs/{job}", body)["revision"] == latest["revision"] + 1


@pytest.mark.long
def test_a_copy_put_back_under_fire_loses_no_save(tmp_path):
    """Each acknowledged save is in the data as they are now, or in what was kept of the moment before the copy came back."""
    live, copy = tmp_path / "live", tmp_path / "copy.sqlite3"
    with server(live) as (_, base):
        jobs = new_jobs(base, 3)
        over = threading.Event()
        writers = [Writer(Session(base), job, over) for job in jobs]  # signed in before the copy, and so in it too
        assert command(live, "backup", copy).returncode == 0
        for w in writers:
            w.start()
        for _ in range(3):
            time.sleep(0.7)
            told = command(live, "restore", copy)
            assert told.returncode == 0, told.stderr
        time.sleep(0.7)
        over.set()
        for w in writers:
            w.join(30)
        assert all(w.saved and w.refused.get(409) for w in writers), "they went on saving through all of it"
        saved = {s for w in writers for s in w.saved}
        found = there(Session(base), saved)
    assert whole(live)
    kept = sorted(live.glob("before-restore-*.sqlite3"))
    assert len(kept) == 3
    for file in kept:
        if not saved - found:
            break
        folder = tmp_path / file.stem
        folder.mkdir()
        shutil.copy(file, folder / "ewerer.sqlite3")
        shutil.copy(live / "secret-key", folder) if (live / "secret-key").exists() else None
        with server(folder) as (_, base):
            found |= there(Session(base), saved - found)
    assert saved - found == set()


@pytest.mark.long
def test_two_servers_on_one_folder_save_in_turn(tmp_path):
    """Four people save one job through two servers; every acknowledged save is a revision of its own, and none is missing."""
    with server(tmp_path) as (_, one), server(tmp_path) as (_, two):
        (job,) = new_jobs(one, 1)
        over = threading.Event()
        writers = [Writer(Session(base), job, over) for base in (one, two, one, two)]
        for w in writers:
            w.start()
        time.sleep(4)
        over.set()
        for w in writers:
            w.join(30)
        saved = [s for w in writers for s in w.saved]
        through = [{s for w in writers if w.session.base == base for s in w.saved} for base in (one, two)]
        assert all(through) and sum(w.refused.get(409, 0) for w in writers) > 0
        assert len({revision for _, revision, _ in saved}) == len(saved), "no revision was given twice"
        for base in (one, two):
            session = Session(base)
            assert there(session, saved) == set(saved)
            assert session.call("GET", f"/jobs/{job}")["revision"] == max(revision for _, revision, _ in saved)
            assert {key for w in writers for _, key in w.events} <= noted(session, job)
    assert whole(tmp_path)


@pytest.fixture
def small_disk(tmp_path):
    folder = tmp_path / "small"
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=16m", "tmpfs", str(folder)], capture_output=True)
    if mounted.returncode:
        pytest.skip("no small disk can be mounted here")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


@pytest.mark.long
def test_a_full_disk_is_said_reading_goes_on_and_nothing_is_lost(small_disk):
    with server(small_disk) as (_, base):
        session = Session(base)
        (job,) = new_jobs(base, 1)
        saved = []
        ballast = small_disk / "ballast"
        with ballast.open("wb") as file, contextlib.suppress(OSError):
            while True:
                file.write(b"\0" * 65536)
                file.flush()
        with ballast.open("r+b") as file:  # a little room is left, for some saves
            file.truncate(max(0, ballast.stat().st_size - 150_000))
        told = None
        for _ in range(400):
            fuse = next(FUSES)
            body = {"base_revision": len(saved) + 1, "document": changed(SKERRY, bank__fuse_a=fuse)}
            try:
                saved.append((job, session.call("PUT", f"/jobs/{job}", body)["revision"], fuse))
            except urllib.error.HTTPError as error:
                told = (error.code, json.load(error))
                break
        assert told is not None, "the disk never became full"
        assert told[0] == 507 and told[1]["title"] == "The disk is full" and "nothing was stored" in told[1]["detail"].lower()
        assert there(session, saved) == set(saved), "reading goes on"
        assert session.call("GET", f"/jobs/{job}/plan")["bank"]["capacity_ah"] > 0
        assert session.call("POST", "/plan", changed(SKERRY, bank__fuse_a=200))["findings"] is not None
        with pytest.raises(urllib.error.HTTPError) as door:
            Session(base)
        assert "json" in door.value.headers["Content-Type"], "the door answers in the API's own words"
        ballast.unlink()
        fuse = next(FUSES)
        body = {"base_revision": len(saved) + 1, "document": changed(SKERRY, bank__fuse_a=fuse)}
        saved.append((job, session.call("PUT", f"/jobs/{job}", body)["revision"], fuse))
        assert there(session, saved) == set(saved)
    assert whole(small_disk)
