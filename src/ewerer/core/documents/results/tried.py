"""What the trial of a plan asked, and what the units do."""

from __future__ import annotations

from pydantic import Field

from .base import PlanPart


class Tried(PlanPart):
    """How the sheets were tried before the plan was shown."""

    asked: int = Field(default=0, description="situations that were asked about")
    unknown: list[str] = Field(default=[], description="what nobody says of the devices, in words")


class TriedRow(PlanPart):
    """One situation, what the units do in it by their entries, and which promises that breaks."""

    when: str = Field(description="time of day, where windows differ by it")
    minute: int = Field(description="minute of the day that it stands for")
    season: str = Field(description="part of the year, empty where there is one only")
    soc: float = Field(description="charge (0..1)")
    volts: float = Field(description="volts at rest [V]")
    sun_w: float = Field(description="what the array gives [W]")
    load_w: float = Field(description="loads on the output [W]")
    source: str = Field(description="which source is there: none, grid, generator")
    over: bool = Field(description="whether the units have gone over to the source before")
    wants: str = Field(description="what the job wants of the bank then")
    bank_w: float = Field(description="into the bank, out of it with a minus [W]")
    grid_w: float = Field(description="from the source, to it with a minus [W]")
    unserved_w: float = Field(description="loads that are not carried [W]")
    curtailed_w: float = Field(description="sun that is not used [W]")
    reason: str = Field(description="why, in words")
    broken: list[str] = Field(description="rules whose promise this breaks")


class TrialResult(PlanPart):
    """All situations that were asked, and what was broken, in words."""

    job: str = Field(description="name of the job")
    as_found: bool = Field(description="whether the units were read as they were found")
    rows: list[TriedRow] = Field(description="every situation")
    broken: list[str] = Field(description="each broken promise in words")
    unknown: list[str] = Field(description="what nobody says of the devices")
