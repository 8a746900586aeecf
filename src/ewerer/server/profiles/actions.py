"""What can be done with profiles, and the library a crew plans with."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from django.contrib.auth.models import User
from django.db.models import F, Q

from ...core.devices.library import Library, parse_profile, shipped_library
from ...core.documents import DocumentError, Problem, Profile
from ..crews.models import Crew
from ..writing import writes
from .models import CrewProfile, ProfileVersion


class StaleProfile(Exception):
    """Someone saved a version in between."""

    def __init__(self, latest: ProfileVersion) -> None:
        super().__init__(f"version {latest.revision} was saved in between")
        self.latest = latest


@lru_cache(maxsize=256)
def _parsed(version_pk: int, text: str) -> Profile:
    return parse_profile(text)


def library_for(crew: Crew, pins: Mapping[str, int] | None = None) -> Library:
    """Return the library a crew plans with: what ships, its own profiles, in the pinned versions where a job pins them.

    What is put away is not offered, but stays for the jobs that pin it.
    """
    pins = pins or {}
    shipped = shipped_library()
    own = CrewProfile.objects.filter(Q(put_away=False) | Q(profile_id__in=list(pins)), crew=crew)
    newest = {p.profile_id: p.revision for p in own}
    wanted = ProfileVersion.objects.filter(profile__in=own, revision=F("profile__revision")).select_related("profile")
    held = {v.profile.profile_id: v for v in wanted}
    for id, revision in pins.items():
        if id in held and held[id].revision != revision:
            older = ProfileVersion.objects.filter(profile=held[id].profile, revision=revision).select_related("profile").first()
            if older is not None:
                held[id] = older
    return Library([*shipped, *(_parsed(v.pk, json.dumps(v.document)) for v in held.values())], newest)


def _refuse_shipped(profile: Profile) -> None:
    if shipped_library().newest(profile.id) is not None:
        raise DocumentError(
            [
                Problem(
                    pointer="/id",
                    message="this profile ships with Ewerer and stays as it is",
                    value=profile.id,
                    expected="another id for your own",
                )
            ]
        )


@writes
def create(crew: Crew, profile: Profile, user: User) -> ProfileVersion:
    """Store a new profile with its first version. Raises DocumentError when the id is taken."""
    _refuse_shipped(profile)
    if CrewProfile.objects.filter(crew=crew, profile_id=profile.id).exists():
        raise DocumentError(
            [Problem(pointer="/id", message="there is a profile of this id", value=profile.id, expected="an id not yet used")]
        )
    return _write(CrewProfile(crew=crew, profile_id=profile.id), profile, user)


@writes
def save(crew: Crew, profile: Profile, base_revision: int, user: User) -> ProfileVersion:
    """Store a new version on top of ``base_revision``; raise :class:`StaleProfile` when it is not the latest.

    Saving what is already there makes no version. Raises CrewProfile.DoesNotExist for another crew's.
    """
    _refuse_shipped(profile)
    held = CrewProfile.objects.get(crew=crew, profile_id=profile.id)
    latest = held.versions.get(revision=held.revision)
    if latest.document == _document(profile, held.revision):
        return latest
    if base_revision != held.revision:
        raise StaleProfile(latest)
    return _write(held, profile, user)


def _document(profile: Profile, revision: int) -> dict[str, Any]:
    return {**profile.to_data(), "revision": revision}


def _write(held: CrewProfile, profile: Profile, user: User) -> ProfileVersion:
    held.revision += 1
    held.kind = profile.version_tag.split("/")[0]
    held.name = profile.name
    held.put_away = False
    held.save()
    return ProfileVersion.objects.create(
        profile=held, revision=held.revision, document=_document(profile, held.revision), saved_by=user
    )


@writes
def put_away(crew: Crew, profile_id: str, away: bool) -> CrewProfile:
    """Take a profile out of the library, or put it back. Its versions stay, and jobs that pin it go on."""
    held = CrewProfile.objects.get(crew=crew, profile_id=profile_id)
    held.put_away = away
    held.save(update_fields=["put_away"])
    return held


def put_away_of(crew: Crew) -> list[ProfileVersion]:
    """Return the newest versions of the profiles that a crew has put away."""
    away = CrewProfile.objects.filter(crew=crew, put_away=True)
    return list(ProfileVersion.objects.filter(profile__in=away, revision=F("profile__revision")).select_related("profile"))


def profile_of(version: ProfileVersion) -> Profile:
    """Return a stored version as a checked profile, parsed once."""
    return _parsed(version.pk, json.dumps(version.document))
