"""Start the web application: ``ewerer demo`` and ``ewerer serve``."""

from __future__ import annotations

import os
import socket
import sys
import threading
from pathlib import Path
from typing import Any, cast


def serve(command: str, port: int, host: str, data: str | None) -> int:
    """Migrate the database and serve until stopped. Return the exit code.

    ``demo`` uses demo data on loopback; ``serve`` uses production settings. Both keep their data in
    ``data``, in EWERER_DATA, or in a folder of the home directory.
    """
    demo = command == "demo"
    os.environ["DJANGO_SETTINGS_MODULE"] = f"ewerer.server.settings.{'demo' if demo else 'production'}"
    folder = data or os.environ.get("EWERER_DATA") or str(Path.home() / (".ewerer-demo" if demo else ".ewerer"))
    os.environ["EWERER_DATA"] = str(Path(folder).resolve())
    try:
        Path(folder).mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        print(f"ewerer: cannot keep data in {folder}: {error.strerror}", file=sys.stderr)
        return 2
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            print(f"ewerer: cannot listen on {host}:{port}: {error.strerror}; try --port {port + 1}", file=sys.stderr)
            return 2

    import django

    django.setup()
    import uvicorn
    from a2wsgi import WSGIMiddleware
    from django.core.management import call_command

    call_command("migrate", verbosity=0, interactive=False)
    if demo:
        from .demo import NAME, PASSWORD, load_demo, seal_demo

        load_demo()
        threading.Thread(target=seal_demo, daemon=True).start()
        print(
            f"Ewerer is at http://{host}:{port}/",
            f"Sign in as {NAME} with password {PASSWORD}",
            "Stop with Ctrl-C",
            sep="\n",
            flush=True,
        )
    else:
        print(f"Ewerer is at http://{host}:{port}/", flush=True)
    from .gate import Gate
    from .wsgi import application

    workers = WSGIMiddleware(cast(Any, application), workers=8)
    uvicorn.run(cast(Any, Gate(cast(Any, workers))), host=host, port=port, log_level="warning", access_log=False)
    return 0
