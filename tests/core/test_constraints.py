"""Difference constraints on grids: small cases against brute force."""

from itertools import product

import pytest
from hypothesis import given, strategies as st

from ewerer.core.stages.constraints import Constraint, Grid, find_conflict, fixed, grant, nearest_way_out, propagate, ways_out


def c(upper, lower, gap, rule="r"):
    return Constraint(upper, lower, gap, rule)


@st.composite
def systems(draw, most=4):
    n = draw(st.integers(1, most))
    names = [f"x{i}" for i in range(n)]
    grids = [Grid(name, 0, draw(st.integers(3, 14)), draw(st.integers(1, 3)), draw(st.integers(0, 2))) for name in names]
    side = st.one_of(st.none(), st.sampled_from(names))
    found = []
    for i in range(draw(st.integers(0, 7))):
        upper, lower = draw(side), draw(side)
        if upper != lower:
            found.append(c(upper, lower, draw(st.integers(-8, 8)), f"r{i}"))
    return grids, found


def values_of(grid):
    return [v for v in range(grid.low, grid.high + 1) if (v - grid.offset) % grid.step == 0]


def brute_force(grids, constraints):
    out = []
    for point in product(*(values_of(g) for g in grids)):
        at = dict(zip((g.name for g in grids), point, strict=True))
        if all((at[k.upper] if k.upper else 0) - (at[k.lower] if k.lower else 0) >= k.gap for k in constraints):
            out.append(at)
    return out


@given(systems())
def test_ranges_equal_brute_force(system):
    grids, constraints = system
    points = brute_force(grids, constraints)
    ranges = propagate(grids, constraints)
    assert (ranges is None) == (not points)
    if points:
        for g in grids:
            assert ranges.lowest[g.name] == min(p[g.name] for p in points)
            assert ranges.highest[g.name] == max(p[g.name] for p in points)


@given(systems(), st.data())
def test_fixing_one_quantity_after_another_equals_brute_force(system, data):
    grids, constraints = system
    ranges, points = propagate(grids, constraints), brute_force(grids, constraints)
    for g in data.draw(st.permutations(grids)) if ranges else []:
        low, high = ranges.lowest[g.name], ranges.highest[g.name]
        value = data.draw(st.sampled_from([v for v in values_of(g) if low <= v <= high]))
        points = [p for p in points if p[g.name] == value]
        ranges = fixed(ranges, g.name, value)
        assert (ranges is None) == (not points)
        if ranges is None:
            return
        for other in grids:
            assert ranges.lowest[other.name] == min(p[other.name] for p in points)
            assert ranges.highest[other.name] == max(p[other.name] for p in points)


@given(systems())
def test_a_conflict_is_real_and_smallest(system):
    grids, constraints = system
    if propagate(grids, constraints) is not None:
        with pytest.raises(ValueError, match="can be met"):
            find_conflict(grids, constraints)
        return
    core = find_conflict(grids, constraints).constraints
    assert not brute_force(grids, core)
    for one in core:
        assert brute_force(grids, [k for k in core if k is not one]) or any(not values_of(g) for g in grids)


@given(systems())
def test_the_way_out_is_enough_and_least(system):
    grids, constraints = system
    if propagate(grids, constraints) is not None:
        return
    found = nearest_way_out(grids, constraints, find_conflict(grids, constraints))
    if found is None:
        return
    which, less = found
    others = [k for k in constraints if k is not which]
    assert brute_force(grids, [*others, c(which.upper, which.lower, which.gap - less)])
    assert not brute_force(grids, [*others, c(which.upper, which.lower, which.gap - less + 1)])


@given(systems(), st.lists(st.integers(0, 14), min_size=4, max_size=4))
def test_wishes_are_granted_in_order_of_importance(system, wanted):
    grids, constraints = system
    points = brute_force(grids, constraints)
    wishes = [(g.name, wanted[i]) for i, g in enumerate(grids)]
    got = grant(grids, constraints, wishes)
    if not points:
        assert got is None
        return
    assert got in points
    left = points
    for name, wish in wishes:
        nearest = min(abs(p[name] - wish) for p in left)
        assert abs(got[name] - wish) == nearest
        left = [p for p in left if p[name] == got[name]]


@given(systems())
def test_the_concessions_together_are_enough(system):
    grids, constraints = system
    given = ways_out(grids, constraints)
    held = list(constraints)
    for which, less in given:
        held[held.index(which)] = c(which.upper, which.lower, which.gap - less, which.rule)
    if given:
        assert not brute_force(grids, constraints)
        assert brute_force(grids, held)


def test_a_rule_that_may_not_yield_is_no_way_out():
    grids = [Grid("a", 0, 10, 1), Grid("b", 0, 10, 1)]
    hard = Constraint("a", None, 8, "hard", yields=False)
    soft = Constraint(None, "a", -5, "soft")
    which, less = nearest_way_out(grids, [hard, soft], find_conflict(grids, [hard, soft]))
    assert (which.rule, less) == ("soft", 3)


def test_a_cycle_between_two_quantities_is_found():
    grids = [Grid("a", 0, 1000, 1), Grid("b", 0, 1000, 1)]
    constraints = [c("a", "b", 3, "over"), c("b", "a", -2, "near"), c("a", None, 5, "beside")]
    assert {k.rule for k in find_conflict(grids, constraints).constraints} == {"over", "near"}
