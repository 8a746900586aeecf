"""Results of stage Sources."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import PlanPart


class AcWindow(PlanPart):
    """The AC input window in volts, from where it lets go to where it takes back."""

    range: Literal["narrow", "wide"] = Field(description="narrow for electronics, wide for a generator or a weak grid")
    low_off_v: float = Field(description="AC disconnects below [V]")
    low_on_v: float = Field(description="AC reconnects above [V]")
    nominal_v: float = Field(description="nominal [V]")
    high_on_v: float = Field(description="AC reconnects below [V]")
    high_off_v: float = Field(description="AC disconnects above [V]")


class SourceOrder(PlanPart):
    """An order as one model calls it; None where it does not offer it. ``idle`` are settings without effect under it."""

    profile: str = Field(description="the units' model")
    quantity: str = Field(description="source order or charge order")
    wanted: str = Field(description="order wanted")
    label: str = Field(description="the setting as displayed")
    entry: str | None = Field(description="what the display shall show; none where it is not offered")
    offers: list[str] = Field(description="what the unit offers")
    idle: list[str] = Field(description="settings without effect under this order")


class GeneratorPlan(PlanPart):
    """The generator's budget, its load, quiet hours, ramp test and recipe."""

    available_w: float = Field(description="continuous watts after derating [W]")
    derate: float = Field(description="part of the rating that remains (0..1)")
    loads_w: float = Field(description="loads that run while charging [W]")
    safe_charge_a: float = Field(description="what may go into the bank [A]")
    loaded: float = Field(description="load as part of the rating (0..1)")
    least_loaded: float = Field(description="least load as part of the rating, against wet stacking (0..1)")
    least_charge_a: float = Field(description="charging that brings it to its least load [A]")
    quiet_h: float = Field(description="length of the quiet hours [h]")
    quiet_needs_wh: float = Field(description="what the loads need through them [Wh]")
    quiet_has_wh: float = Field(description="what the bank has at their start [Wh]")
    ramp_a: list[float] = Field(description="charging to try one after the other [A]")
    ramp_min: float = Field(description="how long each step of the ramp is held [min]")
    recipe: list[str] = Field(description="how to run it, in sentences")


class SourcesPlan(PlanPart):
    """What stage Sources works out."""

    ac_window: AcWindow | None = Field(description="AC input window; none without an AC source")
    orders: list[SourceOrder] = Field(description="orders as each model calls them")
    generator: GeneratorPlan | None = Field(description="the generator; none without one")
