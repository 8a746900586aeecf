"""Advice on windows: in the simulation's own money, never dearer than none, never below what foresight could do."""

import json
import random

import numpy as np
import pytest

from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.documents.job import Job, Window
from ewerer.core.flow.adviser import advise, flat, optimum_cost
from ewerer.core.flow.results import ledger_of, simulate
from ewerer.core.flow.scenario import build
from ewerer.core.trade.errors import DocumentError
from tests.cases import text_of
from tests.jobs import job_of
from tests.sites import site
from tests.sizes import size

LIBRARY = shipped_library()


def applied(job: Job, told) -> Job:
    """Return the job with the advised windows as a person would type them."""
    return parse_job(json.dumps(job.to_data() | {"windows": [w.window for w in told.windows]}).encode(), LIBRARY)


def hold(job: Job, days: int):
    """Assert what advice must be on any job, and return it."""
    told = advise(job, LIBRARY, days)
    plain = simulate(applied(job, told.model_copy(update={"windows": []})), LIBRARY, days).ledger
    made = simulate(applied(job, told), LIBRARY, days).ledger
    assert told.cost_without == pytest.approx(plain.cost, abs=0.011) and told.cost_with == pytest.approx(made.cost, abs=0.011)
    assert told.cost_optimum <= told.cost_with + 1e-9 <= told.cost_without + 1e-6
    assert made.unserved_kwh <= plain.unserved_kwh + 0.01, "money is not saved by leaving loads dark"
    assert 0 <= told.captured <= 1
    return told


def tariff(r: random.Random):
    """Return a random tariff: negative prices, export above import, demand charges."""
    hours = sorted(r.sample(range(24), r.choice([2, 4, 6])))
    prices = [
        {"from": f"{a:02d}:00", "to": f"{b:02d}:00", "price": round(r.uniform(-0.2, 0.8), 2)} | ({"export": round(r.uniform(-0.1, 0.9), 2)} if r.random() < 0.4 else {})
        for a, b in zip(hours[::2], hours[1::2], strict=True)
    ]  # fmt: skip
    return {
        "base": round(r.uniform(0.1, 0.5), 2),
        "export": round(r.uniform(0, 0.6), 2),
        "prices": prices,
        "demand_per_kw": r.choice([0, 0, 12]),
    }


def test_no_job_is_made_dearer_by_advice():
    r = random.Random(6)
    saved = ran = 0
    while ran < size(3, 30):
        job = site(r)
        job["site"]["sources"] = list({*job["site"]["sources"], "mains"})
        job["tariff"] = tariff(r)
        try:
            told = hold(job_of(job), 2)
        except DocumentError:
            continue
        ran += 1
        saved += told.cost_with < told.cost_without - 0.01
    assert saved >= size(1, 5), "some of these tariffs are worth windows"


@pytest.mark.parametrize(
    ("case", "least"), [("adv-demand", 1.0), ("adv-peak", 0.0), pytest.param("adv-feedin", 60.0, marks=pytest.mark.long)]
)
def test_cases_that_were_advised_dearer_than_nothing(case, least):
    told = hold(parse_job(text_of(case), LIBRARY), 7)
    assert told.cost_without - told.cost_with >= least


@pytest.mark.parametrize("days", [1, 2])
@pytest.mark.parametrize("start", ["2025-03-30", "2025-10-26"])
def test_days_of_23_and_25_hours_are_advised(start, days):
    job = parse_job(text_of("adv-dst-1day"), LIBRARY)
    told = hold(job.model_copy(update={"flow": job.flow.model_copy(update={"start": start})}), days)
    assert told.days == days


def test_the_optimum_never_sells_while_it_buys():
    """Where a kWh sells for more than it costs, only the bank's round trip earns: bounded by what fits through it."""
    job = parse_job(text_of("adv-feedin"), LIBRARY)
    s = build(job.model_copy(update={"windows": []}), LIBRARY, 1)
    begun = s.stored_kwh(s.par.start_soc)
    best = optimum_cost(s, 0.0, begun)
    rated = (s.units.count * s.units.inverter_w).sum() / 1000
    assert best > -0.5 * rated * 24 * 0.6, "half the day at least goes into buying what is sold"
    free = s.price.copy()
    s.sell = np.zeros_like(free)
    assert optimum_cost(s, 0.0, begun) >= -1e-9 + best


def test_random_windows_never_beat_the_optimum():
    """Rule windows-optimum, on random sites, windows and tariffs."""
    r = random.Random(3)
    ran = 0
    while ran < 25:
        job = site(r)
        job["site"]["sources"] = list({*job["site"]["sources"], "mains"})
        job["tariff"] = tariff(r)
        try:
            made = job_of(job)
            s = build(made, LIBRARY, 1)
        except DocumentError:
            continue
        ran += 1
        _, daily = s.run()
        ledger = ledger_of(made, s, daily, exact=True)
        best = optimum_cost(s, made.tariff.demand_per_kw, s.stored_kwh(s.last_soc))
        assert best <= ledger.cost + 0.01 * abs(ledger.cost) + 0.02, job


def test_flat_windows_do_the_same_without_overlap():
    from ewerer.core.devices.slots.week import intent_days

    r = random.Random(8)
    for _ in range(200):
        windows = []
        for _ in range(r.randint(1, 5)):
            a, b = r.sample(range(0, 1440, 15), 2)
            windows.append(Window.model_validate({"from": f"{a // 60:02d}:{a % 60:02d}", "to": f"{b // 60:02d}:{b % 60:02d}", "action": r.choice(["charge", "hold", "use"])}))  # fmt: skip
        assert intent_days(flat(windows)) == intent_days(windows)
        assert len(flat(list(reversed(flat(windows))))) == len(flat(windows))
