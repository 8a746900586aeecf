"""Jobs for tests: the demo jobs, a hand-written one, and Hypothesis strategies for random ones."""

import copy
import json
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema
from hypothesis import strategies as st

from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.documents.job import Job
from ewerer.core.documents.results.plan import Plan
from ewerer.core.documents.schema import schema
from ewerer.core.plan import plan

DEMO = Path(__file__).resolve().parent.parent / "src" / "ewerer" / "demo"
SKERRY, LARCH, TARN, HERON = "skerry-field-station", "larch-hollow-workshop", "tarn-dairy", "heron-weir-mill"
OSTRAND, FENWICK = "ostrand-brewery", "fenwick-lock-cottage"
NAMES = (SKERRY, LARCH, TARN, HERON, OSTRAND, FENWICK)


def data(name: str = SKERRY) -> dict[str, Any]:
    """Return a fresh copy of a demo job as plain data."""
    return json.loads((DEMO / f"{name}.json").read_text())


def changed(name: str, **paths: Any) -> dict[str, Any]:
    """Return a demo job with values at ``a__b__0__c`` paths replaced; None removes."""
    job = data(name)
    for path, value in paths.items():
        put(job, path.split("__"), value)
    return job


def put(node: Any, keys: list[str], value: Any) -> None:
    for key in keys[:-1]:
        node = node[int(key)] if isinstance(node, list) else node.setdefault(key, {})
    last: Any = int(keys[-1]) if isinstance(node, list) else keys[-1]
    if value is None:
        del node[last]
    else:
        node[last] = copy.deepcopy(value)


@cache
def validator(kind: str) -> jsonschema.Draft202012Validator:
    """Return the JSON Schema validator of a kind of document, made once: the schema of a job is large."""
    made = schema(kind)
    jsonschema.Draft202012Validator.check_schema(made)
    return jsonschema.Draft202012Validator(made)


def job_of(source: str | dict[str, Any]) -> Job:
    """Return the validated job of a demo name or of plain data."""
    return parse_job(json.dumps(data(source) if isinstance(source, str) else source), shipped_library())


def plan_of(source: str | dict[str, Any]) -> Plan:
    return plan(job_of(source), shipped_library())


def rules(made: Plan, severity: str | None = None) -> set[str]:
    return {f.rule for f in made.findings if severity in (None, f.severity)}


def inline(id: str, **more: Any) -> dict[str, Any]:
    """Return a nameplate module of 16 cells, 100 Ah."""
    base = {
        "id": id,
        "series_cells": 16,
        "capacity_ah": 100,
        "charge_a": 50,
        "discharge_a": 100,
        "resistance_mohm": 15,
        "lead_mohm": 0,
    }
    return {k: v for k, v in (base | more).items() if v is not None}


def hand_written(*modules: dict[str, Any], **more: Any) -> dict[str, Any]:
    """Return a job with nameplate modules and no unit."""
    return {"ewerer": "job/2", "name": "By hand", "bank": {"modules": list(modules), "main_lead_mohm": 0.5}} | more


tenths = lambda low, high: st.integers(round(low * 10), round(high * 10)).map(lambda n: n / 10)  # noqa: E731


@st.composite
def modules(draw: st.DrawFn, cells: int, count: int) -> list[dict[str, Any]]:
    return [
        inline(
            f"M{i}",
            series_cells=cells,
            capacity_ah=draw(st.sampled_from([50, 100, 280])),
            resistance_mohm=draw(tenths(2, 40)),
            lead_mohm=draw(tenths(0, 3)),
            charge_a=draw(st.integers(20, 200)),
            discharge_a=draw(st.integers(30, 300)),
            charge_warranty_a=draw(st.one_of(st.none(), st.integers(10, 150))),
            cell_min_v=draw(st.sampled_from([2.5, 2.6, 2.8])),
            cell_max_v=draw(st.sampled_from([3.55, 3.6, 3.65])),
        )
        for i in range(count)
    ]


CLASSES = [
    ("orrowan-t8", 16, "single", 230, 50),
    ("brackwater-m5", 16, "single", 230, 50),
    ("brackwater-m5", 15, "single", 120, 60),
    ("hexley-pr3", 8, "single", 120, 60),
]


@st.composite
def random_jobs(draw: st.DrawFn) -> dict[str, Any]:
    """Return random but well-formed jobs over all shipped inverter families."""
    profile, cells, topology, volts, hz = draw(st.sampled_from(CLASSES))
    count = draw(st.integers(1, 5))
    units = draw(st.integers(1, 4))
    sources = draw(st.lists(st.sampled_from(["sun", "mains", "generator"]), unique=True))
    job: dict[str, Any] = {
        "ewerer": "job/2",
        "name": "random",
        "site": {"ac": {"volts": volts, "hz": hz, "topology": topology}, "sources": sources},
        "bank": {"modules": draw(modules(cells, count)), "main_lead_mohm": draw(tenths(0, 2))},
        "units": [{"id": f"U{i}", "profile": profile, "role": "follower" if i else "host", "phase": "L1"} for i in range(units)],
        "loads": {"continuous_w": draw(st.integers(0, 6000)), "peak_w": draw(st.integers(0, 12000))},
        "policy": {
            "charge_school": draw(st.sampled_from(["everyday", "full", "limit"])),
            "float_school": draw(st.sampled_from(["same", "rest", "none"])),
            "hold_school": draw(st.sampled_from(["tail", "per-ah", "short"])),
            "control": draw(st.sampled_from(["auto", "volts", "soc"])),
            "charge_order": draw(st.sampled_from(["sun-only", "sun-first", "sun-and-mains"])),
            "reserve_soc": draw(st.integers(10, 50)) / 100,
        },
    }
    if draw(st.booleans()):
        job["site"]["bank_ambient_c"] = draw(st.integers(-15, 55))
    if draw(st.booleans()):
        job["bank"]["fuse_a"] = draw(st.sampled_from([100, 200, 400]))
    if "mains" in sources:
        job["mains"] = {"breaker_a": draw(st.integers(6, 63))}
    if "generator" in sources:
        job["generator"] = {"continuous_w": draw(st.integers(1000, 12000)), "start": draw(st.sampled_from(["manual", "auto"]))}
    return job
