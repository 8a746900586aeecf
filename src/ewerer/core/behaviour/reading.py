"""What the units are set to, as the simulation takes it: the sheets' entries, or what was found on the units."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from ..devices.codec import Value, decode
from ..devices.slots.week import time_of
from ..documents.profiles import MenuProfile
from ..documents.results.windows import Slot
from ..stages.bank.solve import chemistry_of
from ..stages.limits.ac import ac_limiter, loads_unmetered
from ..stages.sheet.found import decoded_found
from ..stages.sheet.slotrows import slot_values
from ..stages.solved import Device, Solved, SunCharger, Unit
from ..trade.chemistries import soc_at
from ..trade.margins import GENERATOR_STOP_SOC, HEAT_J_PER_K_AH_CELL, LEAK_W_PER_K_KWH, LEGS, SUN_EFFICIENCY, USUAL_AMBIENT_C
from ..trade.quantities import QUANTITIES
from ..trade.rules import formula_rule
from . import kernel as K

NEVER = 1e9
UNSET = frozenset({"soc_now", "new_bank"})
"""What a setting shows at rest says nothing about what the unit does."""

ACTIONS = {"auto": K.AUTO, "charge": K.CHARGE, "hold": K.HOLD, "use": K.USE, "export": K.EXPORT}
MODES = {"feed-in": K.FEED_IN, "essential-only": K.ESSENTIAL, "zero-export": K.ZERO_EXPORT, "peak-shaving": K.PEAK}
SOURCE_ORDERS = {"sun-bank-mains": K.OFF_GRID_BANK, "sun-mains": K.OFF_GRID_SUN, "mains-first": K.OFF_GRID_MAINS}
CHARGE_ORDERS = {
    "sun-only": K.SUN_ONLY,
    "sun-first": K.SUN_FIRST,
    "sun-and-mains": K.SUN_AND_MAINS,
    "mains-first": K.MAINS_CHARGE_FIRST,
}

UNEXPLAINED = {"source_order": "sun-bank-mains", "charge_order": "sun-and-mains", "final_stage": "float"}
"""What a display's word is taken for that nobody has explained: the bank carries the loads, all sources charge, the bank is held full."""

READ = formula_rule(
    "flow-settings",
    "sheet",
    "What a unit does follows from the settings it shows: as found, as entered, else as shipped; what its menu lacks its profile says",
    "value = found, else entry, else factory; without a setting: fixed by the profile, else said to be unknown",
)


@dataclass(frozen=True, slots=True)
class Reads:
    """What one device goes by: canonical values of the settings it shows."""

    values: Mapping[str, Value]
    profile: MenuProfile

    def has(self, name: str) -> bool:
        """Return whether the menu has a setting for a quantity."""
        return self.profile.setting_for(name) is not None

    def figure(self, *names: str) -> float | None:
        """Return the first of these figures that the device shows."""
        for name in names:
            value = self.values.get(name)
            if isinstance(value, int | float) and not isinstance(value, bool):
                return float(value)
        return None

    def number(self, name: str, fallback: float) -> float:
        """Return a figure; ``fallback`` where the device shows none."""
        value = self.figure(name)
        return fallback if value is None else value

    def word(self, name: str, fallback: str) -> str:
        """Return a choice; ``fallback`` where the device shows none."""
        value = self.values.get(name)
        return value if isinstance(value, str) else fallback

    def flag(self, name: str, fallback: bool) -> bool:
        """Return a switch; ``fallback`` where the device shows none."""
        value = self.values.get(name)
        return value if isinstance(value, bool) else fallback


_SHIPPED: dict[int, dict[str, Value]] = {}


def _shipped(profile: MenuProfile) -> dict[str, Value]:
    """Return what a device shows as it is shipped; kept as long as the profile lives."""
    held = _SHIPPED.get(id(profile))
    if held is None:
        held = {}
        for s in profile.settings:
            if s.quantity and s.factory is not None and s.quantity not in UNSET:
                try:
                    held[s.quantity] = decode(s, s.factory, profile)
                except ValueError:
                    continue
        _SHIPPED[id(profile)] = held
        weakref.finalize(profile, _SHIPPED.pop, id(profile), None)
    return held


def reads(device: Device, solved: Solved, as_found: bool = False) -> Reads:
    """Return what a device goes by: what it is shipped with, over it what its sheet enters, over it what was found.

    What is set once for all units is read off the host's sheet.
    """
    values = dict(_shipped(device.profile))
    host = solved.host
    if isinstance(device, Unit) and host is not None and host.id != device.id and host.id in solved.sheets:
        values |= {
            r.quantity: r.value for r in solved.sheets[host.id].settings if r.quantity and r.scope in ("host", "cluster-total")
        }
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
    return min(unit.profile.own_sun_a, held.number("sun_charge_max_a", unit.profile.own_sun_a))


def _charger_a(charger: SunCharger, held: Mapping[str, Reads]) -> float:
    """Return what a separate sun charger gives at most [A]: its menu's entry, else its rating."""
    most, menu = charger.profile.charge_max_a, held.get(charger.job.id)
    found = menu.figure("charge_max_a", "sun_charge_max_a") if menu is not None else None
    return most if found is None else min(most, found)


@dataclass(frozen=True, slots=True)
class Source:
    """One way of charging the bank: at most so many amps up to so many volts, by which entry; whether it obeys the BMS."""

    id: str
    a: float
    v: float
    by: str
    follows: bool
    has_menu: bool = True


def charging_sources(solved: Solved, held: Mapping[str, Reads]) -> list[Source]:
    """Return every charger on the bank with what it gives by its own settings, by its plate where it has none."""
    out: list[Source] = []
    shared = next((s for u in solved.units if (s := u.profile.setting_for("charge_max_a")) and s.scope == "cluster-total"), None)
    link = solved.link
    for u in solved.units:
        own = held[u.id]
        most = u.profile.ratings.charge_max_a
        figure_a = own.figure("charge_max_a")
        amps = most if figure_a is None else min(most, figure_a / (len(solved.units) if shared is not None else 1))
        volts = own.figure("absorb_v")
        volts = (
            volts if volts is not None else u.profile.fixed.absorb_v if u.profile.fixed.absorb_v is not None else solved.charge_v
        )
        setting = u.profile.setting_for("charge_max_a")
        out.append(Source(u.id, amps, volts, setting.label if setting else "its rating", link.loop == "closed"))
    obeys = {c.charger for c in link.chargers if c.follows}
    for c in solved.sun_chargers:
        menu = held.get(c.job.id)
        profile = c.profile
        cap = menu.figure("charge_max_a", "sun_charge_max_a") if menu is not None else None
        amps = min(profile.charge_max_a, cap) if cap is not None else c.max_a(solved.charge_v)
        volts = (menu.figure("absorb_v") if menu is not None else None) or profile.fixed.absorb_v or solved.charge_v
        out.append(
            Source(c.job.id, amps, volts, "its menu" if cap is not None else "its plate", c.job.id in obeys, menu is not None)
        )
    return out


def _bank_a(solved: Solved, held: Mapping[str, Reads]) -> float:
    """Return what may go into the bank [A]: a controller's cap, or what all chargers add up to; the BMS holds those that obey it."""
    limits = solved.limits
    assert limits is not None
    most = min(c.a for c in limits.charge.caps if c.cap != "temperature")
    controller = next((p for p in solved.parts if p.kind == "controller"), None)
    if solved.controller is not None and controller is not None:
        cap = held[controller.id].number("bank_charge_max_a", most)
        away = (solved.job.site.dc_loads_a or 0.0) if loads_unmetered(solved.job, solved.library) else 0.0
        return max(0.0, cap - away)
    sources = charging_sources(solved, held)
    if all(s.follows for s in sources):
        return min(most, sum(s.a for s in sources))
    return sum(s.a for s in sources)


def _sun_a(solved: Solved, held: Mapping[str, Reads]) -> float:
    """Return what all sun chargers on the DC side give at most [A]; 0 where there is none."""
    return sum(_charger_a(c, held) for c in solved.sun_chargers) + sum(
        _own_sun_a(u, held[u.id]) for u in solved.units if u.job.array_w
    )


def entered_slots(unit: Unit, solved: Solved, as_found: bool = False, other: Sequence[Slot] | None = None) -> list[Slot] | None:
    """Return what a unit's slots say by their entries: on its sheet, over them what was found; what neither says as shipped.

    ``other`` are the slots of another part of the year, which are entered then. None where the unit has no settings for slots,
    or nothing of them is entered.
    """
    places = [s for s in unit.profile.settings if s.slot is not None]
    noted = solved.job.as_found.get(unit.id, {}) if as_found else {}
    if other is not None and not noted:
        values = slot_values(unit, solved, other)
    else:
        sheet = solved.sheets.get(unit.id)
        shown = {r.setting: r.entry for r in sheet.settings} if sheet else {}
        if not any(s.id in shown or s.id in noted for s in places):
            return None
        values = {}
        for s in places:
            text = noted.get(s.id, shown.get(s.id, s.factory))
            if text is not None:
                try:
                    values[s.id] = decode(s, text, unit.profile)
                except ValueError:
                    continue
    if not values:
        return None
    held: dict[tuple[str, int], dict[str, Value]] = {}
    shares: dict[tuple[str, int], bool] = {}
    for s in places:
        assert s.slot is not None
        if s.id in values:
            held.setdefault((s.slot.kind, s.slot.no), {})[s.slot.field] = values[s.id]
            if s.slot.field == "power":
                shares[s.slot.kind, s.slot.no] = s.scope not in ("host", "cluster-total")
    chain = sorted(k for k, parts in held.items() if k[0] == "slot" and isinstance(parts.get("from"), float))
    out = []
    for key, parts in held.items():
        if "to" not in parts and key in chain:  # a chain that keeps beginnings only: each ends where the next begins
            parts["to"] = held[chain[(chain.index(key) + 1) % len(chain)]]["from"]
        begin, end = (parts.get(k) for k in ("from", "to"))
        if not isinstance(begin, float) or not isinstance(end, float) or begin == end or parts.get("on") is False:
            continue
        out.append(_slot_of(key[0], begin, end, parts, unit, solved, shares.get(key, True)))
    return out


def _slot_of(kind: str, begin: float, end: float, parts: Mapping[str, Value], unit: Unit, solved: Solved, each: bool) -> Slot:
    form, bank = unit.profile.slots, solved.bank
    assert form is not None and bank is not None
    target, power = parts.get("target"), parts.get("power")
    if isinstance(power, float):
        power *= (len(solved.units) if each else 1) * (bank.nominal_v if form.power == "a" else 1.0)
    charges = kind == "charge" or bool(parts.get("charge")) or bool(parts.get("generator"))
    sells = solved.job.policy.mode == "feed-in"
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
            "exports": kind in ("discharge", "slot") and not charges and sells,
            "holds": kind == "no-discharge" or (kind == "slot" and not charges and target == 1.0),
        }
    )


@dataclass(frozen=True, slots=True)
class Levels:
    """The levels a unit goes by, in the measure it decides by: volts or charge (0..1). -1 where it has none."""

    shut_v: float
    shut_soc: float
    restart_v: float
    restart_soc: float
    alarm: float
    to_mains: float
    back: float
    gen_start: float
    gen_stop: float
    by_soc: bool


def levels_of(unit: Unit, own: Reads, solved: Solved, by_soc: bool, say: Callable[[str], None]) -> Levels:
    """Return the levels of one unit; what nobody said is said to be unknown and taken at the unsafe end. Source: READ."""
    bank, basis, job = solved.bank, solved.basis, solved.job
    assert bank is not None and basis is not None
    fixed, name, suffix = unit.profile.fixed, unit.profile.name, "soc" if by_soc else "v"
    opens = bank.series_cells * bank.cell_min_v
    volts = own.figure("shutdown_v") or fixed.shutdown_v
    charge = own.figure("shutdown_soc", "protect_3_soc") if by_soc else None
    if volts is None and charge is None:
        say(f"{name} has no shut-down in its menu: the bank gives until its BMS opens")
    shut_v, shut_soc = max(volts or 0.0, opens), charge if charge is not None else -1.0
    again = own.figure(f"restart_{suffix}")
    if again is None:
        again = fixed.restart_soc if by_soc else fixed.restart_v
        if fixed.restart == "by-hand":
            again = NEVER
        elif again is None and fixed.restart is None:
            say(f"when {name} gives again after a shut-down is not known: at once")
    floor = shut_soc if by_soc else shut_v
    again = floor if again is None else max(again, floor)
    alarm = own.figure(f"alarm_{suffix}", *(("protect_2_soc",) if by_soc else ()))
    over = own.figure(f"to_mains_{suffix}")
    back = own.figure(f"return_bank_{suffix}")
    if over is not None and back is None:
        back = over
        if job.mains is not None or job.generator is not None:
            say(f"when {name} gives the loads back to the bank is not known: at once")
    start, stop = own.figure(f"gen_start_{suffix}"), own.figure(f"gen_stop_{suffix}")
    engine = job.generator
    by_hand = engine is not None and engine.start == "manual"
    if start is None:
        # By hand a person starts it when the unit warns; by itself it goes by the transfer where it has no point of its own.
        start = next((x for x in ((alarm, over) if by_hand else (over, alarm)) if x is not None), None)
        if start is None:
            start = max(floor, basis.reserve_soc if by_soc else floor)
    if stop is None:
        stop = back if back is not None and back > start and not by_hand else (GENERATOR_STOP_SOC if by_soc else None)
    if stop is None and by_hand and basis.rises:
        stop = NEVER  # by hand until the hold is over: lead-acid touches absorption long before it is full
    if stop is None:
        stop = (own.figure("absorb_v") or solved.charge_v) - basis.margins.return_v * bank.series_cells
    ends = own.figure(f"ac_charge_stop_{suffix}")
    if by_hand and ends is not None and (by_soc or not basis.rises):
        stop = min(stop, ends)  # nobody lets an engine run on that charges nothing any more
    stop = max(start, stop)
    return Levels(
        shut_v=shut_v, shut_soc=shut_soc, restart_v=shut_v if by_soc else again, restart_soc=again if by_soc else 0.0, alarm=-1.0 if alarm is None else alarm,
        to_mains=-1.0 if over is None else over, back=-1.0 if back is None else max(back, over or back), gen_start=start, gen_stop=stop, by_soc=by_soc,
    )  # fmt: skip


def parameters(
    solved: Solved, as_found: bool, assumed: list[str], held: Mapping[str, Reads] | None = None
) -> tuple[K.Figures, K.Choices, K.Groups]:
    """Return the kernel's figures, choices and groups of units; ``held`` where the devices were read before. Source: READ."""
    job, bank, limits, ladder, basis, host = solved.job, solved.bank, solved.limits, solved.ladder, solved.basis, solved.host
    assert bank is not None and limits is not None and ladder is not None and basis is not None and host is not None
    held = held or {d.id: reads(d, solved, as_found) for d in solved.devices}
    mine = held[host.id]
    policy, ratings = job.policy, host.profile.ratings

    def say(text: str) -> None:
        if text not in assumed:
            assumed.append(text)

    def meant(name: str, fallback: str) -> str:
        """Return a choice of the host; one whose word nobody has explained is taken at its unsafe end, and said."""
        value = mine.word(name, fallback)
        if value in dict(QUANTITIES[name].choices):
            return value
        say(f"{host.id}: what its {QUANTITIES[name].word.lower()} shows has no meaning in its profile")
        return UNEXPLAINED.get(name, fallback)

    by_soc = meant("control", ladder.view.decide_by) == "soc"
    suffix = "soc" if by_soc else "v"
    n = bank.series_cells
    absorb = mine.number("absorb_v", host.profile.fixed.absorb_v or solved.charge_v)
    rated = sum(u.profile.ratings.continuous_w for u in solved.units)
    levels = {u.id: levels_of(u, held[u.id], solved, by_soc, say) for u in solved.units}
    at = levels[host.id]

    mode = meant("mode", policy.mode)
    export_on = mine.flag("export_on", policy.sells)
    export = mine.number("export_limit_w", policy.export_limit_w if policy.export_limit_w is not None else rated)
    export = min(export, mine.number("export_limit_pct", 1.0) * rated)
    switched = mine.flag("windows_on", bool(job.windows))
    form = host.profile.slots
    rests = not switched and form is not None and form.rests_without_master and mine.has("windows_on")

    reserve = mine.number("on_grid_min_soc", max(at.to_mains, at.shut_soc)) if by_soc else 0.0
    outage, back = -1.0, -1.0
    if by_soc:
        kept = mine.figure("outage_min_soc")
        if kept is not None:
            outage = kept
        elif policy.outage_reserve_soc is not None and mode in MODES:
            say(
                f"no setting of {host.profile.name} keeps {policy.outage_reserve_soc * 100:.0f} % for outages: it gives down to its shut-down"
            )
        back = mine.number("outage_return_soc", outage)

    # What charges from the sun begins anew every day unless its own menu says when to charge again.
    from_sun = [held[c.job.id] for c in solved.sun_chargers if c.job.id in held]
    from_sun += [held[u.id] for u in solved.units if u.job.array_w]
    plain = any(c.job.id not in held for c in solved.sun_chargers)
    recharges = not plain and all(x.has("recharge_v") or x.has("recharge_soc") for x in from_sun or [mine])
    ends = meant("absorb_end", "tail" if mine.has("tail_a") else "time")
    mains_w = next((s.available_w for s in limits.ac.sources if s.source == "mains"), 0.0)
    gen_w = next((s.available_w for s in limits.ac.sources if s.source == "generator"), 0.0)
    breaker = job.mains.breaker_a * job.site.ac.volts * LEGS[job.site.ac.topology] if job.mains else 0.0
    engine = job.generator
    sun_a = _sun_a(solved, held)
    charge_a = _bank_a(solved, held)
    discharge_a = min(c.a for c in limits.discharge.caps if c.cap != "temperature")
    entered = [held[u.id].number("discharge_max_a", discharge_a) for u in solved.units if held[u.id].has("discharge_max_a")]
    if len(entered) == len(solved.units) and not any(
        s is not None and s.scope == "cluster-total" for u in solved.units for s in [u.profile.setting_for("discharge_max_a")]
    ):
        discharge_a = min(discharge_a, sum(entered)) if not as_found else sum(entered)
    chem, exponent = chemistry_of(solved.modules), max((m.peukert for m in solved.modules), default=1.0)
    par = K.Figures(
        cells=n,
        capacity_ah=bank.capacity_ah,
        r_ohm=max(1e-3, bank.path_mohm / 1000),
        charge_a=charge_a,
        discharge_a=discharge_a,
        absorb_v=absorb,
        float_v=min(absorb, mine.number("float_v", host.profile.fixed.float_v or n * chemistry_of(solved.modules).rest_v)),
        recharge_v=mine.number("recharge_v", 0.0),
        recharge_soc=mine.number("recharge_soc", 0.0),
        hold_h=mine.number("absorb_min", 60.0) / 60 if ends != "level" else NEVER,
        tail_a=mine.number("tail_a", 0.0) if ends == "tail" else 0.0,
        end_soc=mine.number("absorb_end_soc", 1.0) if ends == "level" else 2.0,
        to_soc=mine.number("charge_to_soc", 1.0),
        shut_v=at.shut_v,
        restart_v=at.restart_v,
        shut_soc=at.shut_soc,
        restart_soc=at.restart_soc,
        off_v=max(mine.number("unit_off_v", 0.0), n * bank.cell_min_v),
        eta=ratings.inverter_efficiency,
        eta_charge=ratings.charger_efficiency,
        eta_sun=min((c.profile.efficiency for c in solved.sun_chargers), default=SUN_EFFICIENCY),
        idle_w=sum(u.profile.ratings.idle_w for u in solved.units),
        dc_load_a=job.site.dc_loads_a or 0.0,
        reserve=reserve,
        export_w=export if export_on else 0.0,
        peak_w=mine.number("peak_cap_w", policy.peak_cap_w if policy.peak_cap_w is not None else NEVER),
        island_soc=outage,
        island_back=back,
        mains_w=mains_w,
        breaker_w=breaker,
        gen_w=gen_w,
        gen_start=at.gen_start,
        gen_stop=at.gen_stop,
        gen_min_h=mine.number("gen_min_run_min", engine.min_run_min if engine else 0.0) / 60,
        gen_warm_h=mine.number("gen_warm_up_s", engine.warm_up_min * 60 if engine else 0.0) / 3600,
        full_days=mine.number("full_charge_days", NEVER) or NEVER,
        full_v=mine.number("full_charge_v", absorb),
        full_h=mine.number("full_charge_min", mine.number("absorb_min", 60.0)) / 60,
        ac_start=mine.number(f"ac_charge_start_{suffix}", NEVER),
        ac_stop=mine.number(f"ac_charge_stop_{suffix}", NEVER),
        ambient_c=job.site.bank_ambient_c if job.site.bank_ambient_c is not None else USUAL_AMBIENT_C,
        thermal_j_k=HEAT_J_PER_K_AH_CELL * bank.capacity_ah * n + 1000.0,
        leak_w_k=LEAK_W_PER_K_KWH * bank.energy_wh / 1000 + 1.0,
        start_soc=job.flow.start_soc,
        sun_charge_a=sun_a if sun_a > 0 else charge_a,
        c10_ah=basis.c10_ah,
        lead_ohm=basis.lead_ohm,
        rated_a=bank.capacity_ah / chem.rated_h if chem.rated_h else 0.0,
        peukert=exponent - 1.0,
        output_charge_w=sum(u.profile.ratings.ac_charge_max_a for u in solved.units) * absorb,
    )
    final = meant("final_stage", "float" if mine.flag("float_on", policy.float_school != "none") else "none")
    cho = K.Choices(
        mode=MODES.get(mode, SOURCE_ORDERS[meant("source_order", policy.source_order)]),
        charge_order=CHARGE_ORDERS[meant("charge_order", policy.charge_order)],
        priority=K.BANK_FIRST if meant("sun_priority", policy.priority) == "bank-first" else K.LOADS_FIRST,
        sell=bool(mode != "feed-in" and export_on),
        by_soc=bool(by_soc),
        floats=bool(final != "none"),
        generator=bool(engine is not None and "generator" in job.site.sources),
        rests=bool(rests),
        assist=bool(mine.flag("assist", False)),
        per_row=1,
        parts=1,
        by_hand=engine is not None and engine.start == "manual",
        daily_bulk=bool(not recharges),
        skip=0,
        target_v=False,
    )
    groups: dict[tuple[float, ...], int] = {}
    for u in solved.units:
        own = held[u.id]
        own_levels = levels[u.id]
        key = (
            u.profile.ratings.continuous_w,
            _mains_charge_a(u, own, len(solved.units)) * absorb,
            own_levels.to_mains,
            own_levels.back,
        )
        if mode in MODES and by_soc and own.has("on_grid_min_soc"):
            key = (*key[:2], -1.0, -1.0)  # it goes by the least charge on the grid, without a way back of its own
        groups[key] = groups.get(key, 0) + 1
    return par, cho, K.Groups(*(list(column) for column in zip(*([count, *key] for key, count in groups.items()), strict=True)))
