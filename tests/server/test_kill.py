"""The server is killed in the middle of a burst of saves: what was acknowledged is there afterwards."""

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from http.cookiejar import CookieJar

from tests.jobs import SKERRY, changed


class Session:
    """A signed-in connection with cookies."""

    def __init__(self, base):
        self.base = base
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.csrf = self.call("GET", "/session")["csrf"]
        self.csrf = self.call("POST", "/session", {"username": "demo", "password": "lithium-bank"})["csrf"]

    def call(self, method, path, body=None):
        request = urllib.request.Request(
            self.base + "/api" + path, method=method, data=None if body is None else json.dumps(body).encode()
        )
        request.add_header("Content-Type", "application/json")
        request.add_header("X-CSRFToken", getattr(self, "csrf", ""))
        with self.opener.open(request, timeout=20) as answer:
            return json.load(answer)


@contextlib.contextmanager
def server(folder):
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
    process = subprocess.Popen(
        [sys.executable, "-m", "ewerer.entry", "demo", "--port", str(port), "--data", str(folder)],
        env=environment,
        stdout=subprocess.DEVNULL,
    )
    base = f"http://127.0.0.1:{port}"
    try:
        for _ in range(300):
            with contextlib.suppress(OSError):
                urllib.request.urlopen(base + "/api/session", timeout=2).read()
                break
            time.sleep(0.1)
        yield process, base
    finally:
        if process.poll() is None:
            process.kill()
        process.wait(10)


def test_acknowledged_revisions_survive_sigkill(tmp_path):
    acknowledged: dict[str, list[tuple[int, int]]] = {}
    with server(tmp_path) as (process, base):
        sessions = [Session(base) for _ in range(3)]
        ids = [s.call("POST", "/jobs", changed(SKERRY))["id"] for s in sessions]

        def burst(session, id):
            revision = 1
            acknowledged[id] = []
            with contextlib.suppress(OSError, ValueError):
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
            there = {r["number"] for r in session.call("GET", f"/jobs/{id}/revisions")}
            assert {n for n, _ in saved} <= there
            for number, fuse in saved[-5:]:
                assert session.call("GET", f"/jobs/{id}/revisions/{number}")["bank"]["fuse_a"] == fuse
            job = session.call("GET", f"/jobs/{id}")
            assert (
                session.call("PUT", f"/jobs/{id}", {"base_revision": job["revision"], "document": changed(SKERRY)})["revision"]
                == job["revision"] + 1
            )
