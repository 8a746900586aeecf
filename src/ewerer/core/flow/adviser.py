"""The windows adviser: the best windows a unit can say for a tariff, against perfect foresight.

Candidates come from the tariff itself: charge where power is cheap, use where it is dear, hold between, and small changes of
the best of them. Each is compiled to the unit's slots and back and simulated; its cost is the simulation's own ledger, demand
charge included. What is advised is simulated once more as the job would be with it, and is never dearer than no windows. The
optimum is a programme over the same days with everything known beforehand (HiGHS): no window can beat it.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import product
from typing import NamedTuple

import numpy as np

from ..behaviour import kernel as K
from ..devices.library import Library
from ..devices.slots.forms import compile_slots, slots_day
from ..devices.slots.week import AUTO, DAY, HOLD, Day, What, begins, covers, intent_days, minutes_of, time_of
from ..documents.job import Job, Window
from ..documents.results.flow import Advice, AdvisedWindow
from ..stages.pipeline import solve
from ..stages.solved import Solved, Unit, host_of
from ..stages.units.solve import resolve_units
from ..trade.errors import DocumentError, Problem
from ..trade.rules import formula_rule
from .results import AT, ledger_of
from .scenario import Floats, Ints, Scenario, build, prices_of, slot_day, week_of

OPTIMUM = formula_rule(
    "windows-optimum",
    "windows",
    "With everything known beforehand no windows cost less",
    "min sum(price * bought - export * sold) + demand * peaks, by what the mode lets flow, never buying and selling at once; lossless resistance",
    "mixed-integer programme, HiGHS",
    "T",
)


SLOT_MIN = 15
SOLVER_S = 6.0
"""Most time the solver may take [s]; its proven bound is told when it stops early."""
TRIES = 400
"""Most small changes of the best windows that are tried."""


WORTH = 0.002
"""Least gain for which the best windows are changed, as part of the cost without any."""


# Variables of one quarter hour [kW]: sun to loads, others, grid, bank; bank to loads, others, grid; mains to loads, others, bank (DC);
# an array on the output side to loads, others, grid, bank (DC); loads that go without; energy at its end [kWh].
(SL, SO, SG, SB, BL, BO, BG, ML, MO, MB, OL, OO, OG, OB, LOST, END), WIDTH = range(16), 16


def optimum_cost(scenario: Scenario, demand_per_kw: float, end_kwh: float) -> float:
    """Return the least that the scenario's days can cost with perfect foresight, with ``end_kwh`` in the bank at the end.

    A relaxation: no resistance, no stages, powers free within limits, caps and what the mode lets flow. Source: OPTIMUM.
    Raises RuntimeError when HiGHS proves nothing.
    """
    per = SLOT_MIN * 60 // scenario.inner_s
    n = len(scenario.sun) // per

    def mean(x: Floats) -> Floats:
        return np.asarray(x[: n * per].reshape(n, per).mean(axis=1))

    par, units, hours = scenario.par, scenario.units, SLOT_MIN / 60
    mode, sells = int(scenario.cho.mode), bool(scenario.cho.sell)
    eta, eta_in = float(par.eta), float(par.eta_charge)
    sun = mean(scenario.sun) * float(par.eta_sun) / 1000
    beside = mean(scenario.output_sun) / 1000
    there = mean(scenario.grid.astype(np.float64))
    load, other = mean(scenario.load) / 1000, mean(scenario.other * scenario.grid) / 1000
    price, sell = mean(scenario.price), mean(scenario.sell)
    rated = float((units.count * units.inverter_w).sum()) / 1000
    top_v, mid_v = (float(par.cells) * float(scenario.ocv[i]) for i in (-1, len(scenario.ocv) // 2))
    charge = float(par.charge_a) * top_v / 1000
    discharge = min(rated / eta, float(par.discharge_a) * max(mid_v, float(par.absorb_v)) / 1000)
    from_mains = float((units.count * units.mains_charge_w).sum()) / 1000
    idle = float(par.idle_w) / 1000
    begun = scenario.stored_kwh(float(par.start_soc))
    hybrid, feed_in = mode > K.OFF_GRID_MAINS, mode == K.FEED_IN
    big = 1e4

    high = np.full((n, WIDTH), big)
    # What the mode lets flow.
    high[:, SO] = big if hybrid and (mode != K.ESSENTIAL or sells) else 0.0
    high[:, BO] = big if hybrid and mode != K.ESSENTIAL else 0.0
    high[:, SG] = big if feed_in or (hybrid and sells) else 0.0
    high[:, OO], high[:, OG] = high[0, SO], high[0, SG]
    high[:, OB] = float(par.output_charge_w) / 1000
    high[:, BG] = big if feed_in else 0.0
    high[:, MB] = from_mains if scenario.cho.charge_order != K.SUN_ONLY else 0.0
    high[:, LOST] = np.where(there < 1 - 1e-9, big, 0.0)
    for flow in (SG, BG, MB, MO, SO, BO, OO, OG):
        high[there < 1e-9, flow] = 0.0
    high[there < 1e-9, ML] = float(par.gen_w) / 1000 if scenario.cho.generator else 0.0
    high[there < 1e-9, MB] = high[there > 1e-9, MB].max(initial=0.0) if scenario.cho.generator else 0.0
    high[:, END] = scenario.stored_kwh(1.0)
    if not hybrid:
        high[:, LOST] = big  # an off-grid unit beyond its rating or its bank sheds load
    low = np.zeros((n, WIDTH))
    floor = min(_lowest_kwh(scenario), begun)
    away = np.minimum.accumulate(there >= 1 - 1e-9)
    # Own use and outages take the bank below the level that discharging keeps.
    low[:, END] = np.maximum(0.0, np.where(away, floor * 0.98 - idle * hours * np.arange(1, n + 1), 0.0))
    low[-1, END] = min(end_kwh, float(high[-1, END])) * 0.995

    cost = np.zeros((n, WIDTH))
    cost[:, [ML, MO]] = (price * hours * there)[:, None]
    cost[:, MB] = price * hours * there / eta_in
    cost[:, [SG, BG, OG]] = -(sell * hours)[:, None]
    months = sorted({d[:7] for d in scenario.dates})
    month_of = np.array([months.index(d[:7]) for d in scenario.dates])
    day_of = np.searchsorted(scenario.begins, np.arange(n) * per, side="right") - 1
    both = np.flatnonzero((sell > price + 1e-9) | (price < 0)) if high[:, [SG, BG, OG]].max() > 0 else np.array([], dtype=int)
    peaks, flags = n * WIDTH, n * WIDTH + len(months)
    size = flags + len(both)

    rows: list[int] = []
    cols: list[int] = []
    data: list[float] = []
    lower: list[float] = []
    upper: list[float] = []

    def put(terms: Sequence[tuple[int, float]], least: float, most: float) -> None:
        for c, v in terms:
            rows.append(len(lower))
            cols.append(c)
            data.append(v)
        lower.append(least)
        upper.append(most)

    export = min(float(par.export_w) / 1000, big)
    cap = float(par.peak_w) / 1000
    above = mean(np.maximum(0.0, scenario.load + scenario.other - float(par.peak_w))) / 1000
    mains = float(par.mains_w) / 1000
    engine = float(par.gen_w) / 1000 if scenario.cho.generator else 0.0
    bought = ((ML, 1.0), (MO, 1.0), (MB, 1 / eta_in))
    for i in range(n):
        at = i * WIDTH

        def here(*terms: tuple[int, float], at: int = at) -> list[tuple[int, float]]:
            return [(at + c, v) for c, v in terms]

        put(here((SL, 1.0), (BL, 1.0), (ML, 1.0), (OL, 1.0), (LOST, 1.0)), load[i], load[i])
        put(here((SO, 1.0), (BO, 1.0), (MO, 1.0), (OO, 1.0)), other[i], other[i])
        put(here((OL, 1.0), (OO, 1.0), (OG, 1.0), (OB, 1 / eta_in)), 0.0, beside[i])
        put(here((SL, 1 / eta), (SO, 1 / eta), (SG, 1 / eta), (SB, 1.0)), 0.0, sun[i])
        before = [(at - WIDTH + END, -1.0)] if i else []
        put(
            [
                *here(
                    (END, 1.0), (SB, -hours), (MB, -hours), (OB, -hours), (BL, hours / eta), (BO, hours / eta), (BG, hours / eta)
                ),
                *before,
            ],
            -idle * hours + (0.0 if i else begun),
            0.0 + (0.0 if i else begun),
        )
        put(here((SL, 1.0), (SO, 1.0), (SG, 1.0), (BL, 1.0), (BO, 1.0), (BG, 1.0)), 0.0, rated)
        put(here((BL, 1 / eta), (BO, 1 / eta), (BG, 1 / eta)), 0.0, discharge)
        put(here((SB, 1.0), (MB, 1.0), (OB, 1.0)), 0.0, charge + idle)
        put(here((SG, 1.0), (BG, 1.0), (OG, 1.0)), 0.0, export)
        put(here(*bought), 0.0, max(mains * there[i], load[i] + other[i], engine))
        if mode == K.PEAK:
            put(here((BL, 1.0), (BO, 1.0)), 0.0, above[i])
            put(here(*bought), 0.0, max(cap, load[i] + other[i]))
        if demand_per_kw > 0 and there[i] > 0:
            put([*here(*bought), (peaks + int(month_of[day_of[i]]), -1.0)], -np.inf, 0.0)
    for j, i in enumerate(both):
        at = int(i) * WIDTH
        buys = max(mains, load[i] + other[i])
        put([(at + c, v) for c, v in bought] + [(flags + j, -buys)], -np.inf, 0.0)
        most = rated + beside[i]
        put([(at + SG, 1.0), (at + BG, 1.0), (at + OG, 1.0), (flags + j, most)], -np.inf, most)
    whole = np.concatenate([cost.ravel(), np.full(len(months), demand_per_kw), np.zeros(len(both))])
    kinds = np.concatenate([np.zeros(flags), np.ones(len(both))])
    from scipy.optimize import Bounds, LinearConstraint, milp  # loaded where it is asked for, not at the start
    from scipy.sparse import coo_matrix

    found = milp(
        whole,
        constraints=LinearConstraint(coo_matrix((data, (rows, cols)), shape=(len(lower), size)).tocsr(), lower, upper),
        bounds=Bounds(
            np.concatenate([low.ravel(), np.zeros(size - peaks)]),
            np.concatenate([high.ravel(), np.full(len(months), np.inf), np.ones(len(both))]),
        ),
        integrality=kinds if len(both) else None,
        options={"time_limit": SOLVER_S, "mip_rel_gap": 5e-3},
    )
    bound = found.mip_dual_bound if len(both) and found.mip_dual_bound is not None else found.fun
    if found.status not in (0, 1) or bound is None or not np.isfinite(bound):
        raise RuntimeError(f"the optimum was not found: {found.message}")
    return float(bound)


def _lowest_kwh(scenario: Scenario) -> float:
    """Return the least energy [kWh] that discharging beside the grid leaves: at the reserve, or where the bank rests at the transfer volts."""
    par, hybrid = scenario.par, scenario.cho.mode > K.OFF_GRID_MAINS
    if scenario.cho.by_soc:
        least = float(par.reserve if hybrid else par.shut_soc)
    else:
        to_mains = float(scenario.units.to_mains.min())
        volts = to_mains if hybrid else min(to_mains, float(par.shut_v))
        least = float(np.interp(volts / float(par.cells), scenario.ocv, np.linspace(0, 1, len(scenario.ocv))))
    return scenario.stored_kwh(least) if least > 0 else 0.0


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
    use = What("use", reserve)
    for cheap, dear, target, between in product(levels[:-1][:3], levels[1:][-3:], targets, ("auto", "hold", "before")):
        if cheap >= dear:
            continue
        middle = [cheap < p < dear for p in day_price]
        used = [p >= dear for p in day_price]
        held = middle if between == "hold" else [False] * DAY
        if between == "before":
            # Keep the charge until the first dear hour, then use it until power is cheap again.
            flags, spent = [], False
            start = next((m for m in range(DAY) if day_price[m - 1] <= cheap < day_price[m]), 0)
            for k in range(DAY):
                price = day_price[(start + k) % DAY]
                spent = price >= dear or (spent and price > cheap)
                flags.append(cheap < price < dear and not spent)
            held = [flags[(m - start) % DAY] for m in range(DAY)]
            used = [p > cheap and not h for p, h in zip(day_price, held, strict=True)]
        elif between == "hold" and not any(middle):
            continue
        low = [p <= cheap for p in day_price]
        wants = ((low, What("charge", target)), (used, use), (held, HOLD))
        yield [_window(a, b, what) for minutes, what in wants for a, b in _runs(minutes)]


class Told(NamedTuple):
    """What a run comes to: cost [money], energy left in the bank [kWh], energy that loads went without [kWh]."""

    cost: float
    left_kwh: float
    dark_kwh: float


def ran(job: Job, scenario: Scenario) -> Told:
    """Run a scenario and return what it comes to, by the simulation's own ledger."""
    _, daily = scenario.run()
    return Told(
        ledger_of(job, scenario, daily, exact=True).cost,
        scenario.stored_kwh(scenario.last_soc),
        float(daily[:, AT["unserved_wh"]].sum()) / 1000,
    )


@dataclass(slots=True)
class _Trial:
    """A job as it is set with windows in force; which windows they are is tried here."""

    job: Job
    host: Unit
    solved: Solved
    scenario: Scenario
    tried: int = 0

    def run(self, windows: Sequence[Window]) -> Told:
        """Return what windows come to as the unit's slots say them."""
        form = self.host.profile.slots
        assert form is not None
        self.tried += 1
        day = slot_day(compile_slots(windows, form), self.host, self.solved)
        return self._with(*day, self.scenario.minute_of_day, form.target == "volts")

    def meant(self, windows: Sequence[Window]) -> Told:
        """Return what windows come to as they are meant, whatever the unit's slots can say."""
        s = self.scenario
        return self._with(*week_of(windows), s.weekday * DAY + s.minute_of_day, False)

    def _with(self, action: Ints, power: Floats, target: Floats, at: Ints, volts: bool) -> Told:
        s = self.scenario
        s.action, s.power, s.target = action[at], power[at], target[at]
        s.cho = s.cho._replace(target_v=bool(int(volts)))
        return ran(self.job, s)


def flat(windows: Sequence[Window]) -> list[Window]:
    """Return windows of every day that do the same without overlapping; the first that covers a minute counts."""
    return written(intent_days(windows)[0])


def written(whole: Day) -> list[Window]:
    """Return the windows of every day that a day's stretches stand for."""
    day = [s for s in whole if s[2] != AUTO]
    if len(day) > 1 and day[0][0] == 0 and day[-1][1] == DAY and day[0][2] == day[-1][2]:
        day = [*day[1:-1], (day[-1][0], day[0][1], day[0][2])]
    return [_window(a, b, what) for a, b, what in day]


def _window(start: int, end: int, what: What) -> Window:
    """Return a window of every day, from minute to minute."""
    return Window.model_validate(
        {"from": time_of(start), "to": time_of(end), "action": what.action}
        | ({"target_soc": what.target} if what.target >= 0 else {})
        | ({"power_w": what.power} if what.power >= 0 else {})
    )


def changes(windows: Sequence[Window], powers: Sequence[float], targets: Sequence[float]) -> Iterator[list[Window]]:
    """Yield small changes of windows: one taken out or put in, an edge moved by half an hour, another target (0..1) or power [W]."""
    for hour, long_h, action in product(range(0, 24, 2), (2, 4), ("charge", "use")):
        new: dict[str, object] = {"from": f"{hour:02d}:00", "to": f"{(hour + long_h) % 24:02d}:00", "action": action}
        if targets:
            new |= {"target_soc": 1.0 if action == "charge" else min(targets), **({"power_w": powers[-1]} if powers else {})}
        yield [Window.model_validate(new), *windows]
    for i, w in enumerate(windows):
        rest = list(windows)
        yield rest[:i] + rest[i + 1 :]
        for key, by in product(("from_", "to"), (-30, 30)):
            moved = time_of((minutes_of(getattr(w, key)) + by) % DAY)
            if moved != (w.to if key == "from_" else w.from_):
                yield [*rest[:i], w.model_copy(update={key: moved}), *rest[i + 1 :]]
        if w.action == "hold":
            continue
        for target in targets:
            if target != w.target_soc:
                yield [*rest[:i], w.model_copy(update={"target_soc": target}), *rest[i + 1 :]]
        for power in (None, *powers):
            if power != w.power_w:
                yield [*rest[:i], w.model_copy(update={"power_w": power}), *rest[i + 1 :]]


def advise(job: Job, library: Library, days: int = 7, told: Callable[[str, float], None] | None = None) -> Advice:
    """Return the best windows for the job's tariff that the host's slots can say; for each season its own, where there are seasons.

    Costs are the simulation's ledger of the same days. Raises :class:`DocumentError` without a tariff that varies, or without mains.
    """
    say = told or (lambda word, share: None)
    if not job.seasons:
        return _advise(job, library, days, say)
    found, parts = [], len(job.seasons)
    for i, season in enumerate(job.seasons):
        tariff = season.tariff or job.tariff
        if tariff is None or not tariff.prices:
            continue
        start = dt.date.fromisoformat(job.flow.start)
        first = next(
            d for d in (start + dt.timedelta(days=k) for k in range(367)) if covers(season.from_, season.to, d.strftime("%m-%d"))
        )
        alone = {"seasons": [], "windows": [], "tariff": tariff, "flow": job.flow.model_copy(update={"start": first.isoformat()})}
        told_part = lambda word, share, i=i, name=season.name: say(f"{name}: {word}", (i + share) / parts)  # noqa: E731
        found.append((season, _advise(job.model_copy(update=alone), library, days, told_part)))
    if not found:
        return _advise(job.model_copy(update={"seasons": []}), library, days, say)
    without, cost, best = (sum(getattr(a, f"cost_{k}") for _, a in found) for k in ("without", "with", "optimum"))
    return Advice(
        windows=[
            AdvisedWindow(window=w.window | {"season": season.name}, words=f"{season.name}, {w.words}")
            for season, a in found
            for w in a.windows
        ],
        cost_without=round(without, 2),
        cost_with=round(cost, 2),
        cost_optimum=round(best, 2),
        captured=_captured(without, cost, best),
        currency=found[0][1].currency,
        days=sum(a.days for _, a in found),
        tried=sum(a.tried for _, a in found),
        words=" ".join(f"{season.name}: {a.words}" for season, a in found),
    )


def _captured(without: float, cost: float, optimum: float) -> float:
    """Return which part (0..1) of what perfect foresight would save is saved."""
    possible = without - optimum
    return 1.0 if possible <= 0.005 else round(max(0.0, min(1.0, (without - cost) / possible)), 4)


def _advise(job: Job, library: Library, days: int, say: Callable[[str, float], None]) -> Advice:
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
    without = ran(job, build(job.model_copy(update={"windows": []}), library, days))
    base = without.cost
    anything = job.model_copy(update={"windows": [_window(0, SLOT_MIN, HOLD)]})
    scenario = build(anything, library, days)
    reserve = max(float(scenario.par.reserve), job.policy.outage_reserve_soc or 0.0)
    end_value = max(0.0, float(scenario.price.min())) / float(scenario.par.eta_charge)
    trial = _Trial(job, host, solve(anything, library), scenario)

    def worth(found: Told) -> float:
        if found.cost > base - 1e-9 or found.dark_kwh > without.dark_kwh + 0.005:
            return float("inf")
        return found.cost - end_value * (found.left_kwh - without.left_kwh)

    # A workday's prices by the clock, whatever the length of the days that are simulated.
    workday = int(next((d for d in scenario.weekday if d < 5), 0))
    day_price, _ = prices_of(job.tariff, np.arange(DAY), np.full(DAY, workday))
    rated = float((scenario.units.count * scenario.units.inverter_w).sum())
    powers = [round(rated * part, -1) for part in (0.1, 0.25, 0.5, 1.0)] if form.power != "none" else []
    targets = (1.0, 0.9, 0.75, 0.6) if form.target != "none" else (1.0,)
    options = list(candidates([float(p) for p in day_price], max(0.05, reserve), targets))
    sells = scenario.cho.mode == K.FEED_IN
    # What the bank sells at, and how gently it charges where a demand charge or a cap makes haste dear.
    ways = list(product((None, powers[-1]) if sells and powers else (None,), (None, *powers[:3])))
    best: tuple[float, list[Window]] = (base, [])
    goal = float("inf")
    for i, windows in enumerate(options):
        say("trying windows", 0.15 + 0.3 * i / max(1, len(options)))
        for sold_at, charged_at in ways:
            at = {"use": sold_at, "charge": charged_at}
            tried = [w.model_copy(update={"power_w": at[w.action]}) if at.get(w.action) else w for w in windows]
            if form.target == "none":
                tried = [w.model_copy(update={"target_soc": None}) for w in tried]
            value = worth(trial.run(tried))
            goal = min(goal, worth(trial.meant(tried)))
            if value < best[0] - 1e-6:
                best = (value, tried)
    left = TRIES
    better = bool(options)
    while better and left > 0:
        better = False
        for windows in changes(best[1], powers, (0.3, 0.5, *targets) if form.target != "none" else ()):
            left -= 1
            if left < 0:
                break
            say("changing the best of them", 0.45 + 0.3 * (1 - left / TRIES))
            value = worth(trial.run(windows)) if windows else base
            if value < best[0] - WORTH * abs(base):
                best, better = (value, flat(windows)), True
                break
    say("as the job would be with them", 0.78)
    # As the slots say them, so that what is advised is what the unit does.
    advised = best[1]
    said = [w for w in written(slots_day(compile_slots(advised, form), form)) if _length(w) >= SLOT_MIN] if advised else []
    if said and worth(trial.run(said)) <= best[0] + 1e-6:
        advised = said
    made = ran(job, build(job.model_copy(update={"windows": advised}), library, days)) if advised else without
    if made.cost > base - 0.005 or made.dark_kwh > without.dark_kwh + 0.005:
        advised, made = [], without
    cost = made.cost
    say("perfect foresight", 0.8)
    optimum = min(optimum_cost(scenario, job.tariff.demand_per_kw, min(made.left_kwh, without.left_kwh)), cost)
    saved, possible = base - cost, base - optimum
    money = job.tariff.currency
    words = (
        f"Over {days} days these windows save {saved:.2f} {money} of {possible:.2f} {money} that perfect foresight would: {_captured(base, cost, optimum) * 100:.0f} %."
        if advised
        else "No windows would save anything with this tariff."
    )
    lost = best[0] - goal if advised else 0.0
    if possible > 0.005 and lost > 0.03 * possible:
        words += (
            f" {lost:.2f} {money} of it are out of reach of {host.profile.name}: its slots cannot say windows that would save more."
        )
    return Advice(
        windows=[
            AdvisedWindow(window={k: v for k, v in w.to_data().items() if v is not None}, words=_words(w, day_price, money))
            for w in advised
        ],
        cost_without=round(base, 2),
        cost_with=round(cost, 2),
        cost_optimum=round(optimum, 2),
        captured=_captured(base, cost, optimum),
        currency=money,
        days=days,
        tried=trial.tried,
        words=words,
    )


def _length(w: Window) -> int:
    """Return how long a window is [min]."""
    return begins(w)[2]


def _words(w: Window, day_price: Floats, money: str) -> str:
    a, b = minutes_of(w.from_), minutes_of(w.to)
    price = float(np.mean(day_price[a:b] if a < b else np.concatenate([day_price[a:], day_price[:b]])))
    told = f"{w.from_} to {w.to}, at {price:.2f} {money} a kWh: "
    if w.action == "charge":
        return told + f"the mains carry the loads and charge the bank up to {round((w.target_soc or 1) * 100)} %."
    if w.action == "hold":
        return told + "the bank keeps its charge for dearer hours."
    return told + f"the bank carries the loads down to {round((w.target_soc or 0) * 100)} %."
