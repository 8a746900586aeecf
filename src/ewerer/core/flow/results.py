"""What comes out of a simulation: the energy ledger, days, series, a comparison, the gentlest current."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Callable, Sequence

import numpy as np

from ..behaviour.kernel import DAILY, GENERATOR_REASONS, REASONS, SERIES
from ..devices.library import Library, shipped_library
from ..documents.job import Job
from ..documents.results.flow import Comparison, Current, DayFigures, FlowSeries, Gentlest, Ledger, Simulation
from ..stages.windows.solve import tariff_on
from ..trade.margins import ENOUGH_FULL_DAYS
from ..trade.rules import formula_rule
from .scenario import Floats, Scenario, build

GENTLEST = formula_rule(
    "gentlest-sufficient-current",
    "sources",
    "The lowest charge cap that still reaches full on the chosen share of days",
    "min I: share of days full(I) >= wanted",
)


LEDGER = formula_rule(
    "flow-balance",
    "sources",
    "In every step what the sources give is what loads, bank, grid and losses take",
    "sun = (sun_load + sun_other + sun_grid) / eta + sun_bank + curtailed; load = sun + bank + mains + unserved",
    "conservation of energy",
    "S",
)


AT = {name: i for i, name in enumerate(DAILY)}


COLUMN = {name: i for i, name in enumerate(SERIES)}


def ledger_of(job: Job, scenario: Scenario, daily: Floats, exact: bool = False) -> Ledger:
    """Return the sums over all days: energies in kWh, counts, extremes, money; money unrounded where it is ``exact``."""
    coins = 12 if exact else 2

    def kwh(name: str) -> float:
        return round(float(daily[:, AT[name]].sum()) / 1000, 3)

    days = len(scenario.dates)
    # The highest quarter hour of each month, at the rate of its own day.
    months: dict[str, tuple[float, str]] = {}
    for date, peak in zip(scenario.dates, daily[:, AT["peak_w"]], strict=True):
        months[date[:7]] = max(months.get(date[:7], (0.0, date)), (float(peak), date))
    tariffs = [(peak, tariff_on(job, dt.date.fromisoformat(date))) for peak, date in months.values()]
    demand = sum(peak / 1000 * tariff.demand_per_kw for peak, tariff in tariffs if tariff is not None)
    full = daily[:, AT["fulls"]] > 0
    first = int(np.argmax(full)) + 1 if full.any() else None
    bought, sold = float(daily[:, AT["cost"]].sum()), float(daily[:, AT["earned"]].sum())
    return Ledger(
        days=days,
        sun_kwh=kwh("sun_wh"),
        load_kwh=kwh("load_wh"),
        other_kwh=kwh("other_wh"),
        sun_used_kwh=kwh("sun_used_wh"),
        curtailed_kwh=kwh("curtailed_wh"),
        bank_in_kwh=kwh("bank_in_wh"),
        bank_out_kwh=kwh("bank_out_wh"),
        mains_kwh=kwh("mains_wh"),
        mains_charge_kwh=kwh("mains_charge_wh"),
        export_kwh=kwh("export_wh"),
        generator_kwh=kwh("generator_wh"),
        unserved_kwh=kwh("unserved_wh"),
        lowest_soc=round(float(daily[:, AT["lowest_soc"]].min()), 4),
        lowest_v=round(float(daily[:, AT["lowest_v"]].min()), 2),
        highest_v=round(float(daily[:, AT["highest_v"]].max()), 2),
        highest_c=round(float(daily[:, AT["highest_c"]].max()), 1),
        transfers=int(daily[:, AT["transfers"]].sum()),
        transfers_per_night=round(float(daily[:, AT["night_transfers"]].sum()) / days, 2),
        most_transfers_a_night=int(daily[:, AT["night_transfers"]].max()),
        generator_h=round(float(daily[:, AT["generator_h"]].sum()), 1),
        generator_starts=int(daily[:, AT["generator_starts"]].sum()),
        full_days=int(full.sum()),
        days_to_full=first,
        overload_h=round(float(daily[:, AT["overload_h"]].sum()), 2),
        off_h=round(float(daily[:, AT["off_h"]].sum()), 2),
        outside_limits_h=round(float(daily[:, AT["outside_h"]].sum()), 2),
        bought=round(bought, coins),
        sold=round(sold, coins),
        demand=round(demand, coins),
        cost=round(bought - sold + demand, coins),
        currency=next((t.currency for _, t in tariffs if t is not None), ""),
    )


def day_figures(scenario: Scenario, daily: Floats) -> list[DayFigures]:
    """Return what a calendar of days shows."""
    return [
        DayFigures(
            date=date,
            start_soc=round(float(row[AT["start_soc"]]), 4),
            lowest_soc=round(float(row[AT["lowest_soc"]]), 4),
            sun_kwh=round(float(row[AT["sun_wh"]]) / 1000, 3),
            load_kwh=round(float(row[AT["load_wh"]]) / 1000, 3),
            mains_kwh=round(float(row[AT["mains_wh"]]) / 1000, 3),
            generator_kwh=round(float(row[AT["generator_wh"]]) / 1000, 3),
            generator_h=round(float(row[AT["generator_h"]]), 2),
            curtailed_kwh=round(float(row[AT["curtailed_wh"]]) / 1000, 3),
            unserved_kwh=round(float(row[AT["unserved_wh"]]) / 1000, 3),
            transfers=int(row[AT["night_transfers"]]),
            full=bool(row[AT["fulls"]] > 0),
            full_at_h=round(float(row[AT["full_at_h"]]), 2) if row[AT["fulls"]] > 0 else None,
            cost=round(float(row[AT["cost"]] - row[AT["earned"]]), 3),
        )
        for date, row in zip(scenario.dates, daily, strict=True)
    ]


def series_of(scenario: Scenario, series: Floats) -> FlowSeries:
    """Return the recorded series as columns, rounded to what a screen shows."""
    digits = {"soc": 4, "volts": 3, "amps": 2, "temp_c": 2}
    return FlowSeries(
        step_s=scenario.step_s,
        columns={
            name: [round(float(v), digits.get(name, 1)) for v in series[:, i]] for name, i in COLUMN.items() if name != "reason"
        },
        reason=[
            int(v) + (len(REASONS) if running else 0)
            for v, running in zip(series[:, COLUMN["reason"]], series[:, COLUMN["generator"]] > 0, strict=True)
        ],
        reasons=[*REASONS, *GENERATOR_REASONS],
        price=[round(float(p), 4) for p in scenario.price],
        action=[int(a) for a in scenario.action],
        minute=[int(m) for m in scenario.minute_of_day],
    )


def simulate(
    job: Job,
    library: Library | None = None,
    days: int = 1,
    step_s: int = 60,
    record: bool | None = None,
    as_found: bool = False,
    told: Callable[[str, float], None] | None = None,
    lead_days: int = 0,
) -> Simulation:
    """Return the simulation of a job. ``record`` keeps every step (by default for up to seven days).

    ``lead_days`` run before it and are not told: a day then begins as it does within the year. ``told`` is called with a word and a share (0..1) as the work goes on; it may raise to stop it.
    Without a library the shipped one is asked. Raises :class:`~ewerer.DocumentError` where the job has no bank or no unit.

    >>> import ewerer
    >>> day = ewerer.simulate(ewerer.demo_job("skerry-field-station"), days=1)
    >>> day.series.step_s, len(day.series.columns["soc"])
    (60, 1440)
    """
    library = library or shipped_library()
    say = told or (lambda word, share: None)
    say("sun, loads and windows", 0.05)
    scenario = build(job, library, lead_days + days, step_s, as_found)
    keep = days <= 7 if record is None else record
    say("running", 0.6)
    series, daily = scenario.run(keep, lead_days=lead_days)
    say("adding up", 0.9)
    scenario, daily = scenario.after(lead_days), daily[lead_days:]
    return Simulation(
        job=job.name,
        days=days,
        step_s=step_s,
        as_found=as_found,
        ledger=ledger_of(job, scenario, daily),
        daily=day_figures(scenario, daily),
        series=series_of(scenario, series) if keep else None,
        assumed=scenario.assumed,
    )


def series_csv(simulation: Simulation) -> bytes:
    """Return the recorded series as CSV, one row a step."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    s = simulation.series
    if s is None:
        writer.writerow(["date", *(f for f in DayFigures.model_fields if f != "date")])
        for d in simulation.daily:
            writer.writerow(list(d.model_dump().values()))
        return out.getvalue().encode()
    names = list(s.columns)
    writer.writerow(["minute", *names, "reason"])
    for i, minute in enumerate(s.minute):
        seconds = f":{i * s.step_s % 60:02d}" if s.step_s < 60 else ""
        writer.writerow(
            [f"{minute // 60:02d}:{minute % 60:02d}{seconds}", *(s.columns[n][i] for n in names), s.reasons[s.reason[i]]]
        )
    return out.getvalue().encode()


def gentlest_current(
    job: Job, library: Library, days: int = 365, wanted: float = ENOUGH_FULL_DAYS, told: Callable[[str, float], None] | None = None
) -> Gentlest:
    """Return the lowest charge cap [A] that reaches full on ``wanted`` of the days, and the curve around it.

    Each current is tried as a person would set it: as the preference of the job, from which the plan makes every charger's
    entry. Full means that a charge was held to its end on the day. ``enough`` is False when not even the plan's own cap does it.
    """
    say = told or (lambda word, share: None)
    plain = build(job, library, days)
    capacity = float(plain.par.capacity_ah)
    own = job.policy.max_c_rate
    top = float(plain.par.charge_a)

    def at(rate: float | None) -> tuple[float, Floats]:
        preferred = job.policy.model_copy(update={"max_c_rate": rate})
        _, daily = build(job.model_copy(update={"policy": preferred}), library, days).run()
        return float((daily[:, AT["fulls"]] > 0).mean()), daily

    share, daily = at(own)
    enough = share >= wanted
    rates = np.unique(np.round(np.linspace(0.08, 1.0, 12) * top / capacity, 4))
    rates = rates[rates > 0]
    curve = []
    for i, rate in enumerate(rates):
        say("trying currents", 0.1 + 0.6 * i / len(rates))
        curve.append(Current(a=round(float(rate) * capacity, 1), share=round(at(float(rate))[0], 4)))
    chosen = own if own is not None else round(top / capacity, 4)
    if enough:
        low, high = 0.0, float(chosen)
        for i in range(9):
            say("narrowing", 0.7 + 0.03 * i)
            middle = round((low + high) / 2, 4)
            if middle > 0 and at(middle)[0] >= wanted:
                high = middle
            else:
                low = middle
        share, daily = at(high)
        chosen = high if share >= wanted else chosen
        share, daily = at(chosen)
    hours = daily[:, AT["full_at_h"]][daily[:, AT["fulls"]] > 0]
    by_hour = [round(float((hours <= h).sum()) / days, 4) for h in range(25)]
    return Gentlest(
        a=round(chosen * capacity, 1) if enough else top,
        share=round(share, 4),
        wanted=wanted,
        enough=enough,
        c_rate=round(chosen, 4),
        plan_a=top,
        curve=curve,
        full_by_hour=by_hour,
    )


def compare(
    jobs: Sequence[tuple[str, Job, Library, bool]], days: int, told: Callable[[str, float], None] | None = None
) -> Comparison:
    """Return the ledgers of several jobs (name, job, library, as found) over the same days side by side."""
    say = told or (lambda word, share: None)
    made = []
    for i, (name, job, library, found) in enumerate(jobs):
        say(name, i / len(jobs))
        made.append((name, simulate(job, library, days, record=False, as_found=found)))
    return Comparison(days=days, names=[n for n, _ in made], ledgers=[s.ledger for _, s in made], daily=[s.daily for _, s in made])


def charge_time_min(
    scenario: Scenario, amps: float, from_soc: float, to_v: float, cutoff_a: float, step_s: float = 10.0
) -> tuple[float, float]:
    """Return minutes until constant voltage begins and until the current has fallen to ``cutoff_a``.

    The same open-circuit curve and resistance as the kernel, from ``from_soc`` with ``amps`` up to ``to_v`` of the pack.
    """
    cells, capacity, resistance = scenario.par.cells, scenario.par.capacity_ah, scenario.par.r_ohm
    socs = np.linspace(0, 1, len(scenario.ocv))
    soc, minutes, begun = from_soc, 0.0, -1.0
    while minutes < 6000:
        emf = cells * float(np.interp(soc, socs, scenario.ocv))
        current = min(amps, (to_v - emf) / resistance)
        if current < amps - 1e-9 and begun < 0:
            begun = minutes
        if begun >= 0 and current <= cutoff_a:
            break
        soc += current * step_s / 3600 / capacity
        minutes += step_s / 60
    return begun, minutes
