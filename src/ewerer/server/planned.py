"""Plans kept by what they are of. A plan is a pure function of document and library, and one document is planned several times:
as it is typed, as it is saved, as it is opened again."""

from __future__ import annotations

import gzip
import hashlib
import threading
import weakref
from collections import OrderedDict
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..core.devices.library import Library, shipped_library
from ..core.documents import Job, Profile
from ..core.trade.budget import look
from . import tasks, workers

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
class Asked:
    """A document and a crew's own profiles as text: all that what is computed of a job depends on."""

    document: str
    own: tasks.Own

    @cached_property
    def key(self) -> str:
        """What a plan of it is kept by."""
        told = hashlib.sha256(self.document.encode())
        for text, newest in self.own:
            told.update(f"\n{newest}\n{text}".encode())
        return told.hexdigest()


_texts: dict[int, str] = {}
_kept: OrderedDict[str, Planned] = OrderedDict()
_made: dict[str, threading.Event] = {}
"""Plans that are being made, and where their end is told."""
_lock = threading.Lock()


def _text_of(profile: Profile) -> str:
    """Return a profile as JSON, written once: profiles are immutable, and shared by all that use one."""
    text = _texts.get(id(profile))
    if text is None:
        text = _texts[id(profile)] = profile.model_dump_json(by_alias=True, exclude_unset=True)
        weakref.finalize(profile, _texts.pop, id(profile), None)
    return text


def asked(document: Job, library: Library) -> Asked:
    """Return a document and a library as text."""
    shipped = {id(p) for p in shipped_library()}
    own = sorted((p for p in library if id(p) not in shipped), key=lambda p: p.id)
    texts = tuple((_text_of(p), library.newest(p.id) or p.revision) for p in own)
    return Asked(document.model_dump_json(by_alias=True, exclude_unset=True), texts)


def _held(key: str) -> Planned | None:
    held = _kept.get(key)
    if held is not None:
        _kept.move_to_end(key)
    return held


def held(of: Asked) -> Planned | None:
    """Return the plan of what is asked where it is kept."""
    with _lock:
        return _held(of.key)


def planned(document: Job, library: Library) -> Planned:
    """Return the plan of a document with a library, as :func:`made` does."""
    return made(asked(document, library))


def made(of: Asked) -> Planned:
    """Return the plan of what is asked, made anew only where it is not kept; two that ask for one at a time share it."""
    key = of.key
    while True:
        with _lock:
            held = _held(key)
            if held is not None:
                return held
            others = _made.get(key)
            if others is None:
                mine = _made[key] = threading.Event()
        if others is None:
            return _make(of, key, mine)
        while not others.wait(0.1):  # whoever makes it may give up: then the next one tries
            look()


def _make(of: Asked, key: str, done: threading.Event) -> Planned:
    try:
        made = Planned(*workers.run(tasks.plan_of, of.document, of.own))
        with _lock:
            _kept[key] = made
            while len(_kept) > MOST:
                _kept.popitem(last=False)
        return made
    finally:
        with _lock:
            del _made[key]
        done.set()
