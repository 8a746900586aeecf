"""A demo server of its own on a free port, for benchmarks and pictures."""

import contextlib
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator


@contextlib.contextmanager
def demo_server() -> Iterator[str]:
    """Serve demo data from a throw-away folder; yields the address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory() as folder:
        environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
        command = [sys.executable, "-m", "ewerer.entry", "demo", "--port", str(port), "--data", folder]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=environment)
        address = f"http://127.0.0.1:{port}"
        try:
            for _ in range(200):
                with contextlib.suppress(OSError):
                    urllib.request.urlopen(address + "/api/session", timeout=2).read()
                    break
                time.sleep(0.1)
            yield address
        finally:
            server.terminate()
            server.wait(10)
