"""The handover of a visit: everything that is left behind as one sealed file."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from typing import Any

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from ..devices.library import Library
from ..documents.base import PACK_VOLTS
from ..documents.job import Job
from ..documents.results.plan import Plan
from ..documents.results.run import Run, SiteRecord
from ..pages.calendar import due_calendar
from ..pages.handover import MOST_PHOTOS, HandoverFacts, handover_page
from ..pages.pdf import Paper
from ..plan import device_ids, plan
from ..trade.errors import DocumentError, Problem
from .fold import State, fold, marks_of
from .lines import statuses_of
from .logbook import log_csv
from .record import record_of
from .run import run_of, standing
from .signing import fingerprint, public_bytes, seal

SETTING = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]{0,39}")
"""What a setting may be called in a job."""


def laid_over(job: Job, state: State) -> Job:
    """Return a job with what its events say of its own devices laid over it: found values, marks on sheets,
    and what modules rest at that nobody had measured; another figure than the job's is proposed, not laid over.

    What they say of devices that the job has no more, or never had, stays in the events.
    """
    known = set(device_ids(job))
    found = {d: {k: v for k, v in shown.items() if v} for d, shown in state["found"].items() if d in known}
    marks = {d: {k: m for k, m in told.items() if SETTING.fullmatch(k)} for d, told in marks_of(state).items() if d in known}
    unmeasured = {m.id for m in job.bank.modules if m.resting_v is None}
    rests = {id: volts for id, volts in resting_of(state).items() if id in unmeasured}
    if not (found or marks or rests):
        return job
    data = job.to_data()
    for module in data.get("bank", {}).get("modules", []):
        if module["id"] in rests:
            module["resting_v"] = rests[module["id"]]
    told = {"as_found": {**job.as_found, **found}, "sheet_marks": {**data.get("sheet_marks", {}), **marks}}
    return Job.model_validate({**data, **{k: v for k, v in told.items() if v}}, strict=False)


def resting_of(state: State) -> dict[str, float]:
    """Return what modules were measured to rest at on site [V], the last time counts, by module."""
    out: dict[str, float] = {}
    read: list[tuple[str, Any]] = []
    for step in ("join:rest:", "join:level:"):  # as they were noted before all modules were read at one step
        read += [
            (id.removeprefix(step), told["readings"].get("volts", {}).get("value"))
            for id, told in state["steps"].items()
            if id.startswith(step)
        ]
    read += [(id, r["value"]) for id, r in state["steps"].get("join:rest", {}).get("readings", {}).items()]
    for id, volts in read:
        if isinstance(volts, int | float) and PACK_VOLTS[0] <= volts <= PACK_VOLTS[1]:
            out[id] = float(volts)
    return out


def profiles_of(job: Job, library: Library) -> dict[str, bytes]:
    """Return the library profiles that a job uses, as files by their name."""
    by_id = {p.id: p for p in library}
    names = sorted(job.profiles_named & set(by_id))
    return {f"library/{n}.json": (json.dumps(by_id[n].to_data(), indent=1, ensure_ascii=False) + "\n").encode() for n in names}


def facts_of(
    job: Job,
    library: Library,
    events: Iterable[Mapping[str, Any]],
    crew: str = "",
    public: bytes = b"",
    photos: Mapping[str, bytes] | None = None,
) -> HandoverFacts:
    """Return what the pages of a handover show."""
    state = fold(events)
    laid = laid_over(job, state)
    made: Plan = plan(laid, library)
    run: Run = run_of(laid, library)
    record: SiteRecord = record_of(laid, library, run, state)
    return HandoverFacts(
        job=laid,
        plan=made,
        run=run,
        record=record,
        state=state,
        standing=dict(standing(run.steps, statuses_of(state, run.steps))),
        crew=crew,
        fingerprint=fingerprint(public) if public else "",
        photos=dict(photos or {}),
    )


def shown_of(state: State, photos: Mapping[str, bytes]) -> dict[str, bytes]:
    """Return those photographs that the pages of a handover show."""
    there = [p["photo"] for p in state["photos"] if p["photo"] in photos]
    return {id: photos[id] for id in there[:MOST_PHOTOS]}


def contents(
    job: Job,
    library: Library,
    events: Iterable[Mapping[str, Any]],
    public: bytes,
    crew: str = "",
    revision: int = 0,
    photos: Mapping[str, bytes] | None = None,
    paper: Paper = "A4",
    draft: bool = False,
) -> tuple[dict[str, bytes], dict[str, Any]]:
    """Return what a handover holds, but for its photographs, and what its manifest says of it.

    Raises :class:`DocumentError` while a change made for a test is not put back or a failed step has no answer, unless a
    draft is wanted.
    """
    events = list(events)
    facts = facts_of(job, library, events, crew, public, photos)
    if facts.record.why_not and not draft:
        raise DocumentError(
            [Problem(pointer="/events", message=text, expected="a visit that may be closed") for text in facts.record.why_not]
        )
    members = {
        "handover.pdf": handover_page(facts, paper),
        "job.json": (json.dumps(job.bare().to_data(), indent=1, ensure_ascii=False) + "\n").encode(),
        "events.jsonl": "".join(
            json.dumps(e, ensure_ascii=False) + "\n" for e in sorted(events, key=lambda e: (e["at"], e["id"]))
        ).encode(),
        "log.csv": log_csv(facts.state["log"]),
        "due.ics": due_calendar(facts.record.due, job.name),
        **profiles_of(job, library),
    }
    last = facts.state["signed"][-1] if facts.state["signed"] else None
    about = {"job": job.name, "crew": crew, "revision": revision, "events": facts.state["count"], "last_event": facts.state["last"], "signed": f"{last['name']}, {last['at']}" if last else "", "draft": draft}  # fmt: skip
    return members, about


def sealed(
    members: Mapping[str, bytes], about: Mapping[str, Any], state: State, photos: Mapping[str, bytes], key: Ed25519PrivateKey
) -> bytes:
    """Return the zip of what a handover holds and of the photographs that its events name, sealed with a key."""
    named = {p["photo"] for p in state["photos"]} | {p for s in state["steps"].values() for p in s["photos"]}
    return seal({**members, **{f"photos/{id}.jpg": data for id, data in photos.items() if id in named}}, key, about)


def handover(
    job: Job,
    library: Library,
    events: Iterable[Mapping[str, Any]],
    key: Ed25519PrivateKey,
    crew: str = "",
    revision: int = 0,
    photos: Mapping[str, bytes] | None = None,
    paper: Paper = "A4",
    draft: bool = False,
) -> bytes:
    """Return the sealed zip of a job's handover: PDF, job, profiles used, events, log, photos, calendar of what is due.

    Raises as :func:`contents`.
    """
    events, photos = list(events), photos or {}
    members, about = contents(job, library, events, public_bytes(key), crew, revision, photos, paper, draft)
    return sealed(members, about, fold(events), photos, key)
