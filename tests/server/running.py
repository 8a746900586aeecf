"""A signed-in connection to a server of its own process, and commands beside it."""

import copy
import json
import os
import subprocess
import sys
import urllib.request
from http.cookiejar import CookieJar


def command(folder, *argv):
    """Run a command of the server on a data folder."""
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
    environment |= {"EWERER_DATA": str(folder), "DJANGO_SETTINGS_MODULE": "ewerer.server.settings.demo"}
    return subprocess.run(
        [sys.executable, "-m", "ewerer.server", *map(str, argv)], env=environment, capture_output=True, text=True, timeout=60
    )


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
