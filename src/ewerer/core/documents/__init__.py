"""The documents that go in at one door and come out of the other."""

from ..trade.finding import Finding
from .base import Document
from .job import Job
from .parse import DocumentError, Problem, parse_document, parse_json
from .profiles import (
    PROFILE_MODELS,
    AdapterProfile,
    ControllerProfile,
    InverterProfile,
    MenuProfile,
    ModuleProfile,
    Profile,
    SunChargerProfile,
)
from .results.plan import Plan

__all__ = [
    "PROFILE_MODELS",
    "AdapterProfile",
    "ControllerProfile",
    "Document",
    "DocumentError",
    "Finding",
    "InverterProfile",
    "Job",
    "MenuProfile",
    "ModuleProfile",
    "Plan",
    "Problem",
    "Profile",
    "SunChargerProfile",
    "parse_document",
    "parse_json",
]
