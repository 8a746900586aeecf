"""A signed-in connection to a server of its own process, and commands beside it."""

import copy
import json
import os
import subprocess
import sys
import urllib.request
from http.cookiejar import CookieJar


def command(folder, *argv, typed=None):
    """Run a command of ``ewerer`` on a data folder."""
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
    return subprocess.run(
        [sys.executable, "-m", "ewerer.entry", *map(str, argv), "--data", str(folder)],
        env=environment, input=typed, capture_output=True, text=True, timeout=60
    )  # fmt: skip


class Session:
    """A signed-in connection with cookies."""

    def __init__(self, base, name="demo", password="lithium-bank"):
        self.base = base
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.csrf = self.call("GET", "/session")["csrf"]
        self.csrf = self.call("POST", "/session", {"username": name, "password": password})["csrf"]

    def at(self, base):
        """The same person, on a server that took the data over."""
        other = copy.copy(self)
        other.base = base
        return other

    def call(self, method, path, body=None):
        request = urllib.request.Request(
            self.base + "/api" + path, method=method, data=None if body is None else json.dumps(body).encode()
        )
        request.add_header("Content-Type", "application/json")
        request.add_header("X-CSRFToken", getattr(self, "csrf", ""))
        with self.opener.open(request, timeout=20) as answer:
            return json.load(answer)
