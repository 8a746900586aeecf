"""Imported once by the process from which all that compute are forked: loads what they need. What fails here fails where it is asked for."""

import contextlib
import gc
import os
from pathlib import Path

from ...core import tasks

NICER = 5
"""How far what computes steps back behind the server that answers."""
FIRST = Path(__file__).resolve().parents[2] / "demo" / "larch-hollow-workshop.json"

os.nice(NICER)
with contextlib.suppress(OSError):  # where the system lacks what makes pages, all else is computed
    import weasyprint  # noqa: F401
with contextlib.suppress(Exception):
    first = tasks.Inputs(FIRST.read_text())
    tasks.plan_of(first)
    tasks.simulation_of(first, 1, False, 0)  # loads the compiled kernel
gc.freeze()
