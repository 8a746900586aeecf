"""The windows adviser: the best windows a unit can say for a tariff, against perfect foresight.

Candidates come from the tariff itself: charge where power is cheap, use where it is dear, hold between. Each is
compiled to the unit's slots and back, simulated, and priced; the end charge is valued at the cheap price. The
optimum is a linear programme over the same days with everything known beforehand (HiGHS): no window can beat it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import product
from typing import Any

import numpy as np
from scipy.optimize import linprog
from scipy.sparse import coo_matrix

from ..devices.library import Library
from ..devices.slots.forms import compile_slots, expand_slots
from ..devices.slots.week import DAY, intent_days, minutes, minutes_of, time_of
from ..documents import DocumentError, Problem
from ..documents.job import Job, Window
from ..documents.results.flow import Advice, AdvisedWindow
from ..planning.solved import host_of
from ..planning.units import resolve_units
from ..trade.rules import formula_rule
from .kernel import (
    P_CELLS,
    P_CHARGE_A,
    P_DISCHARGE_A,
    P_ETA,
    P_ETA_CHARGE,
    P_ETA_SUN,
    P_EXPORT_W,
    P_IDLE_W,
    P_MAINS_W,
    P_RESERVE,
    P_START_SOC,
    U_COUNT,
    U_INVERTER_W,
    U_MAINS_CHARGE_W,
)
from .results import AT
from .scenario import Floats, Scenario, _codes, build

OPTIMUM = formula_rule(
    "windows-optimum",
    "windows",
    "With everything known beforehand no windows cost less",
    "min sum(price * bought - export * sold), bank and limits as they are, lossless resistance",
    "linear programme, HiGHS",
    "T",
)


SLOT_MIN = 15


def optimum_cost(scenario: Scenario, serves_other: bool, may_export: bool, end_value: float) -> float:
    """Return the least cost of the scenario's days with perfect foresight; end charge is valued at ``end_value`` a kWh.

    A relaxation: no resistance, no stages, powers free within the limits. Raises RuntimeError when HiGHS does
    not report an optimum.
    """

    per = SLOT_MIN // scenario.step_min
    n = len(scenario.sun) // per

    def mean(x: Floats) -> Floats:
        return np.asarray(x[: n * per].reshape(n, per).mean(axis=1))

    par = scenario.par
    hours = SLOT_MIN / 60
    volts = float(par[P_CELLS]) * float(scenario.ocv[len(scenario.ocv) // 2])
    full, begun = scenario.stored_kwh(1.0), scenario.stored_kwh(float(par[P_START_SOC]))
    top_v = float(par[P_CELLS]) * float(scenario.ocv[-1])
    eta, eta_in = float(par[P_ETA]), float(par[P_ETA_CHARGE])
    sun = mean(scenario.sun) * float(par[P_ETA_SUN]) / 1000
    need = mean(scenario.load) / 1000 + (mean(scenario.other) / 1000 if serves_other else 0.0)
    other = np.zeros(n) if serves_other else mean(scenario.other) / 1000
    price, sell = mean(scenario.price), mean(scenario.sell)
    units = scenario.units
    inverter = float((units[:, U_COUNT] * units[:, U_INVERTER_W]).sum()) / 1000
    from_mains = float((units[:, U_COUNT] * units[:, U_MAINS_CHARGE_W]).sum()) / 1000
    charge = float(par[P_CHARGE_A]) * top_v / 1000
    discharge = min(inverter, float(par[P_DISCHARGE_A]) * volts * 1.1 / 1000 * eta)
    idle = float(par[P_IDLE_W]) / 1000
    # Variables a slot: sun to bank (DC), mains to bank (DC), bank out (AC), sun out (AC), bought, sold, energy at the end.
    width = 7
    cost = np.zeros(n * width)
    k = np.arange(n)
    cost[k * width + 4] = price * hours
    cost[k * width + 5] = -sell * hours
    cost[(n - 1) * width + 6] -= end_value
    rows: list[int] = []
    cols: list[int] = []
    data: list[float] = []
    right: list[float] = []
    row = 0

    def put(r: int, c: int, v: float) -> None:
        rows.append(r)
        cols.append(c)
        data.append(v)

    for i in range(n):
        at = i * width
        # AC: bank out + sun out + bought = need + sold + mains to bank / eta_in
        for c, v in ((2, 1.0), (3, 1.0), (4, 1.0), (5, -1.0), (1, -1.0 / eta_in)):
            put(row, at + c, v)
        right.append(float(need[i]))
        row += 1
        # Bank: energy_i = energy_{i-1} + hours * (in - out / eta - idle)
        for c, v in ((6, 1.0), (0, -hours), (1, -hours), (2, hours / eta)):
            put(row, at + c, v)
        if i:
            put(row, at - width + 6, -1.0)
        right.append(-idle * hours + (0.0 if i else begun))
        row += 1
    equal = coo_matrix((data, (rows, cols)), shape=(row, n * width))
    less = coo_matrix(
        (
            np.concatenate([np.ones(n), np.full(n, 1 / eta), np.ones(n), np.ones(n)]),
            (np.concatenate([k, k, n + k, n + k]), np.concatenate([k * width, k * width + 3, k * width, k * width + 1])),
        ),
        shape=(2 * n, n * width),
    )
    limits: list[tuple[float, float | None]] = []
    export = min(float(par[P_EXPORT_W]) / 1000, 1e6) if may_export else 0.0
    mains = float(par[P_MAINS_W]) / 1000
    lowest = min(scenario.stored_kwh(float(par[P_RESERVE])), begun)
    for i in range(n):
        limits += [
            (0, charge),
            (0, from_mains),
            (0, discharge),
            (0, None),
            (0, mains),
            (0, export),
            (0.0 if i < 4 else lowest * 0.98, full),
        ]
    found = linprog(
        cost, A_ub=less, b_ub=np.concatenate([sun, np.full(n, charge)]), A_eq=equal, b_eq=right, bounds=limits, method="highs"
    )
    if found.status != 0:
        raise RuntimeError(f"the optimum was not found: {found.message}")
    return float(found.fun + end_value * begun + (other * price).sum() * hours)


def _levels(prices: Sequence[float]) -> list[float]:
    return sorted({round(p, 6) for p in prices})


def _runs(flags: Sequence[bool]) -> list[tuple[int, int]]:
    """Return stretches of the day where flags hold, joined over midnight."""
    out: list[list[int]] = []
    for m, on in enumerate(flags):
        if on and out and out[-1][1] == m:
            out[-1][1] = m + 1
        elif on:
            out.append([m, m + 1])
    if len(out) > 1 and out[0][0] == 0 and out[-1][1] == len(flags):
        first = out.pop(0)
        out[-1][1] = first[1]
    return [(a, b % DAY if b != DAY else DAY) for a, b in out]


def candidates(day_price: Sequence[float], reserve: float, targets: Sequence[float]) -> Iterator[list[Window]]:
    """Yield intents worth trying: charge in the cheapest hours up to a target, use in the dear ones, hold between."""
    levels = _levels(day_price)
    if len(levels) < 2:
        return
    for cheap, dear, target, between in product(levels[:-1][:3], levels[1:][-3:], targets, ("auto", "hold", "before")):
        if cheap >= dear:
            continue
        if between == "before":
            # Keep the charge until the first dear hour, then use it until power is cheap again.
            flags, spent = [], False
            start = next((m for m in range(DAY) if day_price[m - 1] <= cheap < day_price[m]), 0)
            for k in range(DAY):
                price = day_price[(start + k) % DAY]
                spent = price >= dear or (spent and price > cheap)
                flags.append(cheap < price < dear and not spent)
            held = [flags[(m - start) % DAY] for m in range(DAY)]
            windows = [
                Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "charge", "target_soc": target})
                for a, b in _runs([p <= cheap for p in day_price])
            ]
            used = [p > cheap and not h for p, h in zip(day_price, held, strict=True)]
            windows += [
                Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "use", "target_soc": reserve})
                for a, b in _runs(used)
            ]
            windows += [Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "hold"}) for a, b in _runs(held)]
            yield windows
            continue
        low, high = _runs([p <= cheap for p in day_price]), _runs([p >= dear for p in day_price])
        windows = [
            Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "charge", "target_soc": target}) for a, b in low
        ]
        windows += [
            Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "use", "target_soc": reserve}) for a, b in high
        ]
        if between == "hold":
            windows += [
                Window.model_validate({"from": time_of(a), "to": time_of(b), "action": "hold"})
                for a, b in _runs([cheap < p < dear for p in day_price])
            ]
        if between == "auto" or any(cheap < p < dear for p in day_price):
            yield windows


def advise(job: Job, library: Library, days: int = 7, told: Callable[[str, float], None] | None = None) -> Advice:
    """Return the best windows for the job's tariff that the host's slots can say.

    Raises :class:`DocumentError` without a tariff that varies, or without mains.
    """
    say = told or (lambda word, share: None)
    if job.tariff is None or not job.tariff.prices:
        raise DocumentError(
            [Problem(pointer="/tariff", message="the adviser needs prices that differ by time", expected="a tariff with prices")]
        )
    if job.mains is None or "mains" not in job.site.sources:
        raise DocumentError(
            [Problem(pointer="/mains", message="the adviser needs mains", expected="mains among the sources, with a breaker")]
        )
    host = host_of(resolve_units(job, library))
    form = host.profile.slots if host else None
    if host is None or form is None:
        raise DocumentError(
            [Problem(pointer="/units", message="the host unit keeps no windows", expected="a unit with time slots")]
        )
    say("sun, loads and prices", 0.1)
    scenario = build(job, library, days, 5, windows=[])
    reserve = float(scenario.par[P_RESERVE])
    if job.policy.outage_reserve_soc is not None:
        reserve = max(reserve, job.policy.outage_reserve_soc)
    begun = scenario.stored_kwh(float(scenario.par[P_START_SOC]))
    end_value = float(scenario.price.min()) / float(scenario.par[P_ETA_CHARGE])

    def cost_of(week: tuple[Any, Any, Any] | None) -> float:
        if week is None:
            scenario.action[:] = 0
        else:
            scenario.action[:], scenario.power[:], scenario.target[:] = (x[scenario.minute_of_day] for x in week)
        _, daily = scenario.run()
        gained = scenario.stored_kwh(scenario.last_soc) - begun
        return float(daily[:, AT["cost"]].sum() - daily[:, AT["earned"]].sum()) - gained * end_value

    without = cost_of(None)
    workday = int(np.argmax(scenario.weekday < 5))
    length = DAY // scenario.step_min
    first = scenario.price[workday : workday + length]
    day_price = np.repeat(first, scenario.step_min)[:DAY]
    best: tuple[float, list[Window]] = (without, [])
    meant = without
    tried = 0
    targets = (1.0, 0.9, 0.75, 0.6) if form.target != "none" else (1.0,)
    options = list(candidates([float(p) for p in day_price], reserve, targets))
    for i, windows in enumerate(options):
        say("trying windows", 0.15 + 0.6 * i / max(1, len(options)))
        wanted = minutes(intent_days(windows)[0])
        day = expand_slots(compile_slots(windows, form), form)
        cost = cost_of(_codes(day))
        meant = min(meant, cost if day == wanted else cost_of(_codes(wanted)))
        tried += 1
        if cost < best[0] - 1e-6:
            best = (cost, windows)
    say("perfect foresight", 0.8)
    mode = job.policy.mode
    optimum = optimum_cost(
        scenario, mode in ("feed-in", "zero-export", "peak-shaving"), mode == "feed-in" or job.policy.sell_surplus, end_value
    )
    # The programme keeps the bank above its reserve; in the simulation what the units use themselves may go on below it.
    optimum = min(optimum, best[0], meant)
    saved, possible = without - best[0], without - optimum
    lost = best[0] - meant
    captured = 1.0 if possible <= 1e-9 else max(0.0, min(1.0, saved / possible))
    money = job.tariff.currency
    advised = [AdvisedWindow(window=w.to_data(), words=_words(w, day_price, money)) for w in best[1]]
    words = (
        f"Over {days} days these windows save {saved:.2f} {money} of {possible:.2f} {money} that perfect foresight would: {captured * 100:.0f} %."
        if best[1]
        else "No windows would save anything with this tariff."
    )
    if possible > 1e-9 and lost > 0.03 * possible:
        words += (
            f" {lost:.2f} {money} of it are out of reach of {host.profile.name}: its slots cannot say windows that would save more."
        )
    return Advice(
        windows=advised,
        cost_without=round(without, 2),
        cost_with=round(best[0], 2),
        cost_optimum=round(optimum, 2),
        captured=round(captured, 4),
        currency=money,
        days=days,
        tried=tried,
        words=words,
    )


def _words(w: Window, day_price: Floats, money: str) -> str:
    a, b = minutes_of(w.from_), minutes_of(w.to)
    price = float(np.mean(day_price[a:b] if a < b else np.concatenate([day_price[a:], day_price[:b]])))
    told = f"{w.from_} to {w.to}, at {price:.2f} {money} a kWh: "
    if w.action == "charge":
        return told + f"the mains carry the loads and charge the bank up to {round((w.target_soc or 1) * 100)} %."
    if w.action == "hold":
        return told + "the bank rests and keeps its charge for dearer hours."
    return told + f"the bank carries the loads down to {round((w.target_soc or 0) * 100)} %."
