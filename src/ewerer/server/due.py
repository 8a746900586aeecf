"""What the list of jobs shows of a plan is brought up after a save: the save does not wait for the plan.

Many saves of one job meanwhile are one plan. A job says in the database that this is due, so that no crash forgets it.
"""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

log = logging.getLogger(__name__)
REST_S = 0.3
"""A job is left alone so long after the first save: more of them may come."""
FEW = 3
"""So many jobs of a crew are waited for by who asks for the list."""


@dataclass(slots=True)
class Due:
    """A job whose line is to be brought up: its crew, when that came about [ns], and what its plan is made of where that is at hand."""

    job: uuid.UUID
    crew: int
    at: int = 0
    of: Any = None
    since: float = field(default_factory=time.monotonic)


BringUp = Callable[[uuid.UUID, int, Any], None]
_turn = threading.Condition()
_waiting: OrderedDict[uuid.UUID, Due] = OrderedDict()
"""The one that has waited longest first."""
_at_work: Due | None = None
_asking = 0
"""How many people wait for their list."""
_thread: threading.Thread | None = None


def later() -> bool:
    """Whether somebody brings up later what is due; else it is done at once."""
    return _thread is not None


def note(job: uuid.UUID, crew: int, at: int = 0, of: Any = None) -> None:
    """Note that a job is due since a time [ns]; what is noted last counts."""
    with _turn:
        held = _waiting.setdefault(job, Due(job, crew))
        held.at, held.of = at, of
        _turn.notify_all()


def _of_crew(crew: int) -> int:
    return sum(d.crew == crew for d in (*_waiting.values(), *(() if _at_work is None else (_at_work,))))


def settled(crew: int, seconds: float) -> None:
    """Wait until nothing of a crew is due, not long, and only where it is little."""
    global _asking
    until = time.monotonic() + seconds
    with _turn:
        _asking += 1
        _turn.notify_all()
        try:
            while 0 < _of_crew(crew) <= FEW and (rest := until - time.monotonic()) > 0:
                _turn.wait(rest)
        finally:
            _asking -= 1


def begin(bring_up: BringUp, due: Iterable[tuple[uuid.UUID, int]]) -> None:
    """Bring up from now on what is due, beginning with what an earlier run of the server left."""
    global _thread
    for job, crew in due:
        note(job, crew)
    _thread = threading.Thread(target=_carry_on, args=(bring_up,), daemon=True, name="due")
    _thread.start()


def _carry_on(bring_up: BringUp) -> None:
    while True:
        took = carry_out(bring_up)
        with _turn:  # half of a processor at most, unless somebody waits for the list
            _turn.wait_for(lambda: _asking > 0, took)


def carry_out(bring_up: BringUp) -> float:
    """Wait for a job that is due and rests, and bring it up; return how long that took [s]. What fails is logged, and due again when the server starts anew."""
    global _at_work
    with _turn:
        while not _waiting or (rest := next(iter(_waiting.values())).since + REST_S - time.monotonic()) > 0:
            if _waiting and _asking:
                break
            _turn.wait(rest if _waiting else None)
        _, now = _waiting.popitem(last=False)
        _at_work = now
    began = time.monotonic()
    try:
        bring_up(now.job, now.at, now.of)
    except Exception:
        log.exception("the list's line of job %s cannot be brought up", now.job)
    finally:
        with _turn:
            _at_work = None
            _turn.notify_all()
    return time.monotonic() - began
