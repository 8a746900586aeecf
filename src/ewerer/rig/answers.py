"""What a person with meters finds on a rig: the outcome of each of the fault finder's tests, by the rig as it is."""

from __future__ import annotations

from ..core.symptoms.finder import knowledge
from ..ports.expected import agrees, expected_of
from .rig import Rig

HIGH_CELL_V, WIDE_CELLS_V = 0.1, 0.05
COLD_C, HOT_C = 0.0, 50.0
THERMOMETERS_APART_K = 8.0
FULL_PCT = 98.5


def answers(rig: Rig) -> dict[str, int]:
    """Return the number of each test's outcome as it would be found now; tests that the rig cannot answer are left out."""
    w, t, plant = rig.wiring, rig.plant.trouble, rig.plant
    told = plant.report
    link = plant.made.solved.link
    expected = expected_of(link)
    host = rig.host
    planned = rig.planned
    plugged = {"in": 0, "out": 1, "wrong": 2}[w.plug]
    differing = {u.id: {k: v for k, v in planned.get(u.id, {}).items() if u.shown.get(k) != v} for u in rig.units}

    def as_planned(*quantities: str) -> bool:
        """Return whether the host shows what is planned for these quantities."""
        if host is None:
            return True
        ids = [s.id for q in quantities if (s := host.profile.setting_for(q)) is not None]
        return not set(ids) & set(differing.get(host.id, {}))

    slots = {s.id for s in host.profile.settings if s.slot} if host is not None else set()
    cells = told.cell_high_v - told.cell_low_v
    shown_c = told.temp_c + plant.sun_on_sensor_k
    ohms = 1 if plugged else 3 if not w.pins else {2: 0, 1: 1, 3: 2}.get(w.terminators, 3)
    found: dict[str, int] = {
        "seated": plugged,
        "ohms": ohms,
        "levels": int(bool(plugged) or not w.pins),
        "menu-protocol": int(not as_planned("battery_type", "bms_protocol")),
        "bus-rate": 0,
        "module-lamp": int(not plant.together),
        "each-alone": 0 if w.cycled else 1,
        "switches-as-drawn": int(w.address != "as-drawn"),
        "switches-how": {"host-off": 0, "equal": 1}.get(w.address, 2),
        "power-cycled": int(not w.cycled),
        "module-state": int(any(not (m.charging and m.discharging) for m in plant.modules)),
        "soc-full": int(100 * told.soc < FULL_PCT),
        "cells": 1 if cells > HIGH_CELL_V else 2 if cells > WIDE_CELLS_V else 0,
        "temperature": 1 if not COLD_C < told.temp_c < HOT_C else 2 if abs(shown_c - told.temp_c) > THERMOMETERS_APART_K else 0,
        "sensor-sun": int(not plant.sun_on_sensor_k),
        "firmware": int(t.forced),
        "terminal-drop": 0,
        "cells-entered": int(not as_planned("series_cells")),
        "amps-at-noon": 2 if t.eaten_a else 0,
        "stage-shown": 1 if t.hold_part < 1 else 0,
        "agreement": int(len({tuple(sorted(d.items())) for d in differing.values()}) > 1),
        "swap-leads": int(any(differing.values())),
        "roles": 0,
        "clamp": 1 if abs(t.shunt) != 1 or t.shunt < 0 else 2 if t.zero_a else 0,
        "direction": int(t.shunt < 0),
        "idle-zero": int(bool(t.zero_a)),
        "last-full": 0,
        "known-load": {1.0: 0, -1.0: 1}.get(t.meter, 2),
        "meter-chosen": 0,
        "fuse-sides": 0 if t.fuse else 1,
        "volts-at-unit": int(not t.fuse),
        "timestamp": 0 if rig.code else 1,
        "wakes": 0 if any(u.asleep for u in rig.units) else 1,
        "in-standby": 1,
        "unlocked": 0,
        "neighbour-first": 1,
        "master-switch": int(not as_planned("windows_on")),
        "window-now": 2 if t.clock_min else int(bool(slots & set(differing.get(host.id, {})))) if host is not None else 0,
        "slots-as-sheet": int(bool(slots & set(differing.get(host.id, {})))) if host is not None else 0,
        "ramp": int(t.sags),
        "order-allows": int(not as_planned("source_order")),
    }
    if "charge_a" in expected:
        found["n-times"] = int(not agrees("charge_a", told.charge_a, expected["charge_a"]))
    return {id: outcome for id, outcome in found.items() if id in knowledge().tests}
