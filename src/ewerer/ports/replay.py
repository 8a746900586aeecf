"""A log as a port: its readings come as if they were made now, at one to a thousand times."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..core.logs.frames import NAMES
from ..core.logs.keeping import is_kept, load
from ..core.logs.report import open_log
from ..core.logs.table import Log
from ..core.trade.errors import DocumentError
from ..core.trade.measures import MEASURES
from .base import Frame, Point, PortError, Value

SPEEDS = (1.0, 1000.0)
MEASURED = {quantity: measure for measure, quantity in NAMES.items()} | {
    "pv_w": "sun_w",
    "ac_out_w": "load_w",
    "load_w": "load_w",
    "grid_w": "grid_w",
    "generator_hz": "ac_hz",
    "generator_v": "ac_v",
    "on_mains": "on_source",
}
"""Which measurement each column of a log is: what a bus says turned round, and what else a logger writes."""


class ReplayPort:
    """Reads a log instead of a device. What was not logged for a while grows old, as on a cable; after its end nothing answers."""

    def __init__(self, path: str, speed: float = 1.0, from_s: float = 0.0, name: str = "") -> None:
        if not SPEEDS[0] <= speed <= SPEEDS[1]:
            raise PortError(f"a log is replayed at {SPEEDS[0]:.0f} to {SPEEDS[1]:.0f} times, not {speed:g}")
        self.path, self.speed, self.from_s = Path(path), speed, max(0.0, from_s)
        self.name = name or self.path.name
        self.log: Log | None = None
        self._begun = 0.0
        self._holes: np.ndarray = np.zeros(0, int)

    def open(self) -> None:
        """Read the log, once; its time begins with the first opening."""
        if self.log is not None:
            return
        try:
            self.log = load(self.path) if is_kept(self.path) else open_log(self.path, self.path.name)
        except (DocumentError, OSError) as error:
            raise PortError(f"the log {self.name} cannot be read: {error}") from None
        self._holes = np.array([g.after for g in self.log.clock.gaps], int)
        self._begun = time.time()

    def close(self) -> None:
        """Nothing is held open."""

    def points(self) -> list[Point]:
        """Return every measurement that the log has a column of."""
        columns: Sequence[str] = list(self.log.columns) if self.log else []
        names = dict.fromkeys(MEASURED[c] for c in columns if c in MEASURED)
        return [Point(n, MEASURES[n].word, MEASURES[n].unit, "measure") for n in names]

    def _row(self) -> tuple[int, float]:
        """Return the row that is now, and when it was last true [s since 1970]; raises PortError after the end."""
        assert self.log is not None
        now = time.time()
        t = self.log.t_s
        place = self.from_s + (now - self._begun) * self.speed
        if place > t[-1] + self.log.clock.step_s:
            raise PortError(f"the log ended at {self.log.at(-1).replace('T', ' ')}")
        row = max(0, int(np.searchsorted(t, place, side="right")) - 1)
        if row in self._holes:  # nothing was logged from here on for a while
            return row, now - max(0.0, place - float(t[row]) - self.log.clock.step_s) / self.speed
        return row, now

    def read(self, names: Iterable[str]) -> dict[str, Value]:
        """Return what stood in the log at this moment."""
        if self.log is None:
            raise PortError("the log is not open")
        wanted = set(names)
        row, at = self._row()
        out: dict[str, Value] = {}
        for column, figures in self.log.columns.items():
            name = MEASURED.get(column, "")
            figure = float(figures[row]) * (100 if name == "soc_pct" else 1)
            if name in wanted and np.isfinite(figure):
                out[name] = Value(round(figure, 6), at)
        return out

    def write(self, name: str, value: str) -> None:
        """Refuse: a log is past."""
        raise PortError("nothing is written to a log")

    def frames(self) -> list[Frame]:
        """Return none: a log holds figures."""
        return []

    def told(self) -> dict[str, Any]:
        """Return where it is: the file's own clock, seconds since its first row, of how many, at how many times."""
        if self.log is None:
            return {"name": self.name, "speed": self.speed, "clock": "", "at_s": self.from_s, "of_s": 0.0}
        end = float(self.log.t_s[-1])
        place = min(self.from_s + (time.time() - self._begun) * self.speed, end)
        row = max(0, int(np.searchsorted(self.log.t_s, place, side="right")) - 1)
        return {"name": self.name, "speed": self.speed, "clock": self.log.at(row), "at_s": round(place, 1), "of_s": round(end, 1)}
