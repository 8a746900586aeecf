"""Copies of the whole database, made and taken back while the server runs."""

from __future__ import annotations

import contextlib
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.migrations.loader import MigrationLoader

from ...core.trade.errors import Error
from ..writing import alone


class BackupError(Error):
    """A copy that cannot be made or used; the words say why and what would be right."""


def live_path() -> Path:
    """Return the file of the running database."""
    return Path(str(settings.DATABASES["default"]["NAME"]))


def opened(path: Path) -> sqlite3.Connection:
    """Return a connection that only reads, and leaves nothing beside a database that nobody else has open."""
    at_rest = not path.with_name(path.name + "-wal").exists()
    return sqlite3.connect(f"{path.absolute().as_uri()}?{'immutable=1' if at_rest else 'mode=ro'}", uri=True)


def check(path: Path) -> None:
    """Raise :class:`BackupError` unless ``path`` is a whole copy that this version can read."""
    if not path.is_file():
        raise BackupError(f"there is no file {path}")
    try:
        with contextlib.closing(opened(path)) as copy:
            told = copy.execute("PRAGMA integrity_check").fetchone()[0]
            names = {name for (name,) in copy.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if not {"django_migrations", "jobs_job"} <= names:
                raise BackupError(f"{path} is a database, but not one of Ewerer")
            made_by = set(copy.execute("SELECT app, name FROM django_migrations"))
    except sqlite3.OperationalError as error:
        raise BackupError(f"{path} cannot be opened: {error}") from None
    except sqlite3.DatabaseError as error:
        raise BackupError(f"{path} is not a database: {error}") from None
    if told != "ok":
        raise BackupError(f"{path} is damaged: {told}")
    newer = made_by - set(MigrationLoader(None).disk_migrations)
    if newer:
        raise BackupError(f"{path} was made by a newer version of Ewerer ({', '.join(sorted('.'.join(m) for m in newer))})")


def back_up(to: Path) -> int:
    """Write a whole copy of the database to ``to`` and return its size in bytes.

    The copy is of one moment, made while others read and write, checked before it gets its name. Raises
    :class:`BackupError` when ``to`` exists or cannot be written.
    """
    if to.exists():
        raise BackupError(f"{to} exists already; choose another name")
    part = to.with_name(to.name + ".part")
    connection.ensure_connection()
    try:
        part.unlink(missing_ok=True)
        with contextlib.closing(sqlite3.connect(part)) as copy:
            connection.connection.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")  # a copy is one file
        part.chmod(0o600)
        check(part)
        part.replace(to)
    except (OSError, sqlite3.Error) as error:
        raise BackupError(f"cannot write {to}: {error}") from None
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
    return to.stat().st_size


def restore(source: Path) -> Path:
    """Put a copy in place of the running database and return where what was there before is kept.

    Saves wait meanwhile: each that was acknowledged is in what is kept, or comes after the copy. Raises
    :class:`BackupError`, and changes nothing, when the copy cannot be used.
    """
    check(source)
    kept = live_path().with_name(f"before-restore-{datetime.now(UTC):%Y%m%d-%H%M%S-%f}.sqlite3")
    with alone():
        back_up(kept)
        with contextlib.closing(opened(source)) as copy:
            copy.backup(connection.connection)
        connection.connection.execute("PRAGMA journal_mode=WAL")
    return kept
