"""What is tidied up once a day: ended sessions, old failures and lines of the trail, revisions and jobs whose time is over."""

from __future__ import annotations

import logging
import threading
from datetime import timedelta

from axes.models import AccessAttempt
from django.contrib.sessions.models import Session
from django.db import DatabaseError, connection
from django.utils import timezone

from ..crews.actions import TRAIL_DAYS, note
from ..crews.models import Crew, Deed, Invitation, SignIn
from ..jobs import actions as jobs
from ..jobs.models import Job
from ..logs import actions as logs
from ..record.models import Handover
from ..writing import writes

FIRST_S, EVERY_S = 60.0, 86_400.0
log = logging.getLogger(__name__)


@writes
def _sessions() -> None:
    now = timezone.now()
    Session.objects.filter(expire_date__lt=now).delete()
    SignIn.objects.exclude(session__in=Session.objects.values("session_key")).delete()
    AccessAttempt.objects.filter(attempt_time__lt=now - timedelta(days=30)).delete()
    Deed.objects.filter(at__lt=now - timedelta(days=TRAIL_DAYS)).delete()
    Invitation.objects.filter(until__lt=now - timedelta(days=90)).delete()


@writes
def _delete(job: Job) -> None:
    """Delete a job whose time of grace is over, with its record: the database lets that go with it."""
    for rows in (job.events, job.photos, job.handovers):
        rows.all().delete()
    job.delete()


def tidy() -> dict[str, int]:
    """Do all of it; return how many jobs and revisions went."""
    _sessions()
    gone = 0
    for job in Job.objects.filter(put_away=True, delete_after__lte=timezone.now()).select_related("crew"):
        _delete(job)
        note(job.crew, "Ewerer", "deleted for good", job.name)
        gone += 1
    thinned = 0
    for crew in Crew.objects.filter(keep_revisions__gt=0):
        for job in crew.jobs.filter(revision__gt=crew.keep_revisions).only("id"):
            kept = set(Handover.objects.filter(job=job.pk).values_list("revision", flat=True))
            thinned += jobs.thin(job.pk, crew.keep_revisions, kept)
    if gone or thinned:
        jobs.sweep_series()
    logs.sweep()
    return {"jobs": gone, "revisions": thinned}


def begin() -> None:
    """Tidy up soon after the start and then once a day, in a thread of its own."""

    def days() -> None:
        wait = threading.Event()
        wait.wait(FIRST_S)
        while True:
            try:
                tidy()
            except DatabaseError:
                log.exception("the daily tidying failed; it is tried again in a day")
            finally:
                connection.close()
            wait.wait(EVERY_S)

    threading.Thread(target=days, daemon=True, name="daily").start()
