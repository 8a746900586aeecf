"""Jobs and their revisions. Every save is a revision; none is ever overwritten."""

import uuid

from django.conf import settings
from django.db import models

from ..crews.models import Crew


class Job(models.Model):
    """A job of a crew; its documents are in its revisions."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="jobs")
    name = models.CharField(max_length=120)
    revision = models.PositiveIntegerField(default=0)
    summary = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)
    saved_at = models.DateTimeField(auto_now_add=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    put_away = models.BooleanField(default=False)

    class Meta:
        """Newest first."""

        ordering = ["-saved_at"]
        indexes = [models.Index(fields=["crew", "put_away", "-saved_at"], name="jobs_of_crew")]

    def __str__(self) -> str:
        return f"{self.name} (revision {self.revision})"


class Revision(models.Model):
    """One saved state of a job: the whole document, who, when, and what changed (RFC 6902)."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    changes = models.JSONField(default=list)
    saved_at = models.DateTimeField(auto_now_add=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """One revision of each number."""

        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_revision_per_number")]

    def __str__(self) -> str:
        return f"revision {self.number} of {self.job_id}"
