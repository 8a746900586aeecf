"""What can be done with logs: receive them in parts, read them once, judge them against the plan as it stands."""

from __future__ import annotations

import hashlib
import re
import uuid
from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.contrib.auth.models import User
from django.core.cache import caches
from django.db.models import Sum
from django.utils import timezone

from ...core import tasks
from ...core.trade.budget import allowing
from ...core.trade.errors import DocumentError, Problem
from ..crews.models import Crew
from ..jobs.models import Job
from ..record import actions as record
from ..settings.base import DATA_DIR
from ..work import pool
from ..writing import writes
from .models import Log, LogMapping, LogPart

PART_BYTES = 4 * 2**20
"""So many bytes come in one part; the last may be shorter."""
MOST_FILE = 500 * 2**20
MOST_OF_CREW = 2 * 2**30
"""Most bytes of all of a crew's logs, as they came or as they are kept."""
MOST_LOGS = 200
MOST_REPORTS = 20
READ_S = 120.0
"""Most processor time that reading or judging a log takes [s]."""
BEGUN_DAYS = 7
"""A log that has not come whole after so many days is deleted."""
FOLDER = DATA_DIR / "logs"


def _refused(pointer: str, message: str, expected: str, value: object = None) -> DocumentError:
    return DocumentError([Problem(pointer=pointer, message=message, value=value, expected=expected)])


@writes
def begin(job: Job, name: str, size: int, user: User) -> Log:
    """Begin to receive a log; the same file begun before goes on where it stopped."""
    if not 0 < size <= MOST_FILE:
        raise _refused("/size", f"{size / 2**20:.0f} MB in one file", f"at most {MOST_FILE // 2**20} MB", size)
    held = job.logs.filter(name=name, size=size, state="receiving", made_by=user).first()
    if held is not None:
        return held
    if job.logs.count() >= MOST_LOGS:
        raise _refused("", "the job is full of logs", f"at most {MOST_LOGS}; delete one")
    used = _used(job.crew)
    if used + size > MOST_OF_CREW:
        raise _refused(
            "/size", f"the crew's logs take {used / 2**20:.0f} MB already", f"at most {MOST_OF_CREW // 2**20} MB; delete some", size
        )
    return Log.objects.create(job=job, name=name, size=size, made_by=user)


def _used(crew: Crew) -> int:
    of = Log.objects.filter(job__crew=crew)
    coming = of.filter(state="receiving").aggregate(n=Sum("size"))["n"] or 0
    return coming + (of.aggregate(n=Sum("bytes_kept"))["n"] or 0)


def received(log: Log) -> int:
    """Return how many parts have come without a gap, from the first."""
    there = set(log.parts.filter(columns=False).values_list("number", flat=True))
    n = 0
    while n in there:
        n += 1
    return n


@writes
def add_part(log: Log, number: int, data: bytes) -> None:
    """Keep one part; the same part again is the same."""
    if log.state != "receiving":
        raise _refused("", "this log was read already", "a new log")
    last = (log.size - 1) // PART_BYTES
    wanted = log.size - last * PART_BYTES if number == last else PART_BYTES
    if not 0 <= number <= last or len(data) != wanted:
        raise _refused(
            "",
            f"part {number} has {len(data)} bytes",
            f"parts 0 to {last} of {PART_BYTES} bytes, the last of {log.size - last * PART_BYTES}",
        )
    LogPart.objects.update_or_create(log=log, columns=False, number=number, defaults={"data": data})


def header_of(mapping: Mapping[str, str | None]) -> str:
    """Return what a header is remembered by."""
    return hashlib.sha256("\n".join(mapping).encode()).hexdigest()


def _read(path: Path, name: str, kept: Path, mapping: dict[str, str | None] | None, inputs: tasks.Inputs) -> dict[str, Any]:
    try:
        return pool.run_for(READ_S, tasks.log_kept, str(path), name, str(kept), mapping, inputs)
    except (pool.ProcessEnded, MemoryError):
        raise _refused(
            "/file", "this log takes more memory than a process may have here", "fewer rows, or EWERER_WORKER_MB raised"
        ) from None


def read(log: Log, mapping: dict[str, str | None] | None) -> Log:
    """Read a log that has come whole, or read it anew by another mapping; what a person said of its columns is remembered."""
    raw = log.parts.filter(columns=False)
    if received(log) * PART_BYTES < log.size:
        raise _refused("", "parts of this log are missing", "all of its parts", received(log))
    inputs = record.sight_of(log.job).inputs
    FOLDER.mkdir(exist_ok=True)
    with TemporaryDirectory(prefix="log-", dir=FOLDER) as folder:
        path, kept = Path(folder) / "file", Path(folder) / "columns"
        with path.open("wb") as out:
            for data in raw.values_list("data", flat=True).iterator(chunk_size=2):
                out.write(data)
        try:
            told = _read(path, log.name, kept, mapping, inputs)
            if mapping is None:
                remembered = LogMapping.objects.filter(crew=log.job.crew, header=header_of(told["mapping"])).first()
                if remembered is not None and remembered.mapping != told["mapping"]:
                    mapping = remembered.mapping
                    told = _read(path, log.name, kept, mapping, inputs)
        except DocumentError as error:
            _failed(log, str(error))
            raise
        return _keep(log, told, kept.read_bytes(), mapping is not None)


@writes
def _failed(log: Log, problem: str) -> None:
    log.problem = problem
    log.save(update_fields=["problem"])


@writes
def _keep(log: Log, told: dict[str, Any], columns: bytes, said: bool) -> Log:
    log.parts.filter(columns=True).delete()
    LogPart.objects.bulk_create(
        LogPart(log=log, columns=True, number=n, data=columns[at : at + PART_BYTES])
        for n, at in enumerate(range(0, len(columns), PART_BYTES))
    )
    log.digest, log.rows, log.mapping = hashlib.sha256(columns).hexdigest(), told["rows"], told["mapping"]
    # The file itself stays beside its columns while it is small, so that another mapping can be tried.
    log.bytes_kept = len(columns) + (log.size if log.size <= 64 * 2**20 else 0)
    if log.size > 64 * 2**20:
        log.parts.filter(columns=False).delete()
    log.state, log.problem = "read", ""
    log.save()
    if said:
        LogMapping.objects.update_or_create(
            crew=log.job.crew, header=header_of(told["mapping"]), defaults={"mapping": told["mapping"]}
        )
    return log


def columns_file(log: Log) -> Path:
    """Return the columns of a log as a file, made of the database's parts where it is not there."""
    if log.state != "read":
        raise _refused("", "this log was not read yet", "a log that has come whole")
    path = FOLDER / f"{log.digest}.parquet"
    if not path.exists():
        FOLDER.mkdir(exist_ok=True)
        beside = path.with_suffix(f".{uuid.uuid4().hex}")
        with beside.open("wb") as out:
            for data in log.parts.filter(columns=True).values_list("data", flat=True).iterator(chunk_size=2):
                out.write(data)
        beside.replace(path)
        path.chmod(0o600)
    return path


def report(log: Log) -> str:
    """Return a log judged against the plan of its job as it stands now, as JSON."""
    inputs = record.sight_of(log.job).inputs
    key = f"log-{log.digest}-{inputs.key}"
    text = caches["default"].get(key)
    if text is None:
        text = pool.run_for(READ_S, tasks.log_report, str(columns_file(log)), inputs)
        caches["default"].set(key, text, 3600)
    return str(text)


def reports_of(job: Job) -> dict[str, bytes]:
    """Return what a handover holds of a job's logs: each report as a file; the newest twenty."""
    out = {}
    for n, log in enumerate(job.logs.filter(state="read")[:MOST_REPORTS], 1):
        word = re.sub(r"[^A-Za-z0-9]+", "-", Path(log.name).stem).strip("-")[:60]
        with allowing(READ_S):
            out[f"logs/{n:02d}-{word or 'log'}.json"] = report(log).encode()
    return out


def series(log: Log, columns: list[str], from_s: float, to_s: float, most: int) -> str:
    """Return the lines of a stretch of a log as JSON."""
    return pool.run(tasks.log_series, str(columns_file(log)), columns, from_s, to_s, most)


@writes
def sweep() -> int:
    """Delete what never came whole, and files of logs that are gone; return how many went."""
    late = Log.objects.filter(state="receiving", made_at__lt=timezone.now() - timedelta(days=BEGUN_DAYS))
    gone = late.count()
    late.delete()
    kept = set(Log.objects.exclude(digest="").values_list("digest", flat=True))
    for path in FOLDER.glob("*.parquet"):
        if path.stem not in kept:
            path.unlink(missing_ok=True)
            gone += 1
    return gone


@writes
def drop(log: Log) -> None:
    """Delete a log, and its file where no other log has the same columns."""
    if log.digest and not Log.objects.filter(digest=log.digest).exclude(pk=log.pk).exists():
        (FOLDER / f"{log.digest}.parquet").unlink(missing_ok=True)
    log.delete()
