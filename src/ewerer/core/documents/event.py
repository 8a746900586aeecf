"""One event of the work on site, ``event/1``: what a person did, read or decided, when. Events are only ever added."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, Field, model_validator

from .base import Date, Document, Identifier, Shown, Text, Title

Key = Annotated[
    str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.:-]{0,79}$", description="an id made by the client, at most 80 characters")
]
StepId = Annotated[
    str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.:-]{0,159}$", description="id of a step of the run, at most 160 characters")
]


def _real_moment(text: str) -> str:
    try:
        dt.datetime.strptime(text, "%Y-%m-%dT%H:%M:%S.%fZ")
    except ValueError:
        raise ValueError("there is no such moment") from None
    return text


Moment = Annotated[
    str,
    Field(
        pattern=r"^(19|20|21)\d\d-[01]\d-[0-3]\dT[0-2]\d:[0-5]\d:[0-5]\d\.\d{3}Z$",
        description="a time in UTC to the millisecond, as 2026-05-04T09:12:03.250Z",
    ),
    AfterValidator(_real_moment),
]
Reading = Annotated[float, Field(ge=-1e9, le=1e9, description="a figure that was read")]
Verdict = Literal["pass", "fail", "unsure"]

NEEDS: dict[str, tuple[str, ...]] = {
    "done": ("step",),
    "skipped": ("step", "text"),
    "reading": ("step", "name", "shown"),
    "verdict": ("step", "verdict"),
    "override": ("step", "text"),
    "decision": ("step", "shown"),
    "timer": ("step", "name"),
    "temporary": ("step", "shown"),
    "restored": ("step", "shown"),
    "read-back": ("step", "shown"),
    "as-found": ("device", "setting", "shown"),
    "renamed": ("device", "shown"),
    "note": ("text",),
    "photo": ("photo",),
    "log": ("entry",),
    "answer": ("name", "shown"),
    "proposal": ("name", "shown"),
    "visit": ("text",),
    "signed": ("name", "text"),
    "undo": ("target", "text"),
}
"""What each kind of event must carry."""
EventKind = Literal[
    "done",
    "skipped",
    "reading",
    "verdict",
    "override",
    "decision",
    "timer",
    "temporary",
    "restored",
    "read-back",
    "as-found",
    "renamed",
    "note",
    "photo",
    "log",
    "answer",
    "proposal",
    "visit",
    "signed",
    "undo",
]


class Meter(Document):
    """The instrument a figure was read with, as it was then: so many percent of the reading, so many counts of its last digit."""

    name: Title
    kind: Annotated[str, Field(max_length=40, description="what it measures")] = ""
    pct: Annotated[float, Field(ge=0, le=50, description="accuracy in percent of the reading")] = 0.0
    digits: Annotated[float, Field(ge=0, le=1000, description="counts of the last digit")] = 0.0
    step: Annotated[float, Field(ge=0, le=1000, description="one count of its last digit, in the unit read")] = 0.0
    due: Date | None = None


class LogEntry(Document):
    """One line of the site's logbook."""

    kind: Literal["fault", "warning", "setting", "limit", "firmware", "visit", "reading", "note"]
    when: Annotated[str, Field(max_length=40, description="time as the unit tells it")] | None = None
    device: Identifier | None = None
    code: Annotated[str, Field(max_length=40, description="code as displayed")] | None = None
    menu: Annotated[str, Field(max_length=200, description="place in the menu")] | None = None
    text: Text | None = None
    cleared: Annotated[str, Field(max_length=40, description="when it was cleared or went")] | None = None
    count: Annotated[int, Field(ge=1, le=1_000_000, description="how often")] = 1
    seconds: Annotated[float, Field(ge=0, le=1e9, description="seconds from clearing to its return")] | None = None
    from_: Annotated[Shown | None, Field(alias="from", description="what it was")] = None
    to: Annotated[str, Field(max_length=60, description="what it is now")] | None = None
    own_limit: Annotated[str, Field(max_length=60, description="the module's own limit")] | None = None
    due: Date | None = None


class Event(Document):
    """One event. Which fields it must carry depends on its kind."""

    version_tag: ClassVar[str] = "event/1"

    ewerer: Literal["event/1"] = "event/1"
    id: Key
    at: Moment
    by: Title
    kind: EventKind
    step: StepId | None = None
    name: Annotated[str, Field(min_length=1, max_length=120, description="name of what was read, answered or signed")] | None = None
    value: Reading | None = None
    shown: Shown | None = None
    unit: Annotated[str, Field(max_length=12, description="unit of the figure")] | None = None
    verdict: Verdict | None = None
    text: Text | None = None
    low: Reading | None = None
    high: Reading | None = None
    meter: Meter | None = None
    device: Identifier | None = None
    setting: Identifier | None = None
    target: Key | None = None
    photo: Key | None = None
    entry: LogEntry | None = None

    @model_validator(mode="after")
    def _complete(self) -> Event:
        lacking = [name for name in NEEDS[self.kind] if getattr(self, name) is None]
        if lacking:
            raise ValueError(f"an event of kind {self.kind} also needs " + ", ".join(lacking))
        if self.kind in ("override", "skipped", "undo") and not (self.text or "").strip():
            raise ValueError(f"an event of kind {self.kind} gives a reason in its text")
        return self

    def to_data(self) -> dict[str, Any]:
        """Return the event as plain JSON data: what it carries, its version first."""
        return {"ewerer": self.version_tag, **self.model_dump(mode="json", by_alias=True, exclude_none=True)}
