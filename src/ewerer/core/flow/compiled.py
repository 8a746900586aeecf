"""The kernel as Numba compiles it, cached; imported only when a simulation runs."""

from __future__ import annotations

from typing import Any

from numba import njit
from numba.extending import register_jitable

from .kernel import decide, simulate_py

register_jitable(decide)
kernel: Any = njit(cache=True, error_model="numpy", nogil=True, fastmath={"nsz", "arcp", "contract", "nnan", "ninf"})(simulate_py)
