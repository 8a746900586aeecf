"""One port in a process of its own: it reads once a second, keeps a strip of five minutes, and answers lines of JSON.

Commands come on standard input, one a line, each is answered on standard output by one line, after one that says that
it is there. At the end of the input it ends:
a server that is gone leaves no port behind. Long reads go on beside, so that no answer waits for them.
"""

from __future__ import annotations

import json
import sys
import threading
import time
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import IO, TYPE_CHECKING, Any, Literal, cast

from .base import LOST_S, OLD_S, Port, PortError, Value
from .canbus import CanPort
from .make import make_port
from .modbus import MapPort

if TYPE_CHECKING:  # it loads what reads logs, which no other port needs
    from .replay import ReplayPort

EVERY_S = 1.0
STRIP_S = 300.0
STRIP = ("volts", "amps", "soc_pct")
"""What the strip shows."""
MOST_TASKS = 20
MOST_FRAMES = 64
AGAIN_S = (0.5, 1.0, 2.0, 5.0)
"""How long is waited before a lost port is opened again [s]."""


@dataclass(slots=True)
class Task:
    """A read of many points, or a write of one: how far it is, what came of it."""

    id: str
    kind: Literal["read", "write"]
    names: list[str]
    value: str = ""
    state: Literal["waiting", "working", "done", "failed", "cancelled"] = "waiting"
    done: int = 0
    of: int = 0
    values: dict[str, float | str] = field(default_factory=dict)
    unread: dict[str, str] = field(default_factory=dict)
    error: str = ""


class Cancelled(Exception):
    """Somebody asked to stop."""


class Keeper:
    """Keeps one port: reads it, opens it again when it is lost, carries out what is asked for in turn."""

    def __init__(self, settings: Mapping[str, Any]) -> None:
        self.port: Port = make_port(settings)
        self.replays = settings.get("kind") == "replay"
        self.values: dict[str, Value] = {}
        self.state: Literal["opening", "open", "lost", "closed"] = "opening"
        self.error = ""
        self.since = time.time()
        self.heard = 0.0
        """when something was last read [s since 1970]"""
        self.tasks: dict[str, Task] = {}
        self.strip: deque[tuple[float, list[float | None]]] = deque(maxlen=int(STRIP_S / EVERY_S))
        self._line = threading.RLock()
        self._stop = threading.Event()
        self._wake = threading.Event()
        self._thread = threading.Thread(target=self._run, name="port", daemon=True)

    def start(self) -> None:
        """Begin to read."""
        self._thread.start()

    def end(self) -> None:
        """End reading and close the port."""
        self._stop.set()
        self._wake.set()
        self._thread.join(3.0)
        with self._line:
            self.port.close()
        self.state = "closed"

    def _become(self, state: Literal["open", "lost"], error: str = "") -> None:
        if state != self.state:
            self.state, self.since = state, time.time()
        self.error = error

    def _run(self) -> None:
        tries = 0
        while not self._stop.is_set():
            begun = time.monotonic()
            try:
                with self._line:
                    self.port.open()
                    self._work()
                    self._look()
                tries = 0
            except PortError as error:
                self._become("lost", str(error))
                with self._line:
                    self.port.close()
                self._fail(str(error))
                self._wake.wait(AGAIN_S[min(tries, len(AGAIN_S) - 1)])
                self._wake.clear()
                tries += 1
                continue
            self._wake.wait(max(0.05, EVERY_S - (time.monotonic() - begun)))
            self._wake.clear()

    def _look(self) -> None:
        names = [p.name for p in self.port.points() if p.kind == "measure"]
        got = self.port.read(names)
        self.values.update(got)
        now = time.time()
        newest = max((v.at for v in got.values()), default=0.0)
        if newest:
            self.heard = max(self.heard, newest)
        if now - self.heard <= LOST_S:
            self._become("open")
        else:
            self._become("lost", "nothing is heard on the bus" if isinstance(self.port, CanPort) else "nothing answers")
        held = [self.values.get(n) for n in STRIP]
        self.strip.append((now, [float(v.value) if v is not None and now - v.at <= OLD_S else None for v in held]))

    # What is asked for.

    def _fail(self, why: str) -> None:
        for t in self.tasks.values():
            if t.state in ("waiting", "working"):
                t.state, t.error = "failed", why

    def _work(self) -> None:
        for t in list(self.tasks.values()):
            if t.state == "waiting":
                self._carry_out(t)

    def _carry_out(self, t: Task) -> None:
        t.state = "working"

        def told(done: int, of: int) -> None:
            t.done, t.of = done, of
            if t.state == "cancelled":
                raise Cancelled

        try:
            if t.kind == "write":
                self.port.write(t.names[0], t.value)
                got = self.port.read(t.names)
            elif isinstance(self.port, MapPort):
                got = self.port.read(t.names, told)
                t.unread = dict(self.port.unread)
            else:
                got = dict(self.port.read(t.names))
        except Cancelled:
            return
        except PortError as error:
            t.state, t.error = "failed", str(error)
            return
        t.values = {n: v.value for n, v in got.items()}
        t.state = "done"

    # What is answered.

    def answer(self, asked: Mapping[str, Any]) -> dict[str, Any]:
        """Return the answer to one command: ``state``, ``points``, ``read``, ``write``, ``task``, ``cancel``."""
        do = asked.get("do")
        if do == "state":
            return self.told()
        if do == "points":
            return {"points": [{"name": p.name, "word": p.word, "unit": p.unit, "kind": p.kind, "writable": p.writable} for p in self.port.points()]}  # fmt: skip
        if do in ("read", "write"):
            names = [str(n) for n in asked.get("names", [])][:400]
            t = Task(str(asked.get("id", ""))[:40], "read" if do == "read" else "write", names, str(asked.get("value", ""))[:80])
            if not t.id or not names or (do == "write" and len(names) != 1):
                return {"error": "an id and the names of points are needed"}
            for old in list(self.tasks)[: max(0, len(self.tasks) - MOST_TASKS)]:
                del self.tasks[old]
            self.tasks[t.id] = t
            self._wake.set()
            return self._task(t)
        t = self.tasks.get(str(asked.get("id", "")))  # type: ignore[assignment]
        if do == "task":
            return self._task(t) if t is not None else {"error": "no such task"}
        if do == "cancel":
            if t is not None and t.state in ("waiting", "working"):
                t.state = "cancelled"
            return self._task(t) if t is not None else {"error": "no such task"}
        return {"error": f"no such command: {do!r}"}

    @staticmethod
    def _task(t: Task) -> dict[str, Any]:
        return {
            "id": t.id,
            "kind": t.kind,
            "state": t.state,
            "done": t.done,
            "of": t.of,
            "values": t.values,
            "unread": t.unread,
            "error": t.error,
        }

    def told(self) -> dict[str, Any]:
        """Return how the port stands: its values with their age, frames, the strip."""
        now = time.time()
        alive = self.port.heard_unit() if isinstance(self.port, CanPort) else None
        frames = self.port.frames()[:MOST_FRAMES]
        late = self.state == "open" and self.heard > 0 and now - self.heard > LOST_S
        return {
            "state": "lost" if late else self.state,
            "error": self.error,
            "since": self.since,
            "heard_s": round(now - self.heard, 2) if self.heard else None,
            "values": {n: {"value": v.value, "age_s": round(now - v.at, 2), "old": now - v.at > OLD_S} for n, v in self.values.items()},
            "unit_heard_s": None if alive is None else round(now - alive.at, 3),
            "frames": [
                {"id": f.id, "extended": f.extended, "data": f.data.hex(), "count": f.count, "hz": round(f.hz, 2), "age_s": round(now - f.at, 2), "name": f.name}
                for f in frames
            ],
            "replay": cast("ReplayPort", self.port).told() if self.replays else None,
            "beyond": self.port.beyond if isinstance(self.port, CanPort) else 0,
            "strip": {"names": list(STRIP), "rows": [[round(t - now, 1), *row] for t, row in self.strip]},
        }  # fmt: skip


def keep(settings: Mapping[str, Any], lines: IO[str] | None = None, out: IO[str] | None = None) -> int:
    """Keep a port until the input ends; return the exit code."""
    into, to = lines or sys.stdin, out or sys.stdout
    try:
        keeper = Keeper(settings)
    except (PortError, ValueError, KeyError) as error:
        print(json.dumps({"error": str(error)}), file=to, flush=True)
        return 2
    keeper.start()
    print(json.dumps({"kept": True}), file=to, flush=True)
    try:
        for line in into:
            try:
                asked = json.loads(line)
                answer = keeper.answer(asked if isinstance(asked, dict) else {})
            except ValueError:
                answer = {"error": "a line of JSON is needed"}
            print(json.dumps(answer), file=to, flush=True)
    finally:
        keeper.end()
    return 0
