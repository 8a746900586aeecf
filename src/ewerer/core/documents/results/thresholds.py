"""Results of stage Thresholds: rungs, what a drawing of the ladder needs, figures that are not thresholds."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import Alternative, PlanPart, Reason


class Rung(PlanPart):
    """One threshold: value, permitted range, margin to the next below, what it means in charge, why.

    ``value`` is volts of the pack or a fraction of charge. ``at_rest_soc`` and ``under_load_soc`` are
    fractions; the bands are the lowest and highest charge the reading may stand for.
    """

    word: str = Field(description="the threshold's word on screens")
    kind: Literal["volts", "soc"] = Field(description="volts of the pack, or charge as a fraction")
    value: float = Field(description="the planned figure [V or 0..1]")
    cell_v: float | None = Field(description="the same for one cell [V]")
    lowest: float = Field(description="lowest permitted figure [V or 0..1]")
    highest: float = Field(description="highest permitted figure [V or 0..1]")
    step: float = Field(description="step of the unit's entry [V or 0..1]")
    margin: float | None = Field(description="distance to the next threshold below [V or 0..1]")
    next_below: str | None = Field(description="the next threshold below")
    at_rest_soc: float | None = Field(description="charge it stands for at rest (0..1)")
    at_rest_soc_band: list[float] | None = Field(description="lowest and highest charge the reading may stand for (0..1)")
    under_load_soc: float | None = Field(description="charge it stands for at the design load (0..1)")
    full_load_soc: float | None = Field(description="charge it stands for at full load (0..1)")
    sag_v: float = Field(description="volts that the design load takes off [V]")
    wished: float | None = Field(description="the person's own figure, where one was given")
    own: bool = Field(description="whether the person's own figure was granted")
    active: bool = Field(description="whether it does something in this job")
    settable: bool = Field(description="whether the unit has a setting for it")
    why: list[str] = Field(description="ids of the rules behind it")
    reasons: list[Reason] = Field(description="the rules with this job's numbers")
    alternatives: list[Alternative] = Field(description="figures of other practice")


class Zone(PlanPart):
    """A forbidden stretch of the ladder in pack volts."""

    low: float = Field(description="lower end [V]")
    high: float = Field(description="upper end [V]")
    word: str = Field(description="why it is forbidden")


class SocMark(PlanPart):
    """Resting volts of the pack at a state of charge, for the band beside the ladder."""

    soc: float = Field(description="charge (0..1)")
    v: float = Field(description="resting volts of the pack [V]")


class LadderView(PlanPart):
    """What a drawing of the ladder needs beside the rungs."""

    solved_for: str = Field(description="profile whose steps the ladder stands on; empty without one")
    feasible: bool = Field(description="whether all rules fit together")
    low_v: float = Field(description="lower end of the drawing [V]")
    high_v: float = Field(description="upper end of the drawing [V]")
    zones: list[Zone] = Field(description="forbidden stretches")
    soc_marks: list[SocMark] = Field(description="resting volts by charge")
    design_load_a: float = Field(description="design load at the bank [A]")
    full_load_a: float = Field(description="largest discharge current [A]")
    path_mohm: float = Field(description="bank and main leads [mohm]")
    decide_by: Literal["volts", "soc"] = Field(description="whether the thresholds act on volts or on charge")
    conflict: list[str] = Field(description="ids of the rules that cannot hold together")
    way_out: str = Field(description="the nearest way out of a conflict")


class Option(PlanPart):
    """One of a few that may be chosen: its key in the document, its word."""

    value: str = Field(description="key in the document")
    word: str = Field(description="its word on screens")


class Derived(PlanPart):
    """A figure or choice that is not a threshold: value, unit, range where it has one, why."""

    word: str = Field(description="the quantity's word on screens")
    value: float | str | bool = Field(description="the planned figure or choice")
    unit: str = Field(description="unit of the figure")
    lowest: float | None = Field(default=None, description="lowest permitted figure")
    highest: float | None = Field(default=None, description="highest permitted figure")
    wished: float | str | bool | None = Field(default=None, description="the person's own figure, where one was given")
    own: bool = Field(default=False, description="whether the person's own figure was granted")
    fixed: str = Field(default="", description="why no own figure changes it; empty where one may")
    choices: list[Option] = Field(default=[], description="what may be chosen")
    percent: bool = Field(default=False, description="whether it is a fraction that screens show in percent")
    clock: bool = Field(default=False, description="whether it is minutes from midnight that screens show as a time")
    rare: bool = Field(default=False, description="whether only some units know it; folded on screens")
    why: list[str] = Field(description="ids of the rules behind it")
    reasons: list[Reason] = Field(description="the rules with this job's numbers")
    alternatives: list[Alternative] = Field(default=[], description="figures of other practice")
