"""Links by which anybody reads one job's pages until a day, and what was printed of its sheets."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.utils import timezone

from ...core.trade.errors import DocumentError, Problem
from ..crews.actions import hash_of
from ..writing import writes
from .models import Job, PrintedSheet, SharedLink

MOST_LINKS = 20
MOST_DEVICES = 400
"""Devices of a job whose sheets are remembered: more than any job has."""


@writes
def share(job: Job, days: int, note: str, user: User) -> tuple[SharedLink, str]:
    """Return a new link to a job for some days and what stands in it, which is not kept and is told only now."""
    job.links.filter(until__lte=timezone.now()).delete()
    if job.links.count() >= MOST_LINKS:
        raise DocumentError([Problem(pointer="", message="too many links are open", expected=f"at most {MOST_LINKS}; end some")])
    token = secrets.token_urlsafe(32)
    made = SharedLink.objects.create(
        job=job, note=note, hash=hash_of(token), made_by=user, until=timezone.now() + timedelta(days=days)
    )
    return made, token


@writes
def end_link(job: Job, id: int) -> None:
    """End a link of a job; raises DoesNotExist where it has none of this number."""
    job.links.get(pk=id).delete()


def link_of(token: str) -> SharedLink | None:
    """Return the link that a secret stands for, None where it leads nowhere: ended, too old, or its job is archived."""
    found = SharedLink.objects.select_related("job__crew").filter(hash=hash_of(token), until__gt=timezone.now()).first()
    return None if found is None or found.job.put_away else found


@writes
def printed(job: Job, device: str, entries: dict[str, str], user: User) -> PrintedSheet:
    """Remember what stood on the sheet of a device when it was printed."""
    if job.printed.count() >= MOST_DEVICES and not job.printed.filter(device=device).exists():
        raise DocumentError([Problem(pointer="", message="too many sheets", expected=f"at most {MOST_DEVICES} devices")])
    made, _ = PrintedSheet.objects.update_or_create(
        job=job, device=device, defaults={"entries": entries, "revision": job.revision, "at": timezone.now(), "by": user}
    )
    return made
