"""The documents that go in at one door and come out of the other."""

from .base import Document, DocumentError, Problem, parse_document, parse_json
from .job import Job
from .plan import Finding, Plan
from .profiles import PROFILE_MODELS, InverterProfile, ModuleProfile, Profile, SunChargerProfile

__all__ = [
    "PROFILE_MODELS",
    "Document",
    "DocumentError",
    "Finding",
    "InverterProfile",
    "Job",
    "ModuleProfile",
    "Plan",
    "Problem",
    "Profile",
    "SunChargerProfile",
    "parse_document",
    "parse_json",
]
