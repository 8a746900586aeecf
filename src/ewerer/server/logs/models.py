"""Logs of a job. Their bytes lie in the database in parts, so that a backup holds them and they go with their job."""

import uuid

from django.conf import settings
from django.db import models

from ..crews.models import Crew
from ..jobs.models import Job


class Log(models.Model):
    """One log: being received in parts, or read and kept as columns (Parquet)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="logs")
    name = models.CharField(max_length=200)
    size = models.PositiveBigIntegerField()
    state = models.CharField(max_length=12, default="receiving")
    digest = models.CharField(max_length=64, default="")
    rows = models.PositiveIntegerField(default=0)
    bytes_kept = models.PositiveBigIntegerField(default=0)
    mapping = models.JSONField(default=dict)
    problem = models.TextField(default="")
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """Newest first."""

        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.name


class LogPart(models.Model):
    """Some bytes of a log: of the file while it comes in, of its columns when it has been read."""

    log = models.ForeignKey(Log, on_delete=models.CASCADE, related_name="parts")
    columns = models.BooleanField(default=False)
    number = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        """Each number once."""

        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["log", "columns", "number"], name="one_part_of_a_number")]

    def __str__(self) -> str:
        return f"part {self.number} of {self.log_id}"


class LogMapping(models.Model):
    """What a person said the columns of a header hold, remembered for the crew's next file of that header."""

    crew = models.ForeignKey(Crew, on_delete=models.CASCADE, related_name="log_mappings")
    header = models.CharField(max_length=64)
    mapping = models.JSONField()

    class Meta:
        """One of each header."""

        constraints = [models.UniqueConstraint(fields=["crew", "header"], name="one_mapping_of_a_header")]

    def __str__(self) -> str:
        return self.header
