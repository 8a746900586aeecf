"""Results of simulations: ledger, days, series, comparison, advice."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from .base import PlanPart


class Ledger(PlanPart):
    """Sums over a simulation: energies in kWh, counts, extremes, money in the tariff's currency."""

    days: int = Field(description="days simulated")
    sun_kwh: float = Field(description="what the roof could give [kWh]")
    load_kwh: float = Field(description="loads on the backup output [kWh]")
    other_kwh: float = Field(description="other loads on the grid side [kWh]")
    sun_used_kwh: float = Field(description="sun that was used [kWh]")
    curtailed_kwh: float = Field(description="sun that found no taker [kWh]")
    bank_in_kwh: float = Field(description="into the bank [kWh]")
    bank_out_kwh: float = Field(description="out of the bank [kWh]")
    mains_kwh: float = Field(description="bought from the mains [kWh]")
    mains_charge_kwh: float = Field(description="bought for charging [kWh]")
    export_kwh: float = Field(description="sold [kWh]")
    generator_kwh: float = Field(description="from the generator [kWh]")
    unserved_kwh: float = Field(description="loads that went without [kWh]")
    lowest_soc: float = Field(description="lowest charge (0..1)")
    lowest_v: float = Field(description="lowest volts at the terminals [V]")
    highest_v: float = Field(description="highest volts at the terminals [V]")
    highest_c: float = Field(description="highest temperature of the bank [degC]")
    transfers: int = Field(description="changes between bank and AC")
    transfers_per_night: float = Field(description="transfers a night on average")
    most_transfers_a_night: int = Field(description="most transfers in one night")
    generator_h: float = Field(description="time the generator ran [h]")
    generator_starts: int = Field(description="starts of the generator")
    full_days: int = Field(description="days on which the bank was full")
    days_to_full: int | None = Field(description="days until it was first full; none if never")
    overload_h: float = Field(description="time in which loads drew more than the AC source may give [h]")
    off_h: float = Field(description="time in which the output was off [h]")
    outside_limits_h: float = Field(description="time outside the BMS's window [h]")
    bought: float = Field(description="paid for energy [money]")
    sold: float = Field(description="got for energy [money]")
    demand: float = Field(description="paid for the highest quarter hours [money]")
    cost: float = Field(description="bought less sold plus demand [money]")
    currency: str = Field(description="the tariff's currency")


class DayFigures(PlanPart):
    """One day of a simulation."""

    date: str = Field(description="YYYY-MM-DD")
    start_soc: float = Field(description="charge at midnight (0..1)")
    lowest_soc: float = Field(description="lowest charge (0..1)")
    sun_kwh: float = Field(description="what the roof could give [kWh]")
    load_kwh: float = Field(description="loads on the backup output [kWh]")
    mains_kwh: float = Field(description="bought from the mains [kWh]")
    generator_kwh: float = Field(description="from the generator [kWh]")
    generator_h: float = Field(description="time the generator ran [h]")
    curtailed_kwh: float = Field(description="sun that found no taker [kWh]")
    unserved_kwh: float = Field(description="loads that went without [kWh]")
    transfers: int = Field(description="changes between bank and AC")
    full: bool = Field(description="whether the bank was full that day")
    full_at_h: float | None = Field(description="hour at which it was full [h]; none if not")
    cost: float = Field(description="bought less sold plus demand [money]")


class FlowSeries(PlanPart):
    """Every step: columns by name, the reason of each step by number, prices and windows."""

    step_s: int = Field(description="length of a step [s]")
    columns: dict[str, list[float]] = Field(description="figures of every step by name, the unit in the name")
    reason: list[int] = Field(description="number of the reason of every step")
    reasons: list[str] = Field(description="the reasons in words")
    price: list[float] = Field(description="price of buying [money a kWh]")
    action: list[int] = Field(description="number of the window's action")
    minute: list[int] = Field(description="minute of the local day")


class Simulation(PlanPart):
    """A simulated stretch of days."""

    ewerer: str = Field(default="simulation/1", description="kind and version of the document")
    job: str = Field(description="name of the job")
    days: int = Field(description="days simulated")
    step_s: int = Field(description="length of a step [s]")
    as_found: bool = Field(description="whether the units' found settings were taken")
    ledger: Ledger = Field(description="sums over all days")
    daily: list[DayFigures] = Field(description="every day")
    series: FlowSeries | None = Field(description="every step; none for long runs")
    assumed: list[str] = Field(description="what was assumed, in words")


class Current(PlanPart):
    """A charge cap and the share of days that reach full with it."""

    a: float = Field(description="charge cap [A]")
    share: float = Field(description="part of the days that reach full (0..1)")


class Gentlest(PlanPart):
    """The gentlest sufficient current, its curve, and the chance of full by hour of the day."""

    a: float = Field(description="the gentlest sufficient current [A]")
    share: float = Field(description="part of the days that reach full with it (0..1)")
    wanted: float = Field(description="part that was asked for (0..1)")
    enough: bool = Field(description="whether the plan's own current reaches it")
    c_rate: float = Field(description="the current over the capacity [1/h]")
    plan_a: float = Field(description="the plan's current [A]")
    curve: list[Current] = Field(description="currents tried")
    full_by_hour: list[float] = Field(description="chance of being full by each hour of the day (0..1)")


class Band(PlanPart):
    """A figure over many weathers: one in ten lies below the low one, one in ten above the high one."""

    p10: float = Field(description="one in ten is lower")
    p50: float = Field(description="half are lower")
    p90: float = Field(description="nine in ten are lower")
    mean: float = Field(description="mean of all")


class SweepPart(PlanPart):
    """All weathers for one value of the varied field."""

    value: str = Field(description="value of the varied field; empty where none is varied")
    unserved_kwh: Band = Field(description="loads that went without in the year [kWh]")
    generator_h: Band = Field(description="time the generator ran [h]")
    mains_kwh: Band = Field(description="bought from the mains [kWh]")
    export_kwh: Band = Field(description="sold [kWh]")
    curtailed_kwh: Band = Field(description="sun that found no taker [kWh]")
    full_days: Band = Field(description="days on which the bank was full")
    lowest_soc: Band = Field(description="lowest charge of the year (0..1)")
    cost: Band = Field(description="bought less sold plus demand [money]")
    full_by_hour: list[Band] = Field(description="share of the days full by each hour 0 to 24 (0..1)")


class Sweep(PlanPart):
    """A job under many weathers, one field varied where wished."""

    ewerer: str = Field(default="sweep/1", description="kind and version of the document")
    job: str = Field(description="name of the job")
    weathers: int = Field(description="weathers tried")
    days: int = Field(description="days of each")
    field: str = Field(description="field that was varied; empty where none was")
    parts: list[SweepPart] = Field(description="one for each value of the field")
    currency: str = Field(description="the tariff's currency")
    assumed: list[str] = Field(description="what was assumed, in words")


class Comparison(PlanPart):
    """Several simulations of the same days side by side."""

    days: int = Field(description="days simulated")
    names: list[str] = Field(description="what is compared")
    ledgers: list[Ledger] = Field(description="sums of each")
    daily: list[list[DayFigures]] = Field(description="days of each")


class AdvisedWindow(PlanPart):
    """One advised window as a job document takes it, and what it does in words."""

    window: dict[str, Any] = Field(description="a window as a job document takes it")
    words: str = Field(description="what it does")


class Advice(PlanPart):
    """The best windows found for a tariff within the unit's slots, beside doing nothing and perfect foresight."""

    windows: list[AdvisedWindow] = Field(description="the advised windows")
    cost_without: float = Field(description="without windows [money]")
    cost_with: float = Field(description="with them [money]")
    cost_optimum: float = Field(description="with perfect foresight [money]")
    captured: float = Field(description="part of what is possible that they gain (0..1)")
    currency: str = Field(description="the tariff's currency")
    days: int = Field(description="days looked at")
    tried: int = Field(description="sets of windows tried")
    words: str = Field(description="the advice in a sentence")
