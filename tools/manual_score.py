"""Print how well the reader of manuals' tables does: rows right without help, how many are sure, what is sure and wrong.

Twelve drawn tables, three written by hand with other habits, and as many drawn ones as asked for: ``python -m tools.manual_score 200``.
"""

from __future__ import annotations

import json
import random
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from tests.manuals import TWELVE, Habit, compare, draw, drawn_habit, table  # noqa: E402

from ewerer.core.devices.manual import ManualTable, read_table  # noqa: E402

HELD = ROOT / "tests" / "data" / "manuals"


def drawn(seed: int, habit: Habit, chance: random.Random, rows: int, class_v: int) -> tuple[int, int, int, int]:
    """Return rows, rows right, rows sure, rows sure and wrong of a drawn table."""
    entries = draw(chance, habit.language, rows, class_v)
    read = read_table(table(entries, habit, chance))
    wrong = compare(entries, read, habit)
    bad = {w[0] for w in wrong if w[4] and w[1] in ("quantity", "meanings") and w[3] is not None}
    return len(entries), len(entries) - len({w[0] for w in wrong}), sum(r.sure for r in read.rows), len(bad)


def written(name: str, right: dict[str, dict[str, object]]) -> tuple[int, int, int, int, ManualTable]:
    """Return the same of a table written by hand, and the table as read."""
    read = read_table((HELD / name).read_bytes())
    by = {r.label: r.model_dump() for r in read.rows}
    good = {label for label, wanted in right.items() if all(by.get(label, {}).get(k) == v for k, v in wanted.items())}
    sure = {label for label, r in by.items() if r["sure"]}
    return len(right), len(good), len(sure), len({s for s in sure if by[s]["quantity"] != right.get(s, {}).get("quantity")}), read


def main() -> None:
    """Print a line for each table and one for all."""
    print(f"{'rows':>6} {'right':>6} {'sure':>6} {'sure, wrong':>12}")
    for what, seed, class_v, habit in TWELVE:
        print("{:6} {:6} {:6} {:12}   {}".format(*drawn(seed, habit, random.Random(seed), 50, class_v), what))
    for name, right in json.loads((HELD / "right.json").read_text()).items():
        print("{:6} {:6} {:6} {:12}   {}".format(*written(name, right)[:4], f"by hand: {name}"))
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 0
    totals = [0, 0, 0, 0]
    for seed in range(count):
        chance = random.Random(50_000 + seed)
        habit = drawn_habit(chance)
        got = drawn(seed, habit, chance, chance.randrange(40, 54), chance.choice((12, 24, 48)))
        totals = [a + b for a, b in zip(totals, got, strict=True)]
    if count:
        print("{:6} {:6} {:6} {:12}   {}".format(*totals, f"{count} drawn tables in any habit"))


if __name__ == "__main__":
    main()
