"""What can be done with the record of a job. Each action checks, then adds in one transaction; nothing is changed or deleted."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.contrib.auth.models import User

from ...core import tasks
from ...core.devices.library import Library
from ...core.documents.event import Event as EventDocument, Meter
from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document
from ...core.pages.pdf import Paper
from ...core.record import handover as handovers
from ...core.record.fold import State, canonical, fold
from ...core.record.imports import marks_as_events
from ...core.record.intake import CHANGES_PLAN, Refused, shown_in_list, sifted
from ...core.record.photos import Photo as Kept
from ...core.record.signing import crew_key, fingerprint, public_bytes
from ...core.trade.budget import DeadlineExceeded, allowing, within
from ...core.trade.errors import DocumentError, Problem
from ..crews.models import Crew
from ..jobs import actions as jobs
from ..jobs.models import Job
from ..jobs.planned import known, planned
from ..profiles.actions import library_of_job
from ..settings.base import DATA_DIR
from ..work import pool
from ..writing import writes
from .models import Event, Handover, Instrument, Photo

MOST_EVENTS, MOST_PHOTOS, MOST_INSTRUMENTS = 50_000, 500, 200
"""Bounds on what a job or a crew may hold."""
AHEAD = dt.timedelta(days=2)
"""How far a device's clock may be ahead: an event of next year would push all later ones there."""
PAPER_S = 20.0
"""Processor time that a long paper may take, in a process of its own: a checklist or handover of the largest sites has forty pages."""


@dataclass
class Added:
    """What became of events that were sent: how many are new, how many were known, which were refused and why, the latest place."""

    accepted: int = 0
    known: int = 0
    refused: list[Refused] = field(default_factory=list)
    last: int = 0


def now(ahead: dt.timedelta = dt.timedelta()) -> str:
    """Return the moment, or one that lies ahead of it, as events tell it."""
    moment = dt.datetime.now(dt.UTC) + ahead
    return moment.strftime("%Y-%m-%dT%H:%M:%S.") + f"{moment.microsecond // 1000:03d}Z"


def events_of(job: Job) -> list[dict[str, Any]]:
    """Return all events of a job as plain data, in the order of arrival."""
    return list(job.events.values_list("data", flat=True))


def last_event(job: uuid.UUID) -> int:
    """Return the place of a job's latest event, 0 before the first."""
    return Event.objects.filter(job=job).order_by("-id").values_list("id", flat=True).first() or 0


def state_of(job: Job) -> State:
    """Return the folded state of a job."""
    return fold(events_of(job))


@dataclass(frozen=True)
class Sight:
    """A job as it stands: its document with the record laid over it, the library it is planned with, the folded state."""

    document: JobDocument
    library: Library
    state: State

    @property
    def inputs(self) -> tasks.Inputs:
        """The job and its library as text, for what is computed of them beside the server."""
        return tasks.inputs_of(self.document, self.library)


def sight_of(job: Job, document: JobDocument | None = None) -> Sight:
    """Return a job as it stands, its events folded once; ``document`` instead of the latest where one is to be saved."""
    bare = jobs.document_of(job) if document is None else document.bare()
    state = state_of(job)
    return Sight(handovers.laid_over(bare, state), library_of_job(job.crew, bare), state)


def _shown(job: Job) -> dict[str, Any]:
    sight = sight_of(job)
    return shown_in_list(sight.document, sight.state)


def _insert(job: Job, events: Iterable[Mapping[str, Any]], user: User) -> None:
    Event.objects.bulk_create([Event(job=job, key=e["id"], data=dict(e), added_by=user) for e in events])


def create(crew: Crew, document: JobDocument, user: User) -> Job:
    """Store a new job; marks that its document carries become events."""

    def beside(job: Job) -> None:
        _insert(job, marks_as_events(document.to_data(), now(), user.get_username()), user)

    job = jobs.create(crew, document, user, beside)
    bring_up(job)
    return job


def save(
    job_id: uuid.UUID, crew: Crew, document: JobDocument, base_revision: int, user: User, library: Library | None = None
) -> Job:
    """Store a new revision; marks that its document carries and the record lacks become events."""
    marked = document.model_fields_set & {"as_found", "sheet_marks"}

    def beside(job: Job) -> None:
        events = marks_as_events(document.to_data(), now(), user.get_username(), state_of(job))
        _insert(job, events, user)

    events = [] if marked else list(Event.objects.filter(job=job_id, job__crew=crew).order_by("id").values_list("id", "data"))
    whole = document if marked else handovers.laid_over(document.bare(), fold([data for _, data in events]))
    plan = known(tasks.inputs_of(whole, library or library_of_job(crew, document)))

    def summary() -> jobs.Summary:
        """Return what the list shows, where the plan is known and no event came in between."""
        return None if plan is None or last_event(job_id) != (events[-1][0] if events else 0) else plan.summary

    job = jobs.save(job_id, crew, whole, base_revision, user, beside if marked else None, summary)
    bring_up(job)
    return job


def tell_all(job: Job, events: Sequence[Mapping[str, Any]], user: User) -> None:
    """Add events that other people made, as an import or the demo does; each is read as an event first."""
    whole = [parse_document(EventDocument, dict(e)).to_data() for e in events]

    def beside(held: Job) -> dict[str, Any]:
        _insert(held, whole, user)
        return _shown(held)

    bring_up(jobs.tell(job.id, job.crew, beside, changes_plan=True))


BRING_UP_S = 2.0
"""Most processor time that a save spends on what the list shows of the plan; what takes longer stays due [s]."""


def bring_up(job: Job) -> None:
    """Bring what the list of jobs shows of the plan up to the latest revision and what the events say, where it is due."""
    if not job.summary_due:
        return
    try:
        with within(BRING_UP_S):
            summary = planned(sight_of(job).inputs).summary
    except (DocumentError, DeadlineExceeded, MemoryError, pool.ProcessEnded, pool.ShuttingDown):
        return  # the list says that it is not planned yet; opening the job plans it
    jobs.keep_summary(job.pk, job.summary_due, summary)
    job.refresh_from_db(fields=["summary", "summary_due"])


def add(job_id: uuid.UUID, crew: Crew, sent: Sequence[Any], user: User, may_sign: bool = True) -> Added:
    """Add events. Known ones are passed over, whatever is wrong is refused by its id, all others are stored.

    An event says who made it, and that is who sends it. A visit is not signed while a change made for a test is not put back.
    """
    job = Job.objects.get(pk=job_id, crew=crew)
    good, refused = sifted(sent, user.get_username(), now(AHEAD), may_sign)
    out = Added(refused=refused)
    if any(e["kind"] == "signed" for e in good):
        document = jobs.document_of(job)
        state = fold([*events_of(job), *good])
        of = tasks.inputs_of(handovers.laid_over(document, state), library_of_job(crew, document))
        why = pool.run(tasks.why_open, of, state)
        if why:
            out.refused += [Refused(e["id"], f"not to be signed yet: {why[0]}") for e in good if e["kind"] == "signed"]
            good = [e for e in good if e["kind"] != "signed"]

    def beside(job: Job) -> dict[str, Any]:
        held = dict(job.events.filter(key__in=[e["id"] for e in good]).values_list("key", "data"))
        room = MOST_EVENTS - job.events.count()
        new: list[dict[str, Any]] = []
        for e in good:
            before = held.get(e["id"])
            if before is None and len(new) < room:
                new.append(e)
                held[e["id"]] = e
            elif before is None:
                out.refused.append(Refused(e["id"], f"a job holds {MOST_EVENTS} events at most"))
            elif canonical(before) == canonical(e):
                out.known += 1
            else:
                out.refused.append(Refused(e["id"], "another event has this id"))
        _insert(job, new, user)
        out.accepted = len(new)
        out.last = last_event(job.pk)
        return _shown(job) if new else {}

    changes_plan = any(e["kind"] in CHANGES_PLAN for e in good)
    bring_up(jobs.tell(job_id, crew, beside, changes_plan))
    return out


@writes
def add_photo(job_id: uuid.UUID, crew: Crew, key: str, photo: Kept, user: User) -> Photo:
    """Add a photograph under its id; the same id again is the same photograph."""
    job = Job.objects.get(pk=job_id, crew=crew)
    held = job.photos.filter(key=key).first()
    if held is not None:
        return held
    if job.photos.count() >= MOST_PHOTOS:
        raise DocumentError(
            [Problem(pointer="/photo", message="the job is full of photographs", expected=f"at most {MOST_PHOTOS}")]
        )
    return Photo.objects.create(
        job=job, key=key, jpeg=photo.data, sha256=photo.sha256, width=photo.width, height=photo.height, added_by=user
    )


@writes
def keep_instrument(crew: Crew, meter: Meter) -> Instrument:
    """Keep an instrument under its name, in place of what stood there."""
    if not crew.instruments.filter(name=meter.name).exists() and crew.instruments.count() >= MOST_INSTRUMENTS:
        raise DocumentError(
            [Problem(pointer="/name", message="the crew is full of instruments", expected=f"at most {MOST_INSTRUMENTS}")]
        )
    made, _ = Instrument.objects.update_or_create(crew=crew, name=meter.name, defaults={"data": meter.to_data()})
    return made


@writes
def drop_instrument(crew: Crew, name: str) -> None:
    """Take an instrument out of the list; readings keep what it was."""
    crew.instruments.get(name=name).delete()


def key_of(crew: Crew) -> Any:
    """Return the crew's key, made on first use beside the data."""
    return crew_key(DATA_DIR / "keys" / f"crew-{crew.pk}.pem")


def seal(
    job_id: uuid.UUID, crew: Crew, user: User, paper: Paper, beside: Callable[[Job], Mapping[str, bytes]] = lambda job: {}
) -> Handover:
    """Make the sealed handover of a job as it stands, freezing its revision. Refused while the visit is not signed or may not be closed.

    ``beside`` gives further files that are sealed with it, by their name; asked for once it is known that it may be sealed.
    """
    job = Job.objects.get(pk=job_id, crew=crew)
    document = jobs.document_of(job)
    events = events_of(job)
    state = fold(events)
    if not state["signed"]:
        raise DocumentError([Problem(pointer="/signed", message="nobody has signed this visit", expected="a signature first")])
    public = public_bytes(key := key_of(crew))
    of, photos = tasks.inputs_of(document, library_of_job(crew, document)), photos_of(job)
    with allowing(PAPER_S):
        members, about = pool.run(
            tasks.handover_contents, of, events, public, crew.name, job.revision, handovers.shown_of(state, photos), paper
        )
    return _keep(
        job_id,
        crew,
        job.revision,
        fingerprint(public),
        handovers.sealed({**members, **beside(job)}, about, state, photos, key),
        user,
    )


@writes
def _keep(job_id: uuid.UUID, crew: Crew, revision: int, print_: str, file: bytes, user: User) -> Handover:
    job = Job.objects.get(pk=job_id, crew=crew)
    return Handover.objects.create(
        job=job, number=job.handovers.count() + 1, revision=revision, fingerprint=print_, file=file, made_by=user
    )


def photos_of(job: Job) -> dict[str, bytes]:
    """Return the photographs of a job by their ids."""
    return {key: bytes(jpeg) for key, jpeg in job.photos.values_list("key", "jpeg")}


def instruments_of(crew: Crew) -> list[dict[str, Any]]:
    """Return a crew's instruments as plain data."""
    return list(crew.instruments.values_list("data", flat=True))
