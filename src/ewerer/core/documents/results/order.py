"""The working list of one unit, ``order/1``: from as found to as planned."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import PlanPart


class Reset(PlanPart):
    """What an entry puts back: the setting, to what, and whether the list enters it again."""

    setting: str = Field(description="id of the setting")
    label: str = Field(description="the setting as displayed")
    to: str = Field(description="what it goes back to")
    planned: bool = Field(description="whether the list enters it again")


class Step(PlanPart):
    """One step: an action of the person, or an entry."""

    key: str = Field(description="key that marks of work are kept by")
    no: int = Field(description="number in the list")
    kind: Literal["action", "entry"] = Field(description="an action of the person, or an entry")
    setting: str | None = Field(default=None, description="id of the setting")
    menu: list[str] = Field(default=[], description="way through the menu as displayed")
    label: str = Field(description="the setting as displayed, or the action")
    word: str = Field(default="", description="the quantity's word")
    quantity: str | None = Field(default=None, description="canonical quantity")
    level: str = Field(default="user", description="level it needs")
    needs: str = Field(default="any", description="state the unit must be in")
    takes_effect: str = Field(default="at-once", description="when it takes effect")
    shows: str | None = Field(default=None, description="what it shows now")
    enter: str | None = Field(default=None, description="what to type")
    unit: str = Field(default="", description="unit on the display")
    temporary: bool = Field(default=False, description="whether it is put right later in the list")
    resets: list[Reset] = Field(default=[], description="what the entry puts back")
    why: str = Field(default="", description="why now")
    rules: list[str] = Field(default=[], description="ids of the rules behind it")
    caution: str = Field(default="", description="what may hurt")
    note: str = Field(default="", description="what to know")
    encoding: str = Field(default="", description="how the value is written, where it is not plain")


class NearestTarget(PlanPart):
    """A planned value that cannot be reached, and the nearest that can."""

    setting: str = Field(description="id of the setting")
    label: str = Field(description="the setting as displayed")
    wanted: str = Field(description="the planned entry")
    nearest: str = Field(description="the nearest entry that can be reached")
    unit: str = Field(description="unit on the display")


class BlockedTarget(PlanPart):
    """Why the planned values cannot all be entered, and what can be."""

    reasons: list[str] = Field(description="what stands in the way")
    rules: list[str] = Field(description="ids of the rules behind it")
    nearest: list[NearestTarget] = Field(description="what can be reached instead")


class UnitOrder(PlanPart):
    """The working list of one unit. ``assumed`` says that nobody noted what it shows, so factory values count."""

    ewerer: str = Field(default="order/1", description="kind and version of the document")
    unit: str = Field(description="the unit")
    profile: str = Field(description="its model")
    assumed: bool = Field(description="whether nobody noted what it shows, so that factory values count")
    noted: int = Field(description="settings noted as found")
    mode: str = Field(description="state the unit must be in: on, standby or off")
    steps: list[Step] = Field(description="what to do, in order")
    writes: int = Field(description="number of entries")
    fits_already: list[str] = Field(description="settings that are right already")
    blocked: BlockedTarget | None = Field(description="what cannot be entered, and the nearest that can; none where all can")
    proven: bool = Field(description="whether the list is proven to be the shortest")
    shortest_walk: bool = Field(description="whether the walk through the menu is proven to be the shortest")
