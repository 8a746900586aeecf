"""Ports, protocols and pairs of devices, for tests."""

import json

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from tests.jobs import SKERRY, changed, data, inline, plan_of

H, L = "CAN-H", "CAN-L"


A, B = "485-A", "485-B"


def port(pins, bus="can", rates=(250_000, 500_000), id="p", label="P", connector="8p8c"):
    return {
        "id": id,
        "label": label,
        "connector": connector,
        "bus": bus,
        "bitrates": list(rates),
        "pins": {str(k): v for k, v in pins.items()},
    }


def protocol(name="alpha", version="1", port="p", rate=500_000, **more):
    return {"name": name, "version": version, "port": port, "bitrate": rate} | more


def can(high, low, **more):
    return port({high: H, low: L} | more.pop("extra", {}), **more)


def serial(a, b, **more):
    return port({a: A, b: B} | more.pop("extra", {}), bus="rs485", rates=(9600,), **more)


def paired(unit_ports, unit_protocols, bms_ports, bms_protocols, **job):
    """Return the plan of two modules and one unit whose ports and protocols are these."""
    shipped = {p.id: p for p in shipped_library()}
    unit = json.loads(shipped["orrowan-t8"].model_dump_json(by_alias=True, exclude_unset=True))
    unit |= {"id": "unit", "ports": unit_ports, "protocols": unit_protocols}
    choices = {p["name"]: p["name"] for p in unit_protocols} or {"alpha": "alpha"}
    next(s for s in unit["settings"] if s["id"] == "scheme")["encoding"]["choices"] = choices
    module = json.loads(shipped["dunmarrow-280"].model_dump_json(by_alias=True, exclude_unset=True))
    module |= {"id": "module", "family": "module"}
    module["bms"] |= {"ports": bms_ports, "protocols": bms_protocols}
    del module["bms"]["addresses"]
    library = Library([parse_profile(json.dumps(unit)), parse_profile(json.dumps(module)), *shipped_library()])
    document = {
        "ewerer": "job/1",
        "name": "Pair",
        "bank": {"modules": [{"id": "M1", "profile": "module"}, {"id": "M2", "profile": "module"}]},
        "units": [{"id": "U1", "profile": "unit", "firmware": job.pop("firmware", "2.14")}],
    }
    document |= job
    return plan(parse_job(json.dumps(document), library), library)


ALPHA = [protocol()]


def switched(*letters):
    job = data(SKERRY)
    for m, one in zip(job["bank"]["modules"], letters, strict=True):
        m.pop("switches", None)
        if one:
            m["switches"] = one
    return plan_of(job)


def with_silent(**module):
    job = changed(SKERRY, bank__modules__2=inline("X", **({"capacity_ah": 280, "charge_a": 140, "discharge_a": 200} | module)))
    job["link"]["choice"] = "dunmarrow/dunmarrow-link/2/bat/inv"
    return plan_of(job)
