"""Plans kept by what they are of. A plan is a pure function of document and library, and one document is planned several times:
as it is typed, as it is saved, as it is opened again."""

from __future__ import annotations

import gzip
import hashlib
import threading
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from cachetools import LRUCache

from ...core import tasks
from ...core.devices.library import Library, shipped_library
from ...core.documents import Job
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


@dataclass(frozen=True)
class Inputs:
    """A document and a crew's own profiles as text: all that what is computed of a job depends on."""

    document: str
    own: tasks.Own

    @cached_property
    def key(self) -> str:
        """What a plan of it is kept by."""
        digest = hashlib.sha256(self.document.encode())
        for text, newest in self.own:
            digest.update(f"\n{newest}\n{text}".encode())
        return digest.hexdigest()


_kept: LRUCache[str, Planned] = LRUCache(MOST)
_lock = threading.Lock()


def inputs_of(document: Job, library: Library) -> Inputs:
    """Return a document and a library as text."""
    shipped = {id(p) for p in shipped_library()}
    own = sorted((p for p in library if id(p) not in shipped), key=lambda p: p.id)
    texts = tuple((p.model_dump_json(by_alias=True, exclude_unset=True), library.newest(p.id) or p.revision) for p in own)
    return Inputs(document.model_dump_json(by_alias=True, exclude_unset=True), texts)


def known(of: Inputs) -> Planned | None:
    """Return the plan of what is asked where it is kept."""
    with _lock:
        return _kept.get(of.key)


def planned(of: Inputs) -> Planned:
    """Return the plan of what is asked, made anew only where it is not kept."""
    held = known(of)
    if held is None:
        held = Planned(*pool.run(tasks.plan_of, of.document, of.own))
        with _lock:
            _kept[of.key] = held
    return held
