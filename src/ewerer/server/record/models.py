"""Events and photographs of a job, instruments of a crew, sealed handovers. The database itself refuses to change or delete them."""

from django.conf import settings
from django.db import models

from ..crews.models import Crew
from ..jobs.models import Job


class Event(models.Model):
    """One event, as the client made it; ``id`` is its place in the order of arrival."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="events")
    key = models.CharField(max_length=80)
    data = models.JSONField()
    added_at = models.DateTimeField(auto_now_add=True)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """Each id once in a job."""

        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["job", "key"], name="one_event_per_key")]

    def __str__(self) -> str:
        return f"{self.key} of {self.job_id}"


class Photo(models.Model):
    """One photograph, drawn anew without the camera's data."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="photos")
    key = models.CharField(max_length=80)
    jpeg = models.BinaryField()
    sha256 = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    added_at = models.DateTimeField(auto_now_add=True)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """Each id once in a job."""

        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["job", "key"], name="one_photo_per_key")]

    def __str__(self) -> str:
        return f"{self.key} of {self.job_id}"


class Instrument(models.Model):
    """An instrument of a crew: what it is called and measures, how exact it is, when it is due for calibration."""

    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="instruments")
    name = models.CharField(max_length=120)
    data = models.JSONField()

    class Meta:
        """Each name once in a crew."""

        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["crew", "name"], name="one_instrument_per_name")]

    def __str__(self) -> str:
        return self.name


class Handover(models.Model):
    """A sealed handover: the revision it froze, and the file."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="handovers")
    number = models.PositiveIntegerField()
    revision = models.PositiveIntegerField()
    fingerprint = models.CharField(max_length=60)
    file = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """One of each number in a job."""

        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_handover_per_number")]

    def __str__(self) -> str:
        return f"handover {self.number} of {self.job_id}"
