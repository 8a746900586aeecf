"""Whether a data folder is whole: database, documents, files, keys, permissions, versions; and what to do where it is not."""

from __future__ import annotations

import contextlib
import shutil
import sqlite3
import stat
import tempfile
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from django.db.migrations.loader import MigrationLoader

from ...core.devices.library import parse_profile
from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document
from ...core.trade.errors import DocumentError, Problem
from ..jobs import keeping
from ..settings.base import LEAST_KEY
from .backup import BackupError, check, opened
from .health import LEAST_FREE_BYTES

MOST_NAMED = 5
"""So many broken documents are named; the rest is counted."""


@dataclass(frozen=True, slots=True)
class Found:
    """One thing looked at: in order or not, what was seen, what to do."""

    good: bool
    what: str
    to_do: str = ""


def examine(folder: Path) -> Iterator[Found]:
    """Yield what a data folder is like; reads only, also while a server runs on it."""
    if not folder.is_dir():
        yield Found(False, f"there is no folder {folder}", "start `ewerer serve` once, or give --data")
        return
    yield from _closed(folder, 0o700)
    yield _writable(folder)
    database = folder / "ewerer.sqlite3"
    if not database.exists():
        yield Found(False, "there is no database yet", "start `ewerer serve` once")
    else:
        yield from _closed(database, 0o600)
        try:
            check(database)
            yield Found(True, "the database is whole")
        except BackupError as error:
            yield Found(False, str(error), "stop the server, and put back a backup: ewerer restore FILE")
            return
        with contextlib.closing(opened(database)) as held:
            versions = _versions(held)
            yield versions
            if versions.good:
                yield _unread(held.execute(JOBS), "jobs", lambda job: _read_job(held, job))
                yield _unread(held.execute(PROFILES), "own profiles", parse_profile)
    yield from _keys(folder)
    free = shutil.disk_usage(folder).free
    yield Found(
        free >= LEAST_FREE_BYTES, f"{free // 1_000_000} MB free", "" if free >= LEAST_FREE_BYTES else "make room on this disk"
    )


def _writable(folder: Path) -> Found:
    """Say whether this person may write here: a folder that is closed or read-only is no damaged one."""
    try:
        with tempfile.TemporaryFile(dir=folder):
            pass
        if (database := folder / "ewerer.sqlite3").exists():
            database.open("r+b").close()
    except OSError as error:
        return Found(
            False,
            f"{folder} cannot be written ({error.strerror}); nothing is damaged by that",
            "make it writable for whoever runs Ewerer",
        )
    return Found(True, "the data folder can be written")


def _closed(path: Path, mode: int) -> Iterator[Found]:
    held = stat.S_IMODE(path.stat().st_mode)
    if held & ~mode:
        yield Found(False, f"{path} can be read by others ({held:o})", f"chmod {mode:o} {path}")
    else:
        yield Found(True, f"{path.name} is for its owner only")


def _versions(held: sqlite3.Connection) -> Found:
    done = set(held.execute("SELECT app, name FROM django_migrations"))
    waiting = [".".join(m) for m in set(MigrationLoader(None).disk_migrations) - done]
    if waiting:
        return Found(False, f"{len(waiting)} steps of an update wait", "start `ewerer serve`: it makes a backup, then takes them")
    return Found(True, "the database is of this version")


def _read_job(held: sqlite3.Connection, job: str) -> object:
    """Rebuild a job's latest document and read it; raises DocumentError where either cannot be done."""
    try:
        (whole,) = held.execute("SELECT whole FROM jobs_revision WHERE job_id = ? ORDER BY number DESC LIMIT 1", (job,)).fetchone()
        envelope = keeping.unpacked(whole)
        bodies = {
            k: held.execute("SELECT body FROM jobs_series WHERE key = ?", (k,)).fetchone() for k in envelope["series"].values()
        }
        data = keeping.joined(envelope, {k: row[0] for k, row in bodies.items() if row})
    except keeping.DAMAGED as error:
        raise DocumentError(
            [Problem(pointer="", message=f"it cannot be put together: {error}", expected="a whole revision")]
        ) from None
    return parse_document(JobDocument, data)


def _unread(rows: Iterable[tuple[str, str]], word: str, read: Callable[[str], object]) -> Found:
    """Read each stored document as the server would; name those that cannot be."""
    count, wrong = 0, []
    for name, text in rows:
        count += 1
        try:
            read(text)
        except DocumentError as error:
            wrong.append(f"{name}: {error.problems[0]}")
    if not wrong:
        return Found(True, f"{count} {word} can be read")
    more = f" and {len(wrong) - MOST_NAMED} more" if len(wrong) > MOST_NAMED else ""
    return Found(
        False,
        f"{len(wrong)} of {count} {word} cannot be read: {'; '.join(wrong[:MOST_NAMED])}{more}",
        "take an older revision back, or export and mend it",
    )


JOBS = "SELECT name, id FROM jobs_job"
PROFILES = (
    "SELECT p.profile_id, v.document FROM profiles_crewprofile p"
    " JOIN profiles_profileversion v ON v.profile_id = p.id AND v.revision = p.revision"
)


def _keys(folder: Path) -> Iterator[Found]:
    secret = folder / "secret-key"
    if secret.exists():
        yield from _closed(secret, 0o600)
        if len(secret.read_text().strip()) < LEAST_KEY:
            yield Found(
                False, "the secret key is empty or cut short", "start the server: it makes a new one; everybody signs in again"
            )
    for key in sorted((folder / "keys").glob("*")) if (folder / "keys").is_dir() else []:
        yield from _closed(key, 0o600)
