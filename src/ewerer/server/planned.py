"""Plans kept by what they are of. A plan is a pure function of document and library, and one document is planned several times:
as it is typed, as it is saved, as it is opened again."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

from ..core.devices.library import Library, shipped_library
from ..core.documents import Job, Plan, Profile
from ..core.plan import plan

MOST = 48
"""Plans kept; one of a large job takes some 300 kB."""


@dataclass(frozen=True, slots=True)
class Planned:
    """A plan as JSON, and what the list of jobs shows of it."""

    json: str
    summary: dict[str, Any]
    own: tuple[Profile, ...]
    """The crew's own profiles that it rests on: held, so that each stays the object that it was."""


_kept: OrderedDict[str, Planned] = OrderedDict()
_lock = threading.Lock()


def _key(document: Job, library: Library, own: tuple[Profile, ...]) -> str:
    told = [document.model_dump_json(by_alias=True, exclude_unset=True)]
    told += [f"{p.id} {id(p)} {library.newest(p.id)}" for p in own]
    return hashlib.sha256("\n".join(told).encode()).hexdigest()


def _summary(made: Plan) -> dict[str, Any]:
    counts = {s: sum(f.severity == s for f in made.findings) for s in ("stop", "caution", "note")}
    waits = next((f for f in made.findings if f.severity in ("stop", "caution")), None)
    return {
        **counts,
        "waits_for": waits.title if waits else "",
        "waits_stage": waits.stage if waits else "",
        "keys": {s.stage: s.key for s in made.stages if s.key},
    }


def planned(document: Job, library: Library) -> Planned:
    """Return the plan of a document with a library, made anew only where it is not kept."""
    shipped = {id(p) for p in shipped_library()}
    own = tuple(sorted((p for p in library if id(p) not in shipped), key=lambda p: p.id))
    key = _key(document, library, own)
    with _lock:
        held = _kept.get(key)
        if held is not None:
            _kept.move_to_end(key)
            return held
    made = plan(document, library)
    result = Planned(made.model_dump_json(by_alias=True), _summary(made), own)
    with _lock:
        _kept[key] = result
        while len(_kept) > MOST:
            _kept.popitem(last=False)
    return result
