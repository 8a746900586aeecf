"""Demo data: two crews with a person each, and the demo jobs with what was done on site for the first."""

from __future__ import annotations

import datetime as dt
import logging
from pathlib import Path

from django.contrib.auth import get_user_model
from django.db import connection

from ...core.devices.library import parse_job, shipped_library
from ...core.record.photos import kept
from ...core.trade.errors import DocumentError
from ...demo.diary import METERS, RECORDS
from ...demo.week import WRONG, week_of
from ..crews.models import Crew, Member
from ..crews.roles import Role
from ..jobs.models import Job
from ..live import tries
from ..live.actions import begin_rig
from ..logs import actions as logs
from ..record.actions import add_photo, create, keep_instrument, seal, sight_of, tell_all

DEMO_JOBS = Path(__file__).resolve().parents[2] / "demo"
NAME, PASSWORD = "demo", "lithium-bank"
PEOPLE = [(NAME, "Harbour crew"), ("other", "Ridge crew")]


def seal_demo() -> None:
    """Seal the handover of each signed demo job that has none: pages take seconds, so nobody waits for them at the start."""
    crew = Crew.objects.get(name=PEOPLE[0][1])
    user = get_user_model().objects.get(username=NAME)
    try:
        for job in Job.objects.filter(crew=crew, handovers=None):
            if job.summary.get("run", {}).get("stands") == "signed":
                seal(job.id, crew, user, "A4", logs.reports_of)
    finally:
        connection.close()


def log_demo() -> None:
    """Add a week's log to each demo job that has none."""
    crew = Crew.objects.get(name=PEOPLE[0][1])
    user = get_user_model().objects.get(username=NAME)
    try:
        for job in Job.objects.filter(crew=crew, name__in=WRONG, logs=None, put_away=False):
            sight = sight_of(job)
            raw = week_of(sight.document, sight.library)
            log = logs.begin(job, f"week at {job.name}.csv", len(raw), user)
            for n, at in enumerate(range(0, len(raw), logs.PART_BYTES)):
                logs.add_part(log, n, raw[at : at + logs.PART_BYTES])
            logs.read(log, None)
    except DocumentError as error:
        logging.getLogger(__name__).warning("a log of the demo is not there: %s", error)
    finally:
        connection.close()


def practise_demo() -> None:
    """Add a try of practice to the demo, where there is none."""
    crew = Crew.objects.get(name=PEOPLE[0][1])
    try:
        if not crew.tries.exists():
            tries.show(crew, get_user_model().objects.get(username=NAME), *DEMO_TRY)
    finally:
        connection.close()


DEMO_TRY = (7, 2)
"""Seed and level of the demo's try of practice."""
RIG_JOB = "Skerry Field Station"
"""The demo job whose stand-ins run from the start."""


def start_demo_rig() -> None:
    """Start the stand-ins of one demo job, so that its live page shows something at once."""
    crew = Crew.objects.get(name=PEOPLE[0][1])
    job = Job.objects.filter(crew=crew, name=RIG_JOB, put_away=False).first()
    try:
        if job is not None and (not job.ports.exists() or job.ports.filter(stand_in=True).exists()):
            begin_rig(job, get_user_model().objects.get(username=NAME))
    except DocumentError as error:
        logging.getLogger(__name__).warning("the stand-ins of the demo do not start: %s", error)
    finally:
        connection.close()


def load_demo() -> None:
    """Create the demo people and jobs that are not there yet."""
    users = get_user_model()
    for name, crew_name in PEOPLE:
        crew, _ = Crew.objects.get_or_create(name=crew_name)
        user, made = users.objects.get_or_create(username=name)
        if made:
            user.set_password(PASSWORD)
            user.save()
        Member.objects.get_or_create(user=user, crew=crew, defaults={"role": Role.LEAD})
    crew = Crew.objects.get(name=PEOPLE[0][1])
    if not Job.objects.filter(crew=crew).exists():
        user = users.objects.get(username=NAME)
        jobs, documents = {}, {}
        for path in sorted(DEMO_JOBS.glob("*.json"), reverse=True):
            document = parse_job(path.read_bytes(), shipped_library())
            job = create(crew, document, user)
            jobs[job.name], documents[job.name] = job, document
        for meter in METERS:
            keep_instrument(crew, meter)
        today = dt.datetime.now(dt.UTC).replace(second=0, microsecond=0)
        for name, record in RECORDS.items():
            told = record(documents[name], shipped_library(), today)
            for key, picture in told.photos.items():
                add_photo(jobs[name].pk, crew, key, kept(picture), user)
            tell_all(jobs[name], told.events, user)
