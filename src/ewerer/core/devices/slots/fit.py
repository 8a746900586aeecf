"""The program of a day that differs from a week of intent in the fewest minutes, by dynamic programming."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from ...documents.profiles import SlotForm
from .week import AUTO, DAY, Day, Stretch, What, painted


def turned(day: Day, by: int) -> Day:
    """Return a day that begins at another minute."""
    both = [(a - by, b - by, w) for a, b, w in day] + [(a - by + DAY, b - by + DAY, w) for a, b, w in day]
    return painted(AUTO, [(max(a, 0), min(b, DAY), w) for a, b, w in both if b > 0 and a < DAY])


def edges_of(week: Counter[Day], step: int, last: int, offset: int = 0) -> list[int]:
    """Return where slots may begin and end: every change of the intent, rounded both ways to the unit's step.

    ``offset`` is where the unit's grid of steps lies when the day is turned.
    """
    edges = {0, last}
    for start in {a for day in week for a, _, _ in day}:
        edges |= {(start - offset) // step * step + offset, -(-(start - offset) // step) * step + offset}
    return sorted(e for e in edges if 0 <= e <= last)


def fit(
    week: Counter[Day], form: SlotForm, labels: Sequence[What], most: dict[str, int], last: int, offset: int = 0
) -> list[Stretch]:
    """Return the program of a day that differs from the week in the fewest minutes.

    ``most`` limits the number of stretches by action, ``*`` the number of all. Dynamic programming over the
    edges of the intent: an optimum never needs another edge.
    """
    edges = edges_of(week, form.step_min, last, offset)
    cost: list[dict[What, int]] = []
    for a, b in pairwise(edges):
        right: Counter[What] = Counter()
        for day, times in week.items():
            for x, y, what in day:
                if x < b and a < y:
                    right[what] += (min(b, y) - max(a, x)) * times
        cost.append({w: (b - a) * week.total() - right[w] for w in labels})
    limited = [k for k in most if k != "*"]
    start = tuple(0 for _ in (*limited, "*"))
    best: dict[tuple[tuple[int, ...], What | None], tuple[int, int, tuple[tuple[int, What], ...]]] = {(start, None): (0, 0, ())}
    for i, prices in enumerate(cost):
        after: dict[tuple[tuple[int, ...], What | None], tuple[int, int, tuple[tuple[int, What], ...]]] = {}
        for (used, now), (paid, pieces, path) in best.items():
            for what, price in prices.items():
                counts = used
                if what != now:
                    more = [n + (action == what.action) for n, action in zip(used, limited, strict=False)]
                    counts = (*more, used[-1] + 1)
                    if any(n > most[k] for n, k in zip(more, limited, strict=True)) or counts[-1] > most.get("*", 999):
                        continue
                key = (counts, what)
                worth = (paid + price, pieces + (what != now))
                if key not in after or worth < after[key][:2]:
                    after[key] = (*worth, path if what == now else (*path, (edges[i], what)))
        best = after
    path = min(best.values(), key=lambda t: t[:2])[2]
    ends = [*(s for s, _ in path[1:]), last]
    return [(s, e, w) for (s, w), e in zip(path, ends, strict=True)]
