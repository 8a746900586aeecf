"""Copper leads: resistance, ampacity, what a short circuit would draw, what pre-charge takes.

Resistance: IEC 60028, 0.01724 ohm mm2/m at 20 degC, 0.00393 per K [S]. Ampacity: NEC 310.16 (in conduit) and 310.17
(free air), 75 degC copper at 30 degC ambient, written from memory [S, M]; a section between two listed ones counts as the
smaller. Other ambients: sqrt((75 - T) / 45), NEC 310.15(B) [S, M].
"""

from __future__ import annotations

from bisect import bisect_right
from typing import Literal

Place = Literal["free-air", "conduit"]

RHO = 0.01724
"""Resistivity of annealed copper at 20 degC [ohm mm2/m]."""
PER_K = 0.00393
"""Rise of resistance [1/K]."""
RATED_C, TABLE_C = 75.0, 30.0
"""Temperature of the insulation, and ambient of the tables [degC]."""

SECTIONS = (2.08, 3.31, 5.26, 8.37, 13.3, 21.2, 26.7, 33.6, 42.4, 53.5, 67.4, 85.0, 107.0, 127.0, 152.0, 177.0, 203.0, 253.0)
"""Sections of the tables [mm2]."""
AMPACITY: dict[str, tuple[float, ...]] = {
    "conduit": (20, 25, 35, 50, 65, 85, 100, 115, 130, 150, 175, 200, 230, 255, 285, 310, 335, 380),
    "free-air": (30, 35, 50, 70, 95, 125, 145, 170, 195, 230, 265, 310, 360, 405, 445, 505, 545, 620),
}
"""Amperes by place, in the order of the sections."""


def lead_mohm(length_m: float, section_mm2: float, at_c: float = 20.0) -> float:
    """Return the resistance [mohm] of a pair of leads of ``length_m`` each and ``section_mm2``.

    >>> round(lead_mohm(4, 50), 2)
    2.76
    """
    return 2 * RHO * length_m / section_mm2 * (1 + PER_K * (at_c - 20)) * 1000


def ampacity_a(section_mm2: float, place: Place, ambient_c: float = TABLE_C) -> float:
    """Return what a copper conductor carries for hours [A]; 0 below the smallest listed section.

    >>> ampacity_a(53.5, 'free-air')
    230.0
    """
    at = bisect_right(SECTIONS, section_mm2 + 1e-9) - 1
    if at < 0 or ambient_c >= RATED_C:
        return 0.0
    return float(AMPACITY[place][at] * ((RATED_C - ambient_c) / (RATED_C - TABLE_C)) ** 0.5)


def short_circuit_a(volts: float, bank_mohm: float, leads_mohm: float) -> float:
    """Return what a dead short at the end of the leads would draw [A]: V / (R_bank + R_leads).

    >>> round(short_circuit_a(56, 4.0, 1.0))
    11200
    """
    return volts / ((bank_mohm + leads_mohm) / 1000)


def precharge(volts: float, ohm: float, capacitance_uf: float) -> tuple[float, float, float]:
    """Return first current [A], time to 99 % [s] and heat in the resistor [J] of charging inputs: V/R, 5RC, C V^2 / 2.

    >>> tuple(round(x, 3) for x in precharge(54, 25, 12_000))
    (2.16, 1.5, 17.496)
    """
    farad = capacitance_uf * 1e-6
    return volts / ohm, 5 * ohm * farad, farad * volts**2 / 2
