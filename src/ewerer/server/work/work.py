"""Long work: a piece of each crew at a time, of a few crews at once. Results lie on disk, so that they outlive a restart; no job holds them.

Crews take turns, however much one of them asks for. What was running when the server stopped is said to have failed.
"""

from __future__ import annotations

import json
import logging
import threading
import time
import uuid
from collections import OrderedDict, deque
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from ...core.documents import DocumentError, Problem
from ..settings.base import DATA_DIR
from ..workers import Over

KEEP_S = 86_400.0
"""Results are kept for a day, and of each crew only so many."""
MOST_KEPT, MOST_WAITING = 12, 6
MOST_AT_ONCE = 4
"""Crews whose long work is carried out at one time; each piece has a process of its own where there are any."""
ANEW = "the server was started anew meanwhile; start it again"
log = logging.getLogger(__name__)
State = Literal["waiting", "running", "done", "cancelled", "failed"]


class Cancelled(Exception):
    """The person asked to stop."""


class TooMuch(DocumentError):
    """The crew has as much waiting as it may."""

    def __init__(self) -> None:
        expected = f"at most {MOST_WAITING}; wait, or cancel one"
        super().__init__([Problem(pointer="", message="your crew has much waiting already", expected=expected)])


@dataclass(slots=True)
class Work:
    """One piece of long work: what it is doing, how far it is, what went wrong."""

    id: str
    crew_id: int
    kind: str
    state: State = "waiting"
    word: str = "waiting"
    share: float = 0.0
    problem: str = ""
    stop: bool = False
    at: float = 0.0

    def told(self, word: str, share: float) -> None:
        """Note progress; raise :class:`Cancelled` when the person asked to stop."""
        if self.stop:
            raise Cancelled
        self.word, self.share = word, share

    @property
    def result(self) -> str | None:
        """The result as JSON text, None where there is none yet or none any more."""
        try:
            return _file(self.id, "result").read_text() if self.state == "done" else None
        except OSError:
            return None

    def become(self, state: State, word: str | None = None, problem: str = "") -> None:
        """Note on disk what it has become, then let it be seen: what is said to be done is still done after a restart."""
        word = self.word if word is None else word
        known = {"crew": self.crew_id, "kind": self.kind, "state": state, "word": word, "problem": problem, "at": self.at}
        try:
            _file(self.id, "work").write_text(json.dumps(known))
        except OSError:  # a full disk: it is still known in memory
            log.exception("long work %s cannot be noted", self.id)
        self.word, self.problem, self.state = word, problem, state


def _folder() -> Path:
    folder = DATA_DIR / "work"
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return folder


def _file(id: str, what: str) -> Path:
    return _folder() / f"{id}.{what}.json"


_held: dict[str, Work] = {}
_queues: OrderedDict[int, deque[tuple[Work, Callable[[Work], str]]]] = OrderedDict()
_at_work = set[int]()
"""Crews of which a piece is carried out."""
_turn = threading.Condition()
_threads: list[threading.Thread] = []


def start(crew_id: int, kind: str, work: Callable[[Work], str]) -> Work:
    """Queue ``work``; it gets the piece to tell progress to and returns JSON text. Raises :class:`TooMuch`."""
    piece = Work(uuid.uuid4().hex, crew_id, kind, at=time.time())
    with _turn:
        queue = _queues.setdefault(crew_id, deque())
        if sum(p.state == "waiting" for p, _ in queue) >= MOST_WAITING:
            raise TooMuch
        piece.become("waiting")
        _held[piece.id] = piece
        queue.append((piece, work))
        if len(_threads) < MOST_AT_ONCE:
            _threads.append(threading.Thread(target=_carry_on, daemon=True, name="work"))
            _threads[-1].start()
        _turn.notify_all()
    _let_go(crew_id)
    return piece


def _next() -> tuple[Work, Callable[[Work], str]]:
    """Wait for the next piece: crews take turns, and none has two at work."""
    with _turn:
        while True:
            for crew_id, queue in list(_queues.items()):
                if not queue:
                    del _queues[crew_id]
                elif crew_id not in _at_work:
                    _queues.move_to_end(crew_id)
                    _at_work.add(crew_id)
                    return queue.popleft()
            _turn.wait()


def _carry_on() -> None:
    while True:
        piece, work = _next()
        if not piece.stop:
            _carry_out(piece, work)
        with _turn:
            _at_work.discard(piece.crew_id)
            _turn.notify_all()


def _carry_out(piece: Work, work: Callable[[Work], str]) -> None:
    try:
        piece.become("running")
        piece.told("beginning", 0.0)
        result = work(piece)
        piece.told("done", 1.0)
        _file(piece.id, "result").write_text(result)
        piece.become("done")
    except Cancelled:
        piece.become("cancelled", "cancelled")
    except DocumentError as error:
        piece.become("failed", problem=str(error))
    except Over:
        piece.become("failed", problem=ANEW)
    except OSError as error:
        log.exception("the result of %s cannot be kept", piece.kind)
        piece.become("failed", problem=f"the result cannot be kept: {error.strerror}")
    except Exception as error:  # a defect must not end the worker; the person is told
        log.exception("long work %s failed", piece.kind)
        told = (str(error).strip() or type(error).__name__).splitlines()[-1]  # of a traceback, what happened
        piece.become("failed", problem=f"a defect of Ewerer's own: {told}")


def _read(id: str) -> Work | None:
    """Return a piece that an earlier run of the server began."""
    if not (len(id) == 32 and id.isalnum()):
        return None
    try:
        known = json.loads(_file(id, "work").read_text())
        piece = Work(id, known["crew"], known["kind"], known["state"], known["word"], 1.0, known["problem"], at=known["at"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    if piece.state in ("waiting", "running"):
        piece.state, piece.problem = "failed", ANEW
    return piece


def find(id: str, crew_id: int) -> Work | None:
    """Return a crew's piece, None when there is none or it belongs to others."""
    piece = _held.get(id) or _read(id)
    return piece if piece is not None and piece.crew_id == crew_id else None


def cancel(piece: Work) -> None:
    """Ask a piece to stop; it does so at its next report of progress."""
    piece.stop = True
    if piece.state == "waiting":
        piece.become("cancelled", "cancelled")
        with _turn:
            queue = _queues.get(piece.crew_id, deque())
            for entry in [e for e in queue if e[0] is piece]:
                queue.remove(entry)


def _let_go(crew_id: int) -> None:
    """Forget the oldest results of a crew beyond what is kept."""
    ended = sorted(
        (p for p in list(_held.values()) if p.crew_id == crew_id and p.state not in ("waiting", "running")), key=lambda p: p.at
    )
    for piece in ended[: max(0, len(ended) - MOST_KEPT)]:
        _drop(piece.id)


def _drop(id: str) -> None:
    _held.pop(id, None)
    for what in ("work", "result"):
        _file(id, what).unlink(missing_ok=True)


def tidy() -> None:
    """Let what is older than a day go."""
    before = time.time() - KEEP_S
    for path in _folder().glob("*.work.json"):
        piece = _held.get(path.name[:32])
        if (piece is None or piece.state not in ("waiting", "running")) and path.stat().st_mtime < before:
            _drop(path.name[:32])
