"""A finding: what was compared with what, in numbers and units, what to change, and where."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field


class Finding(BaseModel):
    """What was compared with what, in numbers and units, what to change, and where."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    rule: str = Field(description="id of the rule that speaks")
    stage: str = Field(description="stage of the work it belongs to")
    severity: Literal["stop", "caution", "note"] = Field(description="stop: do not energise; caution: a person must decide; note")
    title: str = Field(description="what is the matter, in a few words")
    at: str = Field(description="JSON pointer of the place in the job that would change it")
    message: str = Field(description="what was compared with what, in numbers and units")
    numbers: dict[str, Any] = Field(default={}, description="the figures compared, named with their unit")
    fix: str = Field(default="", description="what to change")
    source: str = Field(default="", description="where the rule comes from")
    status: str = Field(default="", description="S published standard, T common practice, M from memory")
