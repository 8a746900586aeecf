"""The API. Thin: fetch, call one action or the core, return. Documents leave as ready-made JSON."""

from __future__ import annotations

import json
import re
import uuid
from datetime import datetime
from typing import Annotated, Any, Literal

from django.contrib.auth import authenticate, login, logout
from django.core.exceptions import RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import SessionAuth
from ninja.utils import check_csrf
from pydantic import Field

from .. import __version__
from ..core import cli as core_cli
from ..core.as_found import parse_found
from ..core.documents import Document, DocumentError, Finding, InverterProfile, Plan, Problem, Profile, parse_document, parse_json
from ..core.documents import Job as JobDocument
from ..core.documents.base import MAX_DOCUMENT_BYTES
from ..core.documents.flow import Advice, Comparison, Gentlest, Simulation
from ..core.documents.job import Series
from ..core.documents.order import UnitOrder
from ..core.export import sheet_bytes
from ..core.findings import REGISTRY, STATUS_WORDS
from ..core.flow.measured import parse_series
from ..core.library import Library, check_references, parse_profile, shipped_library
from ..core.pages import Paper, cable_page, sheet_page
from ..core.plan import plan
from ..core.quantities import QUANTITIES
from ..core.symptoms import Diagnosis, diagnose, knowledge
from ..core.tryout import try_value, try_writes
from ..core.visit import unit_order
from ..core.windows import calendar
from ..core.wire.protocols import FAMILIES
from .crews.models import Crew
from .jobs import actions
from .jobs.models import Job, Revision
from .problems import problem, refused
from .profiles import actions as profile_actions
from .profiles.actions import library_for
from .profiles.models import CrewProfile
from .runs import work

api = NinjaAPI(title="Ewerer", version=__version__, auth=SessionAuth(), urls_namespace="api", docs_url=None)
JSON = "application/json"


class ProblemOut(Schema):
    """One thing wrong with a document."""

    pointer: str
    message: str
    value: Any = None
    expected: str = ""


class ProblemDetails(Schema):
    """RFC 7807 problem details."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[ProblemOut] = []


class Credentials(Schema):
    """Name and password."""

    username: str
    password: str


class SessionOut(Schema):
    """Who is signed in, and the token that writes need."""

    signed_in: bool
    user: str = ""
    crew: str = ""
    csrf: str
    version: str
    hint: str = ""


class JobLine(Schema):
    """A job in the list."""

    id: uuid.UUID
    name: str
    revision: int
    saved_at: datetime
    saved_by: str
    put_away: bool
    summary: dict[str, Any]


class JobOut(Schema):
    """A job with its latest document."""

    id: uuid.UUID
    revision: int
    saved_at: datetime
    saved_by: str
    put_away: bool
    document: JobDocument


class SaveIn(Schema):
    """A save: the revision it was made from, and the whole document."""

    base_revision: int
    document: JobDocument


class Saved(Schema):
    """The revision that now holds the document."""

    revision: int
    saved_at: datetime
    saved_by: str


class Stale(ProblemDetails):
    """A save that came too late: both versions, so that nothing is lost."""

    current_revision: int
    saved_by: str
    saved_at: datetime
    yours: JobDocument
    theirs: JobDocument


class RevisionLine(Schema):
    """A revision in the history of a job."""

    number: int
    saved_at: datetime
    saved_by: str
    changes: list[dict[str, Any]]


class ProfileLine(Schema):
    """A profile in the library."""

    id: str
    kind: str
    name: str
    maker: str
    revision: int
    about: str
    own: bool


class CheckOut(Schema):
    """What is wrong with a profile, and its key figures when nothing is."""

    problems: list[ProblemOut]
    about: str


class TryIn(Document):
    """A profile to try: one value of one setting, and writes as (setting, value) in order."""

    profile: dict[str, Any]
    setting: str = ""
    value: str = ""
    writes: list[tuple[str, str]] = []


class TriedEntry(Schema):
    """What a canonical value becomes on the display, and back; or what is wrong."""

    shown: str
    means: str
    problem: str


class TriedWrite(Schema):
    """One write: taken or refused with the reason, and what it changed besides."""

    setting: str
    value: str
    taken: bool
    text: str


class TryOut(Schema):
    """The outcome of a try."""

    entry: TriedEntry
    writes: list[TriedWrite]


class VersionLine(Schema):
    """A version of a profile."""

    revision: int
    saved_at: datetime
    saved_by: str


class StaleProfileOut(ProblemDetails):
    """A save that came too late, with the version that is there."""

    current_revision: int
    theirs: dict[str, Any]


class RuleOut(Schema):
    """A rule of the trade."""

    id: str
    stage: str
    statement: str
    formula: str
    source: str
    status: str
    status_words: str


class SymptomLine(Schema):
    """A symptom by its id and words."""

    id: str
    word: str


class Inquiry(Document):
    """Answers by test id (number of the outcome), and the job whose plan is evidence."""

    answers: dict[str, int] = {}
    document: dict[str, Any] | None = None


class FoundOut(Schema):
    """Found settings that could be read, by id, and the lines that could not."""

    values: dict[str, str]
    problems: list[ProblemOut]


class ProtocolLine(Schema):
    """A protocol family."""

    name: str
    word: str
    layer: str
    open: bool
    carries: str
    dbc: bool


REFUSALS = {401: ProblemDetails, 404: ProblemDetails, 422: ProblemDetails}


def _document_body(name: str) -> dict[str, Any]:
    return {"requestBody": {"required": True, "content": {JSON: {"schema": {"$ref": f"#/components/schemas/{name}"}}}}}


@api.exception_handler(DocumentError)
def _refused(request: HttpRequest, error: DocumentError) -> HttpResponse:
    return refused(error)


@api.exception_handler(Http404)
@api.exception_handler(Job.DoesNotExist)
@api.exception_handler(Revision.DoesNotExist)
@api.exception_handler(CrewProfile.DoesNotExist)
def _missing(request: HttpRequest, error: Exception) -> HttpResponse:
    return problem(404, "Not found", "There is no such thing here, or it belongs to another crew.")


@api.exception_handler(AuthenticationError)
def _unknown(request: HttpRequest, error: Exception) -> HttpResponse:
    return problem(401, "Not signed in", "Sign in and try again; nothing was stored.")


@api.exception_handler(RequestDataTooBig)
def _too_big(request: HttpRequest, error: Exception) -> HttpResponse:
    return refused(_too_big_error())


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    found = [
        {"pointer": "".join(f"/{p}" for p in e["loc"][1:]), "message": e["msg"], "value": None, "expected": ""}
        for e in error.errors
    ]
    return problem(422, "The request was refused", found[0]["message"] if found else "", problems=found)


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    return problem(error.status_code, "Refused", str(error))


def _too_big_error() -> DocumentError:
    return DocumentError([Problem(pointer="", message="the document is too big", expected=f"at most {MAX_DOCUMENT_BYTES} bytes")])


def _body(request: HttpRequest) -> bytes:
    if int(request.META.get("CONTENT_LENGTH") or 0) > MAX_DOCUMENT_BYTES:
        raise _too_big_error()
    return request.body


def _crew(request: HttpRequest) -> Crew:
    member = getattr(request.user, "member", None)
    if member is None:
        raise Http404
    return member.crew


def _job(request: HttpRequest, id: uuid.UUID) -> tuple[Job, Revision]:
    job = Job.objects.select_related("saved_by").get(pk=id, crew=_crew(request))
    return job, job.revisions.get(number=job.revision)


def _document(request: HttpRequest, data: Any) -> tuple[JobDocument, Library]:
    """Return a job document checked against the crew's library, in the versions it pins."""
    document = parse_document(JobDocument, data)
    library = library_for(_crew(request), document.profile_revisions)
    check_references(document, library)
    return document, library


def _saved(job: Job) -> dict[str, Any]:
    return {"revision": job.revision, "saved_at": job.saved_at, "saved_by": job.saved_by.get_username()}


def _line(job: Job) -> dict[str, Any]:
    return {**_saved(job), "id": job.id, "name": job.name, "put_away": job.put_away, "summary": job.summary}


def _session(request: HttpRequest) -> dict[str, Any]:
    user = request.user
    member = getattr(user, "member", None) if user.is_authenticated else None
    return {
        "signed_in": user.is_authenticated,
        "user": user.get_username() if user.is_authenticated else "",
        "crew": member.crew.name if member else "",
        "csrf": get_token(request),
        "version": __version__,
    }


@api.get("/session", auth=None, response=SessionOut, tags=["session"])
def session(request: HttpRequest) -> dict[str, Any]:
    """Say who is signed in."""
    return _session(request)


@api.post(
    "/session",
    auth=None,
    response={200: SessionOut, 401: ProblemDetails, 403: ProblemDetails, 429: ProblemDetails},
    tags=["session"],
)
def sign_in(request: HttpRequest, body: Credentials) -> Any:
    """Sign in. Five failures lock name and address for five minutes."""
    failed = check_csrf(request)
    if failed:
        return failed
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        return problem(401, "Name or password is wrong", "Check both; capitals count.")
    login(request, user)
    return _session(request)


@api.delete("/session", response={204: None, 401: ProblemDetails}, tags=["session"])
def sign_out(request: HttpRequest) -> tuple[int, None]:
    """Sign out."""
    logout(request)
    return 204, None


@api.get("/jobs", response={200: list[JobLine], 401: ProblemDetails}, tags=["jobs"])
def list_jobs(request: HttpRequest, put_away: bool = False) -> list[dict[str, Any]]:
    """List the crew's jobs, newest first."""
    jobs = Job.objects.filter(crew=_crew(request), put_away=put_away).select_related("saved_by")
    return [_line(j) for j in jobs]


@api.post("/jobs", response={201: JobLine, **REFUSALS}, tags=["jobs"], openapi_extra=_document_body("Job"))
def create_job(request: HttpRequest) -> tuple[int, dict[str, Any]]:
    """Create or import a job from a job document."""
    document, _ = _document(request, parse_json(_body(request)))
    return 201, _line(actions.create(_crew(request), document, request.user))


@api.get("/jobs/{uuid:id}", response={200: JobOut, **REFUSALS}, tags=["jobs"])
def read_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return a job with its latest document."""
    job, latest = _job(request, id)
    body = {**_saved(job), "id": job.id, "put_away": job.put_away, "document": latest.document}
    return HttpResponse(json.dumps(body, default=_plain), content_type=JSON)


def _plain(value: object) -> str:
    return value.isoformat() if isinstance(value, datetime) else str(value)


@api.put("/jobs/{uuid:id}", response={200: Saved, 409: Stale, **REFUSALS}, tags=["jobs"], openapi_extra=_document_body("SaveIn"))
def save_job(request: HttpRequest, id: uuid.UUID) -> Any:
    """Save a document on top of a revision. A stale save gets 409 with both versions; nothing is lost."""
    data = parse_json(_body(request))
    if not isinstance(data, dict) or set(data) != {"base_revision", "document"} or type(data["base_revision"]) is not int:
        raise DocumentError([Problem(pointer="", message="not a save", expected="an object with base_revision and document")])
    try:
        document, _ = _document(request, data["document"])
    except DocumentError as error:
        raise DocumentError(p.model_copy(update={"pointer": "/document" + p.pointer}) for p in error.problems) from None
    try:
        return _saved(actions.save(id, _crew(request), document, data["base_revision"], request.user))
    except actions.StaleSave as stale:
        return problem(
            409,
            "Someone saved in between",
            f"{stale.latest.saved_by.get_username()} saved revision {stale.latest.number} after you opened revision {data['base_revision']}.",
            current_revision=stale.latest.number,
            saved_by=stale.latest.saved_by.get_username(),
            saved_at=stale.latest.saved_at,
            yours=document.to_data(),
            theirs=stale.latest.document,
        )


@api.delete("/jobs/{uuid:id}", response={200: JobLine, **REFUSALS}, tags=["jobs"])
def put_away_job(request: HttpRequest, id: uuid.UUID) -> dict[str, Any]:
    """Put a job away. Nothing is deleted."""
    return _line(actions.put_away(id, _crew(request), True))


@api.post("/jobs/{uuid:id}/take-out", response={200: JobLine, **REFUSALS}, tags=["jobs"])
def take_out_job(request: HttpRequest, id: uuid.UUID) -> dict[str, Any]:
    """Take a job out again."""
    return _line(actions.put_away(id, _crew(request), False))


@api.post("/jobs/{uuid:id}/copy", response={201: JobLine, **REFUSALS}, tags=["jobs"])
def copy_job(request: HttpRequest, id: uuid.UUID) -> tuple[int, dict[str, Any]]:
    """Copy a job's latest document to a new job, without the marks of work done."""
    return 201, _line(actions.copy(id, _crew(request), request.user))


@api.get("/jobs/{uuid:id}/revisions", response={200: list[RevisionLine], **REFUSALS}, tags=["jobs"])
def list_revisions(request: HttpRequest, id: uuid.UUID) -> list[dict[str, Any]]:
    """List who saved what and when, newest first."""
    job, _ = _job(request, id)
    rows = job.revisions.select_related("saved_by").defer("document")
    return [{"number": r.number, "saved_at": r.saved_at, "saved_by": r.saved_by.get_username(), "changes": r.changes} for r in rows]


@api.get("/jobs/{uuid:id}/revisions/{int:number}", response={200: JobDocument, **REFUSALS}, tags=["jobs"])
def read_revision(request: HttpRequest, id: uuid.UUID, number: int) -> HttpResponse:
    """Return the document of one revision."""
    job, _ = _job(request, id)
    return HttpResponse(json.dumps(job.revisions.get(number=number).document), content_type=JSON)


def _attachment(data: bytes, name: str, kind: str) -> HttpResponse:
    safe = re.sub(r"[^A-Za-z0-9._-]+", "-", name).strip("-") or "ewerer"
    return HttpResponse(data, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{safe}"'})


@api.get("/jobs/{uuid:id}/export", response={200: JobDocument, **REFUSALS}, tags=["jobs"])
def export_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Download the job file."""
    job, latest = _job(request, id)
    text = json.dumps(latest.document, indent=2, ensure_ascii=False) + "\n"
    return _attachment(text.encode(), f"{job.name}.json", JSON)


def _plan_json(document: JobDocument, library: Library) -> HttpResponse:
    return HttpResponse(plan(document, library).model_dump_json(), content_type=JSON)


@api.get("/jobs/{uuid:id}/plan", response={200: Plan, **REFUSALS}, by_alias=True, tags=["plan"])
def plan_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return the plan of the saved job."""
    _, latest = _job(request, id)
    return _plan_json(*_document(request, latest.document))


@api.post("/plan", response={200: Plan, **REFUSALS}, by_alias=True, tags=["plan"], openapi_extra=_document_body("Job"))
def plan_of_document(request: HttpRequest) -> HttpResponse:
    """Return the plan of an unsaved document; nothing is stored."""
    return _plan_json(*_document(request, parse_json(_body(request))))


SHEET_TYPES = {
    "json": JSON,
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


@api.get("/jobs/{uuid:id}/sheets/{unit}", response={200: None, **REFUSALS}, tags=["plan"])
def sheet_of_unit(request: HttpRequest, id: uuid.UUID, unit: str, format: str = "csv") -> HttpResponse:
    """Download one unit's sheet as json, csv or xlsx."""
    if format not in SHEET_TYPES:
        raise DocumentError([Problem(pointer="/format", message="no such format", value=format, expected="json, csv or xlsx")])
    job, latest = _job(request, id)
    document, library = _document(request, latest.document)
    sheet = core_cli.find_sheet(document, plan(document, library), unit)
    return _attachment(sheet_bytes(document, sheet, format), f"{job.name} {unit}.{format}", SHEET_TYPES[format])


@api.get("/jobs/{uuid:id}/sheets/{unit}/pdf", response={200: None, **REFUSALS}, tags=["plan"])
def sheet_pdf(request: HttpRequest, id: uuid.UUID, unit: str, paper: str = "A4") -> HttpResponse:
    """Download one unit's working list as PDF with boxes to tick and to write in."""
    job, latest = _job(request, id)
    document, library = _document(request, latest.document)
    sheet = core_cli.find_sheet(document, plan(document, library), unit)
    page = sheet_page(document, sheet, unit_order(document, unit, library), _paper(paper))
    return _attachment(page, f"{job.name} {unit}.pdf", "application/pdf")


@api.post("/order/{unit}", response={200: UnitOrder, **REFUSALS}, tags=["plan"], openapi_extra=_document_body("Job"))
def order_of_unit(request: HttpRequest, unit: str) -> HttpResponse:
    """Return the working list of one unit of an unsaved document: from as found to as planned."""
    document, library = _document(request, parse_json(_body(request)))
    return HttpResponse(unit_order(document, unit, library).model_dump_json(), content_type=JSON)


@api.post("/as-found/{profile}", response={200: FoundOut, **REFUSALS}, tags=["plan"])
def read_as_found(request: HttpRequest, profile: str) -> dict[str, Any]:
    """Read a list of found settings (CSV, JSON or pasted lines); nothing is stored."""
    held = library_for(_crew(request)).get(profile, InverterProfile)
    if held is None:
        raise Http404
    values, problems = parse_found(held, _body(request))
    return {"values": values, "problems": [p.model_dump(mode="json") for p in problems]}


@api.post("/series", response={200: Series, **REFUSALS}, tags=["flow"], exclude_none=True)
def read_series(request: HttpRequest, step_min: int = 60) -> dict[str, Any]:
    """Read measured power from CSV: watts at equal steps, or time and watts; nothing is stored."""
    return parse_series(_body(request), step_min).model_dump(exclude_unset=True)


class RunIn(Document):
    """Long work on an unsaved document: a year, advice on windows, the gentlest current, or two jobs side by side."""

    kind: Literal["year", "advice", "gentlest", "compare"]
    document: dict[str, Any]
    other: dict[str, Any] | None = None
    days: Annotated[int, Field(ge=1, le=731)] = 365
    as_found: bool = False
    wanted: Annotated[float, Field(gt=0, le=1)] = 0.8


class RunOut(Schema):
    """The state of long work; ``result`` once it is done."""

    id: str
    kind: str
    state: str
    word: str
    share: float
    problem: str


def _run_out(run: work.Run) -> dict[str, Any]:
    return {"id": run.id, "kind": run.kind, "state": run.state, "word": run.word, "share": run.share, "problem": run.problem}


@api.post("/simulate", response={200: Simulation, **REFUSALS}, tags=["flow"], openapi_extra=_document_body("Job"))
def simulate_document(request: HttpRequest, days: int = 1, as_found: bool = False, lead_days: int = 0) -> HttpResponse:
    """Simulate up to seven days of an unsaved document, step by step, after ``lead_days`` that are not told."""
    if not 1 <= days <= 7:
        raise DocumentError(
            [Problem(pointer="/days", message="too many days at once", value=days, expected="1 to 7; longer as a run")]
        )
    if not 0 <= lead_days <= 724:
        raise DocumentError([Problem(pointer="/lead_days", message="too many days before", value=lead_days, expected="0 to 724")])
    document, library = _document(request, parse_json(_body(request)))
    from ..core.flow.results import simulate

    return HttpResponse(
        simulate(document, library, days, 1, as_found=as_found, lead_days=lead_days).model_dump_json(), content_type=JSON
    )


@api.post("/runs", response={202: RunOut, **REFUSALS}, tags=["flow"], openapi_extra=_document_body("RunIn"))
def start_run(request: HttpRequest) -> tuple[int, dict[str, Any]]:
    """Begin long work; read its progress and cancel it by its id."""
    asked = parse_document(RunIn, parse_json(_body(request)))
    document, library = _document(request, asked.document)
    other = _document(request, asked.other)[0] if asked.other is not None else None

    def carry_out(run: work.Run) -> str:
        from ..core.flow import adviser, results

        if asked.kind == "advice":
            return adviser.advise(document, library, told=run.told).model_dump_json()
        if asked.kind == "gentlest":
            return results.gentlest_current(document, library, asked.days, asked.wanted, told=run.told).model_dump_json()
        if asked.kind == "compare":
            pair = [("plan", document, False), ("as found", document, True) if other is None else ("other", other, False)]
            return results.compare(pair, library, asked.days, told=run.told).model_dump_json()
        return results.simulate(
            document, library, asked.days, record=False, as_found=asked.as_found, told=run.told
        ).model_dump_json()

    return 202, _run_out(work.start(_crew(request).pk, asked.kind, carry_out))


def _found_run(request: HttpRequest, id: str) -> work.Run:
    run = work.find(id, _crew(request).pk)
    if run is None:
        raise Http404
    return run


@api.get("/runs/{id}", response={200: RunOut, **REFUSALS}, tags=["flow"])
def read_run(request: HttpRequest, id: str) -> dict[str, Any]:
    """Say how far long work is."""
    return _run_out(_found_run(request, id))


@api.get("/runs/{id}/result", response={200: dict[str, Any], 409: ProblemDetails, **REFUSALS}, tags=["flow"])
def read_result(request: HttpRequest, id: str) -> HttpResponse:
    """Return the result of long work that is done."""
    run = _found_run(request, id)
    if run.result is None:
        return problem(409, "Not done", f"It is {run.state}.")
    return HttpResponse(run.result, content_type=JSON)


@api.delete("/runs/{id}", response={200: RunOut, **REFUSALS}, tags=["flow"])
def cancel_run(request: HttpRequest, id: str) -> dict[str, Any]:
    """Cancel long work."""
    run = _found_run(request, id)
    work.cancel(run)
    return _run_out(run)


@api.get("/jobs/{uuid:id}/windows.ics", response={200: None, **REFUSALS}, tags=["flow"])
def calendar_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Download the windows as iCalendar."""
    job, latest = _job(request, id)
    document, _ = _document(request, latest.document)
    return _attachment(calendar(document), f"{job.name} windows.ics", "text/calendar; charset=utf-8")


def _paper(paper: str) -> Paper:
    if paper not in ("A4", "Letter"):
        raise DocumentError([Problem(pointer="/paper", message="no such paper", value=paper, expected="A4 or Letter")])
    return "Letter" if paper == "Letter" else "A4"


@api.get("/jobs/{uuid:id}/cable", response={200: None, **REFUSALS}, tags=["plan"])
def cable_of_job(request: HttpRequest, id: uuid.UUID, paper: str = "A4") -> HttpResponse:
    """Download the cable card with its address plan as one PDF page."""
    job, latest = _job(request, id)
    document, library = _document(request, latest.document)
    page = cable_page(document, plan(document, library), _paper(paper))
    return _attachment(page, f"{job.name} cable.pdf", "application/pdf")


@api.get("/symptoms", response={200: list[SymptomLine], 401: ProblemDetails}, tags=["symptoms"])
def list_symptoms(request: HttpRequest) -> list[dict[str, str]]:
    """List what a person may see go wrong."""
    return [{"id": s.id, "word": s.word} for s in knowledge().symptoms]


@api.post("/symptoms/{id}", response={200: Diagnosis, **REFUSALS}, tags=["symptoms"], openapi_extra=_document_body("Inquiry"))
def diagnose_symptom(request: HttpRequest, id: str) -> HttpResponse:
    """Rank the causes of a symptom after the answers given so far; a job's own plan counts as evidence."""
    data = parse_json(_body(request))
    asked = parse_document(Inquiry, data)
    findings: list[Finding] = []
    if asked.document is not None:
        findings = plan(*_document(request, asked.document)).findings
    return HttpResponse(diagnose(id, asked.answers, findings).model_dump_json(), content_type=JSON)


@api.get("/protocols", response={200: list[ProtocolLine], 401: ProblemDetails}, tags=["library"])
def list_protocols(request: HttpRequest) -> list[dict[str, Any]]:
    """List the protocol families, invented and open."""
    return [
        {"name": f.name, "word": f.word, "layer": f.layer, "open": f.open, "carries": f.carries, "dbc": f.dbc is not None}
        for f in FAMILIES.values()
    ]


@api.get("/protocols/{name}/dbc", response={200: None, **REFUSALS}, tags=["library"])
def dbc_of_protocol(request: HttpRequest, name: str) -> HttpResponse:
    """Download the DBC file of a CAN protocol."""
    text = FAMILIES[name].dbc_text() if name in FAMILIES else None
    if text is None:
        raise Http404
    return _attachment(text.encode(), f"{name}.dbc", "text/plain; charset=utf-8")


def _profile_line(p: Profile, own: bool) -> dict[str, Any]:
    kind = p.version_tag.split("/")[0]
    return {"id": p.id, "kind": kind, "name": p.name, "maker": p.maker, "revision": p.revision, "about": p.about(), "own": own}


@api.get("/library", response={200: list[ProfileLine], 401: ProblemDetails}, tags=["library"])
def list_library(request: HttpRequest) -> list[dict[str, Any]]:
    """List the device profiles: what ships and the crew's own."""
    shipped = shipped_library()
    return [_profile_line(p, shipped.newest(p.id) is None) for p in library_for(_crew(request))]


@api.post("/library", response={201: ProfileLine, **REFUSALS}, tags=["library"], openapi_extra=_document_body("Profile"))
def create_profile(request: HttpRequest) -> tuple[int, dict[str, Any]]:
    """Store a new profile of the crew, made or imported."""
    profile = parse_profile(_body(request))
    version = profile_actions.create(_crew(request), profile, request.user)
    return 201, {**_profile_line(profile, True), "revision": version.revision}


@api.post("/library/check", response={200: CheckOut, **REFUSALS}, tags=["library"], openapi_extra=_document_body("Profile"))
def check_profile(request: HttpRequest) -> dict[str, Any]:
    """Say what is wrong with a profile document; nothing is stored."""
    try:
        return {"problems": [], "about": parse_profile(_body(request)).about()}
    except DocumentError as error:
        return {"problems": [p.model_dump(mode="json") for p in error.problems], "about": ""}


@api.post("/library/try", response={200: TryOut, **REFUSALS}, tags=["library"], openapi_extra=_document_body("TryIn"))
def try_profile(request: HttpRequest) -> dict[str, Any]:
    """Try a profile: what a value becomes on the display, and whether the unit takes a sequence of writes."""
    asked = parse_document(TryIn, parse_json(_body(request)))
    profile = parse_profile(json.dumps(asked.profile))
    if not isinstance(profile, InverterProfile):
        raise DocumentError(
            [Problem(pointer="/profile/ewerer", message="only inverter-chargers have settings to try", expected="inverter/1")]
        )
    return {"entry": try_value(profile, asked.setting, asked.value), "writes": try_writes(profile, asked.writes)}


@api.get("/library/{id}", response={200: dict[str, Any], **REFUSALS}, tags=["library"])
def read_profile(request: HttpRequest, id: str, revision: int | None = None) -> HttpResponse:
    """Return one profile, its newest version or the one asked for."""
    pins = {id: revision} if revision is not None else {}
    found = next((p for p in library_for(_crew(request), pins) if p.id == id), None)
    if found is None or (revision is not None and found.revision != revision):
        raise Http404
    return HttpResponse(found.model_dump_json(by_alias=True, exclude_unset=True), content_type=JSON)


@api.put(
    "/library/{id}",
    response={200: ProfileLine, 409: StaleProfileOut, **REFUSALS},
    tags=["library"],
    openapi_extra=_document_body("Profile"),
)
def save_profile(request: HttpRequest, id: str, base_revision: int) -> Any:
    """Save a new version of the crew's own profile. A stale save gets 409 with the version that is there."""
    profile = parse_profile(_body(request))
    if profile.id != id:
        raise DocumentError([Problem(pointer="/id", message="the id of a profile stays", value=profile.id, expected=id)])
    try:
        version = profile_actions.save(_crew(request), profile, base_revision, request.user)
    except profile_actions.StaleProfile as stale:
        return problem(
            409,
            "Someone saved in between",
            f"{stale.latest.saved_by.get_username()} saved version {stale.latest.revision}.",
            current_revision=stale.latest.revision,
            theirs=stale.latest.document,
        )
    return {**_profile_line(profile, True), "revision": version.revision}


@api.delete("/library/{id}", response={204: None, **REFUSALS}, tags=["library"])
def put_away_profile(request: HttpRequest, id: str) -> tuple[int, None]:
    """Take a profile of the crew out of the library. Its versions stay."""
    profile_actions.put_away(_crew(request), id)
    return 204, None


@api.get("/library/{id}/versions", response={200: list[VersionLine], **REFUSALS}, tags=["library"])
def list_versions(request: HttpRequest, id: str) -> list[dict[str, Any]]:
    """List the versions of the crew's own profile, newest first."""
    held = CrewProfile.objects.get(crew=_crew(request), profile_id=id)
    rows = held.versions.select_related("saved_by").defer("document")
    return [{"revision": v.revision, "saved_at": v.saved_at, "saved_by": v.saved_by.get_username()} for v in rows]


@api.get("/schema/{kind}", response={200: dict[str, Any], **REFUSALS}, tags=["library"])
def read_schema(request: HttpRequest, kind: str) -> dict[str, Any]:
    """Return the JSON Schema of job, profile or plan."""
    if kind not in ("job", "profile", "plan"):
        raise Http404
    return core_cli.schema(kind)


@api.get("/rules", response={200: list[RuleOut], 401: ProblemDetails}, tags=["library"])
def list_rules(request: HttpRequest) -> list[dict[str, Any]]:
    """List every rule of the trade that plans rest on."""
    return [
        {
            "id": r.id,
            "stage": r.stage,
            "statement": r.statement,
            "formula": r.formula,
            "source": r.source,
            "status": r.status,
            "status_words": STATUS_WORDS[r.status],
        }
        for r in REGISTRY.values()
    ]


@api.get("/quantities", response={200: dict[str, dict[str, str]], 401: ProblemDetails}, tags=["library"])
def list_quantities(request: HttpRequest) -> dict[str, dict[str, str]]:
    """List the canonical quantities with word, unit and kind."""
    return {q.name: {"word": q.word, "unit": q.unit, "kind": q.kind} for q in QUANTITIES.values()}


def openapi_json() -> str:
    """Return the OpenAPI document as kept in docs/openapi.json."""
    schema = api.get_openapi_schema(path_prefix="/api/")
    extra: dict[str, Any] = {
        "Job": JobDocument,
        "SaveIn": SaveIn,
        "Inquiry": Inquiry,
        "TryIn": TryIn,
        "RunIn": RunIn,
        "Advice": Advice,
        "Comparison": Comparison,
        "Gentlest": Gentlest,
    }
    parts = schema["components"]["schemas"]
    for name, model in extra.items():
        made = model.model_json_schema(by_alias=True, ref_template="#/components/schemas/{model}")
        for inner, part in made.pop("$defs", {}).items():
            parts.setdefault(inner, part)
        parts[name] = made
    parts["Profile"] = {"type": "object", "title": "Profile", "description": "See /api/schema/profile."}
    return json.dumps(schema, indent=1, default=str) + "\n"


__all__ = ["api", "openapi_json"]
