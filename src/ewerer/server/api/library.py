"""Device profiles: what ships, and the crew's own with their versions."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ...core import tasks
from ...core.devices.lacks import Lack, lacking, lacks
from ...core.devices.library import parse_profile, parse_profile_data, shipped_library
from ...core.devices.manual import Decided, ManualTable, Taken, take
from ...core.devices.manual.registers import RegisterTable
from ...core.documents.parse import parse_json
from ...core.documents.profile_words import differences, place, said
from ...core.documents.profiles import InverterProfile, Profile
from ...core.documents.results.order import UnitOrder
from ...core.trade.budget import MAX_DOCUMENT_BYTES
from ...core.trade.errors import DocumentError, Problem
from ...core.visit.tryout import try_value, try_writes
from ..jobs.actions import document_of
from ..jobs.models import Job
from ..problems import problem
from ..profiles import actions
from ..profiles.actions import library_for
from ..profiles.models import CrewProfile, ProfileVersion
from ..work import pool
from .asking import crew_of, note, person
from .bodies import ProfileBody
from .shapes import JSON, REFUSALS, Asked, Page, PageQuery, ProblemDetails, paged

MOST_JOBS = 300
"""Jobs that are looked through for the uses of a profile."""
router = Router(tags=["library"], by_alias=True)
Shown = Annotated[str, Field(max_length=200)]


class ProfileLine(Schema):
    """A profile in the library."""

    id: str
    kind: str
    name: str
    maker: str
    revision: int
    about: str
    own: bool
    settings: int = 0
    lacking: int = 0
    put_away: bool = False
    unreadable: str = ""


class ProfileProblem(Schema):
    """What is wrong with a field of a profile: where, also in words, and what would be right."""

    pointer: str
    message: str
    value: Any = None
    expected: str = ""
    place: str
    words: str


class CheckOut(Schema):
    """What is wrong with a profile, and its key figures when nothing is."""

    problems: list[ProfileProblem]
    about: str


class WriteIn(Asked):
    """One write to try."""

    setting: Shown
    value: Shown


class TryIn(Asked):
    """A profile to try: one value of one setting, and writes in order."""

    profile: ProfileBody
    setting: Shown = ""
    value: Shown = ""
    writes: Annotated[list[WriteIn], Field(max_length=500)] = []


class TakeIn(Asked):
    """Rows of a table as confirmed, the names that are used already, and what is known of the device."""

    rows: Annotated[list[Decided], Field(max_length=600)]
    taken: Annotated[list[Shown], Field(max_length=400)] = []
    class_v: float | None = None
    ratings: Annotated[dict[str, float], Field(max_length=40)] = {}


class RegistersIn(Asked):
    """A manual's table of registers as text, and the profile whose menu it is of."""

    profile: ProfileBody
    table: Annotated[str, Field(max_length=MAX_DOCUMENT_BYTES)]


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

    @staticmethod
    def resolve_saved_by(version: ProfileVersion) -> str:
        """Return the name of who saved it."""
        return str(version.saved_by)


class StaleProfileOut(ProblemDetails):
    """A save that came too late, with the version that is there."""

    current_revision: int
    theirs: dict[str, Any]


def _named_in(job: Job) -> frozenset[str]:
    try:
        return document_of(job).profiles_named
    except DocumentError:  # a job that this version cannot read says so where it is opened
        return frozenset()


def _line(p: Profile, own: bool) -> dict[str, Any]:
    kind = p.version_tag.split("/")[0]
    return {
        "id": p.id,
        "kind": kind,
        "name": p.name,
        "maker": p.maker,
        "revision": p.revision,
        "about": p.about(),
        "own": own,
        "settings": len(getattr(p, "settings", ())),
        "lacking": len(lacking(p)),
    }


@router.get("", response={200: Page[ProfileLine], **REFUSALS})
def list_library(request: HttpRequest, page: PageQuery, put_away: bool = False) -> dict[str, Any]:
    """List the device profiles: what ships and the crew's own; or the crew's archived ones."""
    if put_away:
        return paged(
            [p for v in actions.put_away_of(crew_of(request)) if not isinstance(p := actions.profile_of(v), str)],
            page,
            lambda p: {**_line(p, True), "put_away": True},
        )
    shipped = shipped_library()
    lines = [_line(p, shipped.newest(p.id) is None) for p in library_for(crew_of(request))]
    for held, why in actions.unreadable_of(crew_of(request)):
        about = f"This version of Ewerer cannot read it: {why}"
        lines.append(
            {"id": held.profile_id, "kind": held.kind, "name": held.name, "maker": "", "revision": held.revision, "about": about}
            | {"own": True, "unreadable": why}
        )
    return paged(lines, page)


@router.get("/uses", response={200: dict[str, int], **REFUSALS})
def count_uses(request: HttpRequest) -> dict[str, int]:
    """Return in how many of the crew's jobs each profile is used, by its id; of the newest few hundred."""
    jobs = Job.objects.filter(crew=crew_of(request), put_away=False)[:MOST_JOBS]
    return Counter(id for job in jobs for id in _named_in(job))


@router.post("", response={201: ProfileLine, **REFUSALS})
def create_profile(request: HttpRequest, profile: ProfileBody) -> tuple[int, dict[str, Any]]:
    """Store a new profile of the crew, made or imported."""
    who = person(request)
    version = actions.create(who.crew, profile, who.user)
    note(request, "profile made", profile.id)
    return 201, {**_line(profile, True), "revision": version.revision}


_PROFILE_BODY = {"requestBody": {"required": True, "content": {JSON: {"schema": {"type": "object"}}}}}


@router.post("/check", response={200: CheckOut, **REFUSALS}, openapi_extra=_PROFILE_BODY)
def check_profile(request: HttpRequest) -> dict[str, Any]:
    """Say what is wrong with a profile document, however incomplete it is; nothing is stored."""
    data: Any = None
    try:
        data = parse_json(request.body)
        return {"problems": [], "about": parse_profile_data(data).about()}
    except DocumentError as error:
        return {"problems": [asdict(p) | {"place": place(p.pointer, data), "words": said(p)} for p in error.problems], "about": ""}


_TABLE_BODY = {
    "requestBody": {"required": True, "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}
}


@router.post("/table", response={200: ManualTable, **REFUSALS}, openapi_extra=_TABLE_BODY)
def read_settings_table(request: HttpRequest, class_v: float | None = None, kind: str = "inverter") -> HttpResponse:
    """Read the table of settings of a manual (text, CSV or XLSX) into rows to confirm; nothing is stored."""
    return HttpResponse(pool.run(tasks.table_read, request.body, class_v, kind), content_type=JSON)


@router.post("/registers", response={200: RegisterTable, **REFUSALS})
def read_registers_table(request: HttpRequest, asked: RegistersIn) -> HttpResponse:
    """Read the table of registers of a manual against a profile's menu into rows to confirm; nothing is stored."""
    profile = asked.profile.model_dump_json(by_alias=True, exclude_unset=True)
    return HttpResponse(pool.run(tasks.registers_read, asked.table, profile), content_type=JSON)


@router.post("/take", response={200: Taken, **REFUSALS})
def take_rows(request: HttpRequest, asked: TakeIn) -> Taken:
    """Make confirmed rows of a table into settings, each whole or refused in words; nothing is stored."""
    return take(asked.rows, asked.taken, asked.class_v, asked.ratings)


class BothIn(Asked):
    """Two versions of a profile, as plain data."""

    before: dict[str, Any]
    after: dict[str, Any]


class DifferenceOut(Schema):
    """What two versions of a profile say differently, in words."""

    pointer: str
    place: str
    before: str
    after: str


@router.post("/differences", response={200: list[DifferenceOut], **REFUSALS})
def say_differences(request: HttpRequest, asked: BothIn) -> list[dict[str, Any]]:
    """Say in words what two versions of a profile say differently; nothing is stored."""
    return [asdict(d) for d in differences(asked.before, asked.after)]


@router.post("/lacks", response={200: list[Lack], **REFUSALS}, openapi_extra=_PROFILE_BODY)
def say_lacks(request: HttpRequest) -> list[dict[str, Any]]:
    """Say what a plan would like that a profile lacks, and which shipped values are dangerous for lithium; nothing is stored."""
    return [lack.model_dump(mode="json") for lack in lacks(parse_profile(request.body))]


@router.post("/try", response={200: TryOut, **REFUSALS})
def try_profile(request: HttpRequest, asked: TryIn) -> dict[str, Any]:
    """Try a profile: what a value becomes on the display, and whether the unit takes a sequence of writes."""
    if not isinstance(asked.profile, InverterProfile):
        raise DocumentError(
            [Problem(pointer="/profile/ewerer", message="only inverter-chargers have settings to try", expected="inverter/1")]
        )
    writes = [(w.setting, w.value) for w in asked.writes]
    return {"entry": try_value(asked.profile, asked.setting, asked.value), "writes": try_writes(asked.profile, writes)}


@router.post("/try-plan", response={200: UnitOrder, **REFUSALS}, openapi_extra=_PROFILE_BODY)
def try_plan(request: HttpRequest) -> HttpResponse:
    """Enter an ordinary plan on a device of a profile, from its factory values: what to do in which order; nothing is stored."""
    return HttpResponse(pool.run(tasks.plan_tried, request.body.decode("utf-8", "replace")), content_type=JSON)


@router.get("/{id}", response={200: dict[str, Any], **REFUSALS})
def read_profile(request: HttpRequest, id: str, revision: int | None = None) -> HttpResponse:
    """Return one profile, its newest version or the one asked for."""
    pins = {id: revision} if revision is not None else {}
    found = next((p for p in library_for(crew_of(request), pins) if p.id == id), None)
    if found is None or (revision is not None and found.revision != revision):
        raise Http404
    return HttpResponse(found.model_dump_json(by_alias=True, exclude_unset=True), content_type=JSON)


class UseLine(Schema):
    """A job that uses a profile."""

    id: str
    name: str


@router.get("/{id}/uses", response={200: list[UseLine], **REFUSALS})
def list_uses(request: HttpRequest, id: str) -> list[dict[str, str]]:
    """List the crew's jobs that use a profile, the newest first; of the newest few hundred."""
    jobs = Job.objects.filter(crew=crew_of(request), put_away=False)[:MOST_JOBS]
    return [{"id": str(job.id), "name": job.name} for job in jobs if id in _named_in(job)]


@router.put("/{id}", response={200: ProfileLine, 409: StaleProfileOut, **REFUSALS})
def save_profile(request: HttpRequest, id: str, base_revision: int, profile: ProfileBody) -> Any:
    """Save a new version of the crew's own profile. A stale save gets 409 with the version that is there."""
    if profile.id != id:
        raise DocumentError([Problem(pointer="/id", message="the id of a profile stays", value=profile.id, expected=id)])
    who = person(request)
    try:
        version = actions.save(who.crew, profile, base_revision, who.user)
    except actions.StaleProfile as stale:
        return problem(
            409,
            "Someone saved in between",
            f"{stale.latest.saved_by.get_username()} saved version {stale.latest.revision}.",
            current_revision=stale.latest.revision,
            theirs=stale.latest.document,
        )
    note(request, "profile saved", f"{profile.id} version {version.revision}")
    return {**_line(profile, True), "revision": version.revision}


@router.delete("/{id}", response={204: None, **REFUSALS})
def put_away_profile(request: HttpRequest, id: str) -> tuple[int, None]:
    """Take a profile of the crew out of the library. Its versions stay, and jobs that use it go on."""
    actions.put_away(crew_of(request), id, True)
    note(request, "profile archived", id)
    return 204, None


@router.post("/{id}/take-out", response={204: None, **REFUSALS})
def take_out_profile(request: HttpRequest, id: str) -> tuple[int, None]:
    """Restore an archived profile."""
    actions.put_away(crew_of(request), id, False)
    note(request, "profile restored", id)
    return 204, None


@router.get("/{id}/versions", response={200: Page[VersionLine], **REFUSALS})
def list_versions(request: HttpRequest, id: str, page: PageQuery) -> dict[str, Any]:
    """List the versions of the crew's own profile, newest first."""
    held = CrewProfile.objects.get(crew=crew_of(request), profile_id=id)
    return paged(held.versions.select_related("saved_by").defer("document"), page)
