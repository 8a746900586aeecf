"""What goes into a simulation: sun, loads, prices, windows and the plan's figures as arrays."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pandas as pd
import pvlib

from ..devices.library import Library
from ..devices.slots.forms import expand_slots
from ..devices.slots.week import DAY, days_of, intent_week, minutes_of
from ..documents import DocumentError, Problem
from ..documents.job import Job, JobSunCharger, JobUnit, Series, Tariff, Window
from ..planning.bank import chemistry_of
from ..planning.pipeline import solve
from ..planning.solved import Solved, Unit
from ..planning.sources import quiet_hours
from ..trade.chemistries import derating, ocv_v
from ..trade.margins import GENERATOR_STOP_SOC, SUN_EFFICIENCY, TAIL_FRACTION, USUAL_AMBIENT_C
from ..trade.rules import formula_rule
from ..visit.as_found import decoded_found
from . import kernel as K

Floats = npt.NDArray[np.float64]


Ints = npt.NDArray[np.int64]


SYSTEM_FACTOR = 0.86
"""Part of the plate's power that reaches the charger: heat, dirt, wiring (common practice)."""


HEAT_J_PER_K_AH_CELL = 20.0
"""Heat capacity of a cell with its part of the case, per ampere-hour [J/K Ah]: about 20 g/Ah at 1 J/g K (from memory)."""


LEAK_W_PER_K_KWH = 1.2


OCV_POINTS = 2001


MODES = {"feed-in": K.FEED_IN, "essential-only": K.ESSENTIAL, "zero-export": K.ZERO_EXPORT, "peak-shaving": K.PEAK}


SOURCE_ORDERS = {"sun-bank-mains": K.OFF_GRID_BANK, "sun-mains": K.OFF_GRID_SUN, "mains-first": K.OFF_GRID_MAINS}


CHARGE_ORDERS = {
    "sun-only": K.SUN_ONLY,
    "sun-first": K.SUN_FIRST,
    "sun-and-mains": K.SUN_AND_MAINS,
    "mains-first": K.MAINS_CHARGE_FIRST,
}


ACTIONS = {"auto": K.AUTO, "charge": K.CHARGE, "hold": K.HOLD, "use": K.USE, "export": K.EXPORT}


SHAPE = (3, 2.5, 2.3, 2.2, 2.2, 2.6, 3.8, 5, 5.2, 4.6, 4.2, 4.2, 4.6, 4.3, 4, 4, 4.3, 5.4, 6.6, 7, 6.6, 5.6, 4.4, 3.4)


SUN = formula_rule(
    "sun-clear-sky",
    "sources",
    "The array gives its plate power times the light on its plane, less losses, times the weather",
    "P = P_plate * POA / 1000 W/m2 * 0.86 * weather",
    "pvlib: Ineichen-Perez clear sky with monthly Linke turbidity, isotropic sky; common practice for losses",
    "T",
)


@dataclass(slots=True)
class Scenario:
    """Everything the kernel takes, with the words to go with it."""

    par: Floats
    cho: Ints
    units: Floats
    ocv: Floats
    derate_in: Floats
    derate_out: Floats
    step_min: int
    sun: Floats
    load: Floats
    other: Floats
    action: Ints
    power: Floats
    target: Floats
    grid: Ints
    quiet: Ints
    price: Floats
    sell: Floats
    day: Ints
    dates: list[str]
    minute_of_day: Ints
    weekday: Ints
    assumed: list[str] = field(default_factory=list)
    last_soc: float = 0.0

    def arrays(self, series: Floats, daily: Floats) -> tuple[Any, ...]:
        """Return the kernel's arguments in its order."""
        return (
            self.par, self.cho, self.units, self.ocv, self.derate_in, self.derate_out, self.step_min / 60, self.sun, self.load, self.other,
            self.action, self.power, self.target, self.grid, self.quiet, self.price, self.sell, self.day, series, daily,
        )  # fmt: skip

    def run(self, record: bool = False, plain: bool = False, lead_days: int = 0) -> tuple[Floats, Floats]:
        """Run the kernel (the plain-Python reference with ``plain``); return series and daily figures.

        The series begins after ``lead_days``; the daily figures are of all days.
        """
        self.cho[K.I_SKIP] = skip = int(np.searchsorted(self.day, lead_days))
        series = np.zeros((self.sun.shape[0] - skip if record else 0, len(K.SERIES)))
        daily = np.zeros((len(self.dates), len(K.DAILY)))
        if plain:
            self.last_soc = float(K.simulate_py(*self.arrays(series, daily)))  # type: ignore[no-untyped-call]
        else:
            from .compiled import simulate  # Numba is imported only where a simulation runs

            self.last_soc = simulate(*self.arrays(series, daily))
        return series, daily

    def stored_kwh(self, soc: float) -> float:
        """Return the energy [kWh] in the bank at a charge (0..1): C * integral of E(s) ds, what resistance takes left out."""
        at = np.linspace(0, 1, len(self.ocv))
        part = np.interp(np.linspace(0, soc, 400), at, self.ocv)
        return float(self.par[K.P_CELLS] * self.par[K.P_CAPACITY_AH] * np.trapezoid(part, dx=soc / 399) / 1000)

    def after(self, lead_days: int) -> Scenario:
        """Return the same without its first days, for what is told of it; it is not run again."""
        skip = int(np.searchsorted(self.day, lead_days))
        return replace(
            self,
            dates=self.dates[lead_days:],
            price=self.price[skip:],
            action=self.action[skip:],
            minute_of_day=self.minute_of_day[skip:],
        )


def _arrays(job: Job) -> list[JobSunCharger | JobUnit]:
    """Return whatever an array may hang on: separate sun chargers, units with trackers of their own."""
    return [*job.sun.chargers, *job.units]


def sun_power_w(job: Job, utc: Any) -> Floats:
    """Return what the arrays give under a clear sky [W DC] at the times of a UTC index. Source: pvlib (SUN)."""

    total = np.zeros(len(utc))
    latitude = job.site.latitude if job.site.latitude is not None else 40.0
    longitude = job.site.longitude if job.site.longitude is not None else 0.0
    place = pvlib.location.Location(latitude, longitude, altitude=job.site.altitude_m or 0.0)
    position = place.get_solarposition(utc)
    sky = place.get_clearsky(utc, model="ineichen", solar_position=position)
    for charger in _arrays(job):
        if charger.array_w is None:
            continue
        tilt = charger.tilt_deg if charger.tilt_deg is not None else abs(latitude)
        azimuth = charger.azimuth_deg if charger.azimuth_deg is not None else (180.0 if latitude >= 0 else 0.0)
        plane = pvlib.irradiance.get_total_irradiance(
            tilt, azimuth, position["apparent_zenith"], position["azimuth"], sky["dni"], sky["ghi"], sky["dhi"], model="isotropic"
        )
        total += charger.array_w * np.nan_to_num(plane["poa_global"].to_numpy()) / 1000 * SYSTEM_FACTOR
    return total


def weather(days: int, per_day: int, cloudiness: float, seed: int) -> Floats:
    """Return seeded factors (0..1) on the clear sky: a chain of days, and clouds within each day."""
    rng = np.random.default_rng(seed)
    state = 0.0
    out = np.empty(days * per_day)
    for d in range(days):
        state = 0.55 * state + rng.normal(0.0, 1.0) * 0.83
        clear = 1.0 - cloudiness * (0.5 + 0.5 * np.tanh(1.1 * state)) * 1.25
        clouds = np.convolve(rng.normal(0.0, 1.0, per_day + 8), np.ones(9) / 9, "valid")
        out[d * per_day : (d + 1) * per_day] = clear + 0.35 * cloudiness * clouds
    return np.asarray(np.clip(out, 0.06, 1.0))


def _local(start: dt.date, days: int, zone: str, step_min: int) -> tuple[Any, Ints, Ints, Ints, list[str]]:

    tz = zoneinfo.ZoneInfo(zone)
    begin = dt.datetime.combine(start, dt.time(), tz).astimezone(dt.UTC)
    end = dt.datetime.combine(start + dt.timedelta(days=days), dt.time(), tz).astimezone(dt.UTC)
    utc = pd.date_range(begin, end, freq=f"{step_min}min", inclusive="left")
    local = utc.tz_convert(zone)
    minute = np.asarray(local.hour * 60 + local.minute, dtype=np.int64)
    weekday = np.asarray(local.weekday, dtype=np.int64)
    ordinal = np.asarray((local.tz_localize(None).normalize() - pd.Timestamp(start)).days, dtype=np.int64)
    dates = [(start + dt.timedelta(days=d)).isoformat() for d in range(days)]
    return utc, minute, weekday, ordinal, dates


def weather_of(first: dt.date, day: Ints, minute: Ints, cloudiness: float, seed: int) -> Floats:
    """Return the factor of each step by its date and local time, so that a day alone has the weather it has in a year."""
    years = range(first.year, (first + dt.timedelta(days=int(day[-1]))).year + 1)
    begin = (first - dt.date(first.year, 1, 1)).days
    factors = np.concatenate(
        [weather((dt.date(y + 1, 1, 1) - dt.date(y, 1, 1)).days, 96, cloudiness, seed + 7919 * y) for y in years]
    )
    return np.asarray(factors[(begin + day) * 96 + minute // 15])


def _measured(given: Series, first: dt.date, day: Ints, minute: Ints) -> Floats:
    """Return a measured series [W] by date and local time of each step, repeated when it ends."""
    series = np.asarray(given.values_w, dtype=np.float64)
    late = (first - dt.date.fromisoformat(given.start)).days if given.start else 0
    return np.asarray(series[(((late + day) * 1440 + minute) // given.step_min) % len(series)])


def week_of(windows: Sequence[Window]) -> tuple[Ints, Floats, Floats]:
    """Return action, power and target of every minute of the week for an intent."""
    return _codes([what for day in intent_week(windows) for what in day])


def _codes(week: Sequence[Any]) -> tuple[Ints, Floats, Floats]:
    return (
        np.array([ACTIONS[w.action] for w in week], dtype=np.int64),
        np.array([w.power for w in week], dtype=np.float64),
        np.array([w.target for w in week], dtype=np.float64),
    )


def prices_of(tariff: Tariff, minute: Ints, weekday: Ints) -> tuple[Floats, Floats]:
    """Return what a kWh costs and what it earns in every step; the first price that covers it counts."""
    buy, sell = np.full(minute.shape, tariff.base), np.full(minute.shape, tariff.export)
    for p in reversed(tariff.prices):
        a, b = minutes_of(p.from_), minutes_of(p.to)
        inside = (minute >= a) & (minute < b) if a < b else (minute >= a) | (minute < b)
        inside &= np.isin(weekday, list(days_of(p.days)))
        buy[inside] = p.price
        sell[inside] = tariff.export if p.export is None else p.export
    return buy, sell


HAND_FROM, HAND_TO = 7 * 60, 22 * 60
"""When somebody is awake to start a generator by hand [min of the day] (an assumption, said in the result)."""


def build(
    job: Job, library: Library, days: int = 1, step_min: int = 1, as_found: bool = False, windows: Sequence[Window] | None = None
) -> Scenario:
    """Return the scenario of a job over ``days`` from its start date.

    ``as_found`` takes the units' found settings where they are noted; ``windows`` an intent to try instead of
    the job's own (then taken as meant, not as a unit's slots say it). Raises :class:`DocumentError` when there
    is no bank, no unit or no ladder.
    """
    solved = solve(job, library)
    if solved.bank is None or solved.limits is None or solved.ladder is None or not solved.ladder.rungs or not solved.units:
        raise DocumentError(
            [Problem(pointer="/bank", message="there is nothing to simulate yet", expected="a bank, units and a ladder that fits")]
        )
    if not 1 <= days <= 731:
        raise DocumentError([Problem(pointer="/days", message="no such number of days", value=days, expected="1 to 731")])
    start = dt.date.fromisoformat(job.flow.start)
    assumed: list[str] = []
    utc, minute, weekday, day, dates = _local(start, days, job.site.time_zone, step_min)
    n = len(minute)
    sun = _sun(job, utc, start, day, minute, step_min, assumed)
    load, other = _loads(job, solved, start, day, minute, assumed)
    action, power, target = _window_arrays(job, solved, minute, weekday, windows)
    mains = job.mains is not None and "mains" in job.site.sources
    grid = np.full(n, 1 if mains else 0, dtype=np.int64)
    for o in job.flow.outages:
        if o.date in dates:
            a, b, d = minutes_of(o.from_), minutes_of(o.to), dates.index(o.date)
            away = (
                (day == d) & (minute >= a) & (minute < b)
                if a < b
                else ((day == d) & (minute >= a)) | ((day == d + 1) & (minute < b))
            )
            grid[away] = 0
    quiet = np.zeros(n, dtype=np.int64)
    g = job.generator
    if g is not None and g.quiet_from and g.quiet_to and quiet_hours(g):
        a, b = minutes_of(g.quiet_from), minutes_of(g.quiet_to)
        quiet[(minute >= a) & (minute < b) if a < b else (minute >= a) | (minute < b)] = 1
    by_hand = g is not None and g.start == "manual" and "generator" in job.site.sources
    if by_hand:
        quiet[(minute < HAND_FROM) | (minute >= HAND_TO)] = 1
    tariff = job.tariff
    price, sell = prices_of(tariff, minute, weekday) if tariff else (np.zeros(n), np.zeros(n))
    par, cho, units = _parameters(job, solved, as_found)
    if by_hand and not mains:
        begin, stop = (f"{x * 100:.0f} %" if cho[K.I_BY_SOC] else f"{x:.1f} V" for x in (par[K.P_GEN_START], par[K.P_GEN_STOP]))
        assumed.append(f"the generator is started by hand at {begin} and stopped at {stop}, by day from 07:00 to 22:00")
        if cho[K.I_CHARGE_ORDER] == K.SUN_FIRST:
            cho[K.I_CHARGE_ORDER] = K.SUN_AND_MAINS
            assumed.append("while it runs charging is set to sun and AC, as the recipe says")
    chemistry = chemistry_of(solved.modules)
    grid_soc = np.linspace(0, 1, OCV_POINTS)
    first = solved.modules[0]
    temps = range(-40, 91)
    return Scenario(
        par=par,
        cho=cho,
        units=units,
        ocv=np.array([ocv_v(chemistry, s) for s in grid_soc]),
        derate_in=np.array([derating(first.charge_derating, t) for t in temps]),
        derate_out=np.array([derating(first.discharge_derating, t) for t in temps]),
        step_min=step_min,
        sun=sun,
        load=load,
        other=other,
        action=action,
        power=power,
        target=target,
        grid=grid,
        quiet=quiet,
        price=price,
        sell=sell,
        day=day,
        dates=dates,
        minute_of_day=minute,
        weekday=weekday,
        assumed=assumed,
    )


def _sun(job: Job, utc: Any, start: dt.date, day: Ints, minute: Ints, step_min: int, assumed: list[str]) -> Floats:
    if job.flow.sun is not None:
        return _measured(job.flow.sun, start, day, minute)
    n = len(minute)
    if "sun" not in job.site.sources or not any(c.array_w for c in _arrays(job)):
        return np.zeros(n)
    if job.site.latitude is None or job.site.longitude is None:
        assumed.append("latitude 40 and longitude 0: the site's place is not given")
    every = max(1, 15 // step_min)
    given = sun_power_w(job, utc[::every])
    if job.flow.cloudiness > 0:
        given *= weather_of(start, day[::every], minute[::every], job.flow.cloudiness, job.flow.seed)
    return np.interp(np.arange(n) / every, np.arange(len(given)), given)


def _loads(job: Job, solved: Solved, start: dt.date, day: Ints, minute: Ints, assumed: list[str]) -> tuple[Floats, Floats]:
    shape = np.asarray(job.loads.shape or SHAPE, dtype=np.float64)
    hours = minute / 60
    profile = np.interp(hours, np.arange(25), np.append(shape, shape[0])) / max(1e-9, shape.mean())
    if job.flow.load is not None:
        load = _measured(job.flow.load, start, day, minute)
    else:
        daily = job.loads.daily_wh
        if daily is None:
            daily = (solved.limits.discharge.needed_a or 0.0) * solved.bank.nominal_v * 10 if solved.limits and solved.bank else 0.0
            assumed.append(f"{daily / 1000:.1f} kWh a day: ten hours of the continuous load")
        load = daily / 24 * profile
    other = (job.loads.other_daily_wh or 0.0) / 24 * profile
    return load, other


def _window_arrays(
    job: Job, solved: Solved, minute: Ints, weekday: Ints, windows: Sequence[Window] | None
) -> tuple[Ints, Floats, Floats]:
    if windows is None:
        host = solved.host
        mine = next((u for u in solved.windows.units if host is not None and u.unit == host.id), None)
        if mine is not None and host is not None and host.profile.slots is not None:
            action, power, target = _codes(expand_slots(mine.slots, host.profile.slots))
            return action[minute], power[minute], target[minute]
        windows = job.windows if any(u.profile.slots for u in solved.units) else []
    action, power, target = week_of(windows)
    at = weekday * DAY + minute
    return action[at], power[at], target[at]


def _own_sun_a(unit: Unit, solved: Solved) -> float:
    """Return what a unit's built-in sun chargers are planned to give [A]."""
    planned = solved.values[unit.id].get("sun_charge_max_a")
    return planned if isinstance(planned, float) else unit.profile.own_sun_a


def _parameters(job: Job, solved: Solved, as_found: bool) -> tuple[Floats, Ints, Floats]:
    bank, limits, ladder = solved.bank, solved.limits, solved.ladder
    assert bank is not None and limits is not None and ladder is not None and solved.basis is not None
    host = solved.host
    assert host is not None
    basis = solved.basis
    q = solved.derived_for(host.profile)
    found: dict[str, Mapping[str, Any]] = {u.id: decoded_found(u, solved) if as_found else {} for u in solved.units}
    mine = found[host.id]

    def rung(name: str, fallback: float) -> float:
        value = mine.get(name)
        if isinstance(value, float):
            return value
        return ladder.rungs[name].value if name in ladder.rungs else fallback

    def figure(name: str, fallback: float) -> float:
        value = mine.get(name, q[name].value if name in q else fallback)
        return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else fallback

    by_soc = ladder.view.decide_by == "soc"
    n = bank.series_cells
    caps = [c.a for c in limits.charge.caps if c.cap != "temperature"]
    charge_a = min(caps)
    typed = sum(float(found[u.id]["charge_max_a"]) for u in solved.units if isinstance(found[u.id].get("charge_max_a"), float))
    if typed:
        charge_a = typed + sum(s.a for s in limits.charge.units if s.kind == "sun-charger")
    discharge_a = min(c.a for c in limits.discharge.caps if c.cap != "temperature")
    absorb = rung("absorb_v", solved.charge_v)
    ratings = host.profile.ratings
    sun_a = sum(s.a for s in limits.charge.units if s.kind == "sun-charger") if solved.sun_chargers else 0.0
    sun_a += sum(_own_sun_a(u, solved) for u in solved.units if u.job.array_w)
    mains_w = next((s.available_w for s in limits.ac.sources if s.source == "mains"), 0.0)
    gen_w = next((s.available_w for s in limits.ac.sources if s.source == "generator"), 0.0)
    reserve = basis.reserve_soc
    suffix = "soc" if by_soc else "v"
    low = 0.0
    par = np.zeros(K.P_COUNT)
    values = {
        K.P_CELLS: n,
        K.P_CAPACITY_AH: bank.capacity_ah,
        K.P_R_OHM: max(1e-4, bank.path_mohm / 1000),
        K.P_CHARGE_A: charge_a,
        K.P_DISCHARGE_A: discharge_a,
        K.P_ABSORB_V: absorb,
        K.P_FLOAT_V: min(absorb, rung("float_v", n * chemistry_of(solved.modules).rest_v)),
        K.P_RECHARGE_V: rung("recharge_v", low) if not by_soc or "recharge_v" in ladder.rungs else low,
        K.P_HOLD_H: figure("absorb_min", 60.0) / 60,
        K.P_TAIL_A: figure("tail_a", TAIL_FRACTION * bank.capacity_ah),
        K.P_RECHARGE_SOC: ladder.rungs["recharge_soc"].value if "recharge_soc" in ladder.rungs else 0.0,
        K.P_SHUT_V: rung("shutdown_v", n * bank.cell_min_v),
        K.P_RESTART_V: rung("restart_v", n * bank.cell_min_v + 1),
        K.P_SHUT_SOC: rung("shutdown_soc", 0.0),
        K.P_RESTART_SOC: rung("restart_soc", 0.05),
        K.P_ETA: ratings.inverter_efficiency,
        K.P_ETA_CHARGE: ratings.charger_efficiency,
        K.P_ETA_SUN: min((c.profile.efficiency for c in solved.sun_chargers), default=SUN_EFFICIENCY),
        K.P_IDLE_W: sum(u.profile.ratings.idle_w for u in solved.units),
        K.P_RESERVE: reserve,
        K.P_EXPORT_W: job.policy.export_limit_w if job.policy.export_limit_w is not None else 1e9,
        K.P_PEAK_W: job.policy.peak_cap_w if job.policy.peak_cap_w is not None else 1e9,
        K.P_ISLAND_SOC: job.policy.outage_reserve_soc if job.policy.outage_reserve_soc is not None else basis.shutdown_soc,
        K.P_ISLAND_BACK: (job.policy.outage_reserve_soc if job.policy.outage_reserve_soc is not None else basis.shutdown_soc) + 0.1,
        K.P_MAINS_W: mains_w,
        K.P_GEN_W: gen_w,
        K.P_GEN_START: rung(f"gen_start_{suffix}", rung(f"to_mains_{suffix}", reserve if by_soc else 0.0)),
        K.P_GEN_STOP: rung(f"gen_stop_{suffix}", GENERATOR_STOP_SOC if by_soc else absorb - 0.03 * n),
        K.P_GEN_MIN_H: (job.generator.min_run_min if job.generator else 0.0) / 60,
        K.P_GEN_WARM_H: (job.generator.warm_up_min if job.generator else 0.0) / 60,
        K.P_AMBIENT_C: job.site.bank_ambient_c if job.site.bank_ambient_c is not None else USUAL_AMBIENT_C,
        K.P_THERMAL_J_K: HEAT_J_PER_K_AH_CELL * bank.capacity_ah * n + 1000.0,
        K.P_LEAK_W_K: LEAK_W_PER_K_KWH * bank.energy_wh / 1000 + 1.0,
        K.P_START_SOC: job.flow.start_soc,
        K.P_SUN_CHARGE_A: sun_a if sun_a > 0 else charge_a,
    }
    for index, value in values.items():
        par[index] = value
    cho = np.zeros(K.I_COUNT, dtype=np.int64)
    cho[K.I_MODE] = MODES.get(job.policy.mode, SOURCE_ORDERS[job.policy.source_order])
    cho[K.I_CHARGE_ORDER] = CHARGE_ORDERS[job.policy.charge_order]
    cho[K.I_PRIORITY] = K.BANK_FIRST if job.policy.priority == "bank-first" else K.LOADS_FIRST
    cho[K.I_SELL] = int(job.policy.sell_surplus)
    cho[K.I_BY_SOC] = int(by_soc)
    cho[K.I_FLOATS] = int(job.policy.float_school != "none")
    cho[K.I_GENERATOR] = int(job.generator is not None and "generator" in job.site.sources)
    groups: dict[tuple[float, ...], int] = {}
    for u in solved.units:
        own, lad = found[u.id], solved.ladders[u.profile.id]

        def threshold(name: str, fallback: float, own: Mapping[str, Any] = own, lad: Any = lad) -> float:
            value = own.get(name)
            return value if isinstance(value, float) else (lad.rungs[name].value if name in lad.rungs else fallback)

        charge = own.get("mains_charge_max_a")
        amps = charge if isinstance(charge, float) else solved.mains_charge_a / max(1, len(solved.units))
        key = (
            u.profile.ratings.continuous_w,
            min(amps, u.profile.ratings.ac_charge_max_a) * absorb,
            threshold(f"to_mains_{suffix}", reserve if by_soc else 0.0),
            threshold(f"return_bank_{suffix}", reserve + 0.1 if by_soc else 0.1),
        )
        groups[key] = groups.get(key, 0) + 1
    return par, cho, np.array([[count, *key] for key, count in groups.items()])
