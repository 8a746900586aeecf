"""Random jobs from a seed: the same job for the same seed, on every machine and under every hash seed.

Wider than the Hypothesis strategies of ``tests.jobs``: all shipped devices, links, sun, tariff, windows, as found.
"""

import json
from random import Random
from typing import Any

from ewerer.core.devices.library import shipped_library

SYSTEMS = [
    ("orrowan-t8", 16, 48, 230, 50, ("single", "three")),
    ("brackwater-m5", 16, 48, 230, 50, ("single",)),
    ("brackwater-m5", 15, 48, 230, 50, ("single",)),
    ("hexley-pr3", 8, 24, 120, 60, ("single", "split")),
]
LEGS = {"single": ["L1"], "split": ["L1", "L2"], "three": ["L1", "L2", "L3"]}
TIMES = [f"{h:02d}:{m:02d}" for h in range(24) for m in (0, 15, 30, 45)]


def _maybe(dice: Random, node: dict[str, Any], key: str, value: Any, chance: float = 0.5) -> None:
    if dice.random() < chance:
        node[key] = value


def _modules(dice: Random, cells: int) -> list[dict[str, Any]]:
    fitting = [p for p in shipped_library() if p.version_tag.startswith("module/") and getattr(p, "series_cells", 0) == cells]
    if fitting and dice.random() < 0.5:
        chosen = dice.choice(fitting).id
        modules: list[dict[str, Any]] = [{"id": f"M{i}", "profile": chosen} for i in range(dice.randint(1, 6))]
    else:
        amps, size = dice.choice([30, 50, 100]), dice.choice([100, 200, 280])
        modules = [
            {
                "id": f"M{i}",
                "series_cells": cells,
                "capacity_ah": size,
                "charge_a": amps,
                "discharge_a": amps * 2,
                "resistance_mohm": round(dice.uniform(3, 30), 1),
            }
            for i in range(dice.randint(1, 6))
        ]
    for m in modules:
        _maybe(dice, m, "resting_v", round(cells * (3.28 + dice.uniform(0, 0.006)), 2))
        _maybe(dice, m, "lead_mohm", round(dice.uniform(0.1, 2), 1), 0.2)
        _maybe(dice, m, "charge_warranty_a", dice.choice([20, 25, 40]), 0.1)
        _maybe(dice, m, "age_years", dice.choice([0, 1, 4]), 0.1)
    return modules


def _window(dice: Random) -> dict[str, Any]:
    window: dict[str, Any] = {
        "days": dice.choice(["all", "mon-fri", "sat,sun"]),
        "from": dice.choice(TIMES),
        "to": dice.choice(TIMES),
        "action": dice.choice(["charge", "hold", "use", "export"]),
    }
    _maybe(dice, window, "target_soc", dice.choice([0.3, 0.5, 0.8, 0.9]))
    _maybe(dice, window, "power_w", dice.choice([1000, 2000, 3000]))
    return window


def seeded_job(seed: int) -> dict[str, Any]:
    """Return a plausible job: well-formed, on shipped devices, with or without every optional part."""
    dice = Random(seed)
    profile, cells, _, volts, hz, topologies = dice.choice(SYSTEMS)
    topology = dice.choice(topologies)
    legs = LEGS[topology]
    sources = [s for s in ("sun", "mains", "generator") if dice.random() < 0.6]
    units = [
        {"id": f"U{i}", "profile": profile, "role": "follower" if i else "host", "phase": legs[i % len(legs)]}
        for i in range(len(legs) * dice.randint(1, 2))
    ]
    job: dict[str, Any] = {
        "ewerer": "job/1",
        "name": f"seed {seed}",
        "site": {"ac": {"volts": volts, "hz": hz, "topology": topology}, "sources": sources, "time_zone": "Europe/Lisbon"},
        "bank": {"modules": _modules(dice, cells)},
        "units": units,
        "policy": {
            "charge_school": dice.choice(["everyday", "full"]),
            "float_school": dice.choice(["same", "rest", "none"]),
            "hold_school": dice.choice(["tail", "per-ah", "short"]),
            "control": dice.choice(["auto", "auto", "volts", "soc"]),
            "loop": dice.choice(["auto", "auto", "open", "closed"]),
            "charge_order": dice.choice(["sun-only", "sun-first", "sun-and-mains", "mains-first"]),
            "source_order": dice.choice(["sun-bank-mains", "sun-mains", "mains-first"]),
        },
    }
    _maybe(dice, job["site"], "bank_ambient_c", dice.randint(-5, 45))
    _maybe(dice, job["bank"], "fuse_a", dice.choice([125, 250, 400]))
    _maybe(dice, job["policy"], "reserve_soc", dice.choice([0.15, 0.2, 0.3, 0.4]))
    _maybe(dice, job["policy"], "max_c_rate", dice.choice([0.2, 0.3, 0.5]))
    _maybe(dice, job["policy"], "own_figures", {"float_v": round(cells * dice.uniform(3.3, 3.42), 1)}, 0.2)
    if dice.random() < 0.7:
        steady = dice.choice([300, 800, 1500, 2600])
        job["loads"] = {"continuous_w": steady, "peak_w": steady * 2, "daily_wh": steady * 9}
    if "sun" in sources:
        charger = dice.choice(["pilch-sun-60", "pilch-sun-100"])
        job["sun"] = {"chargers": [{"id": "S1", "profile": charger, "array_w": dice.choice([2000, 4000, 6200]), "tilt_deg": 30}]}
    if "mains" in sources:
        job["mains"] = {"breaker_a": dice.choice([16, 20, 32, 63])}
    if "generator" in sources:
        job["generator"] = {"continuous_w": dice.choice([3000, 6000, 9000]), "start": dice.choice(["manual", "auto"])}
        if dice.random() < 0.3:
            job["generator"] |= {"quiet_from": "22:00", "quiet_to": "07:00"}
    job["windows"] = [_window(dice) for _ in range(dice.choice([0, 0, 1, 2, 3]))]
    if dice.random() < 0.3:
        held = next(p for p in shipped_library() if p.id == profile)
        shown = {s.id: s.factory for s in held.settings if s.factory is not None and dice.random() < 0.7}
        job["as_found"] = {"U0": shown}
    return json.loads(json.dumps(job))


KITS = [
    ("orrowan-t8", "dunmarrow-280", 48, 230, 50, "single", "pilch-sun-100"),
    ("orrowan-t8", "dunmarrow-280", 48, 230, 50, "three", "pilch-sun-100"),
    ("brackwater-m5", "fennick-100", 48, 230, 50, "single", "pilch-sun-100"),
    ("hexley-pr3", "cobbleway-200", 24, 120, 60, "split", "pilch-sun-60"),
    ("hexley-pr3", "kelder-24-230", 24, 120, 60, "single", "pilch-sun-60"),
]
"""Unit, module, class, AC volts and hertz, topology, sun charger that people put together."""
RATED = {"orrowan-t8": 8000, "brackwater-m5": 5000, "hexley-pr3": 3000}


def ordinary_job(seed: int) -> dict[str, Any]:
    """Return a job as sites are: a bank of 3 to 8 kWh a unit and more, loads a third of the rating, feeds to match, nothing extreme."""
    dice = Random(f"ordinary {seed}")
    unit, module, class_v, volts, hz, topology, charger = dice.choice(KITS)
    legs = LEGS[topology]
    count = len(legs) * (dice.randint(1, 2) if len(legs) < 3 else 1)
    held = next(p for p in shipped_library() if p.id == module)
    watts = RATED[unit] * count
    load = round(watts * dice.uniform(0.1, 0.3), -2)
    # As many modules as carry the load twice over.
    least = -int(-(2 * load / (class_v * 0.85)) // getattr(held, "discharge_a", 100))
    modules = max(least, dice.randint(2, 6), count)
    cells = getattr(held, "series_cells", 16)
    resting = round(cells * 3.285 + dice.uniform(0, 0.1), 2)
    sources = ["sun", *dice.choice([[], ["mains"], ["generator"], ["mains", "generator"]])]
    job: dict[str, Any] = {
        "ewerer": "job/1",
        "name": f"ordinary {seed}",
        "site": {
            "ac": {"volts": volts, "hz": hz, "topology": topology},
            "sources": sources,
            "time_zone": "Europe/Lisbon",
            "bank_ambient_c": dice.randint(12, 32),
        },
        "bank": {
            "modules": [
                {"id": f"M{i}", "profile": module, "resting_v": round(resting + dice.choice([0, 0.01, 0.02]) * class_v / 48, 3)}
                for i in range(modules)
            ],
            "lead_mohm": dice.choice([0.2, 0.4, 0.6]),
            "main_lead_mohm": dice.choice([0.2, 0.3, 0.5]),
            "fuse_a": 125 * -int(-(watts / class_v * 1.25) // 125),
        },
        "units": [
            {"id": f"U{i}", "profile": unit, "role": "follower" if i else "host", "phase": legs[i % len(legs)]}
            for i in range(count)
        ],
        "loads": {"continuous_w": load, "peak_w": round(load * 1.6, -2), "daily_wh": load * 9},
        "sun": {"chargers": [{"id": "S1", "profile": charger, "array_w": dice.choice([1500, 3000, 4500]), "tilt_deg": 30}]},
        "policy": {
            "charge_school": dice.choice(["everyday", "everyday", "full"]),
            "float_school": dice.choice(["same", "rest", "none"]),
            "hold_school": dice.choice(["tail", "per-ah", "short"]),
            "charge_order": dice.choice(["sun-only", "sun-first"]),
            "source_order": dice.choice(["sun-bank-mains", "sun-bank-mains", "mains-first"]),
            "reserve_soc": dice.choice([0.15, 0.2, 0.3]),
        },
    }
    _maybe(dice, job["policy"], "max_c_rate", dice.choice([0.2, 0.3, 0.5]))
    if "mains" in sources:
        amps = load / volts / len(legs)
        job["mains"] = {"breaker_a": next(b for b in (16, 20, 25, 32, 40, 50, 63, 80, 100) if 0.8 * b > amps + 8 * count)}
    if "generator" in sources:
        job["generator"] = {
            "continuous_w": round(load + watts * dice.uniform(0.3, 0.6), -2),
            "start": dice.choice(["manual", "auto"]),
        }
    return json.loads(json.dumps(job))
