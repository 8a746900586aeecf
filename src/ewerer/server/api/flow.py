"""The simulation, and long work: a year, advice on windows, the gentlest current, two jobs side by side."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from ...core import tasks
from ...core.documents.job import Job, Series
from ...core.documents.results.flow import Advice, Comparison, Gentlest, Simulation, Sweep
from ...core.trade.margins import ENOUGH_FULL_DAYS
from ..crews.roles import Role
from ..problems import problem
from ..profiles.actions import library_for
from ..work import long, pool
from .asking import crew_of, library_of, person
from .bodies import JobBody
from .shapes import JSON, REFUSALS, Asked, ProblemDetails, packed

router = Router(tags=["flow"], by_alias=True)


class WorkIn(Asked):
    """Long work on an unsaved document: a year, advice on windows, the gentlest current, two jobs side by side, or many weathers."""

    kind: Literal["year", "advice", "gentlest", "compare", "sweep"]
    document: JobBody
    other: JobBody | None = None
    days: Annotated[int, Field(ge=1, le=731, description="days to simulate")] = 365
    as_found: bool = False
    wanted: Annotated[float, Field(gt=0, le=1, description="part of the days that shall reach full")] = ENOUGH_FULL_DAYS
    weathers: Annotated[int, Field(ge=1, le=500, description="how many years of weather")] = 60
    vary_field: Annotated[str, Field(max_length=120, description="field that is varied; none where empty")] = ""
    vary_values: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=6, description="its values, as typed")] = []


class WorkOut(Schema):
    """The state of long work."""

    id: str
    kind: str
    state: long.State
    word: str = Field(description="what it is doing")
    share: float = Field(description="how far it is (0..1)")
    problem: str = Field(description="why it failed")


@router.post("/simulate", response={200: Simulation, **REFUSALS})
def simulate_document(
    request: HttpRequest,
    document: JobBody,
    days: Annotated[int, Query(ge=1, le=7, description="days to simulate; more as long work")] = 1,
    as_found: bool = False,
    lead_days: Annotated[int, Query(ge=0, le=724, description="days before that are not told")] = 0,
) -> HttpResponse:
    """Simulate up to seven days of an unsaved document, step by step, after ``lead_days`` that are not told."""
    of = tasks.inputs_of(document, library_of(request, document))
    return packed(request, pool.run(tasks.simulation_of, of, days, as_found, lead_days))


_TEXT_BODY = {"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}}


@router.post("/series", response={200: Series, **REFUSALS}, exclude_none=True, openapi_extra=_TEXT_BODY)
def read_series(request: HttpRequest, step_min: int = 60) -> dict[str, Any]:
    """Read measured power from CSV: watts at equal steps, or time and watts; nothing is stored."""
    return pool.run(tasks.series_read, request.body, step_min)


@router.post("/work", response={202: WorkOut, **REFUSALS})
def start_work(request: HttpRequest, asked: WorkIn) -> tuple[int, long.Work]:
    """Begin long work; read its progress and cancel it by its id."""
    vary = (asked.vary_field, tuple(asked.vary_values)) if asked.vary_field and asked.vary_values else None
    of = tasks.Long(
        asked.kind,
        _text_of(request, asked.document, whole=vary is not None),
        None if asked.other is None else _text_of(request, asked.other),
        asked.days,
        asked.as_found,
        asked.wanted,
        asked.weathers,
        vary,
    )
    who = person(request)
    return 202, long.start(who.crew.pk, who.user.pk, of)


def _text_of(request: HttpRequest, document: Job, whole: bool = False) -> tasks.Inputs:
    """Return a job and the profiles it is planned with as text; with ``whole``, all of the crew's, since what is varied may name another."""
    library = library_of(request, document)
    return tasks.inputs_of(document, library_for(crew_of(request), document.profile_revisions) if whole else library)


def _found(request: HttpRequest, id: str) -> long.Work:
    piece = long.find(id, crew_of(request).pk)
    if piece is None:
        raise Http404
    return piece


@router.get("/work/{id}", response={200: WorkOut, **REFUSALS})
def read_work(request: HttpRequest, id: str) -> long.Work:
    """Say how far long work is."""
    return _found(request, id)


@router.get(
    "/work/{id}/result", response={200: Simulation | Advice | Gentlest | Comparison | Sweep, 409: ProblemDetails, **REFUSALS}
)
def read_result(request: HttpRequest, id: str) -> HttpResponse:
    """Return the result of long work that is done."""
    piece = _found(request, id)
    result = piece.result
    if result is None:
        gone = piece.state == "done"
        return problem(409, "Not done", "Its result is not kept any more; start it again." if gone else f"It is {piece.state}.")
    return HttpResponse(result, content_type=JSON)


@router.delete("/work/{id}", response={200: WorkOut, **REFUSALS})
def cancel_work(request: HttpRequest, id: str) -> long.Work:
    """Cancel long work: one's own, or, as a member of the crew, anybody's."""
    piece, who = _found(request, id), person(request)
    if piece.by != who.user.pk and not who.role.may(Role.MEMBER):
        raise HttpError(403, f"This needs a member of the crew, or whoever began it; you are a {who.role} in {who.crew.name}.")
    long.cancel(piece)
    return _found(request, id)
