"""Parts that all results share."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class PlanPart(BaseModel):
    """Base of all results: immutable, unknown keys refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Reason(PlanPart):
    """One line of a why: the rule and its formula with this job's numbers in it."""

    rule: str = Field(description="id of the rule")
    text: str = Field(description="its formula with this job's numbers")
    bound: Literal["lowest", "highest", "value", "school"] = Field(
        description="what the rule sets: the lowest or highest permitted, the value itself, or a wanted figure"
    )


class Alternative(PlanPart):
    """Another school's figure for the same quantity."""

    school: str = Field(description="name of the other practice")
    value: float | str = Field(description="its figure, in the quantity's own unit")
    text: str = Field(description="how it comes about")
