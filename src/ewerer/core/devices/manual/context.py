"""What is known while a table is read: of the whole table, and of each row in the making."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...trade.numbers import Mark
from .cells import Cell
from .columns import Role
from .table import ManualRow


@dataclass(slots=True)
class Context:
    """What is known of a whole table while its rows are read."""

    roles: list[Role | None]
    units: list[str]
    mark: Mark
    loose: bool = False
    steps: dict[str, float] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)
    notes: dict[str, str] = field(default_factory=dict)
    class_v: float | None = None


@dataclass(slots=True)
class Found:
    """A row in the making: what stood in it, and what its cells say."""

    line: int
    got: dict[Role, str]
    path: list[str]
    label: str = ""
    named: str = ""
    cell: Cell = field(default_factory=Cell)
    form: str = ""
    shares: dict[str, tuple[float, int]] = field(default_factory=dict)
    row: ManualRow | None = None
