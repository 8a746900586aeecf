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
    os.umask(0o077)  # what is kept here is for its owner only
    try:
        Path(folder).mkdir(parents=True, exist_ok=True, mode=0o700)
        _close(Path(folder))
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

    from .proxies import trusted

    try:
        trusted()
    except ValueError as error:
        print(
            f"ewerer: EWERER_PROXIES: {error}; addresses or networks with commas between, such as 10.0.0.5, 10.1.0.0/16",
            file=sys.stderr,
        )
        return 2

    import django

    django.setup()
    import uvicorn
    from a2wsgi import WSGIMiddleware
    from django.core.management import call_command

    if not _ready_to_migrate(Path(folder)):
        return 2
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
    from . import daily
    from .gate import Gate
    from .wsgi import application

    daily.begin()
    warm = threading.Timer(WARM_S, _load_ahead)
    warm.daemon = True
    warm.start()
    workers = WSGIMiddleware(cast(Any, application), workers=8)
    uvicorn.run(
        cast(Any, Gate(cast(Any, workers))), host=host, port=port, log_level="warning", access_log=False, proxy_headers=False
    )
    return 0


WARM_S = 10.0


def _load_ahead() -> None:
    """Load what the first simulated day and the first paper need; the start does not wait for it."""
    import pvlib  # noqa: F401

    from ..core.flow import compiled  # noqa: F401


def _close(folder: Path) -> None:
    """Take away what others may do in a data folder that an earlier version made."""
    folder.chmod(folder.stat().st_mode & 0o700)
    for file in (*folder.glob("*.sqlite3*"), folder / "secret-key", *folder.glob("keys/*")):
        if file.is_file():
            file.chmod(file.stat().st_mode & 0o600)


def _ready_to_migrate(folder: Path) -> bool:
    """Back up what an update would change; refuse a database that is damaged or of a newer version, in words."""
    from datetime import UTC, datetime

    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    from .backup import BackupError, back_up, check, live_path

    database = live_path()
    if not database.exists() or not database.stat().st_size:
        return True
    try:
        check(database)
        executor = MigrationExecutor(connection)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            kept = folder / f"before-update-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite3"
            back_up(kept)
            print(f"ewerer: updating the data; as it was before: {kept}", flush=True)
    except BackupError as error:
        print(f"ewerer: {error}", file=sys.stderr)
        print(f"ewerer: `ewerer doctor --data {folder}` says more; nothing was changed", file=sys.stderr)
        return False
    return True


def doctor(data: str | None) -> int:
    """Examine a data folder; return 0 where all is in order, else 1."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "ewerer.server.settings.production"
    os.environ["EWERER_DATA"] = str(Path(data or os.environ.get("EWERER_DATA") or Path.home() / ".ewerer").resolve())
    os.environ.setdefault("EWERER_SECRET_KEY", "only-to-look-" + "x" * 40)

    import django

    django.setup()
    from django.core.management import call_command

    try:
        call_command("doctor")
    except SystemExit as ended:
        return int(ended.code or 0)
    return 0
