"""Results of stage Windows."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ..base import SlotFormName
from .base import PlanPart


class Slot(PlanPart):
    """One time slot as the unit writes it; in a form of six every slot has all flags."""

    kind: Literal["charge", "discharge", "no-discharge", "slot"] = Field(
        description="charging, discharging, resting, or one of a chain"
    )
    start: str = Field(description="HH:MM")
    end: str = Field(description="HH:MM")
    target_soc: float | None = Field(description="target (0..1)")
    power_w: float | None = Field(description="power [W]")
    charge_allowed: bool = Field(description="whether it charges from AC")
    holds: bool = Field(default=False, description="whether the bank is held")
    exports: bool = Field(default=False, description="whether the bank feeds the grid")
    free: bool = Field(default=False, description="whether the unit does as its source order says")
    note: str = Field(default="", description="what to know of it")


class Segment(PlanPart):
    """A stretch in which slots and intent differ: what is wanted, what the unit does."""

    days: str = Field(description="days of the week")
    start: str = Field(description="HH:MM")
    end: str = Field(description="HH:MM")
    wanted: str = Field(description="what is wanted")
    gets: str = Field(description="what the unit does")


class UnitWindows(PlanPart):
    """The slots of one unit and how they differ from the intent, in minutes and kWh a week."""

    unit: str = Field(description="the unit")
    form: SlotFormName = Field(description="its way of writing windows")
    slots: list[Slot] = Field(description="its slots")
    differs_minutes: int = Field(description="minutes a week in which it does something else [min]")
    differs_kwh: float = Field(description="energy that stands for [kWh a week]")
    where: list[Segment] = Field(description="stretches that differ")
    year: list[YearSlots] = Field(default=[], description="its slots in every part of the year; none where they hold all year")


class YearSlots(PlanPart):
    """The slots of a unit in one part of the year."""

    from_date: str = Field(description="first day of the year, MM-DD")
    to_date: str = Field(description="last day, MM-DD, within; it may lie over the new year")
    windows: list[int] = Field(description="numbers of the windows that hold")
    slots: list[Slot] = Field(description="its slots")
    differs_minutes: int = Field(description="minutes a week in which it does something else [min]")
    differs_kwh: float = Field(description="energy that stands for [kWh a week]")


class Clash(PlanPart):
    """A stretch of a weekday in which two windows want different things; the first of them counts."""

    day: int = Field(description="weekday, 0 Monday")
    start: int = Field(description="minute of the day it begins [min]")
    end: int = Field(description="minute of the day it ends [min]")
    first: int = Field(description="number of the window that counts")
    second: int = Field(description="number of the window that gives way")


class PriceStretch(PlanPart):
    """A stretch of a weekday with one price."""

    day: int = Field(description="weekday, 0 Monday")
    start: int = Field(description="minute of the day it begins [min]")
    end: int = Field(description="minute of the day it ends [min]")
    price: float = Field(description="paid [money a kWh]")
    export: float = Field(description="got [money a kWh]")


class WindowsPlan(PlanPart):
    """The intent, every unit's slots for it on ``date``, where windows clash, and the prices of the week."""

    intent: list[dict[str, Any]] = Field(description="windows as given")
    date: str = Field(default="", description="the day that slots and prices are of, YYYY-MM-DD: the first day of the simulation")
    units: list[UnitWindows] = Field(description="every unit's slots")
    clashes: list[Clash] = Field(default=[], description="where two windows want different things")
    prices: list[PriceStretch] = Field(default=[], description="prices of the week; none without a tariff")
