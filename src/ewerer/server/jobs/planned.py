"""Plans kept by what they are of. A plan is a pure function of document and library, and one document is planned several times:
as it is typed, as it is saved, as it is opened again."""

from __future__ import annotations

import gzip
import threading
from dataclasses import dataclass
from typing import Any

from cachetools import LRUCache

from ...core import tasks
from ..work import pool

MOST = 200
"""Plans kept; one of a large job takes some 40 kB."""


@dataclass(frozen=True, slots=True)
class Planned:
    """A plan as compressed JSON (gzip), and what the list of jobs shows of it."""

    packed: bytes
    summary: dict[str, Any]

    @property
    def json(self) -> str:
        """The plan as JSON."""
        return gzip.decompress(self.packed).decode()


_kept: LRUCache[str, Planned] = LRUCache(MOST)
_lock = threading.Lock()


def known(of: tasks.Inputs) -> Planned | None:
    """Return the plan of what is asked where it is kept."""
    with _lock:
        return _kept.get(of.key)


def planned(of: tasks.Inputs) -> Planned:
    """Return the plan of what is asked, made anew only where it is not kept."""
    held = known(of)
    if held is None:
        held = Planned(*pool.run(tasks.plan_of, of))
        with _lock:
            _kept[of.key] = held
    return held
