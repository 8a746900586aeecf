"""A rule's text and what the code does rest on the same constant: each is changed, and both must follow.

Behaviour is whatever differs first: a leaf of a plan without its sentences, a verdict on random readings, a step on site, a power.
"""

import datetime as dt
import json
import random
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import fields, is_dataclass, replace
from functools import cache
from types import ModuleType
from typing import Any

import pytest

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import Library, parse_job
from ewerer.core.flow.scenario import sun_power_w
from ewerer.core.record.figures import KINDS, Noted
from ewerer.core.record.run import run_of
from ewerer.core.stages.limits.ac import engine_derate
from ewerer.core.trade import copper, margins
from ewerer.core.trade.chemistries import CHEMISTRIES
from ewerer.core.trade.lead_acid import stored_exponent
from ewerer.core.trade.rules import Rule, load_all
from tests import pins
from tests.found import found
from tests.jobs import OSTRAND, SKERRY, TARN, changed, hand_written, inline, job_of, plan_of
from tests.sizes import size

RULES = load_all()
FACTORS = (0.6, 1.3)
NAMES = sorted({name for rule in RULES.values() for name in rule.constants})
SPREAD: dict[str, Callable[[Callable[[float, float], float]], dict[str, float]]] = {
    "gain": lambda u: {"reference": (ref := u(5, 200)), "shown": ref * u(0.93, 1.07) + u(-0.4, 0.4), "rated_a": ref * u(2, 14)},
    "zero": lambda u: {"amps": u(0.2, 0.6)},
    "resistance": lambda u: {"v1": 52.0, "i1": 5.0, "v2": 52 - u(0.3, 0.8), "i2": 105.0},
    "cap": lambda u: {"bank": u(25, 45), "dc": u(0, 10)},
    "ac_draw": lambda u: {"amps": 60.0, "volts": 54.0, "loads": 1000.0, "input": (60 * 54 / 0.92 + 1000) * u(0.9, 1.1)},
    "ct": lambda u: {"known": 1000.0, "before": 200.0, "after": 200 + u(700, 1300), "other": 0.0},
    "share": lambda u: {f"U{i}": 50 * u(0.85, 1.15) for i in range(3)},
    "temperature": lambda u: {"shown": round(u(15, 25)) + 0.0, "second": u(15, 27)},
    "shade": lambda u: {"before": 30.0, "after": 30 - u(0, 6), "minutes": u(1, 12)},
    "timed": lambda u: {},
    "same": lambda u: {f"{side}.{name}": at + (u(-1.5, 1.5) if side == "unit" and name == moved else 0.0) for moved in [("volts", "soc", "temp", "soh")[int(u(0, 3.99))]] for side in ("bms", "unit") for name, at in (("volts", 52.0), ("soc", 60.0), ("temp", 20.0), ("soh", 99.0), ("charge", 70.0))},
    "mode": lambda u: {"bank": 2000 + u(-250, 250), "grid": -500 + u(-150, 150)},
    "ramp": lambda u: {"5.volts": 230.0, "5.hertz": 50 * u(0.96, 1.04), "9.volts": 230.0, "9.hertz": 50 * u(0.96, 1.04)},
}  # fmt: skip
"""Readings around what is right, kind by kind."""
GIVEN = {"cap_a": 40.0, "predicted_bank_w": 2000.0, "predicted_grid_w": -500.0, "lasts_s": 60.0, "low_v": 200.0, "high_v": 260.0,
    "expected_mohm": 4.0, "rated_a": 300.0, "entry": 300.0, "entry_step": 0.1}  # fmt: skip


def judged() -> Iterator[Any]:
    """Yield verdicts on readings around what is right."""
    dice = random.Random(7)
    for kind, spread in SPREAD.items():
        for _ in range(200):
            timers = {"asked": "2026-01-01T00:00:00.000Z", "ended": f"2026-01-01T00:01:{dice.randint(0, 9):02d}.000Z"}
            made = KINDS[kind](Noted(values=spread(dice.uniform), given=GIVEN, timers=timers))
            yield (kind, made.verdict, made.margin, [f.model_dump() for f in made.figures])


HOT = {"site__altitude_m": 1500, "site__bank_ambient_c": 36}
LEADS = {"bank__main_lead": {"length_m": 12, "section_mm2": 33.6}, "bank__lead": {"length_m": 1, "section_mm2": 33.6}}
ACID = inline("A", chemistry="flooded", series_cells=24, capacity_ah=510, rated_h=6, charge_a=60, cell_max_v=2.65, cell_min_v=1.75)  # fmt: skip
JOBS = [
    changed(SKERRY, **HOT),
    changed(SKERRY, site__altitude_m=7500),
    *(changed(SKERRY, **LEADS | {"bank__main_lead__length_m": m, "site__bank_ambient_c": 40}) for m in (8, 14, 20)),
    changed(SKERRY, bank__modules__0__age_years=1.5),
    changed(SKERRY, bank__modules__0__health=0.93),
    changed(SKERRY, bank__modules__0__age_years=0, bank__modules__1__age_years=1.5, bank__modules__0__health=1, bank__modules__1__health=0.93),
    changed(TARN, policy__reserve_soc=0.3),
    *(found(low_warn=f"{v / 10:.1f}") for v in range(510, 530)),
    *(found(store_ah=str(a)) for a in range(300, 330 + 600, 10)),
    changed(SKERRY, bank__modules=[ACID], **{f"units__{i}__profile": "wendle-hy6" for i in (0, 1)}),
    hand_written(ACID),
    *(changed(SKERRY, bank__shunt_a=500, as_found={"U1": {"shunt": f"{a}"}}) for a in range(350, 700, 50)),
    changed(OSTRAND, policy__outage_reserve_soc=None, policy__low_end_school="deep"),
]  # fmt: skip


def documents() -> Iterator[Callable[[], Any]]:
    """Yield what is compared, the quickest first."""
    yield lambda: list(judged())
    for job in JOBS:
        yield lambda job=job: figures_of_plan(job)
    yield lambda: [
        engine_derate(job_of(changed(SKERRY, site__altitude_m=m, site__bank_ambient_c=c, generator__derate=1)))
        for m, c in ((900, 30), (5900, 59))
    ]
    yield lambda: [
        (K.filling(s, i, t, 49.0, 24, 356.0, 0.001), stored_exponent(s, i, 356.0))
        for s, i, t in ((0.5, 3.0, 5.0), (0.999, 40.0, 90.0), (0.8, 40.0, 25.0))
    ]
    fast = hand_written(inline("A", charge_a=90))
    yield lambda: [f.fix for f in plan_of(fast).findings]
    yield lambda: sun_power_w(job_of(SKERRY), dt.date(2026, 6, 21), 1, 3600).tolist()
    for name, text, library in pins.documents():
        if not name.startswith("seed/") or int(name[5:]) < size(4, 200):
            yield lambda text=text, library=library: pins.outline(text, library, sentences=False)
    for text, library in [(t, lib) for name, t, lib in pins.documents() if name.startswith("demo/")]:
        yield lambda text=text, library=library: figures_of_run(text, library)


def figures_of_plan(job: dict) -> Any:
    return pins.outline(json.dumps(job).encode(), pins.shipped_library(), sentences=False)


def figures_of_run(text: bytes, library: Library) -> Any:
    steps = run_of(parse_job(text, library), library).steps
    return [list(pins.leaves(s.model_dump(mode="json", include={"id", "wait_s", "minutes", "asks", "given"}))) for s in steps]


def answer(ask: Callable[[], Any]) -> Any:
    try:
        return ask()
    except (ValueError, ArithmeticError, AssertionError, IndexError, KeyError) as error:
        return repr(type(error))


@cache
def as_it_is() -> list[Any]:
    forget()
    return [answer(ask) for ask in documents()]


def modules() -> list[ModuleType]:
    return [m for name, m in list(sys.modules.items()) if name.startswith("ewerer.core") and m is not None]


def forget() -> None:
    """Empty whatever is kept between plans."""
    for module in modules():
        for held in vars(module).values():
            if hasattr(held, "cache_clear") and getattr(held, "__module__", "").startswith("ewerer") and held is not load_all:
                held.cache_clear()
        if hasattr(module, "_KEPT"):
            module._KEPT.clear()


@contextmanager
def with_constant(name: str, value: Any) -> Iterator[None]:
    was = value_of(name)
    held = [m for m in modules() if getattr(m, name, None) is was]
    for m in held:
        setattr(m, name, value)
    forget()
    try:
        yield
    finally:
        for m in held:
            setattr(m, name, was)
        forget()


def other(value: Any, factor: float) -> Any:
    """Return another figure of the same kind."""
    if isinstance(value, dict):
        return {k: other(v, factor) for k, v in value.items()}
    if isinstance(value, tuple):
        return tuple(other(v, factor) for v in value)
    return type(value)(value * factor) if value else 0.07


def value_of(name: str) -> Any:
    return getattr(margins, name) if hasattr(margins, name) else getattr(copper, name)


def differs(before: list[Any]) -> bool:
    """Say whether anything is done otherwise than before."""
    return any(answer(ask) != was for ask, was in zip(documents(), before, strict=True))


@pytest.mark.parametrize("name", size(NAMES[::24], NAMES))
def test_text_and_behaviour_follow_a_constant(name):
    users = [r for r in RULES.values() if name in r.constants]
    said = {r.id: (r.statement(), r.formula()) for r in users}
    before = as_it_is()
    follows = False
    for factor in FACTORS:
        with with_constant(name, other(value_of(name), factor)):
            for r in users:
                assert (r.statement(), r.formula()) != said[r.id], r.id
            follows = follows or differs(before)
    assert follows, f"nothing follows {name}"


CELL_FIELDS = sorted({f for r in RULES.values() for f in r.of_the_cell})


@pytest.mark.parametrize("path", size(CELL_FIELDS[::12], CELL_FIELDS))
def test_text_and_behaviour_follow_a_figure_of_the_chemistry(path, monkeypatch):
    users = [r for r in RULES.values() if path in r.of_the_cell]
    said = {r.id: r.formulas() for r in users}
    before = as_it_is()
    follows = False
    for factor in FACTORS:
        with monkeypatch.context() as patch:
            for name, chemistry in CHEMISTRIES.items():
                patch.setitem(CHEMISTRIES, name, with_field(chemistry, path.split("."), factor))
            forget()
            for r in users:
                assert r.formulas() != said[r.id], r.id
            follows = follows or differs(before)
        forget()
    assert follows, f"nothing follows {path}"


def with_field(held: Any, path: list[str], factor: float) -> Any:
    """Return a chemistry with another figure at a path; as it is where it has none."""
    if held is None:
        return None
    value = getattr(held, path[0])
    return replace(held, **{path[0]: with_field(value, path[1:], factor) if len(path) > 1 else other(value, factor)})


@pytest.mark.parametrize("chemistry", CHEMISTRIES)
def test_every_formula_of_a_chemistry_holds_its_figures(chemistry):
    cell = CHEMISTRIES[chemistry]
    for rule in RULES.values():
        text = rule.formula(cell)
        assert "{" not in text and "}" not in text, rule.id
        for path in rule.of_the_cell if text else ():
            held: Any = cell
            for part in path.split("."):
                held = getattr(held, part)
            figures = held if isinstance(held, tuple) else (held,)
            assert all(any(f"{f * scale:.6g}" in text for scale in (1, 100)) for f in figures), (rule.id, path)


def test_no_two_constants_are_one_by_chance():
    """A patched module attribute is found by identity: names must not be rebound under other names."""
    for name in NAMES:
        assert hasattr(margins, name) or hasattr(copper, name), name
    assert all(is_dataclass(c) and fields(c) for c in CHEMISTRIES.values())
    assert isinstance(next(iter(RULES.values())), Rule)
