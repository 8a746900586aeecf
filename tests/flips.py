"""Every field of the documents flipped: what it changes in plan, order, pages, run or simulation, or why nothing.

``python -m tests.flips`` looks for a flip of every field that changes something, keeps it in tests/data/flips.json, and prints
the fields that change nothing; a test tries what is kept. A field is found by its place in the JSON Schema; it is set
to other values that the schema permits in the demo jobs, or in the shipped profiles under them, until an outcome differs.
"""

import copy
import json
import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path as Path_
from typing import Any

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.documents.schema import schema
from ewerer.core.flow.results import simulate
from ewerer.core.pages.calendar import calendar
from ewerer.core.plan import plan
from ewerer.core.stages.pipeline import solve
from ewerer.core.stages.sheet.found import planned_entries
from ewerer.core.trade.errors import DocumentError
from ewerer.core.visit.working_list import order_of
from tests.jobs import FENWICK, HERON, LARCH, OSTRAND, SKERRY, TARN, data, inline

Path = tuple[str, ...]
SHIPPED = {p.id: json.loads(p.model_dump_json(by_alias=True, exclude_unset=True)) for p in shipped_library()}


def acid() -> dict[str, Any]:
    job = data(SKERRY)
    job["bank"]["modules"] = [
        {"id": "H", "profile": "harrow-acid-510"},
        inline("A", chemistry="flooded", series_cells=24, capacity_ah=300, cell_max_v=2.65, cell_min_v=1.75),
    ]
    job["bank"]["modules"][1] |= {
        "rated_h": 6,
        "peukert": 1.15,
        "age_years": 1,
        "discharge_warranty_a": 80,
        "charge_warranty_a": 40,
    }
    return job


def plated() -> dict[str, Any]:
    unit = {"continuous_w": 3000, "surge_w": 5000, "charge_max_a": 60, "ac_charge_max_a": 50, "class_v": 48, "battery_v_min": 40}
    unit |= {
        "battery_v_max": 62,
        "ac_volts": 230,
        "ac_phases": 1,
        "max_parallel": 2,
        "step_v": 0.1,
        "step_a": 1,
        "takes": ["absorb_v"],
    }
    charger = {"charge_max_a": 60, "battery_v_max": 64, "array_v_max": 150, "step_v": 0.1, "step_a": 1, "takes": ["absorb_v"]}
    return {
        "ewerer": "job/2",
        "name": "Plates",
        "site": {"sources": ["sun", "mains"]},
        "bank": {"modules": [inline("A"), inline("B", age_years=1, health=0.95)]},
        "units": [{"id": "U1", "plate": unit}],
        "sun": {"chargers": [{"id": "S1", "plate": charger, "array_w": 4000}]},
        "mains": {"breaker_a": 32},
        "loads": {"continuous_w": 400, "daily_wh": 6000},
    }


def rich() -> dict[str, Any]:
    """Return the Skerry job with everything in it that it lacks, so that each field stands somewhere."""
    job = data(SKERRY)
    job["bank"] |= {
        "main_lead": {"length_m": 3, "section_mm2": 70},
        "lead": {"length_m": 1, "section_mm2": 35},
        "fuse_breaking_a": 20000,
    }
    job["bank"] |= {"precharge_ohm": 40, "inputs_uf": 20000, "shunt_a": 500, "shunt_mv": 50}
    job["bank"].pop("lead_mohm", None)
    job["site"] |= {"altitude_m": 900, "dc_loads_a": 4}
    job["mains"] |= {
        "feeds": [{"name": "Cord", "breaker_a": 10}],
        "loads_while_charging_w": 500,
        "breaker_school": "own",
        "breaker_part": 0.7,
    }
    job["generator"] |= {"quiet_from": "22:00", "quiet_to": "06:00", "warm_up_min": 3, "min_run_min": 40}
    job["loads"] |= {"other_daily_wh": 5000, "shape": [1.0] * 24}
    job["link"] = {"length_m": 3, "measured_ohm": 60, "taken_ports": {"U1": ["ser"]}, "host_module": "M2"}
    job["link"]["firmware_notes"] = [{"profile": "orrowan-t8", "version": "2.14", "verdict": "bad", "why": "loses its clock"}]
    job["tariff"] = {
        "base": 0.3,
        "prices": [{"from": "17:00", "to": "21:00", "price": 0.5, "export": 0.1}],
        "export": 0.05,
        "demand_per_kw": 4,
    }
    day = "2025-06-10"
    job["flow"] = {
        "start": day,
        "outages": [{"date": day, "from": "10:00", "to": "12:00"}],
        "cloudiness": 0.2,
        "start_soc": 0.4,
        "seed": 3,
    }
    job["policy"] |= {
        "overshoot_v": 0.2,
        "imbalance_v": 0.02,
        "meter_error_v": 0.1,
        "max_discharge_c_rate": 0.9,
        "shutdown_soc": 0.08,
    }
    job["policy"] |= {"own_figures": {"absorb_v": 55.0}}
    job["as_found"] = {"U1": {"fill-volts": "56.4"}}
    job["extra_entries"] = {"U1": {"beeper": "Off"}}
    job["sheet_marks"] = {"U1": {"fill-volts": {"state": "done", "read_back": "55.2", "note": "x"}}}
    job["profile_revisions"] = {"orrowan-t8": 1}
    return job


def series() -> dict[str, Any]:
    job = rich()
    job["flow"] |= {
        "sun": {"step_min": 60, "start": "2025-06-10", "values_w": [0.0] * 6 + [900.0] * 12 + [0.0] * 12},
        "load": {"step_min": 60, "start": "2025-06-10", "values_w": [300.0 + 40 * h for h in range(30)]},
    }
    return job


def sells() -> dict[str, Any]:
    job = rich()
    job["policy"] |= {"mode": "feed-in", "export_limit_w": 3000, "outage_reserve_soc": 0.3, "sell_surplus": True}
    return job


def whole_breaker() -> dict[str, Any]:
    job = rich()
    job["mains"] |= {"breaker_school": "all", "breaker_a": 80}
    return job


def three_phases() -> dict[str, Any]:
    job = data(HERON)
    job["site"]["ac"]["topology"] = "three"
    job["units"] = [job["units"][i and 1] | {"id": f"H{i}", "phase": f"L{i % 3 + 1}"} for i in range(6)]
    return job


def new_bank() -> dict[str, Any]:
    job = data(SKERRY)
    job["policy"]["new_bank"] = True
    job["bank"] |= {"shunt_a": 500, "shunt_mv": 50}
    job["as_found"] = {"U1": {"shunt": "300", "store-ah": "400"}}
    return job


def curved() -> dict[str, Any]:
    job = data(SKERRY)
    points = [(0, 2.6), (0.1, 3.2), (0.5, 3.29), (0.9, 3.33), (1, 3.5)]
    job["bank"]["modules"] = [inline("A", ocv=[{"soc": s, "cell_v": v} for s, v in points])]
    return job


def seasonal() -> dict[str, Any]:
    job = data(HERON)
    job["site"] |= {"latitude": 47.0, "longitude": 8.0, "sources": ["sun", "mains"]}
    tariff = {"currency": "CHF", "base": 0.3, "export": 0.1, "demand_per_kw": 3}
    tariff["prices"] = [{"from": "10:00", "to": "15:00", "price": 0.2, "export": 0.05, "days": "mon-fri"}]
    job["seasons"] = [
        {"name": "Summer", "from": "04-01", "to": "09-30", "tariff": tariff},
        {"name": "Winter", "from": "10-01", "to": "03-31"},
    ]
    job["windows"] = [
        {"from": "11:00", "to": "15:00", "action": "hold", "season": "Summer"},
        {"from": "18:00", "to": "21:00", "action": "use", "target_soc": 0.3, "from_date": "03-03", "to_date": "11-30"},
    ]
    job["sun"] = {
        "on_output": [{"id": "R1", "inverter_w": 15000, "array_w": 14000, "tilt_deg": 30, "azimuth_deg": 180, "lowers_by_hz": True}]
    }
    job["flow"] = {"start": "2025-06-10", "cloudiness": 0.1}
    job["policy"] |= {"mode": "feed-in"}
    return job


@cache
def jobs() -> dict[str, dict[str, Any]]:
    named = {n: data(n) for n in (FENWICK, HERON, OSTRAND, LARCH, TARN)}
    return {
        "rich": rich(),
        "series": series(),
        "sells": sells(),
        "whole": whole_breaker(),
        "three": three_phases(),
        "new": new_bank(),
        "acid": acid(),
        "plated": plated(),
        "curved": curved(),
        "seasonal": seasonal(),
        **named,
    }


def node_of(root: dict[str, Any], node: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in node:
        node = root["$defs"][node["$ref"].split("/")[-1]] | {k: v for k, v in node.items() if k != "$ref"}
    return node


def branches(root: dict[str, Any], node: dict[str, Any]) -> list[dict[str, Any]]:
    node = node_of(root, node)
    options = node.get("anyOf") or node.get("oneOf")
    return [b for o in options for b in branches(root, o)] if options else [node]


def leaves(root: dict[str, Any], node: dict[str, Any], at: Path = ()) -> Iterator[tuple[Path, list[dict[str, Any]]]]:
    """Yield every place of a schema that holds a value, with what it may be; ``*`` for an index or a key."""
    kinds = branches(root, node)
    for kind in kinds:
        if kind.get("properties"):
            for name, part in kind["properties"].items():
                yield from leaves(root, part, (*at, name))
        elif kind.get("type") == "array":
            yield from leaves(root, kind["items"], (*at, "*"))
        elif kind.get("type") == "object":
            inner = kind.get("additionalProperties") or next(iter((kind.get("patternProperties") or {}).values()), {})
            yield from leaves(root, inner if isinstance(inner, dict) else {}, (*at, "*"))
    plain = [k for k in kinds if k.get("type") not in ("object", "array", "null") or "enum" in k or "const" in k]
    if plain:
        yield at, plain


TEXTS = (
    "new-store = No",
    "low-warn - low-out >= 3",
    "zz",
    "1.23",
    "03:15",
    "2025-03-03",
    "sat",
    "dddu",
    "Europe/Oslo",
    "spare",
    "bat",
    "float_v",
    "06-20",
    "Winter",
)
GONE = object()
"""Instead of a value: the field is left out."""


def others(kinds: list[dict[str, Any]], now: Any) -> Iterator[Any]:
    """Yield values that may stand for a field, other than what stands there; last of all that it is left out."""
    for k in kinds:
        if "const" in k:
            continue
        if "enum" in k:
            yield from (v for v in k["enum"] if v != now)
        elif k.get("type") == "boolean":
            yield not now
        elif k.get("type") in ("number", "integer"):
            low, high = k.get("minimum", k.get("exclusiveMinimum", -1e6)), k.get("maximum", 1e6)
            base = now if isinstance(now, (int, float)) and not isinstance(now, bool) else 0
            tries = [
                base * 0.5,
                base * 1.3,
                base + 1,
                base - 1,
                base + 5,
                base * 4,
                0.3,
                0.6,
                2,
                10,
                50,
                120,
                3.3,
                52.9,
                300,
                3000,
                low,
                high,
            ]
            for v in tries:
                if low <= v <= high and v != now:
                    yield round(v) if k["type"] == "integer" else v
        else:
            yield from (t for t in (*TEXTS, *SHIPPED) if t != now)
    if now is not None:
        yield GONE


def places(node: Any, pattern: Path, at: Path = ()) -> Iterator[Path]:
    """Yield where a pattern lies in a document; its last part need not be there yet."""
    head, rest = pattern[0], pattern[1:]
    if isinstance(node, dict):
        keys = list(node) if head == "*" else [head] if head in node or not rest else []
    elif isinstance(node, list):
        keys = [str(i) for i in range(len(node))] if head == "*" else []
    else:
        return
    for key in keys[:200]:
        if not rest:
            yield (*at, key)
        else:
            yield from places(node[int(key)] if isinstance(node, list) else node[key], rest, (*at, key))


def value_at(node: Any, at: Path) -> Any:
    for key in at:
        node = node[int(key)] if isinstance(node, list) else node.get(key)
        if node is None:
            return None
    return node


def with_value(document: dict[str, Any], at: Path, value: Any) -> dict[str, Any]:
    out = copy.deepcopy(document)
    node: Any = out
    for key in at[:-1]:
        node = node[int(key)] if isinstance(node, list) else node[key]
    last: Any = int(at[-1]) if isinstance(node, list) else at[-1]
    if value is GONE:
        del node[last]
    else:
        node[last] = value
    return out


def outcome(job: dict[str, Any], library: Library, stage: str) -> str | None:
    """Return what comes of a job as one text, None where it is refused.

    ``stage`` is plan, order (of entry, of every device) or flow (windows as a calendar, two simulated days).
    """
    try:
        parsed = parse_job(json.dumps(job), library)
        if stage == "order":
            solved = solve(parsed, library)
            made = [(d, planned_entries(d, solved)) for d in solved.devices]
            return json.dumps([order_of(d, solved, target).model_dump(mode="json") for d, target in made if target])
        if stage == "flow":
            text = calendar(parsed).decode() if job.get("windows") else ""
            return text + json.dumps(simulate(parsed, library, days=2).ledger.model_dump(mode="json"))
        planned = plan(parsed, library).model_dump(mode="json", by_alias=True)
    except DocumentError:
        return None
    planned.pop("job")
    planned["windows"].pop("intent")
    return json.dumps(planned, sort_keys=True)


@cache
def before(name: str, stage: str) -> str | None:
    return outcome(jobs()[name], shipped_library(), stage)


Flip = dict[str, Any]
"""What was flipped and where it showed: ``of`` a job or profile, ``at`` a place, to a ``value``, seen in a ``stage`` of a ``job``."""


def differs(flip: Flip) -> bool:
    """Return whether a flip changes what it is said to change."""
    value = GONE if flip.get("gone") else flip.get("value")
    at, stage, name = tuple(flip["at"]), flip["stage"], flip["job"]
    try:
        if flip["of"] == name:
            after = outcome(with_value(jobs()[name], at, value), shipped_library(), stage)
        else:
            profile = parse_profile(json.dumps(with_value(SHIPPED[flip["of"]], at, value)))
            library = Library([*(p for p in shipped_library() if p.id != profile.id), profile])
            after = outcome(jobs()[name], library, stage)
    except DocumentError:
        return False
    return after is not None and after != before(name, stage)


def acts(pattern: Path, kinds: list[dict[str, Any]], tag: str) -> Flip | None:
    """Return a flip of a field that changes something; None where none was found."""
    for stage in ("flow", "plan") if pattern[0] in ("flow", "tariff", "seasons") else ("plan", "flow", "order"):
        documents = jobs() if tag == "job/2" else {id: s for id, s in SHIPPED.items() if s["ewerer"] == tag}
        for of, document in documents.items():
            users = [of] if tag == "job/2" else [n for n, job in jobs().items() if of in json.dumps(job)][:9]
            for at in list(places(document, pattern))[: 60 if stage == "plan" else 4]:
                for value in list(others(kinds, value_at(document, at)))[: None if stage == "plan" else 8]:
                    for name in users:
                        flip = {"of": of, "at": list(at), "stage": stage, "job": name}
                        flip |= {"gone": True} if value is GONE else {"value": value}
                        if differs(flip):
                            return flip
    return None


EVERY = {
    "ewerer": "says what kind of document it is",
    "id": "is what jobs call it",
    "revision": "is told when it differs from the job's",
    "maker": "stands in the library",
    "notes": "stands in the library",
    "ports/*/id": "is what the protocols beside it call the port",
    "interlocks/*/note": "is told when an entry is refused",
    "firmware/*/why": "is told of a bad version that a unit carries",
    **{
        f"fixed/{n}": "counts where the menu has no entry for it, which no shipped device lacks; tests/core/test_trial.py"
        for n in ("absorb_v", "float_v", "shutdown_v", "restart", "restart_v", "restart_soc")
    },
}
REASONS: dict[str, dict[str, str]] = {
    "job/2": {
        "ewerer": EVERY["ewerer"],
        "notes": "stands on the screen and on paper",
        "bank/modules/*/serial": "stands on the screen and in the job file; no rule reads it",
        "units/*/serial": "stands on the screen and in the job file; no rule reads it",
        "sun/on_output/*/id": "is what a stop calls an array that cannot be turned down",
        "seasons/*/name": "is what the season's windows call it",
        "controller/profile": "one controller ships: without it the plan changes, see controller/id",
        **{
            f"breakers/*/{n}": "moves the run, not the plan; tests/core/test_run.py"
            for n in ("id", "name", "side", "feeds", "device")
        },
        "sheet_marks/*/*/state": "is drawn on the working list",
        "sheet_marks/*/*/entered": "is where a later visit begins; tests/core/test_run.py",
        "sheet_marks/*/*/note": "stands on the working list and on paper",
    },
    "inverter/1": EVERY,
    "module/1": EVERY
    | {
        "bms/ports/*/id": EVERY["ports/*/id"],
        "bms/protocols/*/port": "no other port of a shipped module speaks that protocol",
        "bms/charge_voltage_rule": "matters where modules of a family ask for different volts; tests/core/test_link.py",
    },
    "sun-charger/1": EVERY
    | {
        "ports/*/purpose": "inverter and module are one to a charger; follower is told of its twin port",
        "protocols/*/port": "no other port of a shipped charger speaks that protocol",
        "protocols/*/name": "is refused when follows does not name it, and the other way round",
        "protocols/*/approved": "both ends must say it",
    },
    "adapter/1": EVERY
    | {
        "ports/*/purpose": "which side a port faces is told by the protocols on it",
        "battery_side/*/port": "one port cannot face both sides",
        "device_side/*/port": "one port cannot face both sides",
        "battery_side/*/approved": "both ends must say it",
        "device_side/*/approved": "both ends must say it",
    },
    "controller/1": EVERY,
}
"""Fields that change no plan, order, page or simulation, and what they are for."""
BY_PORTS = ("modbus/", "settings/*/register")
"""What a port reads and where, which no plan goes by; tests/core/test_registers.py reads every value back."""
SHARED = ("settings/", "interlocks/", "unlock/", "keys/", "firmware/")
"""Parts that all kinds of profile have in common: it is enough that one kind acts on them."""


def fields_of(kind: str) -> dict[str, list[tuple[Path, list[dict[str, Any]]]]]:
    """Return every field of the job schema, or of each kind of profile by its tag."""
    root = schema(kind)
    if kind == "job":
        return {"job/2": list(leaves(root, root))}
    out = {}
    for part in root.get("anyOf") or root["oneOf"]:
        node = node_of(root, part)
        out[node["properties"]["ewerer"]["const"]] = list(leaves(root, node))
    return out


HELD = Path_(__file__).resolve().parent / "data" / "flips.json"


def to_try(tag: str) -> Iterator[tuple[str, Path, list[dict[str, Any]]]]:
    """Yield the fields of a kind of document that must change something."""
    for found, fields in (pair for kind in ("job", "profile") for pair in fields_of(kind).items()):
        for pattern, kinds in fields if found == tag else ():
            name = "/".join(pattern)
            if name.startswith(BY_PORTS):
                continue
            if name not in REASONS[tag] and (tag in ("job/2", "inverter/1") or not name.startswith(SHARED)):
                yield name, pattern, kinds


if __name__ == "__main__":
    held = json.loads(HELD.read_text()) if HELD.exists() else {}
    for tag in sys.argv[1:] or REASONS:
        known = held.get(tag, {})
        held[tag] = {}
        for name, pattern, kinds in to_try(tag):
            flip = known[name] if name in known and differs(known[name]) else acts(pattern, kinds, tag)
            if flip is None:
                print(tag, name, "changes nothing", flush=True)
            else:
                held[tag][name] = flip
        HELD.write_text(json.dumps(held, indent=0) + "\n")
