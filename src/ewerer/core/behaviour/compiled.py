"""The kernel as Numba compiles it, cached; imported only when a simulation runs."""

from __future__ import annotations

from typing import Any

from numba import njit
from numba.extending import register_jitable

from ..trade.lead_acid import charging_emf_v, charging_ohm, stored_exponent
from .kernel import (
    acceptance,
    decide_grid,
    decide_island,
    decide_off_grid,
    filling,
    fills,
    gives,
    gone_over,
    meet,
    past_the_units,
    simulate_py,
    window_leaves,
)

HOW: dict[str, Any] = {"error_model": "numpy", "fastmath": {"nsz", "arcp", "contract", "nnan", "ninf"}}


for _part in (
    charging_emf_v,
    charging_ohm,
    stored_exponent,
    filling,
    fills,
    decide_island,
    decide_off_grid,
    decide_grid,
    acceptance,
    gives,
    window_leaves,
    gone_over,
    meet,
    past_the_units,
):
    register_jitable(**HOW)(_part)


kernel: Any = njit(cache=True, nogil=True, **HOW)(simulate_py)


def simulate(*arrays: Any) -> float:
    """Run the compiled kernel; the first call on a machine compiles it, every later one takes it from the cache."""
    return float(kernel(*arrays))
