"""The run, ``run/1``: every step on site with what must stand before it, and the site as a one-line picture."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..event import LogEntry
from ..job import Breaker
from .base import PlanPart

GATE = "gate:plan"
"""The step that holds a plan with a stop."""
Visit = Literal["full", "settings", "part", "check", "fault"]


class GateMark(PlanPart):
    """A figure of note on the scale of a gate, and what it would mean."""

    value: float = Field(description="the figure, in the gate's unit")
    text: str = Field(description="what it means")


class GateZone(PlanPart):
    """A part of the scale outside the gate, and what a reading there says."""

    low: float | None = Field(default=None, description="from here; none: from below")
    high: float | None = Field(default=None, description="to here; none: and above")
    text: str = Field(description="what such a reading says")
    then: str = Field(default="", description="what to do")


class Gate(PlanPart):
    """What may be read: a window in the figure's own unit, why it is as wide as it is, what lies outside it."""

    low: float | None = Field(default=None, description="lowest good reading; none: no lower end")
    high: float | None = Field(default=None, description="highest good reading; none: no upper end")
    expected: float | None = Field(default=None, description="the most likely good reading")
    why: str = Field(default="", description="why it is as wide")
    marks: list[GateMark] = Field(default=[], description="figures of note on the scale")
    zones: list[GateZone] = Field(default=[], description="what readings outside say")


class Ask(PlanPart):
    """One thing to note at a step: a figure, a text as displayed, a choice or a time."""

    name: str = Field(description="its name in the step's readings")
    label: str = Field(description="what it is called")
    kind: Literal["figure", "text", "choice", "tick"] = Field(default="figure", description="how it is typed")
    unit: str = Field(default="", description="unit of the figure")
    expect: str = Field(default="", description="what should be seen, as displayed")
    gate: Gate | None = Field(default=None, description="what may be read; none where it is only noted")
    choices: list[str] = Field(default=[], description="what it is picked from; the first is the good one where good is said")
    good: list[str] = Field(default=[], description="texts or choices that pass; empty where it is only noted")
    opens: list[str] = Field(default=[], description="choices that leave an open point")
    row: str = Field(default="", description="row in the step's table; empty where it has none")
    column: str = Field(default="", description="column in the step's table")
    needed: bool = Field(default=True, description="whether the step is not done without it")
    least: float | None = Field(
        default=None, description="lowest reading that can be at all; below it the meter or the typing is wrong"
    )
    most: float | None = Field(default=None, description="highest reading that can be at all")
    meter: str = Field(default="", description="kind of instrument it is read with; empty: a display")
    compared: bool = Field(
        default=False, description="whether it is compared with others of the same meter, so that only its last digits count"
    )


class Temporary(PlanPart):
    """A change that a test makes for a while, and that must be put back, proven by reading it back."""

    device: str = Field(description="whose setting")
    setting: str = Field(description="id of the setting; empty for a switch or a plug")
    label: str = Field(description="what is changed")
    menu: list[str] = Field(default=[], description="way through the menu")
    back_to: str = Field(description="what it must show again")
    to: str = Field(default="", description="what it is set to for the test")
    unit: str = Field(default="", description="unit on the display")


class Change(Temporary):
    """A further change that a test makes: told under its own id, put back and read back like the first."""

    id: str = Field(description="its id among the events, the same in every run of the job")


class StepLine(PlanPart):
    """One entry of a page of the menu: done, left out and read back by itself, under its own id."""

    id: str = Field(description="its id among the events, the same in every run of the job")
    label: str = Field(description="the setting as displayed")
    shows: str = Field(default="", description="what it shows before")
    enter: str = Field(description="what to type")
    unit: str = Field(default="", description="unit of what is typed")
    why: str = Field(default="", description="why")
    cautions: list[str] = Field(default=[], description="what may hurt")
    temporary: bool = Field(default=False, description="whether it stands for now only")
    menu: str = Field(default="", description="its place, where the step goes over several pages")
    differs: bool = Field(default=False, description="whether it is another value than on the device that was entered before")


class RunStep(PlanPart):
    """One safe step: what to do, why, what to mind, what must stand before, what should be seen, what follows if it is not."""

    id: str = Field(description="its id, the same in every run of the job")
    section: str = Field(description="part of the run it belongs to")
    title: str = Field(description="its name in the line of steps")
    what: str = Field(description="what to do, in one sentence")
    why: str = Field(default="", description="why")
    cautions: list[str] = Field(default=[], description="what may hurt")
    needs: list[str] = Field(default=[], description="steps that must be finished before")
    kind: Literal["action", "entry", "reading", "comparison", "test", "wait", "decision", "photo"] = Field(description="what it is")
    devices: list[str] = Field(default=[], description="units, chargers or modules it concerns")
    menu: list[str] = Field(default=[], description="place in the menu")
    keys: list[str] = Field(default=[], description="keys to press, in order, where the profile knows them")
    shows: str = Field(default="", description="what it shows before")
    enter: str = Field(default="", description="what to type")
    unit: str = Field(default="", description="unit of what is typed")
    asks: list[Ask] = Field(default=[], description="what is noted")
    columns: list[str] = Field(default=[], description="columns of its table; empty where it has none")
    expect: str = Field(default="", description="what should be seen, in words")
    minutes: float = Field(default=1.0, description="how long it takes [min]")
    wait_s: float = Field(default=0.0, description="seconds to wait; 0 where there is no wait")
    stopwatch: list[str] = Field(default=[], description="moments to stop a watch at")
    fails: str = Field(default="", description="what follows when it fails")
    symptom: str = Field(default="", description="symptom of the fault finder it leads to")
    reverse: str = Field(default="", description="step that undoes it; empty where there is none")
    temporary: Temporary | None = Field(default=None, description="what is changed for a while")
    changes: list[Change] = Field(
        default=[], description="what else is changed for a while; the test is not over before all is back"
    )
    figures: str = Field(default="", description="kind of figures worked out from what is noted; empty for none")
    given: dict[str, float] = Field(default={}, description="figures of the plan that these rest on, named with their unit")
    breaker: str = Field(default="", description="breaker it moves")
    opens: bool = Field(default=False, description="whether it opens that breaker")
    lines: list[StepLine] = Field(
        default=[], description="entries of one page of the menu, in their order; the step is done when all are"
    )
    firm: bool = Field(default=False, description="whether nobody may go past it: only measured again")
    makes: list[str] = Field(default=[], description="facts that it makes true: dead(busbar), closed(breaker), entered(unit) ...")
    optional: bool = Field(default=False, description="whether it may be left out with a reason")
    proof: bool = Field(default=False, description="whether it belongs to the proof")
    after_days: float = Field(default=0.0, description="days after the sign-off when it is due; 0: during the visit")


class PictureLine(PlanPart):
    """One line of the one-line picture; it is live while all breakers of any of its ways are closed."""

    path: str = Field(description="the line as an SVG path")
    side: str = Field(description="what it belongs to: sun, grid, generator, load, bank or bus")
    ways: list[list[str]] = Field(description="breakers that must all be closed, for each way it can be live; an empty way: always")
    wide: bool = Field(default=False, description="whether it is the busbar")


class PictureBreaker(PlanPart):
    """A breaker in the picture."""

    breaker: str = Field(description="id of the breaker")
    x: float = Field(description="place across")
    y: float = Field(description="place down")
    no: int = Field(description="its number in the order of isolating")


class PictureWord(PlanPart):
    """A word in the picture."""

    x: float = Field(description="place across")
    y: float = Field(description="place down")
    text: str = Field(description="the word")
    side: str = Field(default="", description="what it belongs to")
    anchor: Literal["start", "middle", "end"] = Field(default="middle", description="how it stands")
    small: bool = Field(default=False, description="whether it is small")


class PictureDevice(PlanPart):
    """A device in the picture."""

    x: float = Field(description="left edge")
    y: float = Field(description="top edge")
    w: float = Field(description="width")
    h: float = Field(description="height")
    text: str = Field(description="its name")
    side: str = Field(default="", description="what it belongs to")


class OneLine(PlanPart):
    """The site as a one-line picture: lines, breakers, words and devices in one plane."""

    width: float = Field(description="its width")
    height: float = Field(description="its height")
    segments: list[PictureLine] = Field(description="lines")
    contacts: list[PictureBreaker] = Field(description="breakers")
    labels: list[PictureWord] = Field(description="words")
    blocks: list[PictureDevice] = Field(description="devices")


class RunSection(PlanPart):
    """A part of the run."""

    id: str = Field(description="its id")
    word: str = Field(description="its word on screens")


class Run(PlanPart):
    """The whole run of a job. Pure function of job and library."""

    ewerer: str = Field(default="run/1", description="kind and version of the document")
    job: str = Field(description="name of the job")
    sections: list[RunSection] = Field(description="its parts in order")
    steps: list[RunStep] = Field(description="all steps in an order that keeps every need")
    breakers: list[Breaker] = Field(description="the breaker list: the job's own, or derived from it")
    derived: bool = Field(description="whether the breaker list is derived, since the job gives none")
    isolating: list[str] = Field(description="breakers in the order of isolating; restoring is the reverse")
    picture: OneLine = Field(description="the one-line picture")
    stopped: list[str] = Field(default=[], description="what stands in the way of a whole run, from the plan's stops")
    visit: str = Field(default="full", description="kind of visit: full, settings, part, check or fault")
    visits: list[str] = Field(default=[], description="kinds of visit that this job can have")
    proposed: str = Field(default="full", description="the kind that fits what is known of the site")


class JudgedFigure(PlanPart):
    """One figure worked out from readings, with its error."""

    name: str = Field(description="its name with its unit")
    word: str = Field(description="what it is called")
    value: float | None = Field(description="the figure; none where it cannot be told")
    error: float | None = Field(
        default=None, description="its expanded uncertainty, coverage factor 2; none where none is carried on"
    )
    unit: str = Field(description="its unit")


class Judged(PlanPart):
    """A verdict with its reason, and the figures behind it."""

    step: str = Field(default="", description="the step")
    verdict: Literal["pass", "fail", "unsure"] | None = Field(description="none while something is still to be read")
    text: str = Field(description="the verdict in words")
    margin: float | None = Field(default=None, description="distance to the nearer end of what is good; below 0 outside")
    figures: list[JudgedFigure] = Field(default=[], description="figures worked out")


class Proposal(PlanPart):
    """A figure measured on site that the plan would take."""

    name: str = Field(description="its name among the proposals")
    pointer: str = Field(description="JSON pointer of the place in the job")
    label: str = Field(description="what it is called")
    value: float | str = Field(description="what was found")
    before: float | str | None = Field(description="what the job says now")
    unit: str = Field(default="", description="unit")
    error: float | None = Field(default=None, description="its expanded uncertainty; none where none is known")
    step: str = Field(description="the step it was found at")
    answer: str = Field(default="", description="accept, leave, or empty while nobody answered")


class Due(PlanPart):
    """Something that is due at a site."""

    date: str = Field(description="the day, YYYY-MM-DD")
    what: str = Field(description="what is due")
    kind: str = Field(description="follow-up, limit, full-charge, exercise or instrument")
    step: str = Field(default="", description="step of the run, where it is one")
    job: str = Field(default="", description="id of the job, in lists over several")
    name: str = Field(default="", description="name of the job, in lists over several")


class FaultGroup(PlanPart):
    """Entries of the logbook that tell of one fault."""

    device: str = Field(description="unit or module; empty where none is named")
    code: str = Field(description="code as displayed")
    text: str = Field(description="its words")
    count: int = Field(description="how often in all")
    first: str = Field(description="first time")
    last: str = Field(description="last time")
    standing: Literal["present", "past", "history", "unknown"] = Field(description="by whether it came back after clearing")
    why: str = Field(description="why it stands so")
    symptom: str = Field(default="", description="symptom of the fault finder that fits its words")
    causes: list[str] = Field(default=[], description="likely causes, the likeliest first")


class SiteRecord(PlanPart):
    """What the server makes of a job's events: verdicts, proposals, faults, what is due, what is open."""

    ewerer: str = Field(default="record/1", description="kind and version of the document")
    judged: dict[str, Judged] = Field(description="steps whose readings need more than a gate")
    proposals: list[Proposal] = Field(description="figures for the plan")
    faults: list[FaultGroup] = Field(description="faults of the logbook, grouped")
    changes: list[LogEntry] = Field(default=[], description="setting changes that the run tells by itself, as lines of the logbook")
    due: list[Due] = Field(description="what is due, the next first")
    open_points: list[str] = Field(description="what is not finished")
    may_close: bool = Field(description="whether the visit may be signed off")
    why_not: list[str] = Field(default=[], description="what keeps it from being signed off")
