"""Ports of a job, what they read, stand-ins. A page asks once a second; no connection is held."""

from __future__ import annotations

import uuid
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ..live import actions
from ..live.models import Port
from .asking import job_at, note, person
from .shapes import REFUSALS, Asked, as_json

router = Router(tags=["live"])
Short = Annotated[str, Field(max_length=80)]


class PortSettings(Asked):
    """Where a port leads: a CAN bus, a Modbus device over TCP or a serial line, by its register map or its SunSpec models; or a log."""

    kind: Literal["can", "modbus-tcp", "modbus-rtu", "replay"]
    host: Short | None = None
    port: Annotated[int, Field(ge=1, le=65_535)] | None = None
    path: Short | None = None
    interface: Literal["socketcan", "slcan", "serial", "udp_multicast", "virtual"] | None = None
    channel: Short | None = None
    bitrate: Annotated[int, Field(ge=100, le=10_000_000)] | None = None
    family: Short | None = None
    unit_id: Annotated[int, Field(ge=0, le=247)] | None = None
    map: bool = False
    log: uuid.UUID | None = None
    speed: Annotated[float, Field(ge=1, le=1000, description="how many times as fast a log is replayed")] | None = None
    from_s: Annotated[float, Field(ge=0, description="where in the log a replay begins [s]")] | None = None


class PortIn(Asked):
    """A new port: which device it reads (``bank`` or a device's id), and where it leads."""

    device: Annotated[str, Field(min_length=1, max_length=40)]
    settings: PortSettings


class PortOut(Schema):
    """A port of a job."""

    id: uuid.UUID
    device: str
    at: str
    writes: bool
    stand_in: bool

    @staticmethod
    def resolve_at(port: Port) -> str:
        """Return where it leads, in words."""
        return actions.at_of(port.how)


class WritesIn(Asked):
    """Whether a port may write."""

    writes: bool


class ReadIn(Asked):
    """What a read is for: what the device shows before the work, or after it."""

    kind: Literal["as-found", "read-back"]


class WriteIn(Asked):
    """The line of the working list to write; a person at the unit says so."""

    step: Annotated[str, Field(min_length=1, max_length=160)]
    at_the_unit: Literal[True]


class TaskOut(Schema):
    """How far a read or a write is, and what came of it."""

    id: str
    state: str
    done: int = 0
    of: int = 0
    read: int = 0
    error: str = ""
    values: dict[str, Any] = {}
    unread: dict[str, str] = {}
    differs: dict[str, list[str]] = {}
    refused: list[str] = []
    events: int = 0


class RigIn(Asked):
    """Which stand-ins to start: faults, times real time, a number that draws the same rig again, what the devices show at first."""

    faults: Annotated[list[Short], Field(max_length=40)] = []
    speed: Annotated[float, Field(ge=0, le=600)] = 1.0
    seed: Annotated[int, Field(ge=0, le=2_000_000_000)] = 1
    entries: Literal["planned", "found", "factory"] = "planned"


class RigActIn(Asked):
    """Something done at a stand-in: keys of a device, a fault on or off, the cable or a module out or in, the speed."""

    do: Literal["key", "fault", "act", "speed"]
    device: Short = ""
    keys: Annotated[list[Short], Field(max_length=400)] = []
    name: Short = ""
    what: Short = ""
    module: Short = ""
    on: bool = True
    speed: Annotated[float, Field(ge=0, le=600)] = 1.0


class LiveOut(Schema):
    """What a page shows: ports with values, frames and strips, rows of what is expected and shown, evidence, the stand-ins."""

    ports: list[dict[str, Any]]
    rows: list[dict[str, Any]]
    evidence: dict[str, int] = Field(description="what the ports answer of the fault finder's tests, by test")
    rig: dict[str, Any] | None


@router.get("/jobs/{uuid:id}/live", response={200: LiveOut, **REFUSALS})
def live_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return what the ports of a job read now, and what should be shown."""
    return as_json(actions.live(job_at(request, id)))


@router.post("/jobs/{uuid:id}/ports", response={201: PortOut, **REFUSALS})
def add_port(request: HttpRequest, id: uuid.UUID, asked: PortIn) -> tuple[int, Port]:
    """Add a port to a job, at an address that an administrator listed."""
    job = job_at(request, id)
    made = actions.add_port(job, asked.device, asked.settings.model_dump(exclude_none=True), person(request).user)
    note(request, "port added", f"{job.name}: {asked.device}, {actions.at_of(made.how)}")
    return 201, made


@router.delete("/jobs/{uuid:id}/ports/{uuid:port}", response={204: None, **REFUSALS})
def drop_port(request: HttpRequest, id: uuid.UUID, port: uuid.UUID) -> tuple[int, None]:
    """Take a port out of a job."""
    actions.drop_port(job_at(request, id), port)
    return 204, None


@router.put("/jobs/{uuid:id}/ports/{uuid:port}/writes", response={200: PortOut, **REFUSALS})
def let_write(request: HttpRequest, id: uuid.UUID, port: uuid.UUID, asked: WritesIn) -> Port:
    """Let a port write, or not any more."""
    job = job_at(request, id)
    made = actions.let_write(job, port, asked.writes, person(request).user)
    note(request, "writing over a cable", f"{job.name}: {made.device}, {'on' if asked.writes else 'off'}")
    return made


@router.post("/jobs/{uuid:id}/ports/{uuid:port}/reads", response={201: TaskOut, **REFUSALS})
def begin_read(request: HttpRequest, id: uuid.UUID, port: uuid.UUID, asked: ReadIn) -> tuple[int, dict[str, Any]]:
    """Begin to read all settings of a device, as found or back."""
    task = actions.begin(job_at(request, id), port, asked.kind, person(request).user)
    return 201, {"id": str(task.pk), "state": "waiting"}


@router.post("/jobs/{uuid:id}/ports/{uuid:port}/writes", response={201: TaskOut, **REFUSALS})
def begin_write(request: HttpRequest, id: uuid.UUID, port: uuid.UUID, asked: WriteIn) -> tuple[int, dict[str, Any]]:
    """Write the next entry of a device's working list, confirmed by a person at the unit."""
    task = actions.begin_write(job_at(request, id), port, asked.step, person(request).user)
    return 201, {"id": str(task.pk), "state": "waiting"}


@router.get("/jobs/{uuid:id}/reads/{uuid:task}", response={200: TaskOut, **REFUSALS})
def look_at_task(request: HttpRequest, id: uuid.UUID, task: uuid.UUID) -> dict[str, Any]:
    """Return how far a read or a write is; what it read is in the record when it is done."""
    job, user = job_at(request, id), person(request).user
    told = actions.look(job, task)
    actions.after_write(job, told, task, user)
    return told


@router.delete("/jobs/{uuid:id}/reads/{uuid:task}", response={200: TaskOut, **REFUSALS})
def cancel_task(request: HttpRequest, id: uuid.UUID, task: uuid.UUID) -> dict[str, Any]:
    """Stop a read."""
    return actions.cancel(job_at(request, id), task)


@router.post("/jobs/{uuid:id}/rig", response={200: dict, **REFUSALS})
def begin_rig(request: HttpRequest, id: uuid.UUID, asked: RigIn) -> dict[str, Any]:
    """Start the stand-ins of a job."""
    job = job_at(request, id)
    return actions.begin_rig(job, person(request).user, asked.faults, asked.speed, asked.seed, asked.entries)


@router.delete("/jobs/{uuid:id}/rig", response={204: None, **REFUSALS})
def end_rig(request: HttpRequest, id: uuid.UUID) -> tuple[int, None]:
    """End the stand-ins of a job."""
    actions.end_rig(job_at(request, id))
    return 204, None


@router.post("/jobs/{uuid:id}/rig/acts", response={200: dict, **REFUSALS})
def act_on_rig(request: HttpRequest, id: uuid.UUID, asked: RigActIn) -> dict[str, Any]:
    """Press keys, pull a cable, switch a fault of the stand-ins."""
    return actions.ask_rig(job_at(request, id), asked.model_dump())
