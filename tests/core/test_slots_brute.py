"""Compiled slots beside all programs of a coarse grid, each painted minute by minute as the form's own description says."""

import itertools
import random

import pytest

from ewerer.core.devices.slots.forms import compile_slots
from ewerer.core.documents.job import Window
from ewerer.core.documents.profiles import SlotForm
from tests.cases import plan_case, text_of
from tests.sizes import size

STEP = 180
GRID = range(0, 1440 // STEP)
AUTO, HOLD = ("auto", None, None), ("hold", None, None)


def form(**more):
    return SlotForm.model_validate({"end_of_day": "24:00", "target": "soc", **more}).model_copy(update={"step_min": STEP})


def clock(minute):
    return f"{minute // 60:02d}:{minute % 60:02d}"


def want(window):
    return HOLD if window.action == "hold" else (window.action, window.target_soc, window.power_w)


def minutes(text):
    return int(text[:2]) * 60 + int(text[3:])


DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def wanted_week(windows):
    """Return what every half step of seven days wants, painted window by window; the first that covers it counts."""
    week = [[AUTO] * 1440 for _ in DAYS]
    for w in reversed(windows):
        days = range(7) if w.days == "all" else [DAYS.index(d) for d in w.days.split(",")]
        a, b = minutes(w.from_), minutes(w.to)
        for d in days:
            for m in range(a, b if a < b else b + 1440):
                week[(d + m // 1440) % 7][m % 1440] = want(w)
    return [[day[m] for m in range(0, 1440, 90)] for day in week]


def off(week, day):
    """Return in how many half steps of the week a day's program is not what is wanted."""
    return sum(a != b for wanted in week for a, b in zip(wanted, day, strict=True))


def painted(ground, *layers):
    """Return the half steps of a day; layers of (from, to, want) in steps, later over earlier, ends before beginnings over midnight."""
    day = [ground] * 16
    for a, b, what in itertools.chain(*layers):
        for k in range(2 * a, 2 * b if a < b else 2 * b + 16):
            day[k % 16] = what
    return day


def program(slots, kind):
    """Return compiled slots of a kind as the oracle writes them."""
    found = []
    for s in slots:
        if s.kind != kind:
            continue
        if s.holds:
            what = HOLD
        elif s.charge_allowed:
            what = ("charge", s.target_soc, s.power_w)
        elif s.free:
            what = AUTO
        else:
            what = ("export" if s.exports else "use", s.target_soc, s.power_w)
        found.append((minutes(s.start) // STEP, minutes(s.end) // STEP, what))
    return found


def intents(seed, most=4):
    r = random.Random(seed)
    windows = []
    for _ in range(r.randint(0, most)):
        a, b = r.sample(range(0, 1440, 90), 2)
        action = r.choice(["charge", "hold", "use", "export"])
        one = {"from": clock(a), "to": clock(b), "action": action, "days": r.choice(["all", "all", "sat,sun", "mon"])}
        if action in ("charge", "use") and r.random() < 0.5:
            one["target_soc"] = r.choice([0.4, 0.8])
        windows.append(Window.model_validate(one))
    return windows


def straight(labels, most):
    """Yield every set of up to ``most`` windows of a kind that do not lie over midnight."""
    single = [(a, b, w) for a in GRID for b in range(a + 1, 9) for w in labels]
    yield ()
    for one in single:
        yield (one,)
        if most > 1:
            for other in single:
                if other[0] >= one[1]:
                    yield (one, other)


@pytest.mark.parametrize("seed", range(size(20, 60)))
def test_pairs_differ_least(seed):
    windows = intents(seed, 3)
    kinds = (1, 1, 1) if seed % 3 else (2, 1, 0)
    slots = compile_slots(windows, form(form="pairs", charge_slots=kinds[0], discharge_slots=kinds[1], no_discharge_slots=kinds[2]))
    week = wanted_week(windows)
    labels = [[w for w in {want(x) for x in windows} if w[0] in which] for which in (("use", "export"), ("hold",), ("charge",))]
    ours = off(week, painted(AUTO, program(slots, "discharge"), program(slots, "no-discharge"), program(slots, "charge")))
    assert sum(s.kind == "charge" for s in slots) <= kinds[0] and sum(s.kind == "discharge" for s in slots) <= kinds[1]
    discharging, resting, charging = (list(straight(ls, n)) for ls, n in zip(labels, (kinds[1], kinds[2], kinds[0]), strict=True))
    best = min(
        off(week, painted(AUTO, d, h, c))
        for d in discharging
        for h in (resting if kinds[2] else [()])
        for c in charging
        if len(discharging) * len(charging) * len(resting) < 60_000 or len(d) + len(c) < 3
    )
    assert ours <= best


@pytest.mark.parametrize("seed", range(size(20, 60)))
def test_a_chain_differs_least(seed):
    windows = intents(seed, 3)
    slots = compile_slots(windows, form(form="six", charge_slots=3))
    week = wanted_week(windows)
    labels = list({AUTO, *(want(x) for x in windows)})
    ours = off(week, painted(None, program(slots, "slot")))
    assert len(slots) == 3 and [s.start for s in slots[1:]] == [s.end for s in slots[:-1]]
    assert (slots[0].start, slots[-1].end) == ("00:00", "24:00")
    best = min(
        off(week, painted(None, [(0, p, x), (p, q, y), (q, 8, z)]))
        for p, q in itertools.combinations(range(1, 8), 2)
        for x, y, z in itertools.product(labels, repeat=3)
    )
    assert ours == best


@pytest.mark.parametrize("seed", range(size(25, 80)))
def test_a_single_pair_differs_least_and_is_never_empty(seed):
    """Outside the discharging window the bank is held; a charging window that nobody wants lies outside of it and counts."""
    windows = intents(seed, 3)
    slots = compile_slots(windows, form(form="single"))
    week = wanted_week(windows)
    (charge,), (use,) = program(slots, "charge"), program(slots, "discharge")
    assert charge[0] != charge[1] and use[0] != use[1]
    wants = {want(x) for x in windows}
    charges = [w for w in wants if w[0] == "charge"]
    uses = [AUTO, *(w for w in wants if w[0] in ("use", "export"))]
    best = min(
        off(week, painted(HOLD, [(d, (d + n) % 8 or 8, u)], [(c, (c + m) % 8 or 8, w)]))
        for d in GRID
        for n in range(1, 9)
        for u in uses
        for c in GRID
        for m in range(1, 9 if charges else 2)
        for w in charges or [("charge", None, None)]
        if charges or not {(c + i) % 8 for i in range(m)} & {(d + i) % 8 for i in range(n)}
    )
    assert off(week, painted(HOLD, [use], [charge])) == best
    if not charges:
        inside = {(use[0] + i) % 8 for i in range((use[1] - use[0]) % 8 or 8)}
        assert charge[0] not in inside, "a parked charging window lies outside of the other"


@pytest.mark.parametrize(("case", "least"), [("windows-single", 0), ("windows-pairs", 210)])
def test_cases_that_were_off_by_hours(case, least):
    assert [u.differs_minutes for u in plan_case(case).windows.units] == [least]


def test_twenty_one_windows_are_compiled_at_once():
    """Slow inputs of before: each form within a tenth of a second even beside other work (make bench has the figure)."""
    import json
    import time

    from ewerer.core.devices.library import parse_job, shipped_library

    for name in ("slow-windows-21", "slow-windows-60"):
        windows = parse_job(text_of(name), shipped_library()).windows
        assert len(windows) == len(json.loads(text_of(name))["windows"])
        for profile in shipped_library():
            slots = getattr(profile, "slots", None)
            if slots is not None:
                compile_slots(windows, slots)
                begun = time.process_time()
                compile_slots(windows, slots)
                assert time.process_time() - begun < 0.1
