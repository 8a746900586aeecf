"""Results of stage Bank."""

from __future__ import annotations

from pydantic import Field

from ..job import Chemistry
from .base import PlanPart


class BankFigures(PlanPart):
    """The bank's own figures. Limits are amperes at the bank; None where nothing is known."""

    series_cells: int = Field(description="cells in series")
    capacity_ah: float = Field(description="capacity of all modules together [Ah]")
    energy_wh: float = Field(description="capacity at nominal volts [Wh]")
    resistance_mohm: float = Field(description="modules and their leads in parallel [mohm]")
    charge_limit_a: float = Field(description="charge limit with the current shared out by resistance [A]")
    charge_limit_sum_a: float = Field(description="plain sum of the data sheets' charge limits [A]")
    discharge_limit_a: float = Field(description="discharge limit with the current shared out by resistance [A]")
    discharge_limit_sum_a: float = Field(description="plain sum of the data sheets' discharge limits [A]")
    reported_charge_a: float | None = Field(description="charge limit as the BMS will report it [A]; none where no BMS speaks")
    reported_discharge_a: float | None = Field(
        description="discharge limit as the BMS will report it [A]; none where no BMS speaks"
    )
    binding_module: str | None = Field(description="module that reaches its charge limit first; none where all reach it together")
    binding_module_discharge: str | None = Field(
        description="module that reaches its discharge limit first; none where all reach it together"
    )
    join_current_a: float | None = Field(
        description="largest current on closing a module onto any joined others [A]; none where unmeasured"
    )


class WithoutOne(BankFigures):
    """The bank with one module gone: each figure at the worst of all single losses."""

    lost_module: str = Field(description="the module whose loss leaves the least to discharge")


class ModuleFigures(PlanPart):
    """One module as it counts in the bank; share is the part of the bank's current it carries."""

    id: str = Field(description="the module's id in the job")
    name: str = Field(description="its name")
    series_cells: int = Field(description="cells in series")
    capacity_ah: float = Field(description="capacity [Ah]")
    resistance_mohm: float = Field(description="the module's own resistance [mohm]")
    lead_mohm: float = Field(description="its leads [mohm]")
    charge_a: float = Field(description="charge limit of its data sheet [A]")
    discharge_a: float = Field(description="discharge limit of its data sheet [A]")
    cell_max_v: float = Field(description="highest volts of a cell [V]")
    cell_min_v: float = Field(description="lowest volts of a cell [V]")
    resting_v: float | None = Field(description="measured at rest [V]; none where unmeasured")
    share: float = Field(description="part of the bank's current it carries (0..1)")
    current_at_limit_a: float = Field(description="its current while the bank is charged at its limit [A]")


class Closing(PlanPart):
    """How the measured modules are closed onto each other."""

    order: list[str] = Field(description="an order of closing whose largest step is the smallest")
    worst_a: float = Field(description="largest current of that order [A]")
    worst_module: str = Field(description="the module at whose closing it flows")
    any_order_a: float = Field(description="largest current of any closing in any order [A]")
    any_order_module: str = Field(description="the module at whose closing that would flow")
    any_order_onto: list[str] = Field(description="what it would be closed onto")


class Bank(BankFigures):
    """The bank of the plan, with each module and the figures with one module gone."""

    nominal_v: float = Field(description="nominal volts [V]")
    class_v: int = Field(description="voltage class [V]")
    chemistry: Chemistry = Field(description="cell chemistry")
    cell_max_v: float = Field(description="lowest of the modules' cell maxima [V]")
    cell_min_v: float = Field(description="highest of the modules' cell minima [V]")
    path_mohm: float = Field(description="bank and main leads, what sag is counted with [mohm]")
    without_one: WithoutOne | None = Field(description="the same figures with one module gone; none for one module")
    closing: Closing | None = Field(default=None, description="how to join the modules; none for fewer than two measured")
    modules: list[ModuleFigures] = Field(description="each module as it counts in the bank")
