"""A crew owns jobs; a person works in one crew."""

from django.conf import settings
from django.db import models


class Crew(models.Model):
    """People who share their jobs."""

    name = models.CharField(max_length=120, unique=True)

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """A person's place in a crew."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="member")
    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="members")
    preferences = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"{self.user} in {self.crew}"
