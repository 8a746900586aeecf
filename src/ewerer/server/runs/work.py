"""Long work in a thread of its own. Results are kept for a while in memory; nothing here is stored in a job."""

from __future__ import annotations

import threading
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Literal

from ...core.documents import DocumentError

KEEP_S, MOST = 900.0, 40
State = Literal["waiting", "running", "done", "cancelled", "failed"]


class Cancelled(Exception):
    """The person asked to stop."""


@dataclass(slots=True)
class Run:
    """One piece of long work: what it is doing, how far it is, and its result as JSON text."""

    id: str
    crew_id: int
    kind: str
    state: State = "waiting"
    word: str = "waiting"
    share: float = 0.0
    result: str | None = None
    problem: str = ""
    stop: bool = False
    at: float = field(default_factory=time.monotonic)

    def told(self, word: str, share: float) -> None:
        """Note progress; raise :class:`Cancelled` when the person asked to stop."""
        if self.stop:
            raise Cancelled
        self.word, self.share = word, share


_runs: dict[str, Run] = {}
_lock = threading.Lock()
_pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="run")


def start(crew_id: int, kind: str, work: Callable[[Run], str]) -> Run:
    """Queue ``work``; it gets the run to tell progress to and returns JSON text."""
    run = Run(uuid.uuid4().hex, crew_id, kind)
    with _lock:
        old = sorted(_runs.values(), key=lambda r: r.at)
        for r in old:
            if time.monotonic() - r.at > KEEP_S or len(_runs) >= MOST:
                _runs.pop(r.id, None)
        _runs[run.id] = run

    def carry_out() -> None:
        try:
            run.told("beginning", 0.0)
            run.state = "running"
            run.result = work(run)
            run.told("done", 1.0)
            run.state = "done"
        except Cancelled:
            run.state, run.word, run.result = "cancelled", "cancelled", None
        except DocumentError as error:
            run.state, run.problem = "failed", str(error)
        except Exception as error:  # a defect must not end the worker; the person is told
            run.state, run.problem = "failed", f"a defect of Ewerer's own: {error}"

    _pool.submit(carry_out)
    return run


def find(id: str, crew_id: int) -> Run | None:
    """Return a crew's run, None when there is none or it belongs to others."""
    run = _runs.get(id)
    return run if run is not None and run.crew_id == crew_id else None


def cancel(run: Run) -> None:
    """Ask a run to stop; it does so at its next report of progress."""
    run.stop = True
    if run.state == "waiting":
        run.state, run.word = "cancelled", "cancelled"
