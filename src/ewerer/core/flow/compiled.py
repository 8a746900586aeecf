"""The kernel as Numba compiles it, cached; imported only when a simulation runs."""

from __future__ import annotations

from typing import Any

from numba import njit
from numba.extending import register_jitable

from .kernel import decide, simulate_py

HOW: dict[str, Any] = {"error_model": "numpy", "fastmath": {"nsz", "arcp", "contract", "nnan", "ninf"}}


register_jitable(**HOW)(decide)


kernel: Any = njit(cache=True, nogil=True, **HOW)(simulate_py)


def simulate(*arrays: Any) -> float:
    """Run the compiled kernel; the first call on a machine compiles it, every later one takes it from the cache."""
    return float(kernel(*arrays))
