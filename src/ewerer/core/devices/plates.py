"""Units and sun chargers without a profile: what the plate says becomes a profile with a plain menu, so that no plan waits for one."""

from __future__ import annotations

import hashlib
import json
from functools import lru_cache

from ..documents.job import ChargerPlate, JobSunCharger, JobUnit, UnitPlate
from ..documents.profiles import Encoding, InverterProfile, Ratings, Setting, SunChargerProfile
from ..trade.margins import AC_HZ, AC_VOLTS, PLATE_MOST, PLATE_RANGE, PLATE_TEMPERATURES_C
from ..trade.quantities import QUANTITIES
from ..trade.steps import figure
from .library import Library

UNIT_TAKES = ("absorb_v", "float_v", "shutdown_v", "restart_v", "charge_max_a", "mains_charge_max_a")
CHARGER_TAKES = ("absorb_v", "absorb_min", "float_v", "sun_charge_max_a")
"""Settings that nearly every device has, where the person names none."""
MENU = ["Its menu"]
VOLTS_LOW, VOLTS_HIGH = PLATE_RANGE
SURGE = 2.0
"""Surge of a plate that gives none, as a multiple of what it gives for hours [T]."""


def unit_profile(unit: JobUnit, library: Library) -> InverterProfile | None:
    """Return a unit's profile: from the library, or made of its plate; None where the library has none of that name."""
    if unit.plate is not None:
        return _unit(unit.plate.model_dump_json(exclude_none=True))
    return library.get(unit.profile, InverterProfile) if unit.profile else None


def charger_profile(charger: JobSunCharger, library: Library) -> SunChargerProfile | None:
    """Return a sun charger's profile: from the library, or made of its plate; None where the library has none of that name."""
    if charger.plate is not None:
        return _charger(charger.plate.model_dump_json(exclude_none=True))
    return library.get(charger.profile, SunChargerProfile) if charger.profile else None


def _key(text: str) -> str:
    return "plate-" + hashlib.sha256(text.encode()).hexdigest()[:10]


def _setting(name: str, low_v: float, high_v: float, step_v: float, most_a: float, step_a: float) -> Setting:
    """Return a setting as a plain display would show it: whole amps and percent, volts in the given step."""
    q = QUANTITIES[name]
    low, high, step, encoding = 0.0, PLATE_MOST, 1.0, Encoding()
    if q.kind == "volts":
        low, high, step = low_v, high_v, step_v
    elif q.kind == "amps":
        high, step = most_a, step_a
    elif q.kind in ("soc", "level"):
        high, encoding = 100.0, Encoding(scale=100.0)
    elif q.kind == "clock":
        high, encoding = 24.0 * 60 - 1, Encoding(kind="hhmm")
    elif q.kind == "switch":
        encoding = Encoding(kind="on-off", choices={"yes": "on", "no": "off"})
    elif q.kind == "choice":
        encoding = Encoding(kind="choice", choices=dict(q.choices))
    elif name == "temp_comp_mv_per_c":
        low = -PLATE_MOST
    elif name.endswith("_c"):
        low, high = PLATE_TEMPERATURES_C
    number = encoding.kind in ("plain", "hhmm")
    return Setting(
        id=name.replace("_", "-"),
        menu=MENU,
        label=q.word,
        quantity=name,
        unit="%" if q.kind in ("soc", "level") else q.unit,
        min=low if number else None,
        max=high if number else None,
        step=step if number else None,
        encoding=encoding,
    )


@lru_cache(maxsize=256)
def _unit(text: str) -> InverterProfile:
    plate = UnitPlate.model_validate(json.loads(text))
    low = plate.battery_v_min or round(plate.class_v * VOLTS_LOW, 1)
    high = plate.battery_v_max or round(plate.class_v * VOLTS_HIGH, 1)
    ac_a = plate.ac_charge_max_a if plate.ac_charge_max_a is not None else plate.charge_max_a
    return InverterProfile(
        ewerer="inverter/1",
        id=_key("unit" + text),
        name=f"By plate: {figure(plate.continuous_w / 1000, 2)} kW, {plate.class_v} V",
        maker="by plate",
        ratings=Ratings(
            continuous_w=plate.continuous_w,
            surge_w=plate.surge_w or plate.continuous_w * SURGE,
            charge_max_a=plate.charge_max_a,
            ac_charge_max_a=ac_a,
            battery_v_min=low,
            battery_v_max=high,
            class_v=plate.class_v,
            ac_phases=plate.ac_phases,
        ),
        ac_volts=list(AC_VOLTS) if plate.ac_volts is None else [plate.ac_volts],
        ac_hz=[*AC_HZ],
        topologies=["single", "split", "three"],
        max_parallel=plate.max_parallel,
        settings=[_setting(n, low, high, plate.step_v, plate.charge_max_a, plate.step_a) for n in plate.takes or UNIT_TAKES],
    )


@lru_cache(maxsize=256)
def _charger(text: str) -> SunChargerProfile:
    plate = ChargerPlate.model_validate(json.loads(text))
    return SunChargerProfile(
        ewerer="sun-charger/1",
        id=_key("charger" + text),
        name=f"By plate: {figure(plate.charge_max_a)} A",
        maker="by plate",
        charge_max_a=plate.charge_max_a,
        battery_v_max=plate.battery_v_max,
        array_v_max=plate.array_v_max,
        settings=[
            _setting(n, 1.0, plate.battery_v_max, plate.step_v, plate.charge_max_a, plate.step_a)
            for n in plate.takes or CHARGER_TAKES
        ],
    )
