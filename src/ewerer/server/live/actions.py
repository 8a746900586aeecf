"""What can be done with ports and stand-ins of a job. What was read or written becomes events of its record, once."""

from __future__ import annotations

import gzip
import json
import uuid
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User

from ...core import tasks
from ...core.devices.registers import mapped
from ...core.documents.profiles import MenuProfile
from ...core.documents.results.link import Link
from ...core.trade.errors import DocumentError, Problem
from ...ports.addresses import check_address, listed_addresses
from ...ports.base import PortError
from ...ports.expected import evidence, rows
from ..jobs.models import Job
from ..jobs.planned import planned
from ..logs import actions as logs
from ..record import actions as record
from ..settings.base import DATA_DIR
from ..work import pool
from ..writing import writes
from . import children
from .models import Port, Task

MOST_PORTS = 24
MOST_RIGS = 6
FOLDER = DATA_DIR / "ports"
SIGHT_KEYS = (
    "kind",
    "host",
    "port",
    "path",
    "interface",
    "channel",
    "bitrate",
    "family",
    "unit_id",
    "map",
    "hop_limit",
    "log",
    "speed",
    "from_s",
    "name",
)


def refused(pointer: str, message: str, expected: str) -> DocumentError:
    """Return a refusal of one thing."""
    return DocumentError([Problem(pointer=pointer, message=message, expected=expected)])


def plan_of(job: Job) -> dict[str, Any]:
    """Return the plan of a job as it stands, as plain data."""
    made: dict[str, Any] = json.loads(gzip.decompress(planned(record.sight_of(job).inputs).packed))
    return made


def _profile_of(job: Job, device: str) -> MenuProfile | None:
    return tasks.menu_of(record.sight_of(job).inputs, device)


@writes
def add_port(job: Job, device: str, settings: Mapping[str, Any], user: User, stand_in: bool = False) -> Port:
    """Add a port to a job; refuse an address that nobody listed, a device without a register map, one port too many."""
    kept = {k: settings[k] for k in SIGHT_KEYS if settings.get(k) is not None}
    if kept.get("kind") == "replay":
        asked = kept.get("log")
        log = job.logs.filter(pk=str(asked), state="read").first() if asked else None
        if log is None:
            raise refused("/settings/log", "the job has no such log", "a log that was read")
        kept |= {"log": str(log.pk), "name": log.name}
        for old in job.ports.filter(device=device, how__kind="replay"):  # one log at a time stands for a device
            children.end(str(old.pk))
            old.delete()
    try:
        check_address(kept, listed_addresses())
    except PortError as error:
        raise refused("/settings", str(error), "an address that an administrator listed") from None
    if job.ports.count() >= MOST_PORTS:
        raise refused("", "the job has as many ports as it may", f"at most {MOST_PORTS}")
    if kept.get("map"):
        profile = _profile_of(job, device)
        if profile is None or profile.modbus is None:
            raise refused(
                "/device", f"{device} has no register map in its profile", "a device whose profile has one, or its SunSpec models"
            )
        kept["unit_id"] = kept.get("unit_id", profile.modbus.unit_id)
    return Port.objects.create(job=job, device=device, how=kept, made_by=user, stand_in=stand_in)


@writes
def drop_port(job: Job, id: uuid.UUID) -> None:
    """Take a port out and end its process."""
    port = job.ports.get(pk=id)
    children.end(str(port.pk))
    port.delete()


@writes
def let_write(job: Job, id: uuid.UUID, on: bool, user: User) -> Port:
    """Let a port write, or not any more."""
    port: Port = job.ports.get(pk=id)
    port.writes, port.writes_by = on, user if on else None
    port.save(update_fields=["writes", "writes_by"])
    return port


def _settings_file(port: Port) -> Path:
    FOLDER.mkdir(parents=True, exist_ok=True, mode=0o700)
    path = FOLDER / f"{port.pk}.json"
    held = dict(port.how)
    if held.get("kind") == "replay":
        log = port.job.logs.filter(pk=str(held["log"])).first()
        held["path"] = str(logs.columns_file(log)) if log is not None else "deleted"
    if held.get("map"):
        profile = _profile_of(port.job, port.device)
        if profile is not None:
            held["profile"] = profile.model_dump_json(by_alias=True, exclude_unset=True)
    tasks.write_whole(path, json.dumps(held))
    return path


def _child(port: Port) -> children.Child:
    key = str(port.pk)
    return children.running(key) or children.child(key, ["port", str(_settings_file(port))], begins=True)


def _nothing(state: str, error: str = "") -> dict[str, Any]:
    """Return what a port tells that has read nothing."""
    return {"state": state, "error": error, "values": {}, "frames": [], "strip": {"names": [], "rows": []}}


def _told(port: Port) -> dict[str, Any]:
    try:
        told = _child(port).ask({"do": "state"})
    except children.ChildStarts:
        told = _nothing("opening")
    except children.ChildGone as error:
        told = _nothing("lost", str(error))
    return {
        "id": str(port.pk),
        "device": port.device,
        "kind": port.how.get("kind"),
        "map": bool(port.how.get("map")),
        "at": at_of(port.how),
        "stand_in": port.stand_in,
        "writes": port.writes,
        **told,
    }


def at_of(settings: Mapping[str, Any]) -> str:
    """Return where a port leads, in words."""
    if settings.get("kind") == "can":
        rate = f", {settings['bitrate'] // 1000} kbit/s" if settings.get("bitrate") else ""
        return f"CAN {settings.get('channel')}{rate}"
    if settings.get("kind") == "replay":
        return f"replay of {settings.get('name')} at {settings.get('speed', 1):g} times"
    where = settings.get("path") or f"{settings.get('host')}:{settings.get('port')}"
    return f"{'registers' if settings.get('map') else 'SunSpec'} at {where}"


def live(job: Job) -> dict[str, Any]:
    """Return what a page shows once a second: each port with its values, what should be shown, the rig with its displays."""
    ports = [_told(p) for p in job.ports.all()]
    link = plan_of(job).get("link")
    held = Link.model_validate(link) if link else None
    readings: dict[str, dict[str, Any]] = {}
    for p in sorted(ports, key=lambda p: (p["kind"] != "replay", p["kind"] != "can", not p["map"])):
        for name, value in p.get("values", {}).items():
            readings.setdefault(p["device"], {}).setdefault(name, value)
    return {"ports": ports, "rows": rows(held, readings), "evidence": evidence(held, ports), "rig": rig_state(job)}


# Reading and writing.


def begin(job: Job, id: uuid.UUID, kind: str, user: User) -> Task:
    """Begin to read a device's settings, as found or back, through a port with a register map."""
    port: Port = job.ports.get(pk=id)
    profile = _profile_of(job, port.device) if port.how.get("map") else None
    if profile is None:
        raise refused("/id", "this port reads no settings", "a port with a register map")
    names = list(mapped(profile))
    if kind == "read-back":
        sheet = _sheet(plan_of(job), port.device)
        entered = {r["setting"] for r in sheet["settings"]} if sheet else set()
        names = [n for n in names if n in entered]
    task = _keep(port, kind, user)
    _ask(port, {"do": "read", "id": str(task.pk), "names": names})
    return task


@writes
def _keep(port: Port, kind: str, user: User, **more: str) -> Task:
    for old in port.tasks.all()[50:]:
        old.delete()
    return Task.objects.create(port=port, kind=kind, asked_by=user, **more)


def _ask(port: Port, asked: Mapping[str, Any]) -> dict[str, Any]:
    try:
        return _child(port).ask(asked)
    except children.ChildGone as error:
        raise refused("", f"the port does not answer: {error}", "a port that is open") from None


def _sheet(plan: Mapping[str, Any], device: str) -> dict[str, Any] | None:
    return next((s for s in [*plan["units"], *plan["devices"]] if s["id"] == device), None)


def cancel(job: Job, task: uuid.UUID) -> dict[str, Any]:
    """Stop a read; what was read stays unwritten."""
    held = Task.objects.select_related("port", "asked_by").get(pk=task, port__job=job)
    return _ask(held.port, {"do": "cancel", "id": str(held.pk)})


def look(job: Job, task: uuid.UUID) -> dict[str, Any]:
    """Return how far a task is; when it is done its values become events, once."""
    held: Task = Task.objects.select_related("port", "asked_by").get(pk=task, port__job=job)
    if held.landed:
        return dict(held.told)
    told = _ask(held.port, {"do": "task", "id": str(held.pk)})
    if told.get("error") == "no such task":
        told = {
            "id": str(held.pk),
            "state": "failed",
            "error": "the port was opened anew meanwhile; ask again",
            "values": {},
            "unread": {},
        }
    if told.get("state") == "done":
        told |= _land(job, held, told, held.asked_by)
    return told


def _once(task: Task) -> bool:
    """Claim the landing of a task; only one request does it."""
    return Task.objects.filter(pk=task.pk, landed=False).update(landed=True) == 1


@writes
def _claimed(task: Task) -> bool:
    return _once(task)


@writes
def _keep_told(task: Task, told: Mapping[str, Any]) -> None:
    Task.objects.filter(pk=task.pk).update(told=dict(told))


def _event(task: Task, n: int | str, user: User, **told: Any) -> dict[str, Any]:
    return {"ewerer": "event/1", "id": f"cable-{task.pk}-{n}", "at": record.now(), "by": user.get_username(), **told}


def _land(job: Job, task: Task, told: dict[str, Any], user: User) -> dict[str, Any]:
    if not _claimed(task):
        held = Task.objects.get(pk=task.pk)
        return dict(held.told)
    device = task.port.device
    shown = {n: v for n, v in told["values"].items() if isinstance(v, str)}
    where = at_of(task.port.how)
    events: list[dict[str, Any]]
    summary: dict[str, Any] = {"read": len(shown)}
    if task.kind == "as-found":
        events = [
            _event(task, i, user, kind="as-found", device=device, setting=n, shown=v, text=f"read over the cable, {where}")
            for i, (n, v) in enumerate(shown.items())
        ]
    else:
        events, summary = _back(job, task, shown, user, where)
    text = {"as-found": "settings as found", "read-back": "settings read back", "write": f"{task.setting} written"}[task.kind]
    events.append(
        _event(
            task,
            "log",
            user,
            kind="log",
            entry={
                "kind": "reading" if task.kind != "write" else "setting",
                "device": device,
                "text": f"{len(shown)} {text}, {where}",
            },
        )
    )
    added = record.add(job.pk, job.crew, events, user)
    out = {**told, **summary, "refused": [r.message for r in added.refused][:5], "events": added.accepted}
    _keep_told(task, out)
    return out


def _back(job: Job, task: Task, shown: Mapping[str, str], user: User, where: str) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """Return the events of what was read back: each line of the working list with what it shows; and what differs."""
    device = task.port.device
    sheet = _sheet(plan_of(job), device)
    planned_entries = {r["setting"]: r["entry"] for r in sheet["settings"]} if sheet else {}
    order = json.loads(pool.run(tasks.order_of, record.sight_of(job).inputs, device))
    last = {s["setting"]: s for s in order["steps"] if s["kind"] == "entry"}
    events: list[dict[str, Any]] = []
    differs: dict[str, list[str]] = {}
    for i, (setting, text) in enumerate(shown.items()):
        if setting in planned_entries and planned_entries[setting] != text:
            differs[setting] = [planned_entries[setting], text]
        step = last.get(setting)
        if step is None:
            continue
        id = f"enter:{device}:{step['key']}"
        if task.kind == "write" and step["enter"] == text:
            events.append(_event(task, f"{i}d", user, kind="done", step=id, shown=step["enter"]))
        events.append(_event(task, f"{i}b", user, kind="read-back", step=id, shown=text, text=f"read over the cable, {where}"))
    return events, {"read": len(shown), "differs": differs}


def begin_write(job: Job, id: uuid.UUID, step: str, user: User) -> Task:
    """Write one entry of the working list, the next that waits, to a device that a lead opened for it.

    Refused while the plan has a stop, out of order, for what the device lets nobody write, and for what is not an entry of the plan.
    """
    port: Port = job.ports.get(pk=id)
    if not port.writes:
        raise refused("/writes", "writing is off for this port", "a lead of the crew switches it on")
    plan = plan_of(job)
    stop = next((f for f in plan["findings"] if f["severity"] == "stop"), None)
    if stop is not None:
        raise refused("/findings", f"the plan has a stop: {stop['title']}", "a plan without a stop")
    profile = _profile_of(job, port.device)
    order = json.loads(pool.run(tasks.order_of, record.sight_of(job).inputs, port.device))
    done = record.state_of(job)["steps"]

    def waits(key: str) -> bool:
        return str(done.get(f"enter:{port.device}:{key}", {}).get("status", "")) not in ("done", "skipped")

    next_ = next((s for s in order["steps"] if waits(s["key"])), None)
    if next_ is None or next_["key"] != step:
        word = next_["label"] if next_ else "nothing"
        raise refused("/step", "entries are written in the order of the working list", f"the next one: {word}")
    if next_["kind"] != "entry":
        raise refused("/step", f"“{next_['label']}” is done by hand", "mark it done at the unit first")
    setting = mapped(profile).get(next_["setting"]) if profile is not None else None
    if setting is None or setting.register_ is None or not setting.register_.write:
        raise refused("/step", f"“{next_['label']}” cannot be written over the cable", "type it at the unit")
    task = _keep(port, "write", user, step=step, setting=setting.id, value=str(next_["enter"]))
    _ask(port, {"do": "write", "id": str(task.pk), "names": [setting.id], "value": str(next_["enter"])})
    return task


def after_write(job: Job, told: Mapping[str, Any], task: uuid.UUID, user: User) -> None:
    """Switch writing off where what was read back differs, or the device refused."""
    held = Task.objects.select_related("port", "asked_by").get(pk=task, port__job=job)
    if held.kind == "write" and (told.get("state") == "failed" or (told.get("state") == "done" and told.get("differs"))):
        let_write(job, held.port.pk, False, user)


# Stand-ins.


def rig_key(job: Job) -> str:
    """Return what the rig of a job is kept by."""
    return f"rig:{job.pk}"


def begin_rig(
    job: Job, user: User, faults: Sequence[str] = (), speed: float = 1.0, seed: int = 1, entries: str = "planned"
) -> dict[str, Any]:
    """Start the stand-ins of a job, in place of those that run; their ports are the job's, in place of older ones of theirs."""
    sight = record.sight_of(job)
    FOLDER.mkdir(parents=True, exist_ok=True, mode=0o700)
    own = FOLDER / f"rig-{job.pk}"
    own.mkdir(exist_ok=True, mode=0o700)
    for old in own.glob("*.json"):
        old.unlink()
    of = sight.inputs
    for n, (text, _) in enumerate(of.own):
        tasks.write_whole(own / f"p{n}.json", text)
    file = FOLDER / f"rig-{job.pk}.json"
    tasks.write_whole(file, of.document)
    children.end(rig_key(job))
    _no_stand_ins(job)
    if children.count("rig:") >= MOST_RIGS:
        raise refused("", "as many stand-ins run as this server carries", f"at most {MOST_RIGS} jobs at one time; end others")
    command = [
        "rig",
        str(file),
        "--speed",
        f"{speed:g}",
        "--seed",
        str(seed),
        "--entries",
        entries,
        *(x for f in faults for x in ("--fault", f)),
    ]
    if of.own:
        command += ["--library", str(own)]
    try:
        held = children.child(rig_key(job), command, begins=True)
    except children.ChildGone as error:
        raise refused("", str(error), "in a moment") from None
    if not held.ready(children.BEGIN_S) or held.first is None or "error" in held.first:
        why = (held.first or {}).get("error", "it does not start")
        children.end(rig_key(job))
        raise refused("", f"the stand-ins cannot be started: {why}", "a job with a bank, units and a ladder that fits")
    for settings in held.first.get("ports", []):
        add_port(job, str(settings.get("device", "bank")), settings, user, stand_in=True)
    return rig_state(job) or {}


@writes
def _no_stand_ins(job: Job) -> None:
    for port in job.ports.filter(stand_in=True):
        children.end(str(port.pk))
        port.delete()


def end_rig(job: Job) -> None:
    """End the stand-ins of a job, and their ports."""
    children.end(rig_key(job))
    _no_stand_ins(job)


def rig_state(job: Job) -> dict[str, Any] | None:
    """Return how the stand-ins of a job stand, None where there are none."""
    held = children.running(rig_key(job))
    if held is None:
        return None
    try:
        return held.ask({"do": "state"})
    except children.ChildGone:
        return None


def ask_rig(job: Job, asked: Mapping[str, Any]) -> dict[str, Any]:
    """Press a key, do an act, switch a fault; return how the stand-ins stand then."""
    held = children.running(rig_key(job))
    if held is None:
        raise refused("", "no stand-ins run for this job", "start them first")
    try:
        told = held.ask(asked)
    except children.ChildGone as error:
        raise refused("", f"the stand-ins do not answer: {error}", "start them again") from None
    if "error" in told:
        raise refused("", str(told["error"]), "one of those named")
    return told
