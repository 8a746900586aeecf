"""Difference constraints on grids: the arithmetic under the ladder.

Every quantity is an integer on its own grid ``offset + k * step`` between ``low`` and ``high``.
A constraint says ``upper - lower >= gap``; either side may be None, which stands for zero. Because
every constraint is monotone, the feasible points form a lattice: propagating lower bounds (rounded
up to the grid) and upper bounds (rounded down) to a fixed point gives the exact lowest and highest
value of every quantity, or shows that there is none. When there is none, removing constraints one
at a time leaves a smallest set that still cannot be met: the rules in conflict.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ..trade.budget import check_deadline


@dataclass(frozen=True, slots=True)
class Grid:
    """The values a quantity may take, as integers: ``offset + k * step`` within low..high."""

    name: str
    low: int
    high: int
    step: int
    offset: int = 0

    def up(self, value: int) -> int:
        """Return the smallest grid value not below ``value``."""
        return self.offset - (self.offset - value) // self.step * self.step

    def down(self, value: int) -> int:
        """Return the largest grid value not above ``value``."""
        return self.offset + (value - self.offset) // self.step * self.step


@dataclass(frozen=True, slots=True)
class Constraint:
    """``upper - lower >= gap``, with the rule it comes from and its words. None means zero."""

    upper: str | None
    lower: str | None
    gap: int
    rule: str
    text: str = ""
    yields: bool = True


@dataclass(frozen=True, slots=True)
class Ranges:
    """Lowest and highest permitted value of every quantity, and the constraint that set each last."""

    lowest: Mapping[str, int]
    highest: Mapping[str, int]
    low_cause: Mapping[str, Constraint]
    high_cause: Mapping[str, Constraint]
    net: _Net


@dataclass(frozen=True, slots=True)
class Conflict:
    """A smallest set of constraints that cannot be met together."""

    constraints: tuple[Constraint, ...]


def propagate(grids: Sequence[Grid], constraints: Iterable[Constraint]) -> Ranges | None:
    """Return the exact range of every quantity, or None when no assignment meets all constraints."""
    by_name = {g.name: g for g in grids}
    low = {g.name: g.up(g.low) for g in grids}
    high = {g.name: g.down(g.high) for g in grids}
    low_cause: dict[str, Constraint] = {}
    high_cause: dict[str, Constraint] = {}
    raises: dict[str, list[Constraint]] = {g.name: [] for g in grids}
    lowers: dict[str, list[Constraint]] = {g.name: [] for g in grids}
    for c in constraints:
        if c.upper is None and c.lower is None:
            if c.gap > 0:
                return None
        elif c.lower is None and c.upper is not None:
            value = by_name[c.upper].up(c.gap)
            if value > low[c.upper] or (value == low[c.upper] and c.upper not in low_cause):
                low[c.upper], low_cause[c.upper] = value, c
        elif c.upper is None and c.lower is not None:
            value = by_name[c.lower].down(-c.gap)
            if value < high[c.lower] or (value == high[c.lower] and c.lower not in high_cause):
                high[c.lower], high_cause[c.lower] = value, c
        elif c.lower is not None and c.upper is not None:
            raises[c.lower].append(c)
            lowers[c.upper].append(c)
    if any(low[n] > high[n] for n in low):
        return None
    net = _Net(by_name, raises, lowers)
    if not (net.raised(low, high, low, low_cause) and net.lowered(low, high, high, high_cause)):
        return None
    return Ranges(low, high, low_cause, high_cause, net)


@dataclass(frozen=True, slots=True)
class _Net:
    """Grids by name, and the constraints between two quantities by the one that pushes."""

    grids: Mapping[str, Grid]
    raises: Mapping[str, Sequence[Constraint]]
    lowers: Mapping[str, Sequence[Constraint]]

    def raised(self, low: dict[str, int], high: Mapping[str, int], start: Iterable[str], cause: dict[str, Constraint]) -> bool:
        """Push lower bounds up from the quantities of ``start`` until nothing moves; False where one passes its upper bound."""
        queue = deque(start)
        waiting = set(queue)
        check_deadline()
        while queue:
            name = queue.popleft()
            waiting.discard(name)
            for c in self.raises[name]:
                other = c.upper
                assert other is not None
                value = self.grids[other].up(low[name] + c.gap)
                if value > low[other]:
                    low[other], cause[other] = value, c
                    if value > high[other]:
                        return False
                    if other not in waiting:
                        waiting.add(other)
                        queue.append(other)
        return True

    def lowered(self, low: Mapping[str, int], high: dict[str, int], start: Iterable[str], cause: dict[str, Constraint]) -> bool:
        """Push upper bounds down from the quantities of ``start`` until nothing moves; False where one passes its lower bound."""
        queue = deque(start)
        waiting = set(queue)
        while queue:
            name = queue.popleft()
            waiting.discard(name)
            for c in self.lowers[name]:
                other = c.lower
                assert other is not None
                value = self.grids[other].down(high[name] - c.gap)
                if value < high[other]:
                    high[other], cause[other] = value, c
                    if value < low[other]:
                        return False
                    if other not in waiting:
                        waiting.add(other)
                        queue.append(other)
        return True


def fixed(ranges: Ranges, name: str, value: int) -> Ranges | None:
    """Return the ranges once a quantity stands at ``value``, within its range so far; None when nothing meets that.

    Only what the quantity pushes is looked at again; the bounds are those that :func:`propagate` would find.
    """
    low, high = dict(ranges.lowest), dict(ranges.highest)
    low[name] = high[name] = value
    if not (ranges.net.raised(low, high, [name], {}) and ranges.net.lowered(low, high, [name], {})):
        return None
    return Ranges(low, high, ranges.low_cause, ranges.high_cause, ranges.net)


def find_conflict(grids: Sequence[Grid], constraints: Sequence[Constraint]) -> Conflict:
    """Return a smallest set of constraints that cannot be met (every one of them is needed for it).

    The grids' own bounds stay in force throughout. Raises ValueError when all can be met.
    """
    if propagate(grids, constraints) is not None:
        raise ValueError("the constraints can be met")
    kept = list(constraints)
    for c in constraints:
        rest = [k for k in kept if k is not c]
        if propagate(grids, rest) is None:
            kept = rest
    return Conflict(tuple(kept))


def nearest_way_out(grids: Sequence[Grid], constraints: Sequence[Constraint], conflict: Conflict) -> tuple[Constraint, int] | None:
    """Return the constraint whose gap must give least, and by how much, so that all can be met.

    Only constraints that may yield are tried, one at a time; None when none alone is enough.
    """
    best: tuple[Constraint, int] | None = None
    for c in conflict.constraints:
        if not c.yields:
            continue
        others = [k for k in constraints if k is not c]
        if propagate(grids, others) is None:
            continue
        lo, hi = 0, 1
        while not _meets(grids, others, c, hi):
            hi *= 2
            if hi > 1 << 40:
                break
        while lo + 1 < hi:
            mid = (lo + hi) // 2
            if _meets(grids, others, c, mid):
                hi = mid
            else:
                lo = mid
        if best is None or hi < best[1]:
            best = (c, hi)
    return best


def ways_out(grids: Sequence[Grid], constraints: Sequence[Constraint], most: int = 8) -> list[tuple[Constraint, int]]:
    """Return which constraints must give and by how much so that all others can be met; empty when none may yield.

    One constraint when one is enough, the least first; otherwise the conflicts are opened one after
    the other, each at the place where least is given.
    """
    held = list(constraints)
    given: list[tuple[Constraint, int]] = []
    while propagate(grids, held) is None and len(given) < most:
        conflict = find_conflict(grids, held)
        found = nearest_way_out(grids, held, conflict) or nearest_way_out(grids, conflict.constraints, conflict)
        if found is None:
            return []
        which, less = found
        held[held.index(which)] = Constraint(which.upper, which.lower, which.gap - less, which.rule, which.text, which.yields)
        given.append(found)
    return given


def _meets(grids: Sequence[Grid], others: list[Constraint], c: Constraint, less: int) -> bool:
    relaxed = Constraint(c.upper, c.lower, c.gap - less, c.rule, c.text, c.yields)
    return propagate(grids, [*others, relaxed]) is not None


def grant(grids: Sequence[Grid], constraints: Sequence[Constraint], wishes: Sequence[tuple[str, int]]) -> dict[str, int] | None:
    """Return a full assignment that grants the wishes in order, each as near as what is left allows; see :func:`granted`."""
    ranges = propagate(grids, constraints)
    return None if ranges is None else granted(grids, ranges, wishes)


def granted(grids: Sequence[Grid], ranges: Ranges, wishes: Sequence[tuple[str, int]]) -> dict[str, int] | None:
    """Return a full assignment within propagated ranges that grants the wishes in order, each as near as what is left allows.

    Quantities without a wish take their lowest permitted value in the end. None when the constraints
    cannot be met at all.
    """
    by_name = {g.name: g for g in grids}
    order = [*wishes, *((g.name, g.low) for g in grids if g.name not in {n for n, _ in wishes})]
    for name, wish in order:
        grid = by_name[name]
        low, high = ranges.lowest[name], ranges.highest[name]
        if low == high:
            continue  # the wishes before it have settled it
        target = min(max(wish, low), high)
        down, up = grid.down(target), grid.up(target)
        tries = sorted({max(down, low), min(up, high)}, key=lambda v: abs(v - wish))
        reach = 0
        while True:
            settled = None
            for value in tries:
                settled = fixed(ranges, name, value)
                if settled is not None:
                    ranges = settled
                    break
            if settled is not None:
                break
            reach += 1
            tries = [v for v in (down - reach * grid.step, up + reach * grid.step) if low <= v <= high]
            if not tries and reach * grid.step > high - low + grid.step:
                return None
    return {g.name: ranges.lowest[g.name] for g in grids}
