"""Start the web application: ``ewerer demo`` and ``ewerer serve``."""

from __future__ import annotations

import contextlib
import gc
import os
import resource
import signal
import sys
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

KEPT_COPIES = 5
"""Copies from before updates that are kept."""

LAST_S = 5.0
"""How long the end may take once all is saved [s]."""
START_S = 20.0
"""How long the processes that compute may take to be there before a stop goes on without them [s]."""
SWITCH_S = 0.001
"""How long a thread keeps the interpreter while others wait: the one that reads and writes all connections must come up often [s]."""


def settle(data: str | None, demo: bool = False, close: bool = True) -> Path | None:
    """Set up Django on a data folder, ``data``, EWERER_DATA or one in the home directory; None, said in words, where that cannot be.

    With ``close``, what others may do in it is taken away.
    """
    os.environ["DJANGO_SETTINGS_MODULE"] = f"ewerer.server.settings.{'demo' if demo else 'production'}"
    folder = Path(data or os.environ.get("EWERER_DATA") or Path.home() / (".ewerer-demo" if demo else ".ewerer")).resolve()
    os.environ["EWERER_DATA"] = str(folder)
    os.umask(0o077)  # what is kept here is for its owner only
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if close:
            _close(folder)
        import django

        django.setup()
    except OSError as error:
        print(f"ewerer: cannot keep data in {folder}: {error.strerror}", file=sys.stderr)
        return None
    return folder


def up_to_date(folder: Path) -> bool:
    """Make or update the database, backed up first; False, said in words, where it is damaged or newer than this."""
    from django.core.management import call_command
    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    from .backup import BackupError, back_up, check, live_path

    database = live_path()
    if database.exists() and database.stat().st_size:
        try:
            check(database)
            executor = MigrationExecutor(connection)
            if not executor.migration_plan(executor.loader.graph.leaf_nodes()):
                return True
            kept = folder / f"before-update-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite3"
            back_up(kept)
            for old in sorted(folder.glob("before-update-*.sqlite3"))[:-KEPT_COPIES]:
                old.unlink()
            print(f"ewerer: updating the data; as it was before: {kept}", flush=True)
        except BackupError as error:
            print(f"ewerer: {error}", file=sys.stderr)
            print(f"ewerer: `ewerer doctor --data {folder}` says more; nothing was changed", file=sys.stderr)
            return False
    call_command("migrate", verbosity=0, interactive=False)
    return True


def serve(command: str, port: int, host: str, data: str | None, collect: tuple[int, int, int] = (700, 10, 10)) -> int:
    """Migrate the database and serve until stopped. Return the exit code.

    ``demo`` uses demo data on loopback; ``serve`` uses production settings. ``collect`` is how often garbage is looked for from then on.
    """
    demo = command == "demo"
    folder = settle(data, demo)
    if folder is None:
        return 2
    from django.core.wsgi import get_wsgi_application
    from django.urls import get_resolver

    from ..live import children
    from ..work import pool
    from . import tidy
    from .limits import Server

    with contextlib.suppress(ValueError, OSError):
        most = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))
    application = get_wsgi_application()
    assert get_resolver().url_patterns  # loaded now, not by whoever asks first
    try:
        server = Server(application, host, port)
    except OSError as error:
        print(f"ewerer: cannot listen on {host}:{port}: {error.strerror or error}; try --port {port + 1}", file=sys.stderr)
        return 2
    except ValueError as error:
        print(f"ewerer: EWERER_PROXY: {error}; right would be the address of the proxy, such as 10.0.0.5", file=sys.stderr)
        return 2
    if not up_to_date(folder):
        server.close()
        return 2
    if demo:
        from .demo import NAME, PASSWORD, load_demo, log_demo, practise_demo, seal_demo, start_demo_rig

        load_demo()
    print(f"Ewerer is at http://{host}:{port}/", flush=True)
    if demo:
        print(f"Sign in as {NAME} with password {PASSWORD}", "Stop with Ctrl-C", sep="\n", flush=True)
    tidy.begin()

    lacking: list[Callable[[], None]] = []
    if demo:
        lacking = [log_demo, practise_demo, seal_demo]
        if os.environ.get("EWERER_DEMO_RIG", "yes") == "yes":
            lacking.append(start_demo_rig)
    begun, started, stopping = threading.Event(), threading.Event(), threading.Event()

    def compute() -> None:
        """Start the processes that compute, and let them make what the demo still lacks."""
        begun.set()
        try:
            if not stopping.is_set():
                pool.begin(pool.count())
        finally:
            started.set()
        with contextlib.suppress(pool.ShuttingDown):
            for make in lacking:
                if not stopping.is_set():
                    make()

    begin = threading.Timer(1.0, compute)
    begin.daemon = True
    begin.start()
    sys.setswitchinterval(SWITCH_S)
    gc.freeze()  # all that was loaded stays
    gc.set_threshold(*collect)
    for told_to_stop in (signal.SIGINT, signal.SIGTERM):
        signal.signal(told_to_stop, signal.default_int_handler)
    try:
        server.run()  # ends what is being answered when it is told to stop
    finally:
        stopping.set()
        begin.cancel()
        if begun.is_set():
            started.wait(START_S)  # processes that are half there cannot be ended
        children.end_all()
        pool.end()
        leave()
        # Whatever a process that was still starting holds up, a stop comes to its end: all is saved by now.
        last = threading.Timer(LAST_S, os._exit, (0,))
        last.daemon = True
        last.start()
    return 0


def leave() -> None:
    """Put what is still in the log of the database into it, so that nothing lies beside it."""
    import sqlite3

    from django.db import connections

    from .backup import live_path

    connections.close_all()
    with contextlib.suppress(sqlite3.Error), contextlib.closing(sqlite3.connect(live_path(), timeout=2)) as held:
        held.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def _close(folder: Path) -> None:
    """Take away what others may do in a data folder that an earlier version made."""
    folder.chmod(folder.stat().st_mode & 0o700)
    for file in (*folder.glob("*.sqlite3*"), folder / "secret-key", *folder.glob("keys/*"), *folder.glob("logs/*")):
        if file.is_file():
            file.chmod(file.stat().st_mode & 0o600)
