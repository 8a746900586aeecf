"""Processes that compute beside the server, as many as there are cores: the interpreter of the server is free for everybody else.

A request waits for its turn, crews by turns, however much one of them asks for; it stops waiting when its client is gone. One process
more is kept for other crews: where one crew keeps as many busy as there are cores, another's task begins at once. A task that takes
more processor time than it was given is ended with its process, wherever it is, and another process takes its place.
"""

from __future__ import annotations

import itertools
import logging
import math
import os
import signal
import threading
import time
import traceback
from collections import Counter
from collections.abc import Callable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from multiprocessing import get_context
from multiprocessing.connection import Connection
from typing import Any, ParamSpec, TypeVar, cast

from ..core.documents import DocumentError, Problem
from ..core.trade.budget import Left, Spent, left, look, within

log = logging.getLogger(__name__)
P = ParamSpec("P")
R = TypeVar("R")
ASKER: ContextVar[object] = ContextVar("asker", default=None)
"""Whose turn it is counted as: the crew that asks."""
MOST_WAITING = 20
"""Most that wait for a process: the gate lets fewer requests in at one time, so that the server's other threads stay free."""
MOST_S = 20.0
"""Most processor time of any task."""
WALL_S = 120.0
"""Most time by the clock: where all cores are busy a process gets few of them, and one that only waits gets none."""
OVER_S = 1.0
"""How much longer it may take where nothing in it looks at the time; then its process ends."""
GRACE_S = 0.5
"""How long a process may take to see that nobody waits any more, before it is ended."""
FOR_OTHERS = 1
"""Processes beyond those that one crew may keep busy."""
NICER_AT_LENGTH = 5
"""How far what takes long steps back behind what somebody waits for."""
OUT_OF_TIME = 75
"""Exit code of a process whose task took too long."""


class Busy(Exception):
    """More wait already than may."""


class Failed(Exception):
    """A task failed by a defect, with the traceback of its process."""


class Over(Exception):
    """The server is stopped."""


class _Ended(Exception):
    """The process is gone."""

    def __init__(self, code: int | None) -> None:
        super().__init__(f"exit code {code}")
        self.code = code


def _carry_out(line: Connection) -> None:
    """Carry out tasks until nobody asks any more. Runs in a process of its own."""
    gone = [False]

    def let_go(*_: object) -> None:
        gone[0] = True

    for told_to_all in (signal.SIGINT, signal.SIGTERM):  # the server ends in order; with it ends the line
        signal.signal(told_to_all, signal.SIG_IGN)
    signal.signal(signal.SIGUSR1, let_go)
    signal.signal(signal.SIGPROF, lambda *_: os._exit(OUT_OF_TIME))

    def tell(word: str, share: float) -> None:
        try:
            line.send(("told", (word, share)))
        except OSError:  # nobody hears it any more
            os._exit(0)

    while True:
        try:
            seconds, task, args, named = line.recv()
        except (EOFError, OSError):
            return
        gone[0] = False
        if seconds is None:
            os.nice(NICER_AT_LENGTH)
            seconds, named = math.inf, {**named, "told": tell}
        else:
            signal.setitimer(signal.ITIMER_PROF, seconds + OVER_S)
        try:
            with within(seconds, lambda: gone[0]):
                answer: tuple[str, Any] = ("made", task(*args, **named))
        except DocumentError as error:
            answer = ("refused", [p.model_dump() for p in error.problems])
        except Spent:
            answer = ("spent", None)
        except Left:
            answer = ("left", None)
        except Exception:
            answer = ("failed", traceback.format_exc())
        signal.setitimer(signal.ITIMER_PROF, 0)
        try:
            line.send(answer)
        except OSError:
            return


class _Worker:
    """One process, and the line to it."""

    def __init__(self) -> None:
        context = get_context("forkserver")
        self.line, other = context.Pipe()
        self.process = context.Process(target=_carry_out, args=(other,), daemon=True, name="ewerer computes")
        self.process.start()
        other.close()

    def ask(self, seconds: float, task: Callable[..., Any], args: tuple[Any, ...], named: Mapping[str, Any]) -> tuple[str, Any]:
        """Return what became of a task; raises :class:`_Ended` where the process is gone, what :func:`look` raises meanwhile."""
        try:
            self.line.send((seconds, task, args, named))
            until = time.monotonic() + WALL_S
            while not self.line.poll(0.1):
                look()
                if time.monotonic() > until:
                    raise Spent
            return cast(tuple[str, Any], self.line.recv())
        except (EOFError, OSError):
            raise self.how_it_ended() from None

    def ask_at_length(self, task: Callable[..., Any], args: tuple[Any, ...], told: Callable[[str, float], None]) -> tuple[str, Any]:
        """Return what became of a task that tells how far it is, without an end of time; raises :class:`_Ended`, and what ``told`` raises.

        What it told last is told again and again, so that whoever hears it can end it at any time.
        """
        word, share = "beginning", 0.0
        try:
            self.line.send((None, task, args, {}))
            while True:
                if self.line.poll(0.1):
                    answer = cast(tuple[str, Any], self.line.recv())
                    if answer[0] != "told":
                        return answer
                    word, share = answer[1]
                told(word, share)
        except (EOFError, OSError):
            raise self.how_it_ended() from None

    def how_it_ended(self) -> _Ended:
        """Return the process's end, to be raised."""
        self.process.join(2.0)
        return _Ended(self.process.exitcode)

    def let_go(self) -> bool:
        """Tell the process that nobody waits; return whether it can be asked again."""
        try:
            os.kill(self.process.pid or 0, signal.SIGUSR1)
            if self.line.poll(GRACE_S):
                self.line.recv()
                return True
        except (EOFError, OSError):
            pass
        return False

    def end(self) -> None:
        """End the process now."""
        self.process.kill()
        self.process.join(2.0)
        self.line.close()


@dataclass(eq=False, slots=True)
class _Ticket:
    asker: object


class Workers:
    """A number of processes for each crew, a few more for the others, and who waits for them."""

    def __init__(self, count: int, for_others: int = 0) -> None:
        self._most = count
        self._free: list[_Worker] = [_Worker() for _ in range(count + for_others)]
        self._all = set(self._free)
        self._at_length = set[_Worker]()
        self._waiting: list[_Ticket] = []
        self._running: Counter[object] = Counter()
        self._turns, self._served = itertools.count(1), dict[object, int]()
        self._turn = threading.Condition()
        self._ended = False

    def processes(self) -> list[int]:
        """Return the process ids."""
        with self._turn:
            return [w.process.pid or 0 for w in self._all]

    def run(self, task: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Carry out ``task`` in one of the processes, once more where that ended of itself; it and its arguments go there by name and value.

        Raises :class:`Busy`, :class:`Over`, Spent, Left, DocumentError as the task did, :class:`Failed` for a defect.
        """
        return cast(R, _said(*_twice(task.__name__, lambda: self._once(task, *args, **kwargs))))

    def at_length(self, task: Callable[..., R], *args: Any, told: Callable[[str, float], None]) -> R:
        """Carry out a task that takes long in a process of its own, which takes what the others leave; once more where that ended of itself.

        The task is given a ``told`` to say a word and a share (0..1) to; here it is heard, and may raise: that ends the process.
        Raises as :meth:`run`, and :class:`Over` where the processes are ended.
        """
        return _twice(task.__name__, lambda: self._alone(task, args, told))

    def _alone(self, task: Callable[..., R], args: tuple[Any, ...], told: Callable[[str, float], None]) -> R:
        try:
            worker = self._one_more()
        except OSError:
            log.exception("no process can be started for long work")
            return task(*args, told=told)
        try:
            return cast(R, _said(*worker.ask_at_length(task, args, told)))
        except _Ended:
            if self._ended:
                raise Over from None
            raise
        finally:
            with self._turn:
                self._at_length.discard(worker)
            worker.end()

    def _one_more(self) -> _Worker:
        with self._turn:
            if self._ended:
                raise Over
            worker = _Worker()
            self._at_length.add(worker)
            return worker

    def _once(self, task: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> tuple[str, Any]:
        asker = ASKER.get()
        worker = self._take(asker)
        if worker is None:
            return "made", task(*args, **kwargs)
        whole = False
        try:
            answer = worker.ask(min(left(), MOST_S), task, args, kwargs)
            whole = True
            return answer
        except _Ended as ended:
            if ended.code == OUT_OF_TIME:
                raise Spent from None
            raise
        except (Left, Spent):
            whole = worker.let_go()
            raise
        finally:
            self._give_back(worker, whole, asker)

    def _take(self, asker: object) -> _Worker | None:
        """Return a process when it is this one's turn; None where there is none any more and none can be started."""
        ticket = _Ticket(asker)
        with self._turn:
            if self._ended:
                raise Over
            if len(self._waiting) >= MOST_WAITING:
                raise Busy
            self._waiting.append(ticket)
            try:
                while self._all and not (self._free and self._next() is ticket):
                    self._turn.wait(0.1)
                    look()
                if self._ended:
                    raise Over
                if not self._all:
                    return None
                self._running[asker] += 1
                self._served[asker] = next(self._turns)
                return self._free.pop()
            finally:
                self._waiting.remove(ticket)
                self._turn.notify_all()

    def _next(self) -> _Ticket | None:
        """Return who is next: of those whose crew has least at work, and of these whose crew was served longest ago, the first.

        None where all who wait are of crews that have as much at work as one may have.
        """
        first = min(self._waiting, key=lambda t: (self._running[t.asker], self._served.get(t.asker, 0)))
        return first if self._running[first.asker] < self._most else None

    def _give_back(self, worker: _Worker, whole: bool, asker: object) -> None:
        good: _Worker | None = worker if whole else self._another(worker)
        with self._turn:
            self._running[asker] -= 1
            if not self._running[asker]:
                del self._running[asker]
            self._all.discard(worker)
            if good is not None and not self._ended:
                self._all.add(good)
                self._free.append(good)
            self._turn.notify_all()
        if good is not None and self._ended:
            good.end()

    def _another(self, worker: _Worker) -> _Worker | None:
        """End a process and return one in its place; None where that cannot be started, or none shall be."""
        worker.end()
        try:
            return None if self._ended else _Worker()
        except OSError:
            log.exception("no process can be started to compute in; there were %d", len(self._all))
            return None

    def end(self) -> None:
        """End all processes."""
        self._ended = True
        with self._turn:
            for worker in self._all | self._at_length:
                worker.process.kill()
            for worker in self._free:  # whoever asked one that is at work ends it
                worker.end()
            self._free.clear()
            self._all.clear()
            self._turn.notify_all()


def _twice(name: str, act: Callable[[], R]) -> R:
    """Return what is made in a process, once more where that ended of itself; raises :class:`Failed` where the second did too."""
    try:
        return act()
    except _Ended as ended:
        log.error("a process that computed %s ended: %s", name, ended)
    try:
        return act()
    except _Ended as again:
        raise Failed(str(again)) from None


def _said(word: str, made: Any) -> Any:
    """Return what a process made, or raise what it says became of its task."""
    if word == "made":
        return made
    if word == "refused":
        raise DocumentError([Problem(**p) for p in made])
    if word == "failed":
        raise Failed(made)
    raise Spent if word == "spent" else Left


_workers: Workers | None = None


def count() -> int:
    """Return how many processes shall compute: EWERER_WORKERS, or as many as there are cores, at most 8."""
    told = os.environ.get("EWERER_WORKERS", "").strip()
    cores = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(int(told), 64) if told.isdigit() else min(cores, 8)


def begin(wanted: int) -> None:
    """Start the processes; until then, and where ``wanted`` is 0, all is computed where it is asked for."""
    global _workers
    if wanted and _workers is None:
        get_context("forkserver").set_forkserver_preload(["ewerer.server.ahead"])
        _workers = Workers(wanted, FOR_OTHERS)


def end() -> None:
    """End the processes."""
    global _workers
    if _workers is not None:
        held, _workers = _workers, None
        held.end()


def run(task: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
    """Carry out ``task`` beside the server where processes were started, else here. Raises as :meth:`Workers.run`."""
    return task(*args, **kwargs) if _workers is None else _workers.run(task, *args, **kwargs)


def at_length(task: Callable[..., R], *args: Any, told: Callable[[str, float], None]) -> R:
    """Carry out a task that takes long and says how far it is, beside the server where processes were started, else here.

    Raises as :meth:`Workers.at_length`.
    """
    return task(*args, told=told) if _workers is None else _workers.at_length(task, *args, told=told)
