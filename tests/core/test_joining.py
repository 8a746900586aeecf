"""Closing modules, and the loss of one, against a nodal solution and against every order and every subset."""

from itertools import combinations, permutations
from random import Random

import numpy as np
import pytest

from ewerer.core.stages.bank.joining import Branch, closing, gentlest_order, steps_of, worst_step
from tests import cases
from tests.jobs import hand_written, inline, plan_of, rules


def nodal(branches, at):
    """Return the current [A] out of each branch of one bus, by its conductance matrix; ``at`` is the branch to look at."""
    count = len(branches)
    matrix, right = np.zeros((count + 1, count + 1)), np.zeros(count + 1)
    for k, b in enumerate(branches):  # nodes 0..count-1 are the modules' sources, held; the last is the bus
        matrix[k, k], right[k] = 1, b.volts
        matrix[count, k] -= 1 / b.ohm
        matrix[count, count] += 1 / b.ohm
    volts = np.linalg.solve(matrix, right)
    return (branches[at].volts - volts[count]) / branches[at].ohm


def random_branches(dice, count):
    return [
        Branch(
            f"M{i}", round(53 + dice.uniform(0, dice.choice([0.05, 0.2])), 3), dice.uniform(0.001, 0.03), dice.choice([20, 50]), 100
        )
        for i in range(count)
    ]


def test_every_closing_is_the_nodal_solution():
    dice = Random(1)
    for _ in range(1000):
        bank = random_branches(dice, dice.randint(2, 12))
        step = closing(bank[0], bank[1:])
        assert step.amps == pytest.approx(abs(nodal(bank, 0)), abs=2e-3)


def test_the_worst_step_is_the_worst_of_all_subsets_and_the_order_the_best_of_all_orders():
    dice = Random(2)
    for _ in range(150):
        bank = random_branches(dice, dice.randint(2, 5))
        every = [
            closing(one, onto).amps
            for one in bank
            for size in range(1, len(bank))
            for onto in combinations([b for b in bank if b is not one], size)
        ]
        assert worst_step(bank).amps == pytest.approx(max(every), abs=2e-3)
        best = min(max(s.amps for s in steps_of(p)) for p in permutations(bank))
        order, step = gentlest_order(bank)
        assert step.amps == pytest.approx(best, abs=2e-3)
        assert max(s.amps for s in steps_of(order)) == step.amps and sorted(b.id for b in order) == sorted(b.id for b in bank)


def test_many_modules_get_an_order_no_worse_than_by_voltage():
    dice = Random(3)
    for count in (10, 16, 32):
        bank = random_branches(dice, count)
        up = max(s.amps for s in steps_of(sorted(bank, key=lambda b: b.volts)))
        assert gentlest_order(bank)[1].amps <= up <= worst_step(bank).amps + 1e-3


def test_one_module_against_seven():
    """0.1 V over 1.05 mohm and a seventh of it: 83 A, not the 47.6 A of a pair."""
    bank = case("join-8").bank
    assert bank.join_current_a == pytest.approx(0.1 / (0.00105 + 0.00105 / 7), abs=0.05) == pytest.approx(83.3, abs=0.1)
    assert bank.closing.any_order_module == "M1" and len(bank.closing.any_order_onto) == 7
    assert bank.closing.worst_a == pytest.approx(0.1 / 0.0021, abs=0.05), "M1 first, then the rest one by one"
    told = next(f for f in case("join-8").findings if f.rule == "join-voltage")
    assert told.severity == "caution" and "83.3 A would flow between M1 and the 7 others" in told.message


def case(name):
    from ewerer.core.devices.library import parse_job, shipped_library
    from ewerer.core.plan import plan

    return plan(parse_job(cases.text_of(name), shipped_library()), shipped_library())


def test_each_figure_without_one_is_the_worst_of_all_losses():
    made = case("n-1")
    assert next(c.without_one_a for c in made.limits.charge.caps if c.cap == "preference") == 25
    assert made.bank.without_one.capacity_ah == 50 and made.bank.without_one.discharge_limit_a == 60


def test_without_one_against_a_nodal_solution():
    """The bank's limit is the bus current at which the first module reaches its own."""
    dice = Random(4)
    for _ in range(60):
        count = dice.randint(2, 6)
        modules = [
            inline(f"M{i}", capacity_ah=dice.choice([50, 100, 280]), charge_a=dice.choice([20, 50, 100]),
                   discharge_a=dice.choice([50, 100, 200]), resistance_mohm=dice.randint(2, 30), lead_mohm=dice.choice([0, 0.5]))
            for i in range(count)
        ]  # fmt: skip
        told = plan_of(hand_written(*modules)).bank.without_one

        def limit(of, key):
            ohms = np.array([m["resistance_mohm"] + m["lead_mohm"] for m in of])
            matrix = np.zeros((len(of), len(of)))  # equal drops over all branches, currents summing to one ampere
            matrix[0] = 1
            for k in range(1, len(of)):
                matrix[k, 0], matrix[k, k] = ohms[0], -ohms[k]
            right = np.zeros(len(of))
            right[0] = 1
            parts = np.linalg.solve(matrix, right)
            return min(m[key] / p for m, p in zip(of, parts, strict=True))

        losses = [[m for m in modules if m is not lost] for lost in modules]
        assert told.charge_limit_a == pytest.approx(min(limit(of, "charge_a") for of in losses), rel=1e-4)
        assert told.discharge_limit_a == pytest.approx(min(limit(of, "discharge_a") for of in losses), rel=1e-4)
        assert told.capacity_ah == min(sum(m["capacity_ah"] for m in of) for of in losses)


def test_equal_modules_join_in_silence():
    made = plan_of(hand_written(*[inline(f"M{i}", resting_v=53.1) for i in range(4)]))
    assert made.bank.join_current_a == 0 and "join-voltage" not in rules(made)
