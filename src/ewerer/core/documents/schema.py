"""JSON Schemas of the documents that people and scripts meet."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from .job import Job
from .profiles import Profile
from .results.plan import Plan

KINDS = ("job", "profile", "plan")


def schema(kind: str) -> dict[str, Any]:
    """Return the JSON Schema of ``job``, ``profile`` (any kind of device) or ``plan``."""
    if kind == "profile":
        return {"title": "Profile", **TypeAdapter(Profile).json_schema(by_alias=True)}
    if kind == "plan":
        return Plan.model_json_schema(by_alias=True, mode="serialization")
    return Job.model_json_schema(by_alias=True)
