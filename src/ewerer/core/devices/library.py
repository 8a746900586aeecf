"""The library of device profiles: read once, looked up by id."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

from ..documents.job import Job
from ..documents.parse import parse_document, parse_json, pointer_of
from ..documents.profiles import (
    PROFILE_MODELS,
    AdapterProfile,
    ControllerProfile,
    InverterProfile,
    MenuProfile,
    ModuleProfile,
    Profile,
    SunChargerProfile,
)
from ..trade.errors import DocumentError, Problem

P = TypeVar("P", ModuleProfile, InverterProfile, SunChargerProfile, AdapterProfile, ControllerProfile)


SHIPPED, DEMO = (Path(__file__).resolve().parents[2] / name for name in ("library", "demo"))


def parse_profile(text: str | bytes) -> Profile:
    """Return the profile in ``text``; raise :class:`DocumentError` naming what is wrong."""
    return parse_profile_data(parse_json(text))


def parse_profile_data(data: Any) -> Profile:
    """Return the profile in plain ``data``; raise :class:`DocumentError` naming what is wrong."""
    tag = data.get("ewerer") if isinstance(data, dict) else None
    model = PROFILE_MODELS.get(tag) if isinstance(tag, str) else None
    if model is None:
        raise DocumentError(
            [Problem(pointer="/ewerer", message="not a device profile", value=tag, expected="one of " + ", ".join(PROFILE_MODELS))]
        )
    return parse_document(model, data)


class AnyProfile:
    """The door for a profile of any kind: its ``ewerer`` key says which it is."""

    @staticmethod
    def parse(source: str | bytes | dict[str, Any]) -> Profile:
        """Return the profile in JSON text or plain data; raise :class:`~ewerer.DocumentError` with every problem.

        >>> import ewerer
        >>> sun = {"ewerer": "sun-charger/1", "id": "s", "revision": 1, "name": "S", "maker": "Made up", "charge_max_a": 40,
        ...        "battery_v_max": 60, "array_v_max": 150, "efficiency": 0.96, "follows": [], "battery_type_codes": {"user": "U"}}
        >>> ewerer.Profile.parse(sun).charge_max_a
        40.0
        """
        return parse_profile_data(source if isinstance(source, dict) else parse_json(source))


class Library:
    """Profiles by id. Later profiles replace earlier ones of the same id.

        >>> import ewerer
        >>> shipped = ewerer.Library.shipped()
        >>> "orrowan-t8" in [profile.id for profile in shipped]
        True

    ``newest`` names the newest revision of profiles that are held in an older one.
    """

    def __init__(self, profiles: Iterable[Profile] = (), newest: Mapping[str, int] | None = None) -> None:
        self._by_id: dict[str, Profile] = {p.id: p for p in profiles}
        self._newest = dict(newest or {})

    @staticmethod
    def shipped() -> Library:
        """Return the library of invented devices that ships with Ewerer."""
        return shipped_library()

    def newest(self, id: str) -> int | None:
        """Return the newest known revision of a profile, None when there is no such profile."""
        held = self._by_id.get(id)
        return self._newest.get(id, held.revision) if held else None

    def __iter__(self) -> Iterator[Profile]:
        return iter(self._by_id.values())

    def get(self, id: str, model: type[P]) -> P | None:
        """Return the profile ``id`` when it exists and is of kind ``model``, else None."""
        found = self._by_id.get(id)
        return found if isinstance(found, model) else None

    def menu(self, id: str) -> MenuProfile | None:
        """Return the profile ``id`` where it has settings, else None."""
        found = self._by_id.get(id)
        return None if found is None or isinstance(found, AdapterProfile) or not found.settings else found

    def ids(self, model: type[P]) -> list[str]:
        """Return the ids of all profiles of one kind, sorted."""
        return sorted(p.id for p in self._by_id.values() if isinstance(p, model))

    def with_folder(self, folder: Path) -> Library:
        """Return a library with the ``*.json`` profiles of ``folder`` added."""
        if not folder.is_dir():
            raise DocumentError([Problem(pointer="", message=f"no such folder of profiles: {folder}", expected="a folder")])
        added = []
        for path in sorted(folder.glob("*.json")):
            try:
                added.append(parse_profile(path.read_bytes()))
            except DocumentError as error:
                raise DocumentError(replace(p, message=f"{path.name}: {p.message}") for p in error.problems) from None
        return Library([*self._by_id.values(), *added], self._newest)


@lru_cache(maxsize=1)
def shipped_library() -> Library:
    """Return the library of invented devices that ships with Ewerer."""
    return Library().with_folder(SHIPPED)


def demo_job(name: str) -> Job:
    """Return a job that ships with Ewerer by its file's name; raise :class:`~ewerer.DocumentError` where there is none.

    >>> demo_job("larch-hollow-workshop").units[0].id
    'LEFT'
    """
    known = sorted(p.stem for p in DEMO.glob("*.json"))
    if name not in known:
        raise DocumentError([Problem(pointer="", message="no such job", value=name, expected="one of " + ", ".join(known))])
    return parse_job((DEMO / f"{name}.json").read_bytes(), shipped_library())


def check_references(job: Job, library: Library) -> None:
    """Raise :class:`DocumentError` when the job names a profile that the library does not hold."""
    problems: list[Problem] = []

    def look(path: tuple[str | int, ...], id: str | None, model: type[P]) -> None:
        if id is not None and library.get(id, model) is None:
            problems.append(
                Problem(
                    pointer=pointer_of((*path, "profile")),
                    message="no such profile in the library",
                    value=id,
                    expected="one of " + (", ".join(library.ids(model)) or "none yet"),
                )
            )

    for i, module in enumerate(job.bank.modules):
        look(("bank", "modules", i), module.profile, ModuleProfile)
    for i, unit in enumerate(job.units):
        if unit.plate is None:
            look(("units", i), unit.profile, InverterProfile)
    for i, charger in enumerate(job.sun.chargers):
        if charger.plate is None:
            look(("sun", "chargers", i), charger.profile, SunChargerProfile)
    if job.controller is not None:
        look(("controller",), job.controller.profile, ControllerProfile)
    if job.link.adapter is not None and library.get(job.link.adapter, AdapterProfile) is None:
        problems.append(
            Problem(
                pointer="/link/adapter",
                message="no such adapter in the library",
                value=job.link.adapter,
                expected="one of " + (", ".join(library.ids(AdapterProfile)) or "none yet"),
            )
        )
    if problems:
        raise DocumentError(problems)


def parse_job(text: str | bytes, library: Library | None = None) -> Job:
    """Return the job in ``text``, checked against ``library`` when one is given."""
    job = parse_document(Job, parse_json(text))
    if library is not None:
        check_references(job, library)
    return job
