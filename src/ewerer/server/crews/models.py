"""A crew owns jobs; people work in one or several crews, each in a role. What they did that matters later is kept in a trail."""

from django.conf import settings
from django.db import models

from .roles import Role


class Crew(models.Model):
    """People who share their jobs."""

    name = models.CharField(max_length=120, unique=True)
    keep_revisions = models.PositiveIntegerField(default=0)
    """Newest revisions of each job that are kept; 0 keeps all."""

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """A person's place in a crew."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="members")
    crew = models.ForeignKey(Crew, on_delete=models.PROTECT, related_name="members")
    role = models.CharField(max_length=10, choices=[(r, r) for r in Role], default=Role.MEMBER)
    preferences = models.JSONField(default=dict)

    class Meta:
        """Once in a crew."""

        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["user", "crew"], name="once_in_a_crew")]

    def __str__(self) -> str:
        return f"{self.user} in {self.crew}"


class Invitation(models.Model):
    """A link by which one person joins a crew, once. Only the hash of what stands in the link is kept."""

    crew = models.ForeignKey(Crew, on_delete=models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=[(r, r) for r in Role])
    note = models.CharField(max_length=120, default="")
    hash = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    until = models.DateTimeField()
    used_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        """Newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        return f"to {self.crew} as {self.role}"


class Feed(models.Model):
    """A person's address of the crew's calendar. Only the hash of what stands in it is kept; it ends with the membership."""

    member = models.OneToOneField(Member, on_delete=models.CASCADE, related_name="feed")
    hash = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"calendar of {self.member}"


class Deed(models.Model):
    """A line of the trail: what was done, by whom, from where. The database refuses to change it."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    crew = models.ForeignKey(Crew, on_delete=models.CASCADE, null=True, related_name="deeds")
    who = models.CharField(max_length=150)
    what = models.CharField(max_length=40)
    about = models.CharField(max_length=200, default="")
    address = models.CharField(max_length=45, default="")

    class Meta:
        """Newest first."""

        ordering = ["-id"]
        indexes = [models.Index(fields=["crew", "-id"], name="deeds_of_crew")]

    def __str__(self) -> str:
        return f"{self.who}: {self.what}"


class SignIn(models.Model):
    """A session of a person: from where, with what, since when. Ended ones are gone."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="sign_ins")
    session = models.CharField(max_length=40, unique=True)
    began = models.DateTimeField(auto_now_add=True)
    address = models.CharField(max_length=45, default="")
    agent = models.CharField(max_length=200, default="")

    class Meta:
        """Newest first."""

        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.user} since {self.began}"
