"""A demo server of its own on a free port, for benchmarks, pictures and tests."""

import contextlib
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator


def free_port() -> int:
    """Return a port of this machine that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextlib.contextmanager
def server(folder: str | os.PathLike[str], port: int = 0) -> Iterator[tuple[subprocess.Popen[bytes], str]]:
    """Serve demo data kept in ``folder`` on a port, or on a free one; yields the process and the address."""
    port = port or free_port()
    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
    command = [sys.executable, "-m", "ewerer.entry", "demo", "--port", str(port), "--data", str(folder)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=environment)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(1200):
            with contextlib.suppress(OSError):
                urllib.request.urlopen(address + "/api/session", timeout=2).read()
                break
            time.sleep(0.1)
        yield process, address
    finally:
        process.terminate()
        process.wait(60)


@contextlib.contextmanager
def demo_server() -> Iterator[str]:
    """Serve demo data from a throw-away folder; yields the address."""
    with tempfile.TemporaryDirectory() as folder, server(folder) as (_, address):
        yield address
