"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import json
import threading
import time
import uuid
from collections import OrderedDict
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone

from ...core.devices.library import Library
from ...core.documents import DocumentError, Problem, parse_document
from ...core.documents import Job as JobDocument
from ...core.record.imports import as_now
from .. import due
from ..crews.models import Crew
from ..planned import Asked, asked, held, made
from ..profiles.actions import library_of_job
from ..questions import Question, write
from ..writing import writes
from . import keeping
from .models import Job, Revision, Series


class StaleSave(Exception):
    """Someone saved in between. Carries the job as it is now and its latest revision."""

    def __init__(self, job: Job, latest: Revision) -> None:
        super().__init__(f"revision {latest.number} was saved in between")
        self.job, self.latest = job, latest


def document_of(job: Job) -> JobDocument:
    """Return the latest document of a job, as this version stores it: without what its events say. Raises DocumentError where it cannot be read."""
    return parse_document(JobDocument, as_now(job.revisions.get(number=job.revision).document))


@dataclass(frozen=True, slots=True)
class _Parted:
    """A document to be stored, taken apart before the one writer is asked for."""

    name: str
    asked: Asked | None
    """What its plan is made of; None where that is to be looked up again."""
    envelope: keeping.Envelope
    bodies: keeping.Bodies

    @staticmethod
    def of(document: JobDocument, library: Library) -> _Parted:
        of = asked(document, library)
        return _Parted(document.name, of, *keeping.parted(as_now(json.loads(of.document)), of.document))


Summary = dict[str, Any] | None
"""What the list of jobs shows of a plan; None where it is brought up later."""


def _summary_of(parts: _Parted) -> Summary:
    """Return what the list shows of a plan: where it is known, or where nobody brings it up later."""
    assert parts.asked is not None
    known = held(parts.asked) if due.later() else made(parts.asked)
    return None if known is None else known.summary


def _tell(job: Job, summary: Summary, of: Asked | None = None) -> None:
    if summary is None:
        at = job.summary_due = time.time_ns()
        transaction.on_commit(lambda: due.note(job.pk, job.crew_id, at, of))
    else:
        job.summary, job.summary_due = {**job.summary, **summary}, 0


@writes
def bring_up(job_id: uuid.UUID, at: int, summary: dict[str, Any]) -> None:
    """Store what the list shows of a plan as it was at a time [ns]; it stays due where something changed it since."""
    job = Job.objects.filter(pk=job_id).first()
    if job is None or not job.summary_due:  # gone, or somebody told meanwhile what is newer
        return
    job.summary = {**job.summary, **summary}
    job.summary_due = 0 if job.summary_due == at else job.summary_due
    job.save(update_fields=["summary", "summary_due"])


def all_due() -> list[tuple[uuid.UUID, int]]:
    """Return the jobs whose line in the list is to be brought up, each with its crew."""
    return list(Job.objects.filter(summary_due__gt=0).values_list("pk", "crew_id"))


def _write(job: Job, parts: _Parted, summary: Summary, before: keeping.Envelope, follows: bool, user: User) -> Revision:
    """Write a revision; ``follows`` where ``before`` is what the revision before it holds, to the letter."""
    job.revision += 1
    job.name = parts.name
    job.saved_at = timezone.now()
    job.saved_by = user
    _tell(job, summary, parts.asked)
    write(job)
    if parts.bodies:
        known = set(Series.objects.filter(key__in=parts.bodies).values_list("key", flat=True))
        Series.objects.bulk_create([Series(key=k, body=keeping.compressed(b)) for k, b in parts.bodies.items() if k not in known])
    whole = not follows or job.revision % keeping.EVERY == 1
    kept = Revision(
        job=job,
        number=job.revision,
        whole=keeping.packed(parts.envelope) if whole else None,
        patch=keeping.packed(keeping.patch_between(before, parts.envelope)),
        saved_by=user,
    )
    write(kept)
    _LATEST.keep(kept, parts.envelope)
    return kept


class _Latest:
    """The latest envelopes of the jobs that are worked at, as text, so that a save need not put its predecessor together again.

    Found by all that the row holds beside it: whatever else wrote the database, a copy put back included, is seen.
    """

    MOST, LARGEST = 64, 300_000

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[Any, ...], bytes] = OrderedDict()
        self._lock = threading.Lock()

    @staticmethod
    def _key(row: Revision) -> tuple[Any, ...]:
        return row.job_id, row.number, row.saved_at, bytes(row.patch), bytes(row.whole or b"")

    def keep(self, row: Revision, envelope: keeping.Envelope) -> None:
        """Keep the envelope of a revision that was just written, unless it is large."""
        text = keeping.text_of(envelope)
        if len(text) > self.LARGEST:
            return
        with self._lock:
            self._held[self._key(row)] = text
            while len(self._held) > self.MOST:
                self._held.popitem(last=False)

    def of(self, row: Revision) -> keeping.Envelope:
        """Return the envelope of a job's latest revision; raises DocumentError where it cannot be put together."""
        with self._lock:
            text = self._held.pop(self._key(row), None)
        made: keeping.Envelope = row.envelope if text is None else json.loads(text)
        return made


_LATEST = _Latest()


Beside = Callable[[Job], None]
"""What else is written with a job, in the same transaction."""


def create(crew: Crew, document: JobDocument, user: User, beside: Beside | None = None) -> Job:
    """Store a new job with its first revision."""
    parts = _Parted.of(document, library_of_job(crew, document))
    return _create(crew, parts, _summary_of(parts), user, beside)


@writes
def _create(crew: Crew, parts: _Parted, summary: Summary, user: User, beside: Beside | None) -> Job:
    job = Job(crew=crew, name=parts.name, saved_by=user)
    _write(job, parts, summary, keeping.NOTHING, False, user)
    if beside is not None:
        beside(job)
    return job


def save(
    job_id: uuid.UUID,
    crew: Crew,
    document: JobDocument,
    base_revision: int,
    user: User,
    beside: Beside | None = None,
    library: Library | None = None,
    still: Callable[[], bool] = lambda: True,
) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job. What the list shows
    of the plan, made with ``library`` where it was looked up already, is written too where it is known, else later;
    ``document`` has what its events say laid over it, which is not stored. Where they are not ``still`` what they were, the
    plan is made later of what they are.
    """
    parts = _Parted.of(document, library or library_of_job(crew, document))
    return _save(job_id, crew, parts, _summary_of(parts), base_revision, user, beside, still)


_NEWEST = Question(
    lambda job, crew: Revision.objects.select_related("job").filter(job=job, job__crew=crew, number=F("job__revision")),
    uuid.UUID,
    int,
)


@writes
def _save(
    job_id: uuid.UUID,
    crew: Crew,
    parts: _Parted,
    summary: Summary,
    base_revision: int,
    user: User,
    beside: Beside | None,
    still: Callable[[], bool],
) -> Job:
    latest = _NEWEST.first(job_id, crew.pk)
    if latest is None:
        raise Job.DoesNotExist
    job = latest.job
    try:
        before = _LATEST.of(latest)
        stands = {**before, "document": as_now(before["document"])}
    except DocumentError:  # damaged: whatever is saved now is whole
        before, stands = {}, keeping.NOTHING
    if stands != parts.envelope:
        if base_revision != job.revision:
            raise StaleSave(job, latest)
        if not still():
            summary, parts = None, replace(parts, asked=None)
        _write(job, parts, summary, stands, stands == before, user)
    if beside is not None:
        beside(job)
    return job


def narrowed(jobs: QuerySet[Job], words: str, state: str | None, stage: str, sort: str) -> QuerySet[Job]:
    """Return jobs with every word in name, what it waits for or who saved it; of one state (stop, caution, clear) and stage; sorted."""
    for word in words.split():
        jobs = jobs.filter(Q(name__icontains=word) | Q(summary__waits_for__icontains=word) | Q(saved_by__username__icontains=word))
    if state == "stop":
        jobs = jobs.filter(summary__stop__gt=0)
    elif state == "caution":
        jobs = jobs.filter(summary__stop=0, summary__caution__gt=0)
    elif state == "clear":
        jobs = jobs.filter(summary__stop=0, summary__caution=0)
    if stage:
        jobs = jobs.filter(summary__waits_stage=stage)
    order = {"name": ("name", "-saved_at"), "state": ("-summary__stop", "-summary__caution", "-saved_at")}
    return jobs.order_by(*order.get(sort, ("-saved_at", "pk")))


@writes
def put_away_all(ids: Sequence[uuid.UUID], crew: Crew, away: bool) -> int:
    """Put several jobs of a crew away, or take them out; return how many. Nothing is deleted."""
    chosen = Job.objects.filter(crew=crew, pk__in=list(ids))
    return chosen.update(put_away=True) if away else chosen.update(put_away=False, delete_after=None)


@writes
def tell(job_id: uuid.UUID, crew: Crew, beside: Callable[[Job], dict[str, Any]], changes_plan: bool = False) -> None:
    """Write something beside a job, and what its list shows of it, in one transaction; where that ``changes_plan``, that is due."""
    job = Job.objects.get(pk=job_id, crew=crew)
    told = beside(job)
    job.summary = {**job.summary, **told}
    if told and changes_plan:
        _tell(job, None)
    job.save(update_fields=["summary", "summary_due"])


def copy(job_id: uuid.UUID, crew: Crew, user: User) -> Job:
    """Store a copy of a job's latest revision, without the marks of work done, as a new job."""
    source = Job.objects.get(pk=job_id, crew=crew)
    document = document_of(source)
    return create(crew, document.model_copy(update={"name": (document.name[:112] + " (copy)")[:120]}), user)


@writes
def put_away(job_id: uuid.UUID, crew: Crew, away: bool) -> Job:
    """Put a job away, or take it out again. Nothing is deleted; what was to go for good stays when it is taken out."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.put_away = away
    job.delete_after = job.delete_after if away else None
    job.save(update_fields=["put_away", "delete_after"])
    return job


GRACE = timedelta(days=30)


@writes
def delete_later(job_id: uuid.UUID, crew: Crew) -> Job:
    """Mark a job that is put away to go for good after the time of grace, with its revisions and its record."""
    job = Job.objects.get(pk=job_id, crew=crew)
    if not job.put_away:
        raise DocumentError([Problem(pointer="", message="the job is at work", expected="put it away first")])
    job.delete_after = job.delete_after or timezone.now() + GRACE
    job.save(update_fields=["delete_after"])
    return job


@writes
def thin(job_id: uuid.UUID, keep: int, protected: Collection[int]) -> int:
    """Let the oldest revisions of a job go but for the newest ``keep`` (all where 0) and the protected; return how many went."""
    job = Job.objects.get(pk=job_id)
    first = job.revision - keep + 1
    going = job.revisions.filter(number__lt=first).exclude(number__in=protected)
    if keep < 1 or first <= 1 or not going.exists():
        return 0
    for revision in job.revisions.filter(Q(number=first) | Q(number__lt=first, number__in=protected)):
        revision.whole = keeping.packed(revision.envelope)
        revision.save(update_fields=["whole"])
    gone: int = going.delete()[0]
    return gone


@writes
def sweep_series() -> int:
    """Let the long lists go that no revision holds any more; return how many went."""
    held: set[str] = set()
    for whole, patch in Revision.objects.values_list("whole", "patch").iterator(chunk_size=200):
        for packed in (whole, patch):
            if packed:
                held.update(keeping.keys_in(packed))
    gone = [k for k in Series.objects.values_list("key", flat=True) if k not in held]
    for at in range(0, len(gone), 500):
        Series.objects.filter(key__in=gone[at : at + 500]).delete()
    return len(gone)
