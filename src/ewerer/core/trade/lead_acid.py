"""How a lead-acid cell behaves while it is charged, and how hard drawing wears its charge down.

The charge model is that of Copetti, Lorenzo and Chenlo, "A general battery model for PV system simulation", Progress in
Photovoltaics 1 (1993), normalised to the capacity at ten hours; its coefficients are from memory [M]. Plain arithmetic: the
simulation's compiler takes these functions as they stand.
"""

from __future__ import annotations

from .margins import (
    LEAD_EMF_PER_SOC_V,
    LEAD_EMF_V,
    LEAD_NEARLY,
    LEAD_OHM_FULL,
    LEAD_OHM_FULL_POWER,
    LEAD_OHM_PER_K,
    LEAD_OHM_POWER,
    LEAD_OHM_RATE,
    LEAD_OHM_REST,
    LEAD_STORED_LEAST,
    LEAD_STORED_RATE,
    LEAD_WARM_K,
    REFERENCE_C,
)
from .rules import formula_rule

HALVINGS = 30
CHARGES = formula_rule(
    "lead-acid-charge",
    "windows",
    "A lead-acid cell rises as it fills; near full less and less of the current stays in it",
    "V = {LEAD_EMF_V} + {LEAD_EMF_PER_SOC_V} s + I / C10 * ({LEAD_OHM_RATE} / (1 + I^{LEAD_OHM_POWER}) + {LEAD_OHM_FULL} / (1 - s)^{LEAD_OHM_FULL_POWER} + {LEAD_OHM_REST}) * (1 - {LEAD_OHM_PER_K} (T - {REFERENCE_C})); stored = 1 - exp({LEAD_STORED_RATE} (s - 1) / (10 I / C10 + {LEAD_STORED_LEAST}))",
    "Copetti, Lorenzo, Chenlo 1993, from memory",
    "S, M",
)
DRAWS = formula_rule(
    "lead-acid-draw",
    "windows",
    "A lead-acid bank that is drawn faster than it is rated for loses more of its charge than its ampere-hours",
    "ds = I / C * (I / I_rated)^(p - 1) for I > I_rated = C / {cell.rated_h} h, p = {cell.peukert}",
    "Peukert",
    "S",
)


def charging_emf_v(soc: float) -> float:
    """Return what one cell stands at while it is charged, its resistance left out [V]. Source: CHARGES.

    >>> charging_emf_v(0.5)
    2.08
    """
    return LEAD_EMF_V + LEAD_EMF_PER_SOC_V * soc


def charging_ohm(soc: float, amps: float, c10_ah: float, temp_c: float) -> float:
    """Return the resistance of one cell of ``c10_ah`` while ``amps`` flow into it [ohm]. Source: CHARGES.

    >>> round(charging_emf_v(0.5) + 10 * charging_ohm(0.5, 10, 100, 25), 3)
    2.267
    """
    missing = 1.0 - soc
    if missing < LEAD_NEARLY:
        missing = LEAD_NEARLY
    warm = temp_c - REFERENCE_C
    warm = LEAD_WARM_K if warm > LEAD_WARM_K else (-LEAD_WARM_K if warm < -LEAD_WARM_K else warm)
    flow = amps if amps > 0.0 else 0.0
    part = LEAD_OHM_RATE / (1.0 + flow**LEAD_OHM_POWER) + LEAD_OHM_FULL / missing**LEAD_OHM_FULL_POWER + LEAD_OHM_REST
    ohm: float = part / c10_ah * (1.0 - LEAD_OHM_PER_K * warm)
    return ohm


def stored_exponent(soc: float, amps: float, c10_ah: float) -> float:
    """Return the exponent of what is lost: 1 - exp(this) of the current is stored. Source: CHARGES."""
    return LEAD_STORED_RATE * (soc - 1.0) / (10.0 * amps / c10_ah + LEAD_STORED_LEAST)


def charged_to(volts: float, amps: float, c10_ah: float) -> float:
    """Return the charge (0..1) at which one cell shows ``volts`` while ``amps`` flow into it. Source: CHARGES.

    >>> round(charged_to(charging_v(0.4, 20, 200), 20, 200), 3)
    0.4
    """
    low, high = 0.0, 1.0
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if charging_v(middle, amps, c10_ah) < volts else (low, middle)
    return (low + high) / 2


def charging_v(soc: float, amps: float, c10_ah: float, temp_c: float = REFERENCE_C) -> float:
    """Return the volts of one cell that is charged [V]. Source: CHARGES.

    >>> round(charging_v(0.2, 10, 100), 3), round(charging_v(0.8, 10, 100), 3)
    (2.171, 2.536)
    """
    return charging_emf_v(soc) + amps * charging_ohm(soc, amps, c10_ah, temp_c)
