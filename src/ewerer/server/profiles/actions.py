"""What can be done with profiles, and the library a crew plans with."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from functools import lru_cache
from typing import Any

from django.contrib.auth.models import User
from django.db.models import F, Q

from ...core.devices.library import Library, parse_profile, shipped_library
from ...core.documents.job import Job
from ...core.documents.profiles import Profile
from ...core.trade.errors import DocumentError, Error, Problem
from ..crews.models import Crew
from ..writing import writes
from .models import CrewProfile, ProfileVersion


class StaleProfile(Error):
    """Someone saved a version in between."""

    def __init__(self, latest: ProfileVersion) -> None:
        super().__init__(f"version {latest.revision} was saved in between")
        self.latest = latest


@lru_cache(maxsize=4096)
def _parsed(text: str) -> Profile | str:
    """A stored profile, parsed once for its content; where this version cannot read it, why."""
    try:
        return parse_profile(text)
    except DocumentError as error:
        return str(error.problems[0])


def profile_of(version: ProfileVersion) -> Profile | str:
    """Return a stored version as a checked profile; where this version of Ewerer cannot read it, why."""
    return _parsed(json.dumps(version.document))


def _matters(used: Collection[str]) -> Q:
    """Return which profiles a job that names ``used`` is planned with."""
    return Q(profile_id__in=used) | Q(kind="adapter")


def _newest(crew: Crew, *wanted: Q) -> dict[str, ProfileVersion]:
    own = CrewProfile.objects.filter(*wanted, crew=crew)
    held = ProfileVersion.objects.filter(profile__in=own, revision=F("profile__revision")).select_related("profile")
    return {v.profile.profile_id: v for v in held}


def library_for(crew: Crew, pins: Mapping[str, int] | None = None, used: Collection[str] | None = None) -> Library:
    """Return the library a crew plans with: what ships, its own profiles, in the pinned versions where a job pins them.

    With ``used``, only those of its own and its adapters, so that a plan costs the same however many there are. What is
    put away is not offered, but stays for the jobs that pin it. What cannot be read by this version is left out.
    """
    pins = pins or {}
    wanted = [Q(put_away=False) | Q(profile_id__in=list(pins))]
    if used is not None:
        wanted.append(_matters(used))
    held = _newest(crew, *wanted)
    newest = {id: v.revision for id, v in held.items()}
    for id, revision in pins.items():
        if id in held and held[id].revision != revision:
            older = ProfileVersion.objects.filter(profile=held[id].profile, revision=revision).select_related("profile").first()
            if older is not None:
                held[id] = older
    readable = [p for v in held.values() if not isinstance(p := profile_of(v), str)]
    return Library([*shipped_library(), *readable], newest)


def library_of_job(crew: Crew, document: Job) -> Library:
    """Return what a job of a crew is planned with: the profiles it names, in the versions it pins."""
    return library_for(crew, document.profile_revisions, ids_named(document))


def unreadable_of(crew: Crew) -> list[tuple[CrewProfile, str]]:
    """Return the crew's profiles that this version cannot read, each with why."""
    read = [(v.profile, profile_of(v)) for v in _newest(crew, Q(put_away=False)).values()]
    return [(profile, why) for profile, why in read if isinstance(why, str)]


def ids_named(document: Job) -> set[str]:
    """Return the ids of all profiles that a job names."""
    devices = (*document.bank.modules, *document.units, *document.sun.chargers, document.controller)
    named = {d.profile for d in devices if d is not None} | {document.link.adapter}
    return {*document.profile_revisions, *(id for id in named if id is not None)}


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
    return list(_newest(crew, Q(put_away=True)).values())
