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


def parameters(solved: Solved, as_found: bool, assumed: list[str]) -> tuple[K.Figures, K.Choices, K.Groups]:
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
    par = K.Figures(
        cells=n,
        capacity_ah=bank.capacity_ah,
        r_ohm=max(1e-3, bank.path_mohm / 1000),
        charge_a=charge_a,
        discharge_a=discharge_a,
        absorb_v=absorb,
        float_v=min(absorb, mine.number("float_v", n * chemistry_of(solved.modules).rest_v)),
        recharge_v=mine.number("recharge_v", 0.0) if recharges and not by_soc else mine.set_number("recharge_v", 0.0),
        recharge_soc=mine.set_number("recharge_soc", 0.0),
        hold_h=mine.number("absorb_min", 60.0) / 60 if ends != "level" else NEVER,
        tail_a=mine.set_number("tail_a", 0.0) if ends == "tail" else 0.0,
        end_soc=mine.number("absorb_end_soc", 1.0) if ends == "level" else 2.0,
        to_soc=mine.set_number("charge_to_soc", 1.0),
        shut_v=max(mine.number("shutdown_v", 0.0), n * bank.cell_min_v),
        restart_v=mine.number("restart_v", n * bank.cell_min_v + 1),
        shut_soc=mine.number("shutdown_soc", 0.0),
        restart_soc=mine.number("restart_soc", RESTART_SOC_GAP),
        off_v=max(mine.set_number("unit_off_v", 0.0), n * bank.cell_min_v),
        eta=ratings.inverter_efficiency,
        eta_charge=ratings.charger_efficiency,
        eta_sun=min((c.profile.efficiency for c in solved.sun_chargers), default=SUN_EFFICIENCY),
        idle_w=sum(u.profile.ratings.idle_w for u in solved.units),
        dc_load_a=job.site.dc_loads_a or 0.0,
        reserve=reserve,
        export_w=export if export_on else 0.0,
        peak_w=mine.set_number("peak_cap_w", policy.peak_cap_w if policy.peak_cap_w is not None else NEVER),
        island_soc=outage,
        island_back=back,
        mains_w=mains_w,
        breaker_w=breaker,
        gen_w=gen_w,
        gen_start=mine.number(f"gen_start_{suffix}", mine.number(f"to_mains_{suffix}", basis.reserve_soc if by_soc else 0.0)),
        gen_stop=mine.number(f"gen_stop_{suffix}", GENERATOR_STOP_SOC if by_soc else absorb - basis.margins.return_v * n),
        gen_min_h=mine.set_number("gen_min_run_min", engine.min_run_min if engine else 0.0) / 60,
        gen_warm_h=mine.set_number("gen_warm_up_s", engine.warm_up_min * 60 if engine else 0.0) / 3600,
        full_days=mine.set_number("full_charge_days", NEVER) or NEVER,
        full_v=mine.set_number("full_charge_v", absorb),
        full_h=mine.set_number("full_charge_min", mine.number("absorb_min", 60.0)) / 60,
        ac_start=mine.set_number(f"ac_charge_start_{suffix}", NEVER),
        ac_stop=mine.set_number(f"ac_charge_stop_{suffix}", NEVER),
        ambient_c=job.site.bank_ambient_c if job.site.bank_ambient_c is not None else USUAL_AMBIENT_C,
        thermal_j_k=HEAT_J_PER_K_AH_CELL * bank.capacity_ah * n + 1000.0,
        leak_w_k=LEAK_W_PER_K_KWH * bank.energy_wh / 1000 + 1.0,
        start_soc=job.flow.start_soc,
        sun_charge_a=sun_a if sun_a > 0 else charge_a,
        output_charge_w=sum(u.profile.ratings.ac_charge_max_a for u in solved.units) * absorb,
    )
    final = mine.word("final_stage", "float" if mine.flag("float_on", policy.float_school != "none") else "none")
    cho = K.Choices(
        mode=MODES.get(mode, SOURCE_ORDERS[mine.word("source_order", policy.source_order)]),
        charge_order=CHARGE_ORDERS[mine.word("charge_order", policy.charge_order)],
        priority=K.BANK_FIRST if mine.word("sun_priority", policy.priority) == "bank-first" else K.LOADS_FIRST,
        sell=bool(mode != "feed-in" and export_on),
        by_soc=bool(by_soc),
        floats=bool(final != "none"),
        generator=bool(engine is not None and "generator" in job.site.sources),
        rests=bool(rests),
        assist=bool(mine.flag("assist", False)),
        per_row=1,
        parts=1,
        daily_bulk=bool(not recharges),
        skip=0,
        target_v=False,
    )
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
    arrays = np.array([[count, *key] for key, count in groups.items()]).T
    return par, cho, K.Groups(*(np.ascontiguousarray(a) for a in arrays))
