"""Results of simulations: ledger, days, series, comparison, advice."""

from __future__ import annotations

from typing import Any

from .plan import PlanPart


class Ledger(PlanPart):
    """Sums over a simulation: energies in kWh, counts, extremes, money in the tariff's currency."""

    days: int
    sun_kwh: float
    load_kwh: float
    other_kwh: float
    sun_used_kwh: float
    curtailed_kwh: float
    bank_in_kwh: float
    bank_out_kwh: float
    mains_kwh: float
    mains_charge_kwh: float
    export_kwh: float
    generator_kwh: float
    unserved_kwh: float
    lowest_soc: float
    lowest_v: float
    highest_v: float
    highest_c: float
    transfers: int
    transfers_per_night: float
    most_transfers_a_night: int
    generator_h: float
    generator_starts: int
    full_days: int
    days_to_full: int | None
    outside_limits_h: float
    bought: float
    sold: float
    demand: float
    cost: float
    currency: str


class DayFigures(PlanPart):
    """One day of a simulation."""

    date: str
    start_soc: float
    lowest_soc: float
    sun_kwh: float
    load_kwh: float
    mains_kwh: float
    generator_kwh: float
    generator_h: float
    curtailed_kwh: float
    unserved_kwh: float
    transfers: int
    full: bool
    full_at_h: float | None
    cost: float


class FlowSeries(PlanPart):
    """Every step: columns by name, the reason of each step by number, prices and windows."""

    step_min: int
    columns: dict[str, list[float]]
    reason: list[int]
    reasons: list[str]
    price: list[float]
    action: list[int]
    minute: list[int]


class Simulation(PlanPart):
    """A simulated stretch of days."""

    ewerer: str = "simulation/1"
    job: str
    days: int
    step_min: int
    as_found: bool
    ledger: Ledger
    daily: list[DayFigures]
    series: FlowSeries | None
    assumed: list[str]


class Current(PlanPart):
    """A charge cap and the share of days that reach full with it."""

    a: float
    share: float


class Gentlest(PlanPart):
    """The gentlest sufficient current, its curve, and the chance of full by hour of the day."""

    a: float
    share: float
    wanted: float
    enough: bool
    c_rate: float
    plan_a: float
    curve: list[Current]
    full_by_hour: list[float]


class Comparison(PlanPart):
    """Several simulations of the same days side by side."""

    days: int
    names: list[str]
    ledgers: list[Ledger]
    daily: list[list[DayFigures]]


class AdvisedWindow(PlanPart):
    """One advised window as a job document takes it, and what it does in words."""

    window: dict[str, Any]
    words: str


class Advice(PlanPart):
    """The best windows found for a tariff within the unit's slots, beside doing nothing and perfect foresight."""

    windows: list[AdvisedWindow]
    cost_without: float
    cost_with: float
    cost_optimum: float
    captured: float
    currency: str
    days: int
    tried: int
    words: str
