"""Ordinary jobs of all kinds, such as a practitioner meets: nothing in them is wrong, so no plan of one may say stop."""

import random
from typing import Any

MODULES = {24: ("cobbleway-200", "kelder-24-230"), 48: ("fennick-100", "dunmarrow-280"), 400: ("corrie-tower-128",)}
UNITS: dict[str, dict[str, Any]] = {
    "orrowan-t8": {"class": 48, "volts": (230,), "hz": (50,), "topologies": ("single", "three"), "w": 8000, "a": 160},
    "brackwater-m5": {
        "class": 48,
        "volts": (120, 230),
        "hz": (50, 60),
        "topologies": ("single", "split", "three"),
        "w": 5000,
        "a": 90,
    },
    "hexley-pr3": {"class": 24, "volts": (120,), "hz": (60,), "topologies": ("single", "split"), "w": 3000, "a": 100},
    "wendle-hy6": {"class": 48, "volts": (230,), "hz": (50,), "topologies": ("single", "three"), "w": 6000, "a": 120},
    "vantry-h15": {"class": 400, "volts": (230,), "hz": (50,), "topologies": ("three",), "w": 15000, "a": 50},
}
PHASES = {"single": ("L1",), "split": ("L1", "L2"), "three": ("L1", "L2", "L3")}


def usual_job(seed: int) -> dict[str, Any]:
    """Return a job in which everything fits: unit and bank of one class, a breaker and an engine that bear their loads."""
    d = random.Random(seed)
    name = d.choice([*UNITS, "plate"])
    if name == "plate":
        klass = d.choice((12, 24, 48))
        own = {
            "class": klass,
            "volts": d.choice(((230,), (120,))),
            "hz": (50,),
            "topologies": ("single",),
            "w": d.choice((2000, 3500, 5000)),
            "a": d.choice((40, 60, 80)),
        }
        plate = {"continuous_w": own["w"], "charge_max_a": own["a"], "class_v": klass}
    else:
        own, plate = UNITS[name], None
    volts, hz, topology = d.choice(own["volts"]), d.choice(own["hz"]), d.choice(own["topologies"])
    hz = 60 if volts == 120 else 50
    legs = len(PHASES[topology])
    by_itself = name == "vantry-h15"
    count = d.choice((1, 2)) if by_itself or plate else legs * d.choice((1, 1, 2))
    units = []
    for i in range(count):
        unit: dict[str, Any] = {"id": f"U{i + 1}", "role": "host" if i == 0 else "follower"}
        unit |= {"plate": plate} if plate else {"profile": name}
        if not by_itself:
            unit["phase"] = PHASES[topology][i % legs]
        units.append(unit)
    modules = modules_of(d, own["class"], count, own["w"])
    sources = sorted(
        {"sun", *d.choice((["mains"], ["generator"], ["mains", "generator"], []))}, key=("sun", "mains", "generator").index
    )
    rated = count * own["w"]
    load = round(d.uniform(0.1, 0.35) * rated, -1)
    job: dict[str, Any] = {
        "ewerer": "job/2",
        "name": f"Ordinary {seed}",
        "site": {
            "ac": {"volts": volts, "hz": hz, "topology": topology},
            "sources": sources,
            "bank_ambient_c": d.choice((10, 18, 25)),
        },
        "bank": {"modules": modules, "main_lead_mohm": 0.4, "lead_mohm": 0.4},
        "units": units,
        "loads": {"continuous_w": load, "daily_wh": load * d.uniform(6, 14)},
        "policy": {},
    }
    if "mains" in sources:
        amps = max(16, 1.6 * load / volts / legs)
        job["mains"] = {"breaker_a": next(a for a in (16, 20, 25, 32, 40, 50, 63, 80, 100, 125, 160, 200) if a >= amps)}
        if d.random() < 0.3:
            job["windows"] = [{"from": "01:00", "to": "05:00", "action": "charge", "target_soc": 0.9}]
        if name in ("wendle-hy6", "vantry-h15", "orrowan-t8") and "generator" not in sources and d.random() < 0.4:
            job["policy"]["mode"] = d.choice(("zero-export", "essential-only"))
    if "generator" in sources:
        job["generator"] = {"continuous_w": max(2000, round(load * 2.2, -2)), "start": d.choice(("manual", "auto"))}
    if d.random() < 0.5:
        job["sun"] = {
            "chargers": [
                {
                    "id": "S1",
                    "plate": {"charge_max_a": 30, "battery_v_max": own["class"] * 1.35, "array_v_max": 150},
                    "array_w": 30 * own["class"],
                }
            ]
        }
        if own["class"] == 400:
            del job["sun"]
    return job


def modules_of(d: random.Random, klass: int, units: int, rated_w: float) -> list[dict[str, Any]]:
    """Return modules of one kind that bear what the units draw."""
    kind = d.choice(("shipped", "plain", "acid")) if klass in MODULES else d.choice(("plain", "acid"))
    if klass == 400:
        kind = "shipped"
    need_a = units * rated_w / klass
    if kind == "shipped":
        profile = d.choice(MODULES[klass])
        each = {"cobbleway-200": 100, "kelder-24-230": 115, "fennick-100": 50, "dunmarrow-280": 140, "corrie-tower-128": 50}[
            profile
        ]
        count = max(1, min(12, round(need_a / each + 0.5)))
        return [{"id": f"M{i + 1}", "profile": profile} for i in range(count)]
    if kind == "plain":
        cells, ah = round(klass * 16 / 48), d.choice((100, 200, 280, 304))
        count = max(1, min(12, round(2 * need_a / ah + 0.5)))
        return [
            {
                "id": f"M{i + 1}",
                "series_cells": cells,
                "capacity_ah": ah,
                "charge_a": ah / 2,
                "discharge_a": ah,
                "cell_max_v": 3.65,
                "cell_min_v": 2.5,
            }
            for i in range(count)
        ]
    ah = max(200, round(need_a * 6, -1))
    return [{"id": "B1", "chemistry": d.choice(("flooded", "agm", "gel")), "series_cells": klass // 2, "capacity_ah": ah, "charge_a": ah / 6, "discharge_a": ah / 2,
        "cell_max_v": 2.65, "cell_min_v": 1.75}]  # fmt: skip
