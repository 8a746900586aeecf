"""The ladder's arithmetic against OR-Tools CP-SAT: ranges, granted wishes and conflicts on random systems."""

import pytest
from hypothesis import given, settings, strategies as st
from ortools.sat.python import cp_model

from ewerer.core.stages.constraints import Constraint, Grid, find_conflict, grant, propagate
from tests.sizes import size


@st.composite
def systems(draw):
    n = draw(st.integers(4, 16))
    names = [f"x{i}" for i in range(n)]
    grids = [
        Grid(x, draw(st.integers(0, 30)), draw(st.integers(40, 120)), draw(st.sampled_from([1, 2, 5])), draw(st.integers(0, 4)))
        for x in names
    ]
    rules = []
    for i in range(draw(st.integers(n, 2 * n))):
        a, b = draw(st.sampled_from(names)), draw(st.sampled_from(names))
        if a != b:
            rules.append(Constraint(a, b, draw(st.integers(-12, 14)), f"r{i}"))
    return grids, rules


def model_of(grids, rules, fixed=()):
    model = cp_model.CpModel()
    x = {}
    for g in grids:
        k = model.new_int_var(-1000, 1000, "k" + g.name)
        x[g.name] = model.new_int_var(g.low, g.high, g.name)
        model.add(x[g.name] == g.offset + g.step * k)
    for r in rules:
        model.add(x[r.upper] - x[r.lower] >= r.gap)
    for name, value in fixed:
        model.add(x[name] == value)
    return model, x


def solve(model, objective=None):
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    if objective is not None:
        model.minimize(objective)
    status = solver.solve(model)
    assert status in (cp_model.OPTIMAL, cp_model.FEASIBLE, cp_model.INFEASIBLE)
    return solver if status != cp_model.INFEASIBLE else None


@settings(max_examples=size(20, 100))
@given(systems(), st.data())
def test_ranges_equal_the_optima(system, data):
    grids, rules = system
    ranges = propagate(grids, rules)
    model, _ = model_of(grids, rules)
    if solve(model) is None:
        assert ranges is None
        return
    assert ranges is not None
    for g in data.draw(st.lists(st.sampled_from(grids), min_size=1, max_size=3, unique_by=lambda g: g.name)):
        for sign, mine in ((1, ranges.lowest), (-1, ranges.highest)):
            model, x = model_of(grids, rules)
            found = solve(model, sign * x[g.name])
            assert found.value(x[g.name]) == mine[g.name]


@settings(max_examples=size(20, 100))
@given(systems(), st.lists(st.integers(0, 120), min_size=16, max_size=16))
def test_wishes_are_lexicographically_best(system, wanted):
    grids, rules = system
    wishes = [(g.name, wanted[i]) for i, g in enumerate(grids)][:4]
    got = grant(grids, rules, wishes)
    fixed = []
    for name, wish in wishes:
        model, x = model_of(grids, rules, fixed)
        off = model.new_int_var(0, 1000, "off")
        model.add_abs_equality(off, x[name] - wish)
        found = solve(model, off)
        if found is None:
            assert got is None
            return
        assert abs(got[name] - wish) == found.value(off)
        fixed.append((name, got[name]))
    model, _ = model_of(grids, rules, list(got.items()))
    assert solve(model) is not None


@settings(max_examples=size(20, 160))
@given(systems())
def test_conflicts_are_unsatisfiable_and_smallest(system):
    grids, rules = system
    tight = [Constraint(r.upper, r.lower, r.gap + 25, r.rule) for r in rules]
    if propagate(grids, tight) is not None:
        return
    core = find_conflict(grids, tight).constraints
    assert solve(model_of(grids, core)[0]) is None
    for one in core:
        assert solve(model_of(grids, [c for c in core if c is not one])[0]) is not None


def test_core_without_an_objective_holds_the_same_rules():
    grids = [Grid("a", 0, 100, 1), Grid("b", 0, 100, 1), Grid("c", 0, 100, 1)]
    rules = [Constraint("a", "b", 60, "one"), Constraint("b", "c", 60, "two"), Constraint("a", "c", 10, "idle")]
    model = cp_model.CpModel()
    x = {g.name: model.new_int_var(g.low, g.high, g.name) for g in grids}
    on = {}
    for r in rules:
        on[r.rule] = model.new_bool_var(r.rule)
        model.add(x[r.upper] - x[r.lower] >= r.gap).only_enforce_if(on[r.rule])
    model.add_assumptions(list(on.values()))
    solver = cp_model.CpSolver()
    assert solver.solve(model) == cp_model.INFEASIBLE
    core = {name for name, v in on.items() if v.index in solver.sufficient_assumptions_for_infeasibility()}
    assert core == {c.rule for c in find_conflict(grids, rules).constraints} == {"one", "two"}
    with pytest.raises(ValueError, match="can be met"):
        find_conflict(grids, rules[:1])
