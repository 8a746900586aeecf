"""What goes into a simulation: sun, loads, prices, windows and the units' settings as arrays."""

from __future__ import annotations

import datetime as dt
import math
import zoneinfo
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from ..behaviour import kernel as K
from ..behaviour.reading import ACTIONS, entered_slots, parameters, reads
from ..devices.library import Library
from ..devices.slots.forms import expand_slots, rules_of
from ..devices.slots.week import AUTO, DAY, HOLD, What, covers, days_of, intent_week, minutes_of, year_parts
from ..documents.job import Job, JobSunCharger, JobUnit, Series, Tariff, Window
from ..documents.results.windows import Slot
from ..stages.bank.solve import chemistry_of
from ..stages.pipeline import solve
from ..stages.sheet.slotrows import target_v
from ..stages.solved import Solved, Unit
from ..stages.sources.solve import quiet_hours
from ..stages.windows.solve import tariff_on
from ..trade.chemistries import derating, ocv_v
from ..trade.errors import DocumentError, Problem
from ..trade.margins import SYSTEM_FACTOR, USUAL_DAY, USUAL_LATITUDE_DEG
from ..trade.rules import formula_rule

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


OCV_POINTS = 2001


INNER_S = 60
"""Longest step that is computed [s]; longer ones are told as means of such."""


SKY_S = 900
"""Sun and weather are worked out every so many seconds and joined by straight lines."""


PART_SOC = 0.02
"""Most charge (0..1) that may move in one part of a step; small banks have their steps cut."""


STEPS_S = (10, 15, 20, 30, 60, 120, 180, 240, 300, 360, 600, 720, 900, 1200, 1800, 3600)
"""Steps that may be asked for [s]: parts and multiples of a minute that fill an hour."""


SUN = formula_rule(
    "sun-clear-sky",
    "sources",
    "The array gives its plate power times the light on its plane, less losses, times the weather",
    "P = P_plate * POA / 1000 W/m2 * {SYSTEM_FACTOR} * weather",
    "pvlib: Ineichen-Perez clear sky with monthly Linke turbidity, isotropic sky; common practice for losses",
    "T",
)


@dataclass(slots=True)
class Scenario:
    """Everything the kernel takes, with the words to go with it."""

    par: K.Figures
    cho: K.Choices
    units: K.Groups
    ocv: Floats
    derate_in: Floats
    derate_out: Floats
    step_s: int
    inner_s: int
    sun: Floats
    output_sun: Floats
    load: Floats
    other: Floats
    action: Ints
    power: Floats
    target: Floats
    grid: Ints
    quiet: Ints
    price: Floats
    sell: Floats
    begins: Ints
    dates: list[str]
    minute_of_day: Ints
    weekday: Ints
    assumed: list[str] = field(default_factory=list)
    last_soc: float = 0.0

    def arrays(self, series: Floats, daily: Floats) -> tuple[Any, ...]:
        """Return the kernel's arguments in its order, for a run that begins anew."""
        return (
            self.par, self.cho, self.units, self.ocv, self.derate_in, self.derate_out, self.inner_s / 3600, self.sun, self.output_sun,
            self.load, self.other, self.action, self.power, self.target, self.grid, self.quiet, self.price, self.sell, self.begins,
            series, daily, np.zeros(len(K.KEPT)),
        )  # fmt: skip

    def run(self, record: bool = False, plain: bool = False, lead_days: int = 0) -> tuple[Floats, Floats]:
        """Run the kernel (the plain-Python reference with ``plain``); return series and daily figures.

        The series begins after ``lead_days``; the daily figures are of all days.
        """
        skip = int(self.begins[lead_days])
        self.cho = self.cho._replace(skip=skip, parts=self.parts, per_row=self.per_row)
        rows = -(-(self.sun.shape[0] - skip) // self.per_row)
        series = np.zeros((rows if record else 0, len(K.SERIES)))
        daily = np.zeros((len(self.dates), len(K.DAILY)))
        for column, watts in enumerate((self.sun + self.output_sun, self.load, self.other)):
            daily[:, column] = np.add.reduceat(watts, self.begins[:-1]) * self.inner_s / 3600
        if plain:
            self.last_soc = float(K.simulate_py(*self.arrays(series, daily)))  # type: ignore[no-untyped-call]
        else:
            from ..behaviour.compiled import simulate  # Numba is imported only where a simulation runs

            self.last_soc = simulate(*self.arrays(series, daily))
        return series, daily

    @property
    def per_row(self) -> int:
        """How many computed steps are told as one."""
        return self.step_s // self.inner_s

    @property
    def parts(self) -> int:
        """Into how many parts a step is cut, so that none moves more than a small part of the bank."""
        par, inverter = self.par, float((self.units.count * self.units.inverter_w).sum())
        low_v = max(1.0, float(par.shut_v), float(par.cells))
        out = min(float(par.discharge_a), inverter / float(par.eta) / low_v)
        moved = max(out, float(par.charge_a)) * self.inner_s / 3600 / float(par.capacity_ah)
        return min(600, max(1, math.ceil(moved / PART_SOC)))

    def stored_kwh(self, soc: float) -> float:
        """Return the energy [kWh] in the bank at a charge (0..1): C * integral of E(s) ds, what resistance takes left out."""
        at = np.linspace(0, 1, len(self.ocv))
        part = np.interp(np.linspace(0, soc, 400), at, self.ocv)
        return float(self.par.cells * self.par.capacity_ah * np.trapezoid(part, dx=soc / 399) / 1000)

    def after(self, lead_days: int) -> Scenario:
        """Return the same without its first days and at the told step, for what is told of it; it is not run again."""
        at = slice(int(self.begins[lead_days]), None, self.per_row)
        return replace(
            self, dates=self.dates[lead_days:], price=self.price[at], action=self.action[at], minute_of_day=self.minute_of_day[at]
        )


def _arrays(job: Job) -> list[JobSunCharger | JobUnit]:
    """Return whatever an array may hang on: separate sun chargers, units with trackers of their own."""
    return [*job.sun.chargers, *job.units]


@lru_cache(maxsize=48)
def _plane_w_m2(
    place: tuple[float, float, float], tilt: float, azimuth: float, start: dt.date, days: int, zone: str, every_s: int
) -> Floats:
    """Return the light on a plane under a clear sky [W/m2]; kept by site, so that only weather and loads are made anew."""
    import pvlib  # takes a second to load; a start need not wait for it

    position, sky = _sky(place, start, days, zone, every_s)
    plane = pvlib.irradiance.get_total_irradiance(
        tilt, azimuth, position["apparent_zenith"], position["azimuth"], sky["dni"], sky["ghi"], sky["dhi"], model="isotropic"
    )
    light: Floats = _kept(np.nan_to_num(plane["poa_global"].to_numpy()))
    return light


@lru_cache(maxsize=8)
def _sky(place: tuple[float, float, float], start: dt.date, days: int, zone: str, every_s: int) -> tuple[Any, Any]:
    import pvlib

    utc = calendar_of(start, days, zone, every_s).utc
    site = pvlib.location.Location(place[0], place[1], altitude=place[2])
    position = site.get_solarposition(utc)
    return position, site.get_clearsky(utc, model="ineichen", solar_position=position)


def _kept(array: Any) -> Any:
    array.setflags(write=False)
    return array


def sun_power_w(job: Job, start: dt.date, days: int, every_s: int, arrays: Sequence[Any] | None = None) -> Floats:
    """Return what arrays give under a clear sky [W DC], every ``every_s`` seconds of so many local days; those on the DC side unless others are named. Source: SUN."""
    latitude = job.site.latitude if job.site.latitude is not None else USUAL_LATITUDE_DEG
    longitude = job.site.longitude if job.site.longitude is not None else 0.0
    place = (latitude, longitude, job.site.altitude_m or 0.0)
    total = np.zeros(len(calendar_of(start, days, job.site.time_zone, every_s).minute))
    for array in _arrays(job) if arrays is None else arrays:
        if array.array_w is None:
            continue
        tilt = array.tilt_deg if array.tilt_deg is not None else abs(latitude)
        azimuth = array.azimuth_deg if array.azimuth_deg is not None else (180.0 if latitude >= 0 else 0.0)
        light = _plane_w_m2(place, tilt, azimuth, start, days, job.site.time_zone, every_s)
        total += array.array_w * light / 1000 * SYSTEM_FACTOR
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


@dataclass(frozen=True, slots=True)
class Calendar:
    """Steps of some local days: their UTC times, minute of the local day, weekday (0 Monday), number of the day, where days begin."""

    utc: Any
    minute: Ints
    weekday: Ints
    day: Ints
    begins: Ints
    dates: tuple[str, ...]


@lru_cache(maxsize=8)
def calendar_of(start: dt.date, days: int, zone: str, step_s: int) -> Calendar:
    """Return the steps of ``days`` local days from ``start`` in a time zone; days of 23 and 25 hours have fewer and more."""
    import pandas as pd

    tz = zoneinfo.ZoneInfo(zone)
    begin = dt.datetime.combine(start, dt.time(), tz).astimezone(dt.UTC)
    end = dt.datetime.combine(start + dt.timedelta(days=days), dt.time(), tz).astimezone(dt.UTC)
    utc = pd.date_range(begin, end, freq=f"{step_s}s", inclusive="left")
    local = utc.tz_convert(zone).tz_localize(None)
    seconds = (local - pd.Timestamp(start)).total_seconds().to_numpy().astype(np.int64)
    day, minute = seconds // 86400, seconds % 86400 // 60
    return Calendar(
        utc,
        _kept(minute),
        _kept((day + start.weekday()) % 7),
        _kept(day),
        _kept(np.searchsorted(day, np.arange(days + 1))),
        tuple((start + dt.timedelta(days=d)).isoformat() for d in range(days)),
    )


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
    return codes_of([what for day in intent_week(windows) for what in day])


def codes_of(week: Sequence[What]) -> tuple[Ints, Floats, Floats]:
    """Return action, power and target of every minute as the kernel takes them."""
    return (
        np.array([ACTIONS[w.action] for w in week], dtype=np.int64),
        np.array([w.power for w in week], dtype=np.float64),
        np.array([w.target for w in week], dtype=np.float64),
    )


def slot_day(slots: Sequence[Slot], unit: Unit, solved: Solved) -> tuple[Ints, Floats, Floats]:
    """Return action, power and target of every minute of any day as a unit's slots make it.

    A chain's charging slot also discharges above its target. Targets are volts of the pack where the unit keeps them so.
    """
    form = unit.profile.slots
    assert form is not None
    day = expand_slots(slots, form)
    action, power, target = codes_of(day)
    if form.form == "six":
        action[action == K.CHARGE] = K.FLAGGED
    if form.target == "volts":
        volts = {what: target_v(slot, unit, solved) for slot, what in rules_of(form).paint(slots) if what not in (AUTO, HOLD)}
        target = np.array([-1.0 if (v := volts.get(w)) is None else v for w in day])
    return action, power, target


def prices_of(tariff: Tariff, minute: Ints, weekday: Ints) -> tuple[Floats, Floats]:
    """Return what a kWh costs and what it earns in every step; the first price that covers it counts."""
    at = np.arange(7 * DAY)
    buy, sell = np.full(7 * DAY, tariff.base), np.full(7 * DAY, tariff.export)
    for p in reversed(tariff.prices):
        a, b = minutes_of(p.from_), minutes_of(p.to)
        clock = at % DAY
        inside = (clock >= a) & (clock < b) if a < b else (clock >= a) | (clock < b)
        inside &= np.isin(at // DAY, list(days_of(p.days)))
        buy[inside] = p.price
        sell[inside] = tariff.export if p.export is None else p.export
    return buy[weekday * DAY + minute], sell[weekday * DAY + minute]


HAND_FROM, HAND_TO = 7 * 60, 22 * 60
"""When somebody is awake to start a generator by hand [min of the day] (an assumption, said in the result)."""


def build(
    job: Job, library: Library, days: int = 1, step_s: int = 60, as_found: bool = False, windows: Sequence[Window] | None = None
) -> Scenario:
    """Return the scenario of a job over ``days`` from its start date, told every ``step_s`` seconds.

    ``as_found`` takes the units' found settings where they are noted; ``windows`` an intent to try instead of
    the job's own (then taken as meant, not as a unit's slots say it). Raises :class:`DocumentError` when there
    is no bank, no unit or no ladder, or for a step or number of days that can't be.
    """
    if not 1 <= days <= 731:
        raise DocumentError([Problem(pointer="/days", message="no such number of days", value=days, expected="1 to 731")])
    if step_s not in STEPS_S:
        raise DocumentError(
            [
                Problem(
                    pointer="/step-s",
                    message="no such step",
                    value=step_s,
                    expected="one of " + ", ".join(map(str, STEPS_S)) + " seconds",
                )
            ]
        )
    solved = solve(job, library)
    if solved.bank is None or solved.limits is None or solved.ladder is None or not solved.ladder.rungs or not solved.units:
        raise DocumentError(
            [Problem(pointer="/bank", message="there is nothing to simulate yet", expected="a bank, units and a ladder that fits")]
        )
    start = dt.date.fromisoformat(job.flow.start)
    assumed: list[str] = []
    inner_s = min(step_s, INNER_S)
    when = calendar_of(start, days, job.site.time_zone, inner_s)
    minute, weekday, day = when.minute, when.weekday, when.day
    n = len(minute)
    sun, output_sun = sun_of(job, start, days, inner_s, assumed)
    load, other = _loads(job, solved, start, day, minute, assumed)
    par, cho, groups = parameters(solved, as_found, assumed)
    units = K.Groups(*(np.array(column, dtype=np.float64) for column in groups))
    action, power, target, target_v = _window_arrays(job, solved, when, windows, as_found)
    cho = cho._replace(target_v=target_v)
    mains = job.mains is not None and "mains" in job.site.sources
    grid = np.full(n, 1 if mains else 0, dtype=np.int64)
    for o in job.flow.outages:
        if o.date in when.dates:
            a, b, d = minutes_of(o.from_), minutes_of(o.to), when.dates.index(o.date)
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
    price, sell = _prices(job, when)
    if by_hand and not mains:
        begin, stop = (f"{x * 100:.0f} %" if cho.by_soc else f"{x:.1f} V" for x in (par.gen_start, par.gen_stop))
        assumed.append(f"the generator is started by hand at {begin} and stopped at {stop}, by day from 07:00 to 22:00")
        if cho.charge_order == K.SUN_FIRST:
            cho = cho._replace(charge_order=K.SUN_AND_MAINS)
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
        step_s=step_s,
        inner_s=inner_s,
        sun=sun,
        output_sun=output_sun,
        load=load,
        other=other,
        action=action,
        power=power,
        target=target,
        grid=grid,
        quiet=quiet,
        price=price,
        sell=sell,
        begins=when.begins,
        dates=list(when.dates),
        minute_of_day=minute,
        weekday=weekday,
        assumed=assumed,
    )


def sun_of(job: Job, start: dt.date, days: int, inner_s: int, assumed: list[str]) -> tuple[Floats, Floats]:
    """Return what arrays on the DC side [W DC] and on the output side [W AC] could give in every computed step."""
    when = calendar_of(start, days, job.site.time_zone, inner_s)
    return _sun(job, start, days, when, inner_s, assumed), _output_sun(job, start, days, when, inner_s)


def _output_sun(job: Job, start: dt.date, days: int, when: Calendar, inner_s: int) -> Floats:
    """Return what arrays on the output side could give [W AC]; each no more than its own inverter."""
    n = len(when.minute)
    total = np.zeros(n)
    if "sun" not in job.site.sources:
        return total
    for array in job.sun.on_output:
        power = array.array_w if array.array_w is not None else array.inverter_w
        given = np.minimum(_weathered(job, start, days, [array.model_copy(update={"array_w": power})]), array.inverter_w)
        total += _joined(given, n, inner_s)
    return total


def _joined(given: Floats, n: int, inner_s: int) -> Floats:
    """Return what is known every ``SKY_S`` seconds at every step, joined by straight lines."""
    every = SKY_S // inner_s
    return np.interp(np.arange(n) / every, np.arange(len(given)), given)


def _weathered(job: Job, start: dt.date, days: int, arrays: Sequence[Any] | None = None) -> Floats:
    """Return what arrays give under the job's weather [W] every ``SKY_S`` seconds."""
    given = sun_power_w(job, start, days, SKY_S, arrays)
    if job.flow.cloudiness <= 0:
        return given
    sky = calendar_of(start, days, job.site.time_zone, SKY_S)
    return given * weather_of(start, sky.day, sky.minute, job.flow.cloudiness, job.flow.seed)


def _sun(job: Job, start: dt.date, days: int, when: Calendar, inner_s: int, assumed: list[str]) -> Floats:
    if job.flow.sun is not None:
        return _measured(job.flow.sun, start, when.day, when.minute)
    n = len(when.minute)
    if "sun" not in job.site.sources or not any(c.array_w for c in _arrays(job)):
        return np.zeros(n)
    if job.site.latitude is None or job.site.longitude is None:
        assumed.append("latitude 40 and longitude 0: the site's place is not given")
    return _joined(_weathered(job, start, days), n, inner_s)


def _loads(job: Job, solved: Solved, start: dt.date, day: Ints, minute: Ints, assumed: list[str]) -> tuple[Floats, Floats]:
    shape = np.asarray(job.loads.shape or USUAL_DAY, dtype=np.float64)
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
    job: Job, solved: Solved, when: Calendar, windows: Sequence[Window] | None, as_found: bool
) -> tuple[Ints, Floats, Floats, bool]:
    """Return action, power and target of every step, and whether targets are volts."""
    host = solved.host
    assert host is not None
    form = host.profile.slots

    def of(held: Sequence[Window], slots: Sequence[Slot] | None) -> tuple[Ints, Floats, Floats, bool]:
        """Return the arrays of a week: as the host's slots say it, else as it is meant; and whether targets are volts."""
        if form is None or slots is None:
            return *week_of(held), False
        action, power, target = slot_day(slots, host, solved)
        return np.tile(action, 7), np.tile(power, 7), np.tile(target, 7), form.target == "volts"

    which: Ints | int = 0
    if windows is not None:
        weeks = [(*week_of(windows), False)]
    elif not reads(host, solved, as_found).flag("windows_on", True):
        weeks = [(*week_of([]), False)]
    else:
        kept = list(job.windows) if any(u.profile.slots for u in solved.units) else []
        mine = next((u for u in solved.windows.units if u.unit == host.id), None)
        parts = year_parts(kept, job.seasons)
        today = job.flow.start[5:]

        def said(slots: Sequence[Slot], now: bool) -> Sequence[Slot]:
            """Return slots as they are entered, now or when their part of the year begins."""
            read = entered_slots(host, solved, as_found, None if now else slots)
            return slots if read is None else read

        weeks = [
            of([kept[i] for i in p.windows], said(mine.year[k].slots, covers(p.first, p.last, today)) if mine else None)
            for k, p in enumerate(parts)
        ]
        weeks = weeks or [of(kept, said(mine.slots if mine else [], True) if mine or as_found else None)]
        if parts:
            # Which part of the year every day lies in.
            days = (d[5:] for d in when.dates)
            which = np.array([next(i for i, p in enumerate(parts) if covers(p.first, p.last, d)) for d in days])[when.day]
    at = when.weekday * DAY + when.minute
    action, power, target = (np.stack(kind)[which, at] for kind in zip(*(w[:3] for w in weeks), strict=True))
    return action, power, target, any(w[3] for w in weeks)


def _prices(job: Job, when: Calendar) -> tuple[Floats, Floats]:
    """Return what a kWh costs and earns in every step, by the tariff of each day."""
    if job.tariff is None and not any(s.tariff for s in job.seasons):
        return np.zeros(len(when.minute)), np.zeros(len(when.minute))
    found = [tariff_on(job, dt.date.fromisoformat(d)) for d in when.dates]
    price, sell = np.zeros(len(when.minute)), np.zeros(len(when.minute))
    for tariff in {id(t): t for t in found if t is not None}.values():
        days = np.array([t is tariff for t in found])[when.day]
        price[days], sell[days] = prices_of(tariff, when.minute[days], when.weekday[days])
    return price, sell
