"""What a further row would be: the next unit's place, the next module's figures."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import PlanPart


class NextUnit(PlanPart):
    """The role and phase that a further unit would take."""

    role: Literal["host", "follower"] = Field(description="host where there is none yet")
    phase: str = Field(description="the phase with the fewest units")
    phases: list[str] = Field(description="phases of the site")


class NextCharger(PlanPart):
    """Figures that a further sun charger by its plate starts from."""

    charge_max_a: float = Field(description="charge limit [A]")
    battery_v_max: float = Field(description="highest bank voltage [V]")


class NextModule(PlanPart):
    """Figures that a further nameplate module starts from."""

    series_cells: int = Field(description="cells in series")
    capacity_ah: float = Field(description="capacity [Ah]")
    charge_a: float = Field(description="charge limit [A]")
    discharge_a: float = Field(description="discharge limit [A]")
