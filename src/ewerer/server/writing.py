"""How everything is written: one writer at a time, each action in one transaction."""

from __future__ import annotations

import fcntl
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from pathlib import Path
from typing import ParamSpec, TypeVar

from django.db import connection, transaction

_ONE_WRITER = threading.Lock()
P = ParamSpec("P")
R = TypeVar("R")


@contextmanager
def alone() -> Iterator[None]:
    """Be the only writer, among the threads of this process and among all processes on this data folder.

    SQLite has one writer; queueing here is fair and quick. A copy that is put back waits here too, and saves wait for it.
    """
    name = str(connection.settings_dict["NAME"])
    if connection.in_atomic_block or name.startswith(("file:", ":memory:")):  # within another action, or in memory, for tests
        yield
        return
    with _ONE_WRITER, Path(name).with_name("writing.lock").open("wb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield


def writes(action: Callable[P, R]) -> Callable[P, R]:
    """Run an action alone and in one transaction."""

    @wraps(action)
    def in_turn(*args: P.args, **kwargs: P.kwargs) -> R:
        with alone(), transaction.atomic():
            return action(*args, **kwargs)

    return in_turn
