"""Jobs and their revisions. Every save is a revision; none is ever overwritten."""

import contextlib
import uuid
from collections.abc import Iterator
from typing import Any

from django.conf import settings
from django.db import models

from ...core.trade.errors import DocumentError, Problem
from ..crews.models import Crew
from . import keeping


class Job(models.Model):
    """A job of a crew; its documents are in its revisions."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="jobs")
    name = models.CharField(max_length=120)
    revision = models.PositiveIntegerField(default=0)
    summary = models.JSONField(default=dict)
    summary_due = models.BigIntegerField(default=0)
    """The last time [ns] that something changed what the list shows of the plan; 0 where the list is up to date."""
    created_at = models.DateTimeField(auto_now_add=True)
    saved_at = models.DateTimeField(auto_now_add=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    put_away = models.BooleanField(default=False)
    delete_after = models.DateTimeField(null=True)
    """When it goes for good; until then it can be restored."""

    class Meta:
        """Newest first."""

        ordering = ["-saved_at"]
        indexes = [models.Index(fields=["crew", "put_away", "-saved_at"], name="jobs_of_crew")]

    def __str__(self) -> str:
        return f"{self.name} (revision {self.revision})"


class Revision(models.Model):
    """One saved state of a job: who, when, and the whole document, compressed. See :mod:`.keeping`."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    whole = models.BinaryField()
    saved_at = models.DateTimeField(auto_now_add=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """One revision of each number."""

        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_revision_per_number")]

    def __str__(self) -> str:
        return f"revision {self.number} of {self.job_id}"

    @property
    def envelope(self) -> keeping.Envelope:
        """The document without its long lists; raises DocumentError where it cannot be read."""
        with _said_so(self):
            held: keeping.Envelope = keeping.unpacked(self.whole)
            if not isinstance(held["document"], dict):
                raise ValueError("it is no document")
            return {"document": held["document"], "series": dict(held["series"])}

    @property
    def document(self) -> dict[str, Any]:
        """The whole document; raises DocumentError where it cannot be put together."""
        envelope = self.envelope
        with _said_so(self):
            keys = set(envelope["series"].values())
            return keeping.joined(envelope, dict(Series.objects.filter(key__in=keys).values_list("key", "body")) if keys else {})


@contextlib.contextmanager
def _said_so(revision: Revision) -> Iterator[None]:
    """Tell what is damaged in what is kept as a refusal, with what to do."""
    try:
        yield
    except keeping.DAMAGED as error:
        message = f"revision {revision.number} cannot be put together: {error}"
        raise DocumentError(
            [Problem(pointer="", message=message, expected="take an older revision back, or restore a backup")]
        ) from None


class Series(models.Model):
    """A long list of numbers, kept once however many revisions and jobs hold it: its JSON text, compressed."""

    key = models.CharField(max_length=64, primary_key=True)
    body = models.BinaryField()

    def __str__(self) -> str:
        return self.key


class SharedLink(models.Model):
    """An address where anybody reads one job's pages until a day. Only the hash of what stands in it is kept."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="links")
    note = models.CharField(max_length=120, default="")
    hash = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    until = models.DateTimeField()

    class Meta:
        """Newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        return f"link to {self.job_id} until {self.until}"


class PrintedSheet(models.Model):
    """What stood on a device's sheet when it was last printed: settings by id, as they were to be shown."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="printed")
    device = models.CharField(max_length=40)
    revision = models.PositiveIntegerField()
    entries = models.JSONField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """The last one of each device."""

        constraints = [models.UniqueConstraint(fields=["job", "device"], name="printed_once_a_device")]

    def __str__(self) -> str:
        return f"sheet of {self.device} of {self.job_id}, printed"
