"""Draw docs/layers.svg: the rooms of the house, each above all that it imports, from the import graph itself."""

from __future__ import annotations

import sys
from pathlib import Path

import grimp

ROOT = Path(__file__).resolve().parent.parent
PICTURE = ROOT / "docs" / "layers.svg"
WIDTH, SPLIT, ROW, BOX_W, BOX_H = 1100, 480, 78, 138, 46
OPEN = ("ewerer.core", "ewerer.server")
"""Packages whose children are rooms of their own; everything else is one box."""


def room_of(module: str) -> str | None:
    """Return the room that a module stands in; None for the packages that only hold rooms."""
    parts = module.split(".")
    for package in OPEN:
        if module == package or module == "ewerer":
            return None
        if module.startswith(f"{package}."):
            return ".".join(parts[:3])
    return ".".join(parts[:2])


def rooms() -> tuple[list[str], set[tuple[str, str]]]:
    """Return the rooms, and which room imports from which other. Without numbers: the picture changes with the house only."""
    graph = grimp.build_graph("ewerer", cache_dir=None)
    found: dict[str, None] = {}
    imports: set[tuple[str, str]] = set()
    for module in sorted(graph.modules):
        room = room_of(module)
        if room is None or "migrations" in module or room.endswith(".__main__"):
            continue
        found[room] = None
        for other in graph.find_modules_directly_imported_by(module):
            there = room_of(other)
            if there is not None and there != room:
                imports.add((room, there))
    return list(found), imports


def heights(found: list[str], imports: set[tuple[str, str]]) -> dict[str, int]:
    """Return how high each room stands above the rooms that import nothing; fail where there is a circle."""
    height: dict[str, int] = {}

    def of(room: str, above: tuple[str, ...]) -> int:
        if room in above:
            raise SystemExit("a circle: " + " -> ".join([*above[above.index(room) :], room]))
        if room not in height:
            height[room] = max((of(b, (*above, room)) + 1 for a, b in imports if a == room), default=0)
        return height[room]

    for room in found:
        of(room, ())
    return height


def nearest(imports: set[tuple[str, str]]) -> set[tuple[str, str]]:
    """Return the imports without those that another room stands between: the picture shows who stands on whom."""
    below: dict[str, set[str]] = {}
    for a, b in imports:
        below.setdefault(a, set()).add(b)

    def reach(room: str) -> set[str]:
        return {b for c in below.get(room, ()) for b in (c, *reach(c))}

    return {(a, b) for a, b in imports if not any(b in reach(c) for c in below[a] - {b})}


def colour(room: str) -> str:
    """Return the colour of a room by its part of the house."""
    return "#d9e4e2" if room.startswith("ewerer.core") else "#efe3d3" if room.startswith("ewerer.server") else "#e6e6df"


def svg() -> str:
    """Return the picture."""
    found, imports = rooms()
    height = heights(found, imports)
    top = max(height.values())
    rows = [sorted(r for r in found if height[r] == h) for h in range(top, -1, -1)]
    at: dict[str, tuple[float, float]] = {}
    for i, row in enumerate(rows):
        halves = ([r for r in row if not r.startswith("ewerer.server")], [r for r in row if r.startswith("ewerer.server")])
        for half, left in zip(halves, (0, SPLIT), strict=True):
            wide = SPLIT if left == 0 else WIDTH - SPLIT
            for k, room in enumerate(half):
                at[room] = (left + wide * (k + 1) / (len(half) + 1), 40 + i * ROW)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {40 + len(rows) * ROW}" font-family="sans-serif">',
        "<title>Rooms of the house; each stands on what it imports; every line leads downwards</title>",
        '<rect width="100%" height="100%" fill="#fbfaf6"/>',
    ]
    for a, b in sorted(nearest(imports)):
        (x, y), (u, v) = at[a], at[b]
        y, v = y + BOX_H / 2, v - BOX_H / 2
        bend = (v - y) / 2
        out.append(
            f'<path d="M{x:.0f} {y:.0f} C{x:.0f} {y + bend:.0f} {u:.0f} {v - bend:.0f} {u:.0f} {v:.0f}" fill="none" '
            f'stroke="#5b6b6d" stroke-opacity=".35" stroke-width="1.4"><title>{a} imports {b}</title></path>'
        )
    for room, (x, y) in at.items():
        words = room.removeprefix("ewerer.")
        out.append(
            f'<rect x="{x - BOX_W / 2:.0f}" y="{y - BOX_H / 2:.0f}" width="{BOX_W}" height="{BOX_H}" fill="{colour(room)}" stroke="#33474a"/>'
            f'<text x="{x:.0f}" y="{y + 5:.0f}" text-anchor="middle" font-size="14" fill="#1d2b2d">{words}</text>'
        )
    return "\n".join([*out, "</svg>", ""])


if __name__ == "__main__":
    if "--check" in sys.argv:
        raise SystemExit(0 if PICTURE.read_text() == svg() else "docs/layers.svg is not what the imports say: run make docs")
    PICTURE.write_text(svg())
