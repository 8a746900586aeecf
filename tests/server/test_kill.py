"""The server is killed in the middle of a burst of saves: what was acknowledged is there afterwards."""

import contextlib
import http.client
import os
import signal
import threading
import time

import pytest
from bench.server import server

from tests.jobs import SKERRY, changed
from tests.server.running import Session

pytestmark = pytest.mark.slow


def test_acknowledged_revisions_survive_sigkill(tmp_path):
    acknowledged: dict[str, list[tuple[int, int]]] = {}
    with server(tmp_path) as (process, base):
        sessions = [Session(base) for _ in range(3)]
        ids = [s.call("POST", "/jobs", changed(SKERRY))["id"] for s in sessions]

        def burst(session, id):
            revision = 1
            acknowledged[id] = []
            # An answer cut in the middle by the kill acknowledges nothing.
            with contextlib.suppress(OSError, ValueError, http.client.HTTPException):
                for n in range(1000):
                    fuse = 100 + n
                    revision = session.call(
                        "PUT", f"/jobs/{id}", {"base_revision": revision, "document": changed(SKERRY, bank__fuse_a=fuse)}
                    )["revision"]
                    acknowledged[id].append((revision, fuse))

        threads = [threading.Thread(target=burst, args=pair) for pair in zip(sessions, ids, strict=True)]
        for t in threads:
            t.start()
        deadline = time.time() + 30
        while sum(map(len, acknowledged.values())) < 30 and time.time() < deadline:
            time.sleep(0.02)
        os.kill(process.pid, signal.SIGKILL)
        process.wait(10)
        for t in threads:
            t.join(30)
    assert sum(map(len, acknowledged.values())) >= 30
    with server(tmp_path) as (_, base):
        session = Session(base)
        for id, saved in acknowledged.items():
            there = {r["number"] for r in session.call("GET", f"/jobs/{id}/revisions?limit=500")["items"]}
            assert {n for n, _ in saved} <= there
            for number, fuse in saved[-5:]:
                assert session.call("GET", f"/jobs/{id}/revisions/{number}")["bank"]["fuse_a"] == fuse
            job = session.call("GET", f"/jobs/{id}")
            assert (
                session.call("PUT", f"/jobs/{id}", {"base_revision": job["revision"], "document": changed(SKERRY)})["revision"]
                == job["revision"] + 1
            )
