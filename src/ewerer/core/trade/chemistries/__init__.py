"""Chemistries as data, one JSON file each: voltage levels, open-circuit voltage, temperature lines, margins.

Levels of LFP are common practice (T); the open-circuit tables are written from memory (M), finer at the ends, and
LFP is checked in tests against a published parameter set. Everything is for one cell.
"""

from __future__ import annotations

import json
from bisect import bisect_left, bisect_right
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

from ..margins import CHARGE_EFFICIENCY, LOW_END_SOC, RESERVE_SOC

Line = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class CellMargins:
    """Gaps between thresholds and spreads in volts of one cell."""

    overshoot_v: float
    imbalance_v: float
    hysteresis_v: float
    return_v: float
    alarm_v: float
    shutdown_v: float
    resting_v: float


@dataclass(frozen=True, slots=True)
class Equalising:
    """A charge above absorption that mixes the acid: volts of one cell, minutes, days from one to the next."""

    cell_v: float
    minutes: float
    days: float


@dataclass(frozen=True, slots=True)
class Chemistry:
    """Levels per cell in volts, the OCV table as parallel tuples of SOC (0..1) and volts, temperature lines (degC, fraction).

    ``compensation_mv_per_c`` is of one cell, 0 where charging volts do not follow temperature; ``rated_h`` the hours that
    capacities are compared at, 0 where the rate hardly matters; ``low_end_soc`` the deep, usual and careful level.
    """

    name: str
    word: str
    absolute_max_v: float
    full_v: float
    everyday_v: float
    rest_v: float
    nominal_v: float
    absolute_min_v: float
    soc: tuple[float, ...]
    ocv_v: tuple[float, ...]
    charge_derating: Line
    discharge_derating: Line
    margins: CellMargins
    compensation_mv_per_c: float = 0.0
    equalise: Equalising | None = None
    rated_h: float = 0.0
    peukert: float = 1.0
    low_end_soc: tuple[float, float, float] = (LOW_END_SOC["deep"], LOW_END_SOC["usual"], LOW_END_SOC["careful"])
    reserve_soc: float = RESERVE_SOC
    charge_efficiency: float = CHARGE_EFFICIENCY
    has_bms: bool = True

    @property
    def kind(self) -> str:
        """What sentences call it: lithium, or its own word."""
        return "lithium" if self.has_bms else self.word

    def low_end(self, school: str) -> float:
        """Return the charge (0..1) at which a low-end school (deep, usual, careful) stops."""
        return self.low_end_soc[("deep", "usual", "careful").index(school)]

    def with_ocv(self, points: Line) -> Chemistry:
        """Return this chemistry with resting volts of a maker's own: pairs of SOC (0..1) and volts of one cell, rising."""
        return replace(self, soc=tuple(s for s, _ in points), ocv_v=tuple(v for _, v in points))


def _read(path: Path) -> Chemistry:
    data = json.loads(path.read_text())

    def line(key: str) -> Line:
        return tuple((float(t), float(f)) for t, f in data[key])

    return Chemistry(
        name=data["name"],
        word=data["word"],
        **data["levels"],
        soc=tuple(data["ocv"]["soc"]),
        ocv_v=tuple(data["ocv"]["v"]),
        charge_derating=line("charge_derating"),
        discharge_derating=line("discharge_derating"),
        margins=CellMargins(**data["margins"]),
        **data.get("use", {})
        | ({"equalise": Equalising(**data["equalise"])} if "equalise" in data else {})
        | ({"low_end_soc": tuple(data["low_end_soc"])} if "low_end_soc" in data else {}),
    )


CHEMISTRIES: dict[str, Chemistry] = {c.name: c for c in (_read(p) for p in sorted(Path(__file__).parent.glob("*.json")))}
LFP = CHEMISTRIES["lfp"]

SCHOOL_LEVEL = {"everyday": "everyday_v", "full": "full_v", "limit": "absolute_max_v"}


def charge_level_v(chemistry: Chemistry, school: str) -> float:
    """Return the charge voltage of one cell [V] for a charge school.

    >>> charge_level_v(LFP, 'everyday')
    3.45
    """
    return float(getattr(chemistry, SCHOOL_LEVEL[school]))


def ocv_v(chemistry: Chemistry, soc: float) -> float:
    """Return the resting voltage of one cell [V] at ``soc`` (0..1, clipped), linear between points.

    >>> round(ocv_v(LFP, 0.5), 3)
    3.27
    """
    xs, ys = chemistry.soc, chemistry.ocv_v
    if soc <= xs[0]:
        return ys[0]
    if soc >= xs[-1]:
        return ys[-1]
    i = bisect_right(xs, soc)
    part = (soc - xs[i - 1]) / (xs[i] - xs[i - 1])
    return ys[i - 1] + part * (ys[i] - ys[i - 1])


def soc_at(chemistry: Chemistry, volts: float) -> float:
    """Return the state of charge (0..1) at which one cell rests at ``volts``; clipped at the ends.

    >>> round(soc_at(LFP, 3.27), 2)
    0.5
    """
    xs, ys = chemistry.soc, chemistry.ocv_v
    if volts <= ys[0]:
        return 0.0
    if volts >= ys[-1]:
        return 1.0
    i = bisect_left(ys, volts)
    part = (volts - ys[i - 1]) / (ys[i] - ys[i - 1])
    return xs[i - 1] + part * (xs[i] - xs[i - 1])


def slope_v(chemistry: Chemistry, soc: float) -> float:
    """Return dOCV/ds [V per unit of SOC] of the table's segment that holds ``soc``."""
    xs, ys = chemistry.soc, chemistry.ocv_v
    i = min(max(bisect_right(xs, soc), 1), len(xs) - 1)
    return (ys[i] - ys[i - 1]) / (xs[i] - xs[i - 1])


def soc_band_width(chemistry: Chemistry, soc: float, error_v: float) -> float:
    """Return ds = dV / (dOCV/ds): the SOC (0..1) that ``error_v`` volts of one cell stand for at ``soc``."""
    return error_v / slope_v(chemistry, soc)


def soc_band(chemistry: Chemistry, volts: float, error_v: float) -> tuple[float, float]:
    """Return the lowest and highest SOC (0..1) a cell may have when ``volts`` +/- ``error_v`` is read.

    >>> tuple(round(s, 2) for s in soc_band(LFP, 3.28, 0.006))
    (0.54, 0.65)
    """
    return soc_at(chemistry, volts - error_v), soc_at(chemistry, volts + error_v)


def class_v(series_cells: int, chemistry: Chemistry = LFP) -> int:
    """Return the nominal class of a pack [V]: 12, 24 or 48 up to 20 cells of LFP, else nominal volts.

    >>> class_v(16), class_v(8), class_v(15)
    (48, 24, 48)
    """
    nominal = series_cells * chemistry.nominal_v
    if nominal > 64:
        return round(nominal)
    return max(12, 12 * round(nominal / 12))


def peukert_capacity_ah(capacity_ah: float, at_h: float, wanted_h: float, exponent: float) -> float:
    """Return the capacity [Ah] over ``wanted_h`` hours of a battery rated ``capacity_ah`` over ``at_h``.

    C(t2) = C(t1) * (t2/t1)^(1 - 1/p). Raises ValueError for times or exponents that make no sense.

    >>> round(peukert_capacity_ah(510, 6, 20, 1.152), 1)
    597.8
    """
    if at_h <= 0 or wanted_h <= 0 or exponent < 1:
        raise ValueError("Peukert needs times above zero and an exponent of at least 1")
    return float(capacity_ah * (wanted_h / at_h) ** (1 - 1 / exponent))


def derating(points: tuple[tuple[float, float], ...], temp_c: float) -> float:
    """Return the fraction of current allowed at ``temp_c``; linear between points, zero below a first 0 degC.

    Outside the points the end value holds, except that a line starting above zero fraction still
    gives nothing below its first point (the sheet does not allow it).

    >>> round(derating(LFP.charge_derating, 5), 2)
    0.6
    """
    if temp_c < points[0][0]:
        return 0.0
    if temp_c >= points[-1][0]:
        return points[-1][1]
    for (t0, f0), (t1, f1) in pairwise(points):
        if t0 <= temp_c <= t1:
            return f0 + (f1 - f0) * (temp_c - t0) / (t1 - t0)
    return points[-1][1]
