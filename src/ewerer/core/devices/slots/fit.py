"""The slots that differ from a week of intent in the fewest minutes, by dynamic programming over the edges of the intent.

An optimum never needs another edge than those of the intent rounded both ways to the unit's step: between two edges every
minute costs the same. Costs are minutes a week; the number of slots breaks ties. NumPy is imported only where windows are compiled.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ...trade.budget import check_deadline
from .week import DAY, Day, Stretch, What

TIE = 256
"""A minute costs so much, a slot one: fewer slots only where minutes are equal."""
NEVER = 1 << 29


def edges_of(week: Counter[Day], step: int, last: int, after: bool = False) -> list[int]:
    """Return where slots may begin and end: every change of the intent, rounded both ways to the unit's step.

    With ``after`` also one step after each, for a window of one step.
    """
    edges = {0, last}
    for start in {a for day in week for a, _, _ in day}:
        low, high = start // step * step, -(-start // step) * step
        edges |= {low, high} | ({low + step, high + step} if after else set())
    return sorted(e for e in edges if 0 <= e <= last)


def costs_of(week: Counter[Day], edges: Sequence[int], labels: Sequence[What]) -> Any:
    """Return, as an array of labels by segments between edges, in how many minutes a week each label is not what is wanted."""
    import numpy as np

    cumulated = np.zeros((len(labels), DAY + 1), dtype=np.int64)
    at = {w: i for i, w in enumerate(labels)}
    for day, times in week.items():
        for a, b, what in day:
            if what in at:
                cumulated[at[what], a + 1 : b + 1] += times
    wanted = np.cumsum(cumulated, axis=1)
    cuts = np.asarray(edges)
    right = wanted[:, cuts[1:]] - wanted[:, cuts[:-1]]
    return np.diff(cuts) * week.total() - right


@dataclass(frozen=True, slots=True)
class Layer:
    """Slots of one kind: what each may want, and how many there are. A later layer is painted over an earlier one."""

    labels: Sequence[What]
    most: int


def fit(week: Counter[Day], step: int, ground: What | None, layers: Sequence[Layer], last: int) -> list[list[Stretch]]:
    """Return for every layer the slots, together the program of a day that differs from the week in the fewest minutes.

    ``ground`` is what happens outside of all slots; None where the only layer covers the whole day.
    """
    import numpy as np

    used = [j for j, layer in enumerate(layers) if layer.most and layer.labels]
    if len(used) < len(layers):
        found = iter(fit(week, step, ground, [layers[j] for j in used], last)) if used else iter(())
        return [next(found) if j in used else [] for j in range(len(layers))]
    edges = edges_of(week, step, last)
    wants = list(dict.fromkeys([*([] if ground is None else [ground]), *(w for layer in layers for w in layer.labels)]))
    price = (costs_of(week, edges, wants) * TIE).astype(np.int32)
    index = {w: i for i, w in enumerate(wants)}
    # State: slots begun in each layer, then which label is open in each (0: none).
    counts = [layer.most + 1 for layer in layers]
    opens = [len(layer.labels) + 1 for layer in layers]
    k = len(layers)
    # What is on top for every combination of open labels.
    top = np.zeros(opens, dtype=np.int64)
    top[...] = -1 if ground is None else index[ground]
    for j, layer in enumerate(layers):
        for i, label in enumerate(layer.labels):
            at: list[Any] = [slice(None)] * k
            at[j] = i + 1
            top[tuple(at)] = index[label]
    value = np.full((*counts, *opens), NEVER, dtype=np.int32)
    value[(0,) * (2 * k)] = 0
    whole = slice(None)
    ended, begun, fewer = [], [], []
    for j in range(k):
        ended.append(tuple(0 if i == k + j else whole for i in range(2 * k)))
        begun.append(tuple(slice(1, None) if i in (j, k + j) else whole for i in range(2 * k)))
        fewer.append(tuple(slice(0, -1) if i == j else None if i == k + j else whole for i in range(2 * k)))
    snapshots = []
    for segment in range(price.shape[1]):
        check_deadline()
        for j in range(k):
            snapshots.append(value)
            least = value.min(axis=k + j)  # every slot of this layer may end here for nothing
            value = value.copy()
            value[ended[j]] = least
            np.minimum(value[begun[j]], least[fewer[j]] + 1, out=value[begun[j]])
        snapshots.append(value)
        value = value + np.where(top < 0, NEVER, price[top, segment])
        np.minimum(value, NEVER, out=value)
    # Back from the cheapest end.
    state = [int(i) for i in np.unravel_index(int(np.argmin(value)), value.shape)]
    runs: list[list[Stretch]] = [[] for _ in layers]
    for segment in range(price.shape[1] - 1, -1, -1):
        for j, layer in enumerate(layers):
            if state[k + j]:
                a, b, label = edges[segment], edges[segment + 1], layer.labels[state[k + j] - 1]
                held = runs[j]
                if held and held[-1][0] == b and held[-1][2] == label:
                    held[-1] = (a, held[-1][1], label)
                else:
                    held.append((a, b, label))
        snapshots.pop()
        for j in range(k - 1, -1, -1):
            before, axis = snapshots.pop(), k + j
            here = value_at(before, state)
            best_at = list(state)
            if state[axis] == 0:
                line = before[tuple(slice(None) if i == axis else s for i, s in enumerate(state))]
                best_at[axis] = int(np.argmin(line))
                state = best_at
                continue
            if state[j] == 0:
                continue
            fewer_at = [s - 1 if i == j else s for i, s in enumerate(state)]
            line = before[tuple(slice(None) if i == axis else s for i, s in enumerate(fewer_at))]
            if int(line.min()) + 1 <= here:  # as late as can be: not beneath a slot that is painted over it
                state = [int(np.argmin(line)) if i == axis else s for i, s in enumerate(fewer_at)]
    return [list(reversed(held)) for held in runs]


def value_at(array: Any, state: Sequence[int]) -> int:
    """Return one value of an array as a plain integer."""
    return int(array[tuple(state)])


def fit_two(
    week: Counter[Day], step: int, ground: What, use: Sequence[What], charge: Sequence[What]
) -> tuple[Stretch | None, Stretch]:
    """Return a discharging and a charging window, both of at least one step, that differ least; ends before beginnings lie over midnight.

    The charging one is painted over the other and lies outside of it where it is not wanted. The discharging one is None
    where none is wanted.
    """
    import numpy as np

    edges = edges_of(week, step, DAY, after=True)
    wants = list(dict.fromkeys([ground, *use, *charge]))
    price = costs_of(week, edges, wants)
    index = {w: i for i, w in enumerate(wants)}
    n = price.shape[1]
    doubled = np.concatenate([np.zeros((len(wants), 1), dtype=np.int64), np.cumsum(np.tile(price, 2), axis=1)], axis=1)
    rest, of_use = doubled[index[ground]], doubled[[index[w] for w in use]]
    of_charge = doubled[[index[w] for w in charge]]
    whole = int(rest[n])
    # What charging from edge p to edge q adds: to the ground, and to each discharging window.
    on_rest = of_charge - rest
    on_use = of_charge[None] - of_use[:, None]
    # The best charging window within so many segments from an edge on.
    outside = np.full((n + 1, 2 * n), NEVER, dtype=np.int64)
    highest = np.full((len(charge), n), -NEVER, dtype=np.int64)
    starts = np.arange(n)
    found = np.full((len(charge), n), NEVER, dtype=np.int64)
    for length in range(1, n + 1):
        highest = np.maximum(highest, on_rest[:, starts + length - 1])
        found = np.minimum(found, on_rest[:, starts + length] - highest)
        outside[length, :n] = outside[length, n:] = found.min(axis=0)
    best: tuple[int, int, int, int, bool] | None = None  # minutes, start, length, which use, charging inside
    highest_in = np.full((len(use), len(charge), n), -NEVER, dtype=np.int64)
    found_in = np.full((len(use), len(charge), n), NEVER, dtype=np.int64)
    for length in range(1, n + 1):
        highest_in = np.maximum(highest_in, on_use[:, :, starts + length - 1])
        found_in = np.minimum(found_in, on_use[:, :, starts + length] - highest_in)
        inside = found_in.min(axis=1)
        inside = np.where(inside < 0, inside, NEVER)
        apart = outside[n - length, starts + length][None]
        plain = of_use[:, starts + length] - of_use[:, starts] + (whole - (rest[starts + length] - rest[starts]))[None]
        for cost, within in ((plain + apart, False), (plain + inside, True)):
            at = int(np.argmin(cost))
            value = int(cost.flat[at])
            if value < NEVER // 2 and (best is None or value < best[0]):
                best = (value, at % n, length, at // n, within)
    hidden = int(outside[n].min())
    if use and best is not None and best[0] <= whole + hidden:
        _, start, length, which, within = best
        a, b = (start, start + length) if within else (start + length, start + n)
        charged = _cheapest(on_use[which] if within else on_rest, a, b)
        window = (edges[start], edges[(start + length) % n] or DAY, use[which])
    else:
        at = int(np.argmin(outside[n, :n]))
        charged = _cheapest(on_rest, at, at + n)
        window = None
    p, q, which = charged
    return window, (edges[p % n], edges[q % n] or DAY, charge[which])


def _cheapest(added: Any, first: int, last: int) -> tuple[int, int, int]:
    """Return (from, to, label) of the window within two edges that adds least, the shortest of equals."""
    import numpy as np

    found = (NEVER, 0, 0, 0, 0)
    for p in range(first, last):
        gain = added[:, p + 1 : last + 1] - added[:, p : p + 1]
        which, length = np.unravel_index(int(np.argmin(gain)), gain.shape)
        found = min(found, (int(gain[which, length]), int(length), p, p + 1 + int(length), int(which)))
    return found[2], found[3], found[4]
