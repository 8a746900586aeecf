"""What the units are set to, as the simulation takes it: the sheets' entries, or what was found on the units."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..devices.codec import Value, decode
from ..devices.slots.week import time_of
from ..documents.profiles import MenuProfile
from ..documents.results.windows import Slot
from ..stages.bank.solve import chemistry_of
from ..stages.limits.ac import ac_limiter, loads_unmetered
from ..stages.sheet.found import decoded_found
from ..stages.solved import Device, Solved, SunCharger, Unit
from ..trade.chemistries import soc_at
from ..trade.margins import (
    GAP_V,
    GENERATOR_STOP_SOC,
    HEAT_J_PER_K_AH_CELL,
    LEAK_W_PER_K_KWH,
    LEGS,
    OUTAGE_RETURN_SOC,
    RESTART_SOC_GAP,
    RETURN_SOC_GAP,
    SUN_EFFICIENCY,
    USUAL_AMBIENT_C,
)
from ..trade.rules import formula_rule
from . import kernel as K

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

NEVER = 1e9

MODES = {"feed-in": K.FEED_IN, "essential-only": K.ESSENTIAL, "zero-export": K.ZERO_EXPORT, "peak-shaving": K.PEAK}
SOURCE_ORDERS = {"sun-bank-mains": K.OFF_GRID_BANK, "sun-mains": K.OFF_GRID_SUN, "mains-first": K.OFF_GRID_MAINS}
CHARGE_ORDERS = {
    "sun-only": K.SUN_ONLY,
    "sun-first": K.SUN_FIRST,
    "sun-and-mains": K.SUN_AND_MAINS,
    "mains-first": K.MAINS_CHARGE_FIRST,
}

READ = formula_rule(
    "flow-settings",
    "sheet",
    "The simulation goes by what the sheets say, or by what was found; only what no unit has a setting for comes from the job",
    "value = found, else entry, else the job's own figure",
)


@dataclass(frozen=True, slots=True)
class Reads:
    """What one device goes by: canonical values, and which quantities its menu has a setting for."""

    values: Mapping[str, Value]
    profile: MenuProfile

    def has(self, name: str) -> bool:
        """Return whether the menu has a setting for a quantity."""
        return self.profile.setting_for(name) is not None

    def number(self, name: str, fallback: float) -> float:
        """Return a figure; ``fallback`` where there is none."""
        value = self.values.get(name)
        return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else fallback

    def set_number(self, name: str, fallback: float) -> float:
        """Return a figure that the device's own menu holds; ``fallback`` where the menu has no setting for it."""
        return self.number(name, fallback) if self.has(name) else fallback

    def word(self, name: str, fallback: str) -> str:
        """Return a choice that the device's own menu holds; ``fallback`` where it has no setting for it."""
        value = self.values.get(name)
        return value if isinstance(value, str) and self.has(name) else fallback

    def flag(self, name: str, fallback: bool) -> bool:
        """Return a switch that the device's own menu holds; ``fallback`` where it has no setting for it."""
        value = self.values.get(name)
        return value if isinstance(value, bool) and self.has(name) else fallback


def reads(device: Device, solved: Solved, as_found: bool = False) -> Reads:
    """Return what a device goes by: what is planned, over it what its sheet enters, over it what was found."""
    values: dict[str, Value] = dict(solved.values.get(device.id, {}))
    sheet = solved.sheets.get(device.id)
    if sheet is not None:
        values |= {row.quantity: row.value for row in sheet.settings if row.quantity}
    if as_found:
        values |= decoded_found(device, solved)
    return Reads(values, device.profile)


def _mains_charge_a(unit: Unit, held: Reads, units: int) -> float:
    """Return what a unit charges from AC at most [A]: its AC limiter's entry, a total divided by the units that share it."""
    limiter = ac_limiter(unit)
    most = unit.profile.ratings.ac_charge_max_a
    if limiter is None or limiter.quantity is None:
        return min(most, held.number("mains_charge_max_a", most))
    amps = held.number(limiter.quantity, most)
    return min(most, amps / units if limiter.scope == "cluster-total" else amps)


def _own_sun_a(unit: Unit, held: Reads) -> float:
    """Return what a unit's built-in sun chargers give at most [A]."""
    return min(unit.profile.own_sun_a, held.set_number("sun_charge_max_a", unit.profile.own_sun_a))


def _charger_a(charger: SunCharger, held: Mapping[str, Reads]) -> float:
    """Return what a separate sun charger gives at most [A]: its menu's entry, else its rating."""
    most, menu = charger.profile.charge_max_a, held.get(charger.job.id)
    return menu.number("charge_max_a", most) if menu is not None else most


def _bank_a(solved: Solved, held: Mapping[str, Reads], as_found: bool) -> float:
    """Return what may go into the bank [A]: the bank's own limit, a controller's cap, or what all chargers add up to."""
    limits = solved.limits
    assert limits is not None
    most = min(c.a for c in limits.charge.caps if c.cap != "temperature")
    controller = next((p for p in solved.parts if p.kind == "controller"), None)
    if solved.controller is not None and controller is not None:
        cap = held[controller.id].number("bank_charge_max_a", most)
        away = (solved.job.site.dc_loads_a or 0.0) if loads_unmetered(solved.job, solved.library) else 0.0
        return max(0.0, cap - away)
    entries = 0.0
    for u in solved.units:
        s = u.profile.setting_for("charge_max_a")
        if s is None:
            return most
        if s.scope == "cluster-total":
            entries = held[solved.host.id if solved.host else u.id].number("charge_max_a", most)
            break
        entries += held[u.id].number("charge_max_a", most)
    entries += sum(_charger_a(c, held) for c in solved.sun_chargers)
    # As found nothing but the entries holds the chargers back; planned, they add up to no more than the bank takes.
    return entries if as_found and entries > 0 else min(most, entries) if entries > 0 else most


def _sun_a(solved: Solved, held: Mapping[str, Reads]) -> float:
    """Return what all sun chargers on the DC side give at most [A]; 0 where there is none."""
    return sum(_charger_a(c, held) for c in solved.sun_chargers) + sum(
        _own_sun_a(u, held[u.id]) for u in solved.units if u.job.array_w
    )


def found_slots(unit: Unit, solved: Solved) -> list[Slot] | None:
    """Return the slots that a unit was found with; what was not noted of them is as planned, else as the factory left it.

    None where nothing of its slots was noted.
    """
    noted = solved.job.as_found.get(unit.id, {})
    places = [s for s in unit.profile.settings if s.slot is not None]
    if not any(s.id in noted for s in places):
        return None
    sheet = solved.sheets.get(unit.id)
    planned = {r.setting: r.entry for r in sheet.settings} if sheet else {}
    held: dict[tuple[str, int], dict[str, Value]] = {}
    for s in places:
        assert s.slot is not None
        text = noted.get(s.id, planned.get(s.id, s.factory))
        if text is not None:
            try:
                held.setdefault((s.slot.kind, s.slot.no), {})[s.slot.field] = decode(s, text, unit.profile)
            except ValueError:
                continue
    out = []
    for (kind, _), parts in held.items():
        begin, end = (parts.get(k) for k in ("from", "to"))
        if not isinstance(begin, float) or not isinstance(end, float) or begin == end or parts.get("on") is False:
            continue
        out.append(_found_slot(kind, begin, end, parts, unit, solved))
    return out


def _found_slot(kind: str, begin: float, end: float, parts: Mapping[str, Value], unit: Unit, solved: Solved) -> Slot:
    form, bank = unit.profile.slots, solved.bank
    assert form is not None and bank is not None
    target, power = parts.get("target"), parts.get("power")
    if isinstance(power, float):
        power *= len(solved.units) * (bank.nominal_v if form.power == "a" else 1.0)
    charges = kind == "charge" or bool(parts.get("charge")) or bool(parts.get("generator"))
    if isinstance(target, float) and form.target == "volts" and solved.basis is not None:
        # Back from the terminals to the charge at which the bank would rest there.
        flow_v = (power if isinstance(power, float) else 0.0) / bank.nominal_v * solved.basis.path_ohm
        rest_v = target - flow_v if charges else target + flow_v
        target = soc_at(chemistry_of(solved.modules), rest_v / bank.series_cells)
    return Slot.model_validate(
        {
            "kind": kind,
            "start": time_of(int(begin), form.end_of_day),
            "end": time_of(int(end), form.end_of_day),
            "target_soc": target if isinstance(target, float) else None,
            "power_w": power if isinstance(power, float) else None,
            "charge_allowed": charges,
            "holds": kind == "no-discharge" or (kind == "slot" and not charges and target == 1.0),
        }
    )


def parameters(solved: Solved, as_found: bool, assumed: list[str]) -> tuple[Floats, Ints, Floats]:
    """Return the kernel's figures, choices and groups of units. Source: READ."""
    job, bank, limits, ladder, basis, host = solved.job, solved.bank, solved.limits, solved.ladder, solved.basis, solved.host
    assert bank is not None and limits is not None and ladder is not None and basis is not None and host is not None
    held = {d.id: reads(d, solved, as_found) for d in solved.devices}
    mine = held[host.id]
    policy, ratings = job.policy, host.profile.ratings
    by_soc = mine.values.get("control", ladder.view.decide_by) == "soc"
    suffix = "soc" if by_soc else "v"
    n = bank.series_cells
    absorb = mine.number("absorb_v", solved.charge_v)
    rated = sum(u.profile.ratings.continuous_w for u in solved.units)

    mode = mine.word("mode", policy.mode)
    export_on = mine.flag("export_on", policy.sells)
    export = policy.export_limit_w if policy.export_limit_w is not None else rated
    export = mine.set_number("export_limit_w", export)
    if mine.has("export_limit_pct"):
        export = min(export, mine.number("export_limit_pct", 1.0) * rated)
    switched = mine.flag("windows_on", bool(job.windows))
    form = host.profile.slots
    rests = not switched and form is not None and form.rests_without_master and mine.has("windows_on")

    reserve = mine.set_number("on_grid_min_soc", mine.number("to_mains_soc", basis.reserve_soc)) if by_soc else 0.0
    outage, back = -1.0, -1.0
    if by_soc:
        if mine.has("outage_min_soc"):
            outage = mine.number("outage_min_soc", basis.shutdown_soc)
        elif policy.outage_reserve_soc is not None:
            outage = policy.outage_reserve_soc
            if mode in MODES:
                assumed.append(f"{outage * 100:.0f} % is kept for outages, though no setting of {host.profile.name} holds it")
        back = mine.set_number("outage_return_soc", min(1.0, outage + OUTAGE_RETURN_SOC))

    # What charges from the sun begins anew every day unless its own menu says when to charge again.
    from_sun = [held[c.job.id] for c in solved.sun_chargers if c.job.id in held]
    from_sun += [held[u.id] for u in solved.units if u.job.array_w]
    plain = any(c.job.id not in held for c in solved.sun_chargers)
    recharges = not plain and all(x.has("recharge_v") or x.has("recharge_soc") for x in from_sun or [mine])
    ends = mine.word("absorb_end", "tail" if mine.has("tail_a") else "time")
    mains_w = next((s.available_w for s in limits.ac.sources if s.source == "mains"), 0.0)
    gen_w = next((s.available_w for s in limits.ac.sources if s.source == "generator"), 0.0)
    breaker = job.mains.breaker_a * job.site.ac.volts * LEGS[job.site.ac.topology] if job.mains else 0.0
    engine = job.generator
    sun_a = _sun_a(solved, held)
    charge_a = _bank_a(solved, held, as_found)
    discharge_a = min(c.a for c in limits.discharge.caps if c.cap != "temperature")
    entered = [held[u.id].number("discharge_max_a", discharge_a) for u in solved.units if held[u.id].has("discharge_max_a")]
    if len(entered) == len(solved.units) and not any(
        s is not None and s.scope == "cluster-total" for u in solved.units for s in [u.profile.setting_for("discharge_max_a")]
    ):
        discharge_a = min(discharge_a, sum(entered)) if not as_found else sum(entered)
    par = np.zeros(K.P_COUNT)
    values = {
        K.P_CELLS: n,
        K.P_CAPACITY_AH: bank.capacity_ah,
        K.P_R_OHM: max(1e-3, bank.path_mohm / 1000),
        K.P_CHARGE_A: charge_a,
        K.P_DISCHARGE_A: discharge_a,
        K.P_ABSORB_V: absorb,
        K.P_FLOAT_V: min(absorb, mine.number("float_v", n * chemistry_of(solved.modules).rest_v)),
        K.P_RECHARGE_V: mine.number("recharge_v", 0.0) if recharges and not by_soc else mine.set_number("recharge_v", 0.0),
        K.P_RECHARGE_SOC: mine.set_number("recharge_soc", 0.0),
        K.P_HOLD_H: mine.number("absorb_min", 60.0) / 60 if ends != "level" else NEVER,
        K.P_TAIL_A: mine.set_number("tail_a", 0.0) if ends == "tail" else 0.0,
        K.P_END_SOC: mine.number("absorb_end_soc", 1.0) if ends == "level" else 2.0,
        K.P_TO_SOC: mine.set_number("charge_to_soc", 1.0),
        K.P_SHUT_V: max(mine.number("shutdown_v", 0.0), n * bank.cell_min_v),
        K.P_RESTART_V: mine.number("restart_v", n * bank.cell_min_v + 1),
        K.P_SHUT_SOC: mine.number("shutdown_soc", 0.0),
        K.P_RESTART_SOC: mine.number("restart_soc", RESTART_SOC_GAP),
        K.P_OFF_V: max(mine.set_number("unit_off_v", 0.0), n * bank.cell_min_v),
        K.P_ETA: ratings.inverter_efficiency,
        K.P_ETA_CHARGE: ratings.charger_efficiency,
        K.P_ETA_SUN: min((c.profile.efficiency for c in solved.sun_chargers), default=SUN_EFFICIENCY),
        K.P_IDLE_W: sum(u.profile.ratings.idle_w for u in solved.units),
        K.P_DC_LOAD_A: job.site.dc_loads_a or 0.0,
        K.P_RESERVE: reserve,
        K.P_EXPORT_W: export if export_on else 0.0,
        K.P_PEAK_W: mine.set_number("peak_cap_w", policy.peak_cap_w if policy.peak_cap_w is not None else NEVER),
        K.P_ISLAND_SOC: outage,
        K.P_ISLAND_BACK: back,
        K.P_MAINS_W: mains_w,
        K.P_BREAKER_W: breaker,
        K.P_GEN_W: gen_w,
        K.P_GEN_START: mine.number(f"gen_start_{suffix}", mine.number(f"to_mains_{suffix}", basis.reserve_soc if by_soc else 0.0)),
        K.P_GEN_STOP: mine.number(f"gen_stop_{suffix}", GENERATOR_STOP_SOC if by_soc else absorb - basis.margins.return_v * n),
        K.P_GEN_MIN_H: mine.set_number("gen_min_run_min", engine.min_run_min if engine else 0.0) / 60,
        K.P_GEN_WARM_H: mine.set_number("gen_warm_up_s", engine.warm_up_min * 60 if engine else 0.0) / 3600,
        K.P_FULL_DAYS: mine.set_number("full_charge_days", NEVER) or NEVER,
        K.P_FULL_V: mine.set_number("full_charge_v", absorb),
        K.P_FULL_H: mine.set_number("full_charge_min", mine.number("absorb_min", 60.0)) / 60,
        K.P_AC_START: mine.set_number(f"ac_charge_start_{suffix}", NEVER),
        K.P_AC_STOP: mine.set_number(f"ac_charge_stop_{suffix}", NEVER),
        K.P_AMBIENT_C: job.site.bank_ambient_c if job.site.bank_ambient_c is not None else USUAL_AMBIENT_C,
        K.P_THERMAL_J_K: HEAT_J_PER_K_AH_CELL * bank.capacity_ah * n + 1000.0,
        K.P_LEAK_W_K: LEAK_W_PER_K_KWH * bank.energy_wh / 1000 + 1.0,
        K.P_START_SOC: job.flow.start_soc,
        K.P_SUN_CHARGE_A: sun_a if sun_a > 0 else charge_a,
        K.P_OUTPUT_CHARGE_W: sum(u.profile.ratings.ac_charge_max_a for u in solved.units) * absorb,
    }
    for index, value in values.items():
        par[index] = value
    final = mine.word("final_stage", "float" if mine.flag("float_on", policy.float_school != "none") else "none")
    cho = np.zeros(K.I_COUNT, dtype=np.int64)
    for at, choice in {
        K.I_MODE: MODES.get(mode, SOURCE_ORDERS[mine.word("source_order", policy.source_order)]),
        K.I_CHARGE_ORDER: CHARGE_ORDERS[mine.word("charge_order", policy.charge_order)],
        K.I_PRIORITY: K.BANK_FIRST if mine.word("sun_priority", policy.priority) == "bank-first" else K.LOADS_FIRST,
        K.I_SELL: int(mode != "feed-in" and export_on),
        K.I_BY_SOC: int(by_soc),
        K.I_FLOATS: int(final != "none"),
        K.I_GENERATOR: int(engine is not None and "generator" in job.site.sources),
        K.I_RESTS: int(rests),
        K.I_ASSIST: int(mine.flag("assist", False)),
        K.I_PER_ROW: 1,
        K.I_PARTS: 1,
        K.I_DAILY_BULK: int(not recharges),
    }.items():
        cho[at] = choice
    groups: dict[tuple[float, ...], int] = {}
    for u in solved.units:
        own = held[u.id]
        key = (
            u.profile.ratings.continuous_w,
            _mains_charge_a(u, own, len(solved.units)) * absorb,
            own.number(f"to_mains_{suffix}", basis.reserve_soc if by_soc else 0.0),
            own.number(f"return_bank_{suffix}", basis.reserve_soc + RETURN_SOC_GAP if by_soc else GAP_V * n),
        )
        if mode in MODES and by_soc and own.has("on_grid_min_soc"):
            key = (*key[:2], -1.0, -1.0)  # it goes by the least charge on the grid, without a way back of its own
        groups[key] = groups.get(key, 0) + 1
    return par, cho, np.array([[count, *key] for key, count in groups.items()])
