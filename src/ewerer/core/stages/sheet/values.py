"""What each device is to be set to, before it is written in the device's own way."""

from __future__ import annotations

from collections.abc import Mapping

from ...devices.codec import Facts, Value, decode
from ...documents.profiles import InverterProfile, ModuleProfile, SunChargerProfile
from ...trade.margins import CALIBRATED
from ...trade.quantities import OWN_AMPS
from ...trade.rules import formula_rule
from ..bank.solve import chemistry_of
from ..limits.ac import ac_limiter, may_charge_from_ac
from ..solved import Device, Part, Solved, Unit
from ..thresholds.ladder import charge_ceiling_v
from ..units.solve import number_on_phase
from .derived import open_type

KEPT = formula_rule(
    "calibrated-kept",
    "sheet",
    "A current sensor that was measured in keeps its figure; the plate's does not undo it",
    "|found - plate| <= {CALIBRATED:%} of the plate: found",
)
EQUALISING = ("equalise_on", "equalise_v", "equalise_min", "equalise_days")
SENSOR = ("shunt_a", "shunt_mv")
INERT = ("equalise_on", "equalise_v", "equalise_min", "new_bank")
"""Quantities that nothing is switched on for: an idle one does no harm."""


def plan_values(device: Device, solved: Solved) -> dict[str, Value]:
    """Return every planned canonical value for one device: thresholds, derived figures, its own part and place."""
    if isinstance(device, Unit):
        values = _unit_values(device, solved)
    else:
        values = _module_values(device, solved) if device.kind == "module" else _part_values(device, solved)
    return _without_idle(device, values, solved) | _calibrated(device, values, solved)


def _without_idle(device: Device, values: dict[str, Value], solved: Solved) -> dict[str, Value]:
    """Return the values without those of equalising where it is switched off: they do nothing, and stay as they are."""
    profile = device.profile
    if values.get("equalise_on") is not False:
        return values
    off_by = "equalise_on" if profile.setting_for("equalise_on") is not None else "equalise_min"
    kept = {off_by, *solved.job.policy.own_figures}
    found = _found_number(device, "equalise_v", solved)
    if found is not None and solved.basis is not None and found > charge_ceiling_v(solved.basis):
        kept.add("equalise_v")  # so high that it is lowered, whether it acts or not
    return {n: v for n, v in values.items() if n not in EQUALISING or n in kept}


def _found_number(device: Device, name: str, solved: Solved) -> float | None:
    """Return a figure as it was found on a device; None where it was not noted or cannot be read."""
    setting = device.profile.setting_for(name)
    shown = solved.job.as_found.get(device.id, {}).get(setting.id) if setting is not None else None
    if setting is None or shown is None:
        return None
    try:
        value = decode(setting, shown, device.profile)
    except ValueError:
        return None
    return value if isinstance(value, float) else None


def _calibrated(device: Device, values: Mapping[str, Value], solved: Solved) -> dict[str, Value]:
    """Return what a current sensor was measured in as, which the plate's figure does not undo; a person's own figure does. Source: KEPT."""
    out: dict[str, Value] = {}
    for name in SENSOR:
        plate, found = values.get(name), _found_number(device, name, solved)
        if found is None or not isinstance(plate, float) or name in solved.job.policy.own_figures:
            continue
        if abs(found - plate) <= CALIBRATED * plate:
            out[name] = found
    return out


def _part_values(part: Part, solved: Solved) -> dict[str, Value]:
    """Return what is planned for a sun charger or the controller."""
    ladder = solved.ladders.get(part.profile.id)
    if ladder is None or not ladder.view.feasible:
        return {}
    values: dict[str, Value] = {name: rung.value for name, rung in ladder.rungs.items()}
    values |= {name: d.value for name, d in solved.derived_for(part.profile).items()}
    if solved.limits is None:
        return values
    if part.kind == "sun-charger":
        own = next((s.a for s in solved.limits.charge.units if s.unit == part.id and s.kind == "sun-charger"), 0.0)
        values["charge_max_a"] = values["sun_charge_max_a"] = own
        if len(solved.sun_chargers) > 1:
            values["address"] = float(part.index + 1)
        values["role"] = "single" if part.role == "alone" else part.role
        values["interface_role"] = _interface(part)
        for name in ("bms_protocol", "bms_port", "bms_bitrate"):
            values.pop(name, None)
        heard = _spoken(part, solved)
        values["battery_type"] = "protocol" if heard else open_type(part.profile, chemistry_of(solved.modules), ladder)[0]
        if heard and isinstance(part.profile, SunChargerProfile):
            entry = next(p for p in part.profile.protocols if p.name == heard)
            values |= {"bms_protocol": heard, "bms_port": entry.port, "bms_bitrate": float(entry.bitrate)}
    else:
        values["bank_charge_max_a"] = solved.limits.charge.bank_a
        values["discharge_max_a"] = solved.limits.discharge.bank_a
    return values


def _module_values(part: Part, solved: Solved) -> dict[str, Value]:
    """Return what is planned for the menu of a module's BMS: the protocol, what it asks for, its own limits and address."""
    m = next(x for x in solved.modules if x.id == part.id)
    values: dict[str, Value] = {"capacity_ah": m.capacity_ah, "series_cells": float(m.series_cells)}
    values["charge_max_a"] = min(m.charge_a, m.charge_warranty_a or m.charge_a)
    values["discharge_max_a"] = min(m.discharge_a, m.discharge_warranty_a or m.discharge_a)
    values["interface_role"] = _interface(part)
    if m.asked_cell_v is not None:
        values["absorb_v"] = m.asked_cell_v * m.series_cells
    ladder, derived = solved.ladder, solved.derived_for(solved.host.profile if solved.host else None)
    if ladder is not None and "float_v" in ladder.rungs:
        values["float_v"] = ladder.rungs["float_v"].value
    values |= {n: derived[n].value for n in ("absorb_min", "tail_a", "temp_stop_c", "low_temp_stop_c") if n in derived}
    placed = solved.link.addresses.modules if solved.link.addresses else []
    address = next((a.address for a in placed if a.module == part.id), None)
    if address is not None:
        values["address"] = float(address)
    if solved.link.loop == "closed" and part.id in solved.link.speaking and solved.link.protocol is not None:
        values["bms_protocol"] = _spoken(part, solved)
        if solved.link.bms_port is not None:
            values["bms_port"] = solved.link.bms_port
        rate = solved.link.adapter.bitrate if solved.link.adapter else solved.link.bitrate
        if rate is not None:
            values["bms_bitrate"] = float(rate)
    return values


def _interface(part: Part) -> str:
    """Return the part's place among its like: alone where it is and its menu has a word for that."""
    setting = part.profile.setting_for("interface_role")
    offered = (setting.encoding.choices or {}) if setting is not None else {}
    return "host" if part.role == "alone" and "alone" not in offered else part.role


def follows_bms(part: Part, solved: Solved) -> bool:
    """Return whether a sun charger obeys the BMS that speaks."""
    return any(c.charger == part.id and c.follows for c in solved.link.chargers)


def _spoken(part: Part, solved: Solved) -> str:
    """Return the name of the protocol that a charger obeys or a module speaks; empty where none is."""
    if part.kind == "sun-charger":
        said = next((c.protocol for c in solved.link.chargers if c.charger == part.id and c.follows), None)
    else:
        said = solved.link.adapter.protocol if solved.link.adapter else solved.link.protocol
    return (said or "").split(" ")[0]


def facts_of(device: Device, solved: Solved) -> Facts:
    """Return what a choice may depend on, by the names of profiles' facts."""
    facts = {
        "topology": solved.job.site.ac.topology,
        "role": "single" if isinstance(device, Unit) and len(solved.units) == 1 else device.role,
        "units": "alone" if len(solved.units) == 1 else "group",
        "firmware": device.firmware or "",
        "loop": solved.link.loop,
        "phase": "",
        "place": "1",
        "chemistry": solved.bank.chemistry if solved.bank else "",
        "cells": str(solved.bank.series_cells) if solved.bank else "",
    }
    if isinstance(device, Unit):
        facts |= {"phase": device.job.phase, "place": str(number_on_phase(device, solved.units))}
    return facts


def given_texts(device: Device, solved: Solved) -> dict[str, str]:
    """Return setting id -> text that a profile itself gives for this job: type codes by chemistry and cells, protocol numbers."""
    profile = device.profile
    out: dict[str, str] = {}
    kind, protocol = profile.setting_for("battery_type"), profile.setting_for("bms_protocol")
    if isinstance(profile, SunChargerProfile) and kind is not None and solved.bank is not None and isinstance(device, Part):
        codes, chemistry = profile.battery_type_codes, solved.bank.chemistry
        code = next((codes[k] for k in (f"{chemistry}-{solved.bank.series_cells}", chemistry, "user") if k in codes), None)
        if code is not None and not (follows_bms(device, solved) and "protocol" in (kind.encoding.choices or {})):
            out[kind.id] = code
    name = "" if isinstance(device, Unit) else _spoken(device, solved)
    if protocol is not None and name and not isinstance(device, Unit):
        if isinstance(profile, ModuleProfile) and profile.bms is not None and device.id in solved.link.speaking:
            spoken = [p for p in profile.bms.protocols if p.name == name and p.port == solved.link.bms_port]
        elif isinstance(profile, SunChargerProfile) and follows_bms(device, solved):
            spoken = [p for p in profile.protocols if p.name == name]
        else:
            spoken = []
        if spoken and spoken[0].entry is not None:
            out[protocol.id] = spoken[0].entry
    return out


def _unit_values(unit: Unit, solved: Solved) -> dict[str, Value]:
    ladder = solved.ladders.get(unit.profile.id)
    values: dict[str, Value] = {}
    if ladder is not None:
        values |= {name: rung.value for name, rung in ladder.rungs.items()}
    values |= {name: d.value for name, d in solved.derived_for(unit.profile).items()}
    if solved.limits is not None:
        own = next((s.a for s in solved.limits.charge.units if s.unit == unit.id and s.kind == "unit"), None)
        out = next((s.a for s in solved.limits.discharge.units if s.unit == unit.id), None)
        ac = next((s.a for s in solved.limits.ac.units if s.unit == unit.id), None)
        if own is not None:
            limiter = ac_limiter(unit)
            bound = limiter is not None and limiter.quantity == "charge_max_a" and may_charge_from_ac(unit, solved.job)
            values["charge_max_a"] = min(own, ac) if bound and ac is not None else own
            values["mains_charge_max_a"] = ac or 0.0
        if out is not None:
            values["discharge_max_a"] = out
    for name in TOTALS:
        setting = unit.profile.setting_for(name)
        if setting is not None and setting.scope == "cluster-total" and solved.limits is not None and name in values:
            values[name] = _total(name, solved)
    for name in OWN_AMPS:
        own_a, planned = solved.job.policy.own_number(name), values.get(name)
        if own_a is not None and isinstance(planned, float) and own_a < planned:
            values[name] = own_a
    if unit.job.role == "follower" and unit.profile.follower_battery_type and values.get("battery_type") == "protocol":
        values["battery_type"] = unit.profile.follower_battery_type
    if values:
        values["role"] = unit.job.role if len(solved.units) > 1 else _alone(unit.profile)
        values["phase"] = unit.job.phase
        if len(solved.units) > 1:
            values["address"] = float(unit.index + 1)
        if solved.link.loop == "closed":
            values["interface_role"] = "host" if unit.id == solved.link.host_unit else "follower"
        if "topology" in values and values["topology"] == "single" and len(solved.units) == 1:
            values["topology"] = "alone"
    return values


TOTALS = ("charge_max_a", "mains_charge_max_a", "discharge_max_a")
"""Currents that some units take once for all of them together."""


def _total(name: str, solved: Solved) -> float:
    """Return what all units together may carry [A]: the limit itself, never a share of it."""
    assert solved.limits is not None
    if name == "mains_charge_max_a":
        return min(solved.limits.charge.bank_a, solved.limits.ac.charge_a or 0.0)
    chain = solved.limits.charge if name == "charge_max_a" else solved.limits.discharge
    return chain.bank_a


def _alone(profile: InverterProfile) -> str:
    """Return what a unit without others is called: single, else host where it offers no word for it."""
    role = profile.setting_for("role")
    return "host" if role is not None and "single" not in (role.encoding.choices or {}) else "single"
