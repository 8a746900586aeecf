"""The pages of a job that a read-only link shows: answers, findings, sheets. No script, no picture, no address."""

from __future__ import annotations

from ..documents.job import Job
from ..documents.results.plan import Plan
from .pdf import page


def shared_html(job: Job, made: Plan, crew: str, revision: int, until: str) -> str:
    """Return a job's answers, findings and sheets as one HTML page; ``until`` is when its link ends, in words."""
    return page(
        "shared.html",
        job.name,
        None,
        job=job,
        crew=crew,
        revision=revision,
        until=until,
        stages=[s for s in made.stages if s.answer],
        findings=[f for f in made.findings if f.severity != "note"],
        sheets=[*made.units, *made.devices],
    )
