"""The plan, ``plan/1``: every figure with its reason, every finding, every unit's sheet."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from ...trade.finding import Finding
from .bank import Bank
from .base import PlanPart
from .group import Group
from .limits import Limits
from .link import Link
from .proposals import NextCharger, NextModule, NextUnit
from .sheet import AgreementRow, FoundValue, PresetVerdict, ReadBack, UnitSheet
from .sources import SourcesPlan
from .thresholds import Derived, LadderView, Rung
from .tried import Tried
from .windows import WindowsPlan


class StageState(PlanPart):
    """The state of one stage of the work and its key figure in words."""

    stage: str = Field(description="name of the stage")
    word: str = Field(description="its word on screens")
    state: Literal["ok", "note", "caution", "stop", "open"] = Field(
        description="worst finding, ok, or open while there is nothing to judge"
    )
    key: str = Field(description="its key figure in words")
    answer: str = Field(default="", description="what the stage answers, in one sentence; empty where the work on site answers")
    rests_on: str = Field(default="", description="the figures that the answer rests on, in a line")


class Plan(PlanPart):
    """A whole plan. Pure function of a job and a library."""

    version_tag: ClassVar[str] = "plan/1"

    ewerer: Literal["plan/1"] = Field(default="plan/1", description="kind and version of the document")
    job: str = Field(description="name of the job")
    bank: Bank | None = Field(description="the bank; none while it is empty or cannot be one")
    ladder: dict[str, Rung] = Field(description="thresholds by quantity, for the host's model")
    ladder_view: LadderView | None = Field(description="what a drawing of the ladder needs")
    quantities: dict[str, Derived] = Field(description="figures that are not thresholds, for the host's model")
    limits: Limits | None = Field(description="chains of caps")
    link: Link = Field(description="how BMS and inverter talk")
    units: list[UnitSheet] = Field(description="sheet of every unit")
    devices: list[UnitSheet] = Field(default=[], description="sheet of every sun charger, module and controller with a menu")
    sources: SourcesPlan = Field(description="AC window, orders, generator")
    group: Group | None = Field(default=None, description="how the devices stand together")
    windows: WindowsPlan = Field(description="intent and slots")
    found: dict[str, list[FoundValue]] = Field(default={}, description="what each unit was found to show")
    agreement: list[AgreementRow] = Field(default=[], description="settings noted on parallel units, side by side")
    presets: list[PresetVerdict] = Field(default=[], description="whether shipped presets would do")
    readbacks: dict[str, list[ReadBack]] = Field(default={}, description="verdicts on values read back")
    findings: list[Finding] = Field(description="every finding, the worst first")
    tried: Tried = Field(default=Tried(), description="how many situations the sheets were asked about")
    next_unit: NextUnit = Field(description="what a further unit would be")
    next_charger: NextCharger = Field(description="what a further sun charger by its plate starts from")
    next_module: NextModule = Field(description="what a further nameplate module starts from")
    stages: list[StageState] = Field(description="state of every stage")

    def worst(self) -> str:
        """Return the worst severity among the findings, or ``none``."""
        found = {f.severity for f in self.findings}
        return next((s for s in ("stop", "caution", "note") if s in found), "none")
