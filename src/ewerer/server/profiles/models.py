"""A crew's own device profiles. Every save is a version; jobs pin the one they were made with."""

from django.conf import settings
from django.db import models

from ..crews.models import Crew


class CrewProfile(models.Model):
    """A profile by its id; its documents are in its versions."""

    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="profiles")
    profile_id = models.CharField(max_length=40)
    kind = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    revision = models.PositiveIntegerField(default=0)
    put_away = models.BooleanField(default=False)

    class Meta:
        """One profile of each id in a crew."""

        ordering = ["profile_id"]
        constraints = [models.UniqueConstraint(fields=["crew", "profile_id"], name="one_profile_per_id")]

    def __str__(self) -> str:
        return f"{self.profile_id} (version {self.revision})"


class ProfileVersion(models.Model):
    """One saved state of a profile: the whole document, who, when."""

    profile = models.ForeignKey(CrewProfile, on_delete=models.CASCADE, related_name="versions")
    revision = models.PositiveIntegerField()
    document = models.JSONField()
    saved_at = models.DateTimeField(auto_now_add=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        """One version of each number."""

        ordering = ["-revision"]
        constraints = [models.UniqueConstraint(fields=["profile", "revision"], name="one_version_per_revision")]

    def __str__(self) -> str:
        return f"version {self.revision} of {self.profile_id}"
