"""A server of its own process, and a signed-in connection to it."""

import contextlib
import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from http.cookiejar import CookieJar


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
