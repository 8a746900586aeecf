"""Ports of a job, and what was read or written through them."""

import uuid

from django.conf import settings
from django.db import models

from ..crews.models import Crew
from ..jobs.models import Job


class Port(models.Model):
    """One port of a job: which device it reads (``bank`` or a device's id), its settings, whether a lead lets it write."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="ports")
    device = models.CharField(max_length=40)
    how = models.JSONField()
    stand_in = models.BooleanField(default=False)
    writes = models.BooleanField(default=False)
    writes_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """In the order they were made."""

        ordering = ["made_at"]

    def __str__(self) -> str:
        return f"{self.device} of {self.job_id}"


class Task(models.Model):
    """A read or a write that somebody asked for; what came of it becomes events once."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    port = models.ForeignKey(Port, on_delete=models.CASCADE, related_name="tasks")
    kind = models.CharField(max_length=12)
    step = models.CharField(max_length=160, default="")
    setting = models.CharField(max_length=40, default="")
    value = models.CharField(max_length=80, default="")
    landed = models.BooleanField(default=False)
    told = models.JSONField(default=dict)
    asked_at = models.DateTimeField(auto_now_add=True)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """Newest first."""

        ordering = ["-asked_at"]

    def __str__(self) -> str:
        return f"{self.kind} of {self.port_id}"


class Try(models.Model):
    """A try of practice: its scenario and acts; the state is what follows from them, kept for the list."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    crew = models.ForeignKey(Crew, on_delete=models.CASCADE, related_name="tries")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    scenario = models.JSONField()
    acts = models.JSONField(default=list)
    state = models.JSONField(default=dict)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest first."""

        ordering = ["-made_at"]

    def __str__(self) -> str:
        return f"level {self.scenario.get('level')} by {self.by_id}"
