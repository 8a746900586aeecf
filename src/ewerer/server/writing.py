"""How everything is written: one writer at a time, each action in one transaction."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from django.db import transaction

_ONE_WRITER = threading.Lock()
P = ParamSpec("P")
R = TypeVar("R")


def writes(action: Callable[P, R]) -> Callable[P, R]:
    """Run an action alone and in one transaction: SQLite has one writer, queueing here is fair and quick."""

    @wraps(action)
    def alone(*args: P.args, **kwargs: P.kwargs) -> R:
        with _ONE_WRITER, transaction.atomic():
            return action(*args, **kwargs)

    return alone
