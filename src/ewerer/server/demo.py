"""Demo data: two crews with a person each, and the demo jobs with what was done on site for the first."""

from __future__ import annotations

from pathlib import Path

from django.contrib.auth import get_user_model

from ..core.devices.library import parse_job, shipped_library
from .crews.models import Crew, Member
from .demo_record import tell_demo
from .jobs import actions
from .jobs.models import Job

DEMO_JOBS = Path(__file__).resolve().parent.parent / "demo"
NAME, PASSWORD = "demo", "lithium-bank"
PEOPLE = [(NAME, "Harbour crew"), ("other", "Ridge crew")]


def load_demo() -> None:
    """Create the demo people and jobs that are not there yet."""
    users = get_user_model()
    for name, crew_name in PEOPLE:
        crew, _ = Crew.objects.get_or_create(name=crew_name)
        user, made = users.objects.get_or_create(username=name)
        if made:
            user.set_password(PASSWORD)
            user.save()
        Member.objects.get_or_create(user=user, defaults={"crew": crew})
    crew = Crew.objects.get(name=PEOPLE[0][1])
    if not Job.objects.filter(crew=crew).exists():
        user = users.objects.get(username=NAME)
        jobs = {}
        for path in sorted(DEMO_JOBS.glob("*.json"), reverse=True):
            job = actions.create(crew, parse_job(path.read_bytes(), shipped_library()), user)
            jobs[job.name] = job
        tell_demo(jobs, crew, user)
