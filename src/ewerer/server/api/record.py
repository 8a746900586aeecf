"""What was done on site: the run, events, photographs, instruments, the logbook, what is due, sealed handovers."""

from __future__ import annotations

import hashlib
import tempfile
import threading
import uuid
from collections.abc import Iterator
from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ...core import tasks
from ...core.documents.event import Event as EventDocument, Key, LogEntry, Meter
from ...core.documents.results.run import Due, Run, SiteRecord, Visit
from ...core.pages.calendar import due_calendar
from ...core.record.fold import canonical, fold
from ...core.record.handover import shown_of
from ...core.record.logbook import log_csv
from ...core.record.photos import MAX_BYTES
from ...core.record.signing import Verified
from ...core.trade.budget import allowing
from ...core.trade.errors import DocumentError, Problem
from ..crews import actions as crews
from ..crews.models import Crew, Feed
from ..crews.roles import Role
from ..jobs.actions import document_of
from ..jobs.models import Job
from ..logs import actions as logs
from ..profiles.actions import library_of_job
from ..record import actions
from ..record.actions import PAPER_S
from ..record.models import Handover
from ..work import pool
from .asking import crew_of, job_at, note, person
from .shapes import JSON, REFUSALS, Asked, Page, PageQuery, as_json, attachment, file_answer, paged

router = Router(tags=["record"], by_alias=True)
PDF, ICS, ZIP, JPEG = "application/pdf", "text/calendar", "application/zip", "image/jpeg"
MOST_AT_ONCE = 500
AT_ONCE = threading.BoundedSemaphore(2)
"""Photographs that are unfolded at one time: each may take much memory for a moment."""
MAX_HANDOVER = 200_000_000
Paper = Literal["A4", "Letter"]
FILE_BODY = {
    "requestBody": {"required": True, "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}
}


class EventLine(Schema):
    """An event with its place in the order of arrival."""

    seq: int
    event: EventDocument


class EventsOut(Schema):
    """Events after a place, and the latest place."""

    items: list[EventLine]
    last: int = Field(description="place of the latest event of the job")


class EventsIn(Asked):
    """Events to add, each as it was made; what is wrong with one refuses only that one."""

    events: Annotated[list[dict[str, Any]], Field(max_length=MOST_AT_ONCE)]


class PhotoOut(Schema):
    """A photograph that is kept."""

    key: str
    sha256: str
    width: int
    height: int


class LogIn(Asked):
    """An event list as text, and what each of its columns is; guessed where nothing is said."""

    text: Annotated[str, Field(max_length=2_000_000)]
    mapping: dict[str, str] | None = None


class LogLine(Schema):
    """An entry that was read; the same line always has the same id, so that reading a list twice adds nothing."""

    id: str
    entry: LogEntry


class LogOut(Schema):
    """What was read from an event list."""

    columns: list[str]
    mapping: dict[str, str]
    entries: list[LogLine]
    problems: list[Problem]


class HandoverLine(Schema):
    """A sealed handover."""

    number: int
    revision: int
    fingerprint: str
    made_at: datetime
    made_by: str
    size: int

    @staticmethod
    def resolve_made_by(made: Handover) -> str:
        """Return the name of who made it."""
        return str(made.made_by)

    @staticmethod
    def resolve_size(made: Handover) -> int:
        """Return the size of the file [bytes]."""
        return len(made.file)


class SealIn(Asked):
    """On which paper."""

    paper: Paper = "A4"


class DueOut(Schema):
    """What is due at the crew's sites, and whether one has an address where a calendar program reads it."""

    items: list[Due]
    feed: bool = Field(description="whether one has an address of the calendar")


class FeedOut(Schema):
    """An address where a calendar program reads what is due: told once, whoever has it can read that."""

    path: str


@router.get("/jobs/{uuid:id}/run", response={200: Run, **REFUSALS})
def run_of_job(request: HttpRequest, id: uuid.UUID, visit: Visit = "full") -> HttpResponse:
    """Return the run of the saved job for a kind of visit."""
    of = actions.sight_of(job_at(request, id)).inputs
    return HttpResponse(pool.run(tasks.run_of_job, of, visit), content_type=JSON)


@router.get("/jobs/{uuid:id}/run.pdf", response={200: None, **REFUSALS}, openapi_extra=file_answer(PDF))
def checklist_of_job(request: HttpRequest, id: uuid.UUID, paper: Paper = "A4") -> HttpResponse:
    """Download the run as a checklist."""
    job = job_at(request, id)
    sight = actions.sight_of(job)
    of = sight.inputs
    with allowing(PAPER_S):
        made = pool.run(tasks.run_pdf, of, tasks.told_of(sight.state), paper)
    return attachment(made, f"{job.name} run.pdf", PDF)


@router.get("/jobs/{uuid:id}/events", response={200: EventsOut, **REFUSALS})
def list_events(
    request: HttpRequest,
    id: uuid.UUID,
    after: Annotated[int, Field(ge=0, le=2**62)] = 0,
    limit: Annotated[int, Field(ge=1, le=5000)] = 1000,
) -> HttpResponse:
    """Return the events of a job that arrived after a place."""
    job = job_at(request, id)
    rows = list(job.events.filter(id__gt=after).values_list("id", "data")[:limit])
    last = actions.last_event(job.pk)
    return as_json({"items": [{"seq": seq, "event": data} for seq, data in rows], "last": last})


@router.post("/jobs/{uuid:id}/events", response={200: actions.Added, **REFUSALS})
def add_events(request: HttpRequest, id: uuid.UUID, body: EventsIn) -> actions.Added:
    """Add events to a job: new ones are stored, known ones passed over, wrong ones told by their id."""
    who = person(request)
    return actions.add(id, who.crew, body.events, who.user, may_sign=who.role.may(Role.LEAD))


@router.get("/jobs/{uuid:id}/state", response={200: dict[str, Any], **REFUSALS})
def state_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return the folded state of a job's events."""
    return HttpResponse(canonical(actions.state_of(job_at(request, id))), content_type=JSON)


@router.get("/jobs/{uuid:id}/record", response={200: SiteRecord, **REFUSALS})
def record_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return what is made of a job's events: verdicts, proposals, faults, what is due and open."""
    sight = actions.sight_of(job_at(request, id))
    of = sight.inputs
    return HttpResponse(pool.run(tasks.record_of_job, of, sight.state), content_type=JSON)


@router.put("/jobs/{uuid:id}/photos/{key}", response={200: PhotoOut, **REFUSALS}, openapi_extra=FILE_BODY)
def add_photo(request: HttpRequest, id: uuid.UUID, key: Key) -> Any:
    """Add a photograph (JPEG, PNG or WebP, 12 MB at most); it is drawn anew, so that no position or camera data is kept."""
    who = person(request)
    Job.objects.only("id").get(pk=id, crew=who.crew)
    with AT_ONCE:
        photo = pool.run(tasks.photo_kept, _body(request, MAX_BYTES))
    return actions.add_photo(id, who.crew, key, photo, who.user)


def _body(request: HttpRequest, most: int) -> bytes:
    """Return a request's body, which may be larger than a document; refuse more than ``most`` bytes."""
    return b"".join(_parts(request, most))


def _parts(request: HttpRequest, most: int) -> Iterator[bytes]:
    """Yield a request's body piece by piece; refuse more than ``most`` bytes without reading them."""
    length = request.META.get("CONTENT_LENGTH") or "0"
    too_big = DocumentError([Problem(pointer="", message="the file is too big", expected=f"at most {most} bytes")])
    if length.isdigit() and int(length) > most:
        raise too_big
    left = most + 1
    while left > 0 and (part := request.read(min(left, 65536))):  # a server may hand out less than is asked for
        yield part
        left -= len(part)
    if left <= 0:
        raise too_big


@router.get("/jobs/{uuid:id}/photos/{key}", response={200: None, **REFUSALS}, openapi_extra=file_answer(JPEG))
def read_photo(request: HttpRequest, id: uuid.UUID, key: Key) -> HttpResponse:
    """Return a photograph."""
    photo = job_at(request, id).photos.get(key=key)
    return HttpResponse(bytes(photo.jpeg), content_type=JPEG, headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.post("/jobs/{uuid:id}/log", response={200: LogOut, **REFUSALS})
def read_event_list(request: HttpRequest, id: uuid.UUID, body: LogIn) -> dict[str, Any]:
    """Read an event list (CSV) for the logbook; nothing is stored: the entries come back as events to add."""
    job_at(request, id)
    columns, mapping, entries, problems = pool.run(tasks.log_read, body.text, body.mapping)
    lines = [{"id": "log:" + hashlib.sha256(canonical(e).encode()).hexdigest()[:24], "entry": e} for e in entries]
    return {"columns": columns, "mapping": mapping, "entries": lines, "problems": problems}


@router.get("/jobs/{uuid:id}/log.csv", response={200: None, **REFUSALS}, openapi_extra=file_answer("text/csv"))
def logbook_csv(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Download the logbook as CSV."""
    job = job_at(request, id)
    return attachment(log_csv(actions.state_of(job)["log"]), f"{job.name} log.csv", "text/csv; charset=utf-8")


@router.get("/instruments", response={200: list[Meter], **REFUSALS})
def list_instruments(request: HttpRequest) -> HttpResponse:
    """List the crew's instruments."""
    return as_json(actions.instruments_of(crew_of(request)))


@router.put("/instruments", response={200: Meter, **REFUSALS})
def keep_instrument(request: HttpRequest, meter: Meter) -> HttpResponse:
    """Keep an instrument under its name."""
    return as_json(actions.keep_instrument(crew_of(request), meter).data)


@router.delete("/instruments/{name}", response={200: None, **REFUSALS})
def drop_instrument(request: HttpRequest, name: str) -> HttpResponse:
    """Take an instrument out of the list."""
    actions.drop_instrument(crew_of(request), name)
    return as_json(None)


@router.get("/jobs/{uuid:id}/handovers", response={200: Page[HandoverLine], **REFUSALS})
def list_handovers(request: HttpRequest, id: uuid.UUID, page: PageQuery) -> dict[str, Any]:
    """List a job's sealed handovers, newest first."""
    return paged(job_at(request, id).handovers.select_related("made_by"), page)


@router.post("/jobs/{uuid:id}/handovers", response={201: HandoverLine, **REFUSALS})
def make_handover(request: HttpRequest, id: uuid.UUID, body: SealIn) -> tuple[int, Handover]:
    """Seal the handover of a signed visit: it freezes the job's revision."""
    who = person(request)
    made = actions.seal(id, who.crew, who.user, body.paper, logs.reports_of)
    note(request, "handover sealed", f"{made.job.name}, number {made.number}")
    return 201, made


@router.get("/jobs/{uuid:id}/handovers/{int:number}", response={200: None, **REFUSALS}, openapi_extra=file_answer(ZIP))
def read_handover(request: HttpRequest, id: uuid.UUID, number: int) -> HttpResponse:
    """Download a sealed handover."""
    job = job_at(request, id)
    note(request, "export", f"{job.name}, handover {number}")
    return attachment(bytes(job.handovers.get(number=number).file), f"{job.name} handover {number}.zip", ZIP)


@router.get("/jobs/{uuid:id}/handover.pdf", response={200: None, **REFUSALS}, openapi_extra=file_answer(PDF))
def handover_pdf(request: HttpRequest, id: uuid.UUID, paper: Paper = "A4") -> HttpResponse:
    """Download the pages of the handover as things stand now; not sealed."""
    job = job_at(request, id)
    document, events, photos = document_of(job), actions.events_of(job), actions.photos_of(job)
    of = tasks.inputs_of(document, library_of_job(job.crew, document))
    with allowing(PAPER_S):
        made = pool.run(tasks.handover_pdf, of, events, job.crew.name, shown_of(fold(events), photos), paper)
    return attachment(made, f"{job.name} handover.pdf", PDF)


@router.post("/verify", response={200: Verified, **REFUSALS}, openapi_extra=FILE_BODY)
def verify_handover(request: HttpRequest, key: Annotated[str, Field(max_length=100)] = "") -> Verified:
    """Say whether a sealed handover is unaltered; nothing is stored."""
    with tempfile.NamedTemporaryFile(prefix="ewerer-verify-") as held:
        for part in _parts(request, MAX_HANDOVER):
            held.write(part)
        held.flush()
        return pool.run(tasks.file_verified, held.name, key)


def _due(crew: Crew) -> list[Due]:
    out: list[Due] = []
    for id, name, summary in Job.objects.filter(crew=crew, put_away=False, summary__has_key="due").values_list(
        "id", "name", "summary"
    ):
        out += [Due.model_validate({**d, "job": str(id), "name": name}) for d in summary["due"]]
    out += [
        Due(date=i["due"], what=f"Calibrate {i['name']}", kind="instrument") for i in actions.instruments_of(crew) if i.get("due")
    ]
    return sorted(out, key=lambda d: (d.date, d.name, d.what))


@router.get("/due", response={200: DueOut, **REFUSALS})
def due_of_crew(request: HttpRequest) -> HttpResponse:
    """List what is due at all of the crew's sites."""
    who = person(request)
    feed = Feed.objects.filter(member=who.member).exists()
    return as_json({"items": [d.model_dump() for d in _due(who.crew)], "feed": feed})


@router.post("/due/feed", response={201: FeedOut, **REFUSALS})
def make_feed(request: HttpRequest) -> tuple[int, dict[str, str]]:
    """Make an address where a calendar program reads what is due; one's address of before leads nowhere then."""
    token = crews.make_feed(person(request).member)
    note(request, "calendar address made")
    return 201, {"path": f"/api/feeds/{token}/due.ics"}


@router.delete("/due/feed", response={204: None, **REFUSALS})
def end_feed(request: HttpRequest) -> tuple[int, None]:
    """Take one's address of the calendar back."""
    crews.end_feed(person(request).member)
    note(request, "calendar address taken back")
    return 204, None


@router.get(
    "/feeds/{token}/due.ics",
    auth=None,
    response={200: None, 404: REFUSALS[404], 422: REFUSALS[422]},
    openapi_extra=file_answer(ICS),
)
def due_feed(request: HttpRequest, token: str) -> HttpResponse:
    """Return what is due as a calendar, for programs that read a feed by its secret address."""
    crew = crews.crew_of_feed(token)
    if crew is None:
        raise Http404
    return HttpResponse(due_calendar(_due(crew), f"Ewerer, {crew.name}"), content_type=f"{ICS}; charset=utf-8")
