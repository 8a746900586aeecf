"""What every process that computes needs, loaded once, before the processes are split off from the one that holds it."""

import contextlib
import gc
import os
from pathlib import Path

NICER = 5
"""How far what computes steps back behind the server that answers."""
SERVER = os.getppid()
FIRST = Path(__file__).resolve().parents[1] / "demo" / "larch-hollow-workshop.json"


def _while_served() -> None:
    """End here where the server is gone: nobody would ask any more."""
    if os.getppid() != SERVER:
        os._exit(0)


os.nice(NICER)
from . import tasks  # noqa: E402

_while_served()
with contextlib.suppress(OSError):  # where the system lacks what makes pages, all else is computed
    import weasyprint  # noqa: F401
_while_served()
with contextlib.suppress(Exception):  # what fails here fails where it is asked for, in words
    tasks.plan_of(FIRST.read_text(), ())
    _while_served()
    tasks.simulation_of(FIRST.read_text(), (), 1, False, 0)  # loads the compiled kernel, or compiles it, once for all
_while_served()
gc.freeze()
