"""Closing modules onto each other: which step is the worst in any order, and the order whose worst step is the smallest.

What is closed already has settled to the voltage of its branches in parallel; the module that comes next meets that
through its own branch and all of theirs. Source: Kirchhoff's laws; the resting voltage stands for each module's source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from ..solved import Module

EXACT = 9
"""Up to so many modules every order is looked at (by subsets); above, the best of some good ones is taken."""


@dataclass(frozen=True, slots=True)
class Branch:
    """One measured module: its id, resting voltage [V], branch resistance [ohm], charge and discharge limit [A]."""

    id: str
    volts: float
    ohm: float
    charge_a: float
    discharge_a: float


@dataclass(frozen=True, slots=True)
class Step:
    """One closing: the module that is closed, what it is closed onto, the current [A], and whether a limit is passed.

    ``limit_a`` is what the charged side bears: the module's own limit, or that of the joined ones shared by resistance.
    """

    module: str
    onto: tuple[str, ...]
    amps: float
    limit_a: float

    @property
    def too_much(self) -> bool:
        """Whether the charged side gets more than it bears."""
        return self.amps > self.limit_a + 1e-9


def branches_of(modules: Sequence[Module]) -> list[Branch]:
    """Return the measured modules as branches."""
    return [Branch(m.id, m.resting_v, m.branch_ohm, m.charge_a, m.discharge_a) for m in modules if m.resting_v is not None]


def closing(one: Branch, others: Sequence[Branch]) -> Step:
    """Return what flows when ``one`` is closed onto ``others``, which are joined: dV / (R + 1 / sum(1/R_j))."""
    conductance = sum(1 / b.ohm for b in others)
    volts = sum(b.volts / b.ohm for b in others) / conductance
    amps = abs(one.volts - volts) / (one.ohm + 1 / conductance)
    limit = one.charge_a if one.volts < volts else min(b.charge_a * b.ohm for b in others) * conductance
    return Step(one.id, tuple(b.id for b in others), round(amps, 3), round(limit, 3))


def worst_step(branches: Sequence[Branch]) -> Step | None:
    """Return the largest current of any closing in any order; None for fewer than two.

    For a given module the current onto a set S is ``|sum g_j dV_j| / (1 + R * sum g_j)``: it only gains from modules on one
    side whose ``dV_j / R`` is above it, so the worst set is a beginning of the others in order of voltage, from either end.
    """
    return _worst(tuple(branches))


@lru_cache(maxsize=256)
def _worst(branches: tuple[Branch, ...]) -> Step | None:
    """Return the same, kept ready: a plan asks twice, and modules change seldom."""
    worst: Step | None = None
    ordered = sorted(branches, key=lambda b: b.volts)
    for one in branches:
        others = [b for b in ordered if b is not one]
        for side in (others, others[::-1]):
            conductance = current = 0.0
            best, count = -1.0, 0
            for k, b in enumerate(side, 1):
                conductance += 1 / b.ohm
                current += (b.volts - one.volts) / b.ohm
                amps = abs(current) / (1 + one.ohm * conductance)
                if amps > best + 1e-12:
                    best, count = amps, k
            if count and (worst is None or best > worst.amps + 1e-3):
                worst = closing(one, side[:count])
    return worst


def steps_of(order: Sequence[Branch]) -> list[Step]:
    """Return the closings of an order, the first module being there already."""
    return list(_steps(tuple(order)))


@lru_cache(maxsize=256)
def _steps(order: tuple[Branch, ...]) -> tuple[Step, ...]:
    """Return the same, kept ready: a plan asks more than once, and modules change seldom."""
    return tuple(closing(order[k], order[:k]) for k in range(1, len(order)))


def gentlest_order(branches: Sequence[Branch]) -> tuple[list[Branch], Step | None]:
    """Return an order of closing whose worst step is the smallest, and that step."""
    order, worst = _gentlest(tuple(branches))
    return list(order), worst


@lru_cache(maxsize=64)
def _gentlest(branches: tuple[Branch, ...]) -> tuple[tuple[Branch, ...], Step | None]:
    """Return the same, kept ready: a plan asks twice, and modules change seldom."""
    if len(branches) < 2:
        return branches, None
    orders = [_exact(branches)] if len(branches) <= EXACT else _candidates(branches)
    told = [(max(steps_of(o), key=lambda s: s.amps), o) for o in orders]
    worst, order = min(told, key=lambda t: t[0].amps)
    return tuple(order), worst


def _candidates(branches: Sequence[Branch]) -> list[list[Branch]]:
    up = sorted(branches, key=lambda b: b.volts)
    nearest: list[list[Branch]] = []
    for first in (up[0], up[-1], up[len(up) // 2]):
        order, left = [first], [b for b in up if b is not first]
        while left:
            after = min(left, key=lambda b: closing(b, order).amps)
            order.append(after)
            left.remove(after)
        nearest.append(order)
    return [up, up[::-1], *nearest]


def _exact(branches: Sequence[Branch]) -> list[Branch]:
    """Return the best order by dynamic programming over the sets of modules that are closed already."""
    count = len(branches)
    best: dict[int, tuple[float, tuple[int, ...]]] = {1 << i: (0.0, (i,)) for i in range(count)}
    for mask in range(1, 1 << count):
        if mask not in best:
            continue
        worst, order = best[mask]
        joined = [branches[i] for i in order]
        for i in range(count):
            bit = 1 << i
            if mask & bit:
                continue
            amps = max(worst, closing(branches[i], joined).amps)
            if mask | bit not in best or amps < best[mask | bit][0] - 1e-12:
                best[mask | bit] = (amps, (*order, i))
    return [branches[i] for i in best[(1 << count) - 1][1]]
