"""Results of stage Limits: chains of caps, AC budgets."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import PlanPart


class Cap(PlanPart):
    """One cap of a chain: name, amperes at the bank, why; rule it comes from."""

    cap: str = Field(description="name of the cap")
    word: str = Field(description="its word on screens")
    a: float = Field(description="amperes at the bank [A]")
    why: str = Field(description="how it comes about")
    rule: str = Field(description="id of the rule")
    without_one_a: float | None = Field(default=None, description="the same with one module gone [A]")
    today: bool = Field(default=False, description="holds at today's temperature only: shown and judged, never typed into a unit")


class UnitShare(PlanPart):
    """What one unit may carry, amperes."""

    unit: str = Field(description="id of the unit or sun charger")
    a: float = Field(description="what it may carry [A]")
    own_max_a: float = Field(description="what it could carry [A]")
    kind: Literal["unit", "sun-charger"] = Field(default="unit", description="inverter-charger or sun charger")


class Chain(PlanPart):
    """The chain of caps in one direction, the binding one, the split to units."""

    bank_a: float = Field(description="what the bank may take or give [A]")
    binding: str | None = Field(description="the limit that is reached first")
    caps: list[Cap] = Field(description="all caps in working order")
    units: list[UnitShare] = Field(description="each unit's part")
    needed_a: float | None = Field(description="what the design load needs [A]")
    needed_peak_a: float | None = Field(description="what the peak load needs [A]")
    without_one_a: float | None = Field(description="the same with one module gone [A]")


class AcSource(PlanPart):
    """The charging budget of one AC source: free watts, safe amperes, the trade's short cut."""

    source: Literal["mains", "generator"] = Field(description="which source")
    available_w: float = Field(description="continuous power [W]")
    loads_w: float = Field(description="loads that run while charging [W]")
    free_w: float = Field(description="what is left for charging [W]")
    charge_a: float = Field(description="what may go into the bank from it [A]")
    shortcut_a: float = Field(description="the trade's short cut, which overstates [A]")
    shortcut_draws_w: float = Field(description="what the rule of thumb would draw [W]")
    loads_assumed: bool = Field(default=False, description="the loads are assumed, nobody gave them")


class AcFeed(PlanPart):
    """What one more feed allows while it is in use."""

    name: str = Field(description="name of the feed")
    breaker_a: float = Field(description="its breaker, or what it carries [A]")
    input_a: float = Field(description="AC input current to enter [A]")
    free_w: float = Field(description="what is left for charging [W]")
    charge_a: float = Field(description="what may go into the bank from it [A]")


class Ac(PlanPart):
    """The tightest AC source, and all of them. None where no AC source exists."""

    free_w: float | None = Field(description="what the tightest source leaves [W]")
    charge_a: float | None = Field(description="what may go into the bank from it [A]")
    shortcut_a: float | None = Field(description="the trade's short cut [A]")
    source: str | None = Field(description="the tightest source")
    charge_v: float | None = Field(default=None, description="highest volts of charging, which the amperes are counted at [V]")
    sources: list[AcSource] = Field(description="all AC sources")
    feeds: list[AcFeed] = Field(default=[], description="other feeds, each with its own entries")
    units: list[UnitShare] = Field(
        default=[], description="what each unit charges from AC at most, as it is entered; empty without AC sources"
    )


class LeadFigures(PlanPart):
    """A pair of leads: resistance, what it carries."""

    mohm: float | None = Field(description="there and back [mohm]; none until a length is given")
    ampacity_a: float = Field(description="what it carries continuously [A]")


class Wiring(PlanPart):
    """Leads, drop, prospective short-circuit current, pre-charge."""

    main: LeadFigures | None = Field(description="main leads by length and section; none where not given")
    module: LeadFigures | None = Field(description="each module's leads by length and section; none where not given")
    main_mohm: float = Field(description="main leads as counted [mohm]: measured, else by length and section, else assumed")
    drop_v: float | None = Field(description="drop over the main leads at the design load [V]")
    drop_part: float | None = Field(description="the same as part of the volts (0..1)")
    short_circuit_a: float = Field(description="prospective short-circuit current at the end of the main leads [A]")
    short_circuit_v: float = Field(description="volts it is counted at [V]")
    precharge_a: float | None = Field(description="first current through the pre-charge resistor [A]")
    precharge_s: float | None = Field(description="time until the inputs are charged [s]")
    precharge_j: float | None = Field(description="heat in the resistor [J]")


class Limits(PlanPart):
    """Charge and discharge chains and the AC budget."""

    charge: Chain = Field(description="into the bank")
    discharge: Chain = Field(description="out of the bank")
    ac: Ac = Field(description="budgets of the AC sources")
    wiring: Wiring = Field(description="leads, fuse, pre-charge")
    temperature_c: float | None = Field(description="temperature at the bank the caps were taken at [degC]")
