"""Finds figures of the trade that stand in the code: ``--check`` ends with 1 where there are some.

A rule's number has one place: core/trade (margins, copper, chemistries, ...). What stays elsewhere is arithmetic: the harmless
numbers below, digits that figures are rounded to, indexes, bounds of work (whole numbers by a name in capitals), and folders
whose numbers are of another kind: a published frame, a place on a page, bytes, the sums of a simulation, the shares and windows of a fit.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

CORE = Path(__file__).parents[1] / "src" / "ewerer" / "core"
HARMLESS = {*range(11), 12, 24, 48, 60, 100, 365, 366, 1000, 1440, 3600, 86400, 60_000, 1e6, 1e9, 0.5, 1e-3, 1e-6, 1e-9, 1e-12}
OTHER_KINDS = ("trade", "documents", "pages", "devices/wire", "devices/cable.py", "devices/manual", "record/oneline.py", "record/signing.py", "record/photos.py",
    "behaviour/kernel.py", "flow/scenario.py", "flow/adviser.py", "flow/results.py", "flow/sweep.py", "symptoms", "tasks.py",
    "logs/clock.py", "logs/find.py", "logs/frames.py", "logs/quantities.py", "logs/table.py")  # fmt: skip


def literals(tree: ast.Module) -> Iterator[tuple[int, float]]:
    """Yield line and value of every number that is not arithmetic."""
    passed: set[ast.AST] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Call):
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            inner = node.args[1:] if name in ("round", "figure", "shortened") else []
            inner += [k.value for k in node.keywords if k.arg in ("maxsize", "minutes")]
            passed.update(n for a in inner for n in ast.walk(a))
        elif isinstance(node, ast.Slice) or (isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow | ast.LShift)):
            passed.update(ast.walk(node))
        elif isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            names = [n.id for t in targets for n in ast.walk(t) if isinstance(n, ast.Name)]
            if names and all(n.isupper() for n in names) and node.value is not None:
                passed.update(n for n in ast.walk(node.value) if isinstance(n, ast.Constant) and isinstance(n.value, int))
    for node in ast.walk(tree):
        number = isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool)
        if number and node not in passed and node.value not in HARMLESS:
            yield node.lineno, node.value


def main() -> int:
    """Print each place; 1 with ``--check`` where there is one."""
    found = 0
    for path in sorted(CORE.rglob("*.py")):
        if str(path.relative_to(CORE)).startswith(OTHER_KINDS):
            continue
        for line, value in literals(ast.parse(path.read_text())):
            found += 1
            print(f"{path.relative_to(CORE)}:{line}: {value} is a figure of the trade; give it a name in core/trade/margins.py")
    return int(bool(found) and "--check" in sys.argv)


if __name__ == "__main__":
    raise SystemExit(main())
