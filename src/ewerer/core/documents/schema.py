"""JSON Schemas of the documents that people and scripts meet."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from .event import Event
from .job import Job
from .profiles import Profile
from .results.plan import Plan

KINDS = ("job", "profile", "plan", "event")


def schema(kind: str) -> dict[str, Any]:
    """Return the JSON Schema of ``job``, ``profile`` (any kind of device) ``plan`` or ``event``."""
    if kind == "profile":
        return {"title": "Profile", **TypeAdapter(Profile).json_schema(by_alias=True)}
    if kind == "plan":
        return Plan.model_json_schema(by_alias=True, mode="serialization")
    if kind == "event":
        return Event.model_json_schema(by_alias=True)
    return Job.model_json_schema(by_alias=True)
