"""Processes beside the server that are asked by lines of JSON: one a port, one a rig. None outlives the server."""

from __future__ import annotations

import json
import logging
import os
import select
import subprocess
import sys
import threading
import time
from collections.abc import Mapping, Sequence
from typing import Any

log = logging.getLogger(__name__)
ANSWER_S = 2.0
BEGIN_S = 30.0
"""How long a rig may take until it says where it is reached [s]."""
AGAIN_S = 3.0
"""How long is waited before a process that ended is started again [s]."""
MOST = 48
_children: dict[str, Child] = {}
_lock = threading.Lock()


class ChildGone(Exception):
    """The process does not answer."""


class ChildStarts(ChildGone):
    """The process has only just been started."""


class Child:
    """One process. It ends with its standard input, and so with this process."""

    def __init__(self, command: Sequence[str], begins: bool = False) -> None:
        self.began = time.monotonic()
        self.process = subprocess.Popen(  # noqa: S603  # this very program, with arguments of its own
            [sys.executable, "-m", "ewerer.entry", *command],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "EWERER_CHILD": "1"},
        )
        self._turn = threading.Lock()
        self._rest = b""
        self.first: dict[str, Any] | None = None
        self.begins = begins

    @property
    def alive(self) -> bool:
        """Whether the process runs."""
        return self.process.poll() is None

    def _line(self, wait_s: float) -> dict[str, Any]:
        assert self.process.stdout is not None
        until = time.monotonic() + wait_s
        while b"\n" not in self._rest:
            if not select.select([self.process.stdout], [], [], max(0.0, until - time.monotonic()))[0]:
                raise ChildGone("it does not answer")
            came = os.read(self.process.stdout.fileno(), 1 << 20)
            if not came:
                raise ChildGone("it has ended")
            self._rest += came
        line, self._rest = self._rest.split(b"\n", 1)
        answer = json.loads(line)
        return answer if isinstance(answer, dict) else {}

    def ready(self, wait_s: float = 0.0) -> bool:
        """Return whether a process that says something first has said it."""
        if not self.begins or self.first is not None:
            return True
        with self._turn:
            if self.first is None:
                try:
                    self.first = self._line(wait_s)
                except ChildGone:
                    return False
        return True

    def ask(self, asked: Mapping[str, Any], wait_s: float = ANSWER_S) -> dict[str, Any]:
        """Return the answer to a command; raises ChildGone where none comes in time, and the process is ended then."""
        if not self.ready(0.0):
            raise ChildStarts("it is starting")
        with self._turn:
            try:
                assert self.process.stdin is not None
                self.process.stdin.write(json.dumps(asked).encode() + b"\n")
                self.process.stdin.flush()
                return self._line(wait_s)
            except (OSError, ValueError, ChildGone) as error:
                self.end()
                raise ChildGone(str(error)) from None

    def end(self) -> None:
        """End the process."""
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue
        try:
            self.process.wait(0.5)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait(2.0)


def child(key: str, command: Sequence[str], begins: bool = False) -> Child:
    """Return the process of a key, started where there is none; one that ended is started again after a while.

    Raises ChildGone where it ended just now, or too many run.
    """
    with _lock:
        held = _children.get(key)
        if held is not None and held.alive:
            return held
        if held is not None and time.monotonic() - held.began < AGAIN_S:
            raise ChildGone("it ended; it is started again in a moment")
        for other in [k for k, c in _children.items() if not c.alive and k != key]:
            del _children[other]
        if held is None and len(_children) >= MOST:
            raise ChildGone(f"at most {MOST} ports and rigs run at one time")
        made = _children[key] = Child(command, begins)
        return made


def running(key: str) -> Child | None:
    """Return the process of a key where it runs."""
    held = _children.get(key)
    return held if held is not None and held.alive else None


def count(stem: str) -> int:
    """Return how many processes run whose key begins so."""
    return sum(c.alive for k, c in list(_children.items()) if k.startswith(stem))


def end(key: str) -> None:
    """End the process of a key, if there is one."""
    with _lock:
        held = _children.pop(key, None)
    if held is not None:
        held.end()


def end_all() -> None:
    """End all of them."""
    for key in list(_children):
        end(key)
