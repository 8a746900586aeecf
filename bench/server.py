"""A demo server of its own on a free port, for benchmarks, pictures and tests."""

import contextlib
import fcntl
import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

CHROMIUM: dict[str, Any] = {
    "executable_path": "/usr/bin/chromium-headless-shell",
    "args": ["--no-sandbox", "--disable-background-networking"],
}
"""How Debian's headless Chromium is started."""


def free_port() -> int:
    """Return a port of this machine that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def prepared() -> Path:
    """Return a folder with demo data, ``data``, and the cookies of the demo user, ``cookies.json``; made once for each EWERER_PREPARED."""
    folder = Path(os.environ["EWERER_PREPARED"])
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (folder / "cookies.json").exists():
            shutil.rmtree(folder / "data", ignore_errors=True)
            with _served(folder / "data", free_port()) as (_, address):
                cookies = _signed_in(address)
            (folder / "cookies.json").write_text(json.dumps(cookies))
    return folder


def _signed_in(address: str) -> list[dict[str, Any]]:
    """Sign in as the demo user, wait until the demo's handover is sealed, and return the cookies."""
    jar = CookieJar()
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))

    def ask(path: str, body: object = None, token: str = "") -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json", "X-CSRFToken": token}
        with opener.open(urllib.request.Request(address + "/api" + path, data, headers), timeout=30) as answer:
            return json.load(answer)

    ask("/session", {"username": "demo", "password": "lithium-bank"}, ask("/session")["csrf"])
    (signed,) = [j for j in ask("/jobs")["items"] if j["summary"]["run"]["stands"] == "signed"]
    while not ask(f"/jobs/{signed['id']}/handovers")["total"]:
        time.sleep(0.1)
    return [{"name": c.name, "value": c.value} for c in jar]


@contextlib.contextmanager
def server(folder: str | os.PathLike[str], port: int = 0, demo: bool = True) -> Iterator[tuple[subprocess.Popen[bytes], str]]:
    """Serve data kept in ``folder`` on a port, or on a free one; yields the process and the address.

    Where EWERER_PREPARED names a folder, an empty ``folder`` begins as a copy of what was prepared there once.
    """
    kept = Path(folder) / "ewerer.sqlite3"
    if demo and "EWERER_PREPARED" in os.environ and not kept.exists():
        shutil.copytree(prepared() / "data", folder, dirs_exist_ok=True)
    with _served(folder, port or free_port(), demo) as served:
        yield served


def until_it_answers(address: str) -> None:
    """Wait until a server answers, two minutes at most."""
    for _ in range(2400):
        with contextlib.suppress(OSError):
            urllib.request.urlopen(address + "/health", timeout=2).read()
            break
        time.sleep(0.05)


@contextlib.contextmanager
def _served(folder: str | os.PathLike[str], port: int, demo: bool = True) -> Iterator[tuple[subprocess.Popen[bytes], str]]:
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"} | {"EWERER_PLAIN_HTTP": "1"}
    environment.setdefault("EWERER_DEMO_RIG", "no")
    command = [sys.executable, "-m", "ewerer.entry", "demo" if demo else "serve", "--port", str(port), "--data", str(folder)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=environment)
    address = f"http://127.0.0.1:{port}"
    try:
        until_it_answers(address)
        yield process, address
    finally:
        process.terminate()
        process.wait(60)


@contextlib.contextmanager
def demo_server() -> Iterator[str]:
    """Serve demo data from a throw-away folder; yields the address."""
    with tempfile.TemporaryDirectory() as folder, server(folder) as (_, address):
        yield address
