"""Start the web application: ``ewerer demo`` and ``ewerer serve``."""

from __future__ import annotations

import gc
import itertools
import os
import socket
import sys
import threading
from pathlib import Path
from typing import Any, cast

SETTLING = 30
"""Full looks for garbage after the start, each of which finds more that was loaded on first use."""
_looks = itertools.count()


def let_stay(phase: str, info: dict[str, int]) -> None:
    """Keep what the first full looks for garbage leave out of the later ones: to walk through all of it again stops everybody for 0.2 s."""
    if phase == "stop" and info["generation"] == 2 and next(_looks) < SETTLING:
        gc.freeze()


def serve(command: str, port: int, host: str, data: str | None, collect: tuple[int, int, int] = (700, 10, 10)) -> int:
    """Migrate the database and serve until stopped. Return the exit code.

    ``demo`` uses demo data on loopback; ``serve`` uses production settings. Both keep their data in
    ``data``, in EWERER_DATA, or in a folder of the home directory. ``collect`` is how often garbage is looked for from then on.
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

    behind = _behind(Path(folder))
    if behind is None:
        return 2
    if behind:
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
    from . import daily, due, workers
    from .gate import Gate
    from .jobs.actions import all_due
    from .record.actions import bring_up
    from .wsgi import application

    daily.begin()
    due.begin(bring_up, all_due())
    many = workers.count()
    ahead = threading.Timer(WORKERS_S, workers.begin, (many,)) if many else threading.Timer(WARM_S, _load_ahead)
    ahead.daemon = True
    ahead.start()
    gc.freeze()  # all that was loaded stays
    gc.callbacks.append(let_stay)
    gc.set_threshold(*collect)
    answers = cast(Any, Gate(cast(Any, WSGIMiddleware(cast(Any, application), workers=THREADS))))
    try:
        uvicorn.run(
            answers,
            host=host,
            port=port,
            log_level="warning",
            access_log=False,
            proxy_headers=False,
            timeout_graceful_shutdown=ENDS_S,
        )
    finally:
        workers.end()
    return 0


THREADS = 44
"""Requests that are answered at one time: all that the gate lets in, so that none waits behind others in line once it is in."""
ENDS_S = 5
"""How long a stop waits for what is being answered: longer than any save takes."""
WORKERS_S, WARM_S = 2.0, 10.0
"""When, after the start, the processes that compute are started, or, where there are none, what is seldom needed is loaded."""


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


def _behind(folder: Path) -> bool | None:
    """Return whether the database is to be made or updated, backed up first; None, said in words, where it is damaged or newer than this."""
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
        behind = bool(executor.migration_plan(executor.loader.graph.leaf_nodes()))
        if behind:
            kept = folder / f"before-update-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite3"
            back_up(kept)
            print(f"ewerer: updating the data; as it was before: {kept}", flush=True)
    except BackupError as error:
        print(f"ewerer: {error}", file=sys.stderr)
        print(f"ewerer: `ewerer doctor --data {folder}` says more; nothing was changed", file=sys.stderr)
        return None
    return behind


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
