"""Many weathers: the same job under so many seeded years, one field varied where wished, in parallel.

Each weather is a task of plain data in and plain numbers out, given to an executor: threads here (the compiled kernel
runs without the interpreter's lock), or the workers of a Dask cluster, which run the same function unchanged.
"""

from __future__ import annotations

import copy
import datetime as dt
import json
import os
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor, as_completed
from dataclasses import replace
from functools import lru_cache
from threading import Lock
from typing import Any

import numpy as np

from ..devices.library import Library, parse_job, parse_profile
from ..documents.job import Job
from ..documents.results.flow import Band, Sweep, SweepPart
from ..stages.pipeline import solve
from ..trade.errors import DocumentError, Problem
from ..trade.rules import formula_rule
from .results import AT, ledger_of
from .scenario import Scenario, build, sun_of

BANDS = formula_rule(
    "weather-bands",
    "windows",
    "One year of weather is luck: of many, one in ten is worse than the low band and one in ten better than the high one",
    "10th, 50th and 90th of a hundred weathers",
)

MOST_WEATHERS = 2000
FIELDS = {
    "modules": "modules in parallel, the first one repeated",
    "array": "watts of all arrays together, in their proportions",
    "reserve": "charge kept for the night (0..1)",
    "amps": "current into the bank at most",
}
"""Fields that may be varied by name; any other is a pointer into the job."""
FIGURES = ("unserved_kwh", "generator_h", "mains_kwh", "export_kwh", "curtailed_kwh", "full_days", "lowest_soc", "cost")


def _refused(message: str, value: object, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer="/vary", message=message, value=value, expected=expected)])


def varied(job: Job, library: Library, field: str, value: str) -> Job:
    """Return the job with one field set to a value, as typed. Raises :class:`DocumentError` where that makes no job."""
    data = copy.deepcopy(job.to_data())
    try:
        figure: Any = json.loads(value)
    except json.JSONDecodeError:
        figure = value
    number = float(figure) if isinstance(figure, (int, float)) and not isinstance(figure, bool) else None
    if field in FIELDS and (number is None or number <= 0):
        raise _refused(f"{field} takes numbers above zero", value, FIELDS[field])
    if field == "modules":
        modules = data.get("bank", {}).get("modules", [])
        if number is None or number != int(number) or not 1 <= number <= 64 or not modules:
            raise _refused("no such number of modules", value, "1 to 64, of at least one that is there")
        more = [copy.deepcopy(modules[0]) | {"id": f"{modules[0]['id']}-{i}"} for i in range(len(modules), int(number))]
        data["bank"]["modules"] = [*modules[: int(number)], *more]
    elif field == "array":
        sun = data.get("sun", {})
        arrays = [x for x in (*sun.get("chargers", []), *data.get("units", []), *sun.get("on_output", [])) if x.get("array_w")]
        total = sum(x["array_w"] for x in arrays)
        if not arrays:
            raise _refused("there is no array to vary", value, "a job with an array")
        for x in arrays:
            x["array_w"] *= (number or 0.0) / total
    elif field == "reserve":
        data.setdefault("policy", {})["reserve_soc"] = number
    elif field == "amps":
        bank = solve(job, library).bank
        if bank is None:
            raise _refused("there is no bank to charge", value, "a job with a bank")
        data.setdefault("policy", {})["max_c_rate"] = round((number or 0.0) / bank.capacity_ah, 5)
    elif field.startswith("/"):
        _put(data, field, figure)
    else:
        raise _refused("no such field", field, ", ".join(FIELDS) + ", or a pointer such as /loads/daily_wh")
    return parse_job(json.dumps(data).encode(), library)


def _put(data: Any, pointer: str, value: Any) -> None:
    """Set what a JSON pointer names. Raises :class:`DocumentError` where its way leads nowhere."""
    node = data
    keys = [k.replace("~1", "/").replace("~0", "~") for k in pointer[1:].split("/")]
    try:
        for key in keys[:-1]:
            node = node[int(key)] if isinstance(node, list) else node.setdefault(key, {})
        if isinstance(node, list):
            node[int(keys[-1])] = value
        else:
            node[keys[-1]] = value
    except (KeyError, IndexError, ValueError, TypeError, AttributeError):
        raise _refused("this pointer leads nowhere", pointer, "a field of the job") from None


_BUILD = Lock()


@lru_cache(maxsize=16)
def _scenario(job: str, profiles: tuple[str, ...], days: int) -> tuple[Job, Scenario]:
    library = Library([parse_profile(p) for p in profiles])
    parsed = parse_job(job.encode(), library)
    return parsed, build(parsed, library, days)


def one_weather(job: str, profiles: tuple[str, ...], days: int, seed: int) -> list[float]:
    """Return what a job comes to under one weather: the figures of ``FIGURES``, then the share of days full by each hour 0..24.

    Everything goes in and out as plain data, so that any worker anywhere can do it.
    """
    with _BUILD:
        parsed, held = _scenario(job, profiles, days)
    weathered = parsed.model_copy(update={"flow": parsed.flow.model_copy(update={"seed": seed})})
    start = dt.date.fromisoformat(parsed.flow.start)
    sun, output = sun_of(weathered, start, days, held.inner_s, [])
    s = replace(held, sun=sun, output_sun=output, cho=held.cho)
    _, daily = s.run()
    ledger = ledger_of(parsed, s, daily)
    hours = daily[:, AT["full_at_h"]][daily[:, AT["fulls"]] > 0]
    return [*(float(getattr(ledger, name)) for name in FIGURES), *(float((hours <= h).sum()) / days for h in range(25))]


def band(values: Sequence[float]) -> Band:
    """Return the 10th, 50th and 90th of a hundred, and the mean. Source: BANDS."""
    low, middle, high = np.percentile(values, (10, 50, 90))
    return Band(
        p10=round(float(low), 4), p50=round(float(middle), 4), p90=round(float(high), 4), mean=round(float(np.mean(values)), 4)
    )


def sweep(
    job: Job,
    library: Library,
    weathers: int = 200,
    days: int = 365,
    vary: tuple[str, Sequence[str]] | None = None,
    executor: Executor | None = None,
    told: Callable[[str, float], None] | None = None,
) -> Sweep:
    """Return the bands of a job over many weathers, for each value of one varied field.

    ``executor`` runs the tasks (threads on all cores where none is given); ``told`` hears how far it is and may raise to stop it.
    Raises :class:`DocumentError` for a field, value or number of weathers that cannot be.
    """
    say = told or (lambda word, share: None)
    if not 1 <= weathers <= MOST_WEATHERS:
        raise DocumentError(
            [Problem(pointer="/weathers", message="no such number of weathers", value=weathers, expected=f"1 to {MOST_WEATHERS}")]
        )
    field, values = vary or ("", ("",))
    jobs = [(v, varied(job, library, field, v) if field else job) for v in values]
    say("first weather", 0.01)
    used = tuple(p.model_dump_json(by_alias=True, exclude_unset=True) for p in library)
    assumed = list(build(jobs[0][1], library, days).assumed)
    if job.flow.sun is not None:
        assumed.append("the sun is measured: it is the same in every weather")
    own = ThreadPoolExecutor(max_workers=os.cpu_count() or 1) if executor is None else None
    pool = executor or own
    assert pool is not None
    places: dict[Future[list[float]], tuple[int, int]] = {}
    rows = np.empty((len(jobs), weathers, len(FIGURES) + 25))
    try:
        for k, (_, one) in enumerate(jobs):
            text = json.dumps(one.to_data(), sort_keys=True)
            for seed in range(weathers):
                places[pool.submit(one_weather, text, used, days, job.flow.seed + seed)] = k, seed
        for done, future in enumerate(as_completed(places), 1):
            rows[places[future]] = future.result()
            say(f"{done} of {len(places)} years", 0.02 + 0.96 * done / len(places))
    finally:
        for future in places:
            future.cancel()
        if own is not None:
            own.shutdown(wait=True, cancel_futures=True)
    return Sweep(
        job=job.name,
        weathers=weathers,
        days=days,
        field=field,
        parts=[_part(value, each) for (value, _), each in zip(jobs, rows, strict=True)],
        currency=job.tariff.currency if job.tariff else "",
        assumed=assumed,
    )


def _part(value: str, rows: Any) -> SweepPart:
    figures = {name: band(rows[:, i]) for i, name in enumerate(FIGURES)}
    by_hour = rows[:, len(FIGURES) :]
    return SweepPart(value=value, full_by_hour=[band(by_hour[:, h]) for h in range(25)], **figures)
