"""Practice: tries of drawn sites with hidden faults. A try is its scenario and its acts; what follows from them is worked out."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ...core.trade.budget import allowing
from ..crews.roles import Role
from ..live import tries
from ..live.models import Try
from ..record.actions import PAPER_S
from .asking import person
from .shapes import REFUSALS, Asked, Page, PageQuery, as_json, paged

router = Router(tags=["practice"])
Short = Annotated[str, Field(max_length=80)]


class PracticeIn(Asked):
    """A new try: the first lesson, a level with a seed or a drawn one, or a scenario that somebody handed on."""

    lesson: bool = False
    level: Annotated[int, Field(ge=1, le=5)] = 1
    seed: Annotated[int, Field(ge=0, le=2_000_000_000)] | None = None
    scenario: Annotated[dict[str, Any], Field(max_length=10)] | None = None


class PracticeActIn(Asked):
    """One act: a test, a reading of a meter, naming a cause, a way to mend it, a hint, the end."""

    do: Literal["test", "measure", "name", "mend", "hint", "end"]
    test: Short = ""
    meter: Short = ""
    cause: Short = ""
    way: Annotated[int, Field(ge=0, le=9)] = 0


class PracticeLine(Schema):
    """One try in the list."""

    id: uuid.UUID
    by: str
    level: int
    site: str
    over: bool
    points: int | None
    safe: bool | None
    made_at: datetime


class PracticeTest(Schema):
    """A test that can be made, and what it gave."""

    id: str
    question: str
    how: str
    caution: str
    answer: str | None


class PracticeSuspect(Schema):
    """A cause with its present probability."""

    id: str
    word: str
    probability: float


class PracticeDone(Schema):
    """One thing that was done."""

    text: str
    good: bool | None


class PracticeReading(Schema):
    """A reading at the devices."""

    word: str
    unit: str
    expected: float | None
    shown: dict[str, Any]


class PracticeShortest(Schema):
    """What the fault finder's own way takes."""

    tests: int
    minutes: int


class PracticeScore(Schema):
    """Points and what they are made of."""

    points: int
    safe: bool
    why: str
    found: int
    of: int
    wrong: int
    tests: int
    minutes: int
    hints: int
    shortest: PracticeShortest


class PracticeDebrief(Schema):
    """What was hidden: what it showed, what would have told it, how it is mended."""

    word: str
    found: bool
    wire: str
    display: str
    plant: str
    told_by: list[str]
    mend: str


class PracticeOut(Schema):
    """A try as it stands: what a trainee sees; what is hidden only when it is over."""

    id: uuid.UUID
    acts: int
    seed: int
    level: int
    site: str
    hidden: int
    left: int
    complaint: dict[str, str] | None
    seen: list[PracticeReading]
    tests: list[PracticeTest]
    suspects: list[PracticeSuspect]
    meters: list[dict[str, str]]
    ways: list[str]
    done: list[PracticeDone]
    minutes: int
    hint: str
    over: bool
    score: PracticeScore | None
    debrief: list[PracticeDebrief] | None


class PracticeScenario(Schema):
    """A scenario to hand on."""

    ewerer: str
    seed: int
    level: int
    job: str
    faults: list[str]


def _try(request: HttpRequest, id: uuid.UUID) -> Try:
    who = person(request)
    return Try.objects.get(pk=id, crew=who.crew, by=who.user)


@router.get("/practice", response={200: Page[PracticeLine], **REFUSALS})
def list_tries(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List one's own tries, the newest first; a lead sees everybody's of the crew."""
    who = person(request)
    held = Try.objects.filter(crew=who.crew).select_related("by")
    return paged(held if who.role is Role.LEAD else held.filter(by=who.user), page, tries.line)


@router.post("/practice", response={201: PracticeOut, **REFUSALS})
def begin_try(request: HttpRequest, asked: PracticeIn) -> HttpResponse:
    """Begin a try."""
    who = person(request)
    with allowing(PAPER_S):  # the first try loads what stand-ins are made of
        made = tries.begin(who.crew, who.user, asked.level, asked.seed, asked.scenario, asked.lesson)
    answer = as_json(tries.state(made))
    answer.status_code = 201
    return answer


@router.get("/practice/{uuid:id}", response={200: PracticeOut, **REFUSALS})
def read_try(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return a try of one's own as it stands."""
    return as_json(tries.state(_try(request, id)))


@router.post("/practice/{uuid:id}/acts", response={200: PracticeOut, **REFUSALS})
def act_in_try(request: HttpRequest, id: uuid.UUID, asked: PracticeActIn) -> HttpResponse:
    """Do one thing in a try of one's own."""
    with allowing(PAPER_S):
        return as_json(tries.act(_try(request, id), asked.model_dump()))


@router.get("/practice/{uuid:id}/scenario", response={200: PracticeScenario, **REFUSALS})
def hand_on(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return the scenario of a try that is over, to hand on to others."""
    return as_json(tries.handed_on(_try(request, id)))
