"""Results of stage Units: how the devices stand together."""

from __future__ import annotations

from pydantic import ConfigDict, Field

from .base import PlanPart


class Place(PlanPart):
    """One unit in the group: its phase, its number there, its role."""

    unit: str = Field(description="the unit")
    name: str = Field(description="its model")
    phases: list[str] = Field(description="phases it stands on; all of them where its AC side is three-phase by itself")
    number: int = Field(description="its number among the units of its phase, from 1")
    role: str = Field(description="host or follower")
    own_sun_a: float = Field(default=0.0, description="what its built-in sun chargers can give [A]")


class GroupLine(PlanPart):
    """A line between two devices of the group."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, serialize_by_alias=True)

    from_: str = Field(alias="from", description="device it comes from")
    to: str = Field(description="device it goes to")
    kind: str = Field(description="bms: what the bank says; group: between units; charger: between sun chargers; controller")
    label: str = Field(description="ports at its ends, or what runs on it")


class Beside(PlanPart):
    """A sun charger or controller beside the units."""

    id: str = Field(description="the device")
    name: str = Field(description="its model")
    kind: str = Field(description="sun-charger or controller")
    role: str = Field(description="alone, host or follower among its like")


class Group(PlanPart):
    """Who stands where, who is switched on when, who speaks to whom."""

    places: list[Place] = Field(description="every unit")
    lines: list[GroupLine] = Field(description="every line between devices")
    beside: list[Beside] = Field(description="sun chargers and controller")
    speaker: str | None = Field(description="module that speaks for the bank; none in open loop")
    start: list[list[str]] = Field(description="units in the order they are switched on, together where they stand together")
    start_why: str = Field(description="why in this order")
