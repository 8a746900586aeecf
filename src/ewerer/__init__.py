"""Ewerer: plans and records the commissioning of lithium banks and inverter-chargers.

What a script needs stands here; docs/library.md leads through it. Nothing is imported before it is used.

    >>> import ewerer
    >>> job = ewerer.demo_job("skerry-field-station")
    >>> made = ewerer.plan(job)
    >>> made.worst()
    'caution'
    >>> made.bank.capacity_ah, made.bank.class_v
    (840.0, 48)
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .core.behaviour.trial import try_job as trial
    from .core.devices.library import AnyProfile as Profile, Library, demo_job
    from .core.documents.job import Job
    from .core.documents.results.plan import Plan
    from .core.flow.results import simulate
    from .core.plan import plan
    from .core.trade.errors import DocumentError, Error, Problem

__version__ = "0.1.0"
__all__ = [
    "DocumentError",
    "Error",
    "Job",
    "Library",
    "Plan",
    "Problem",
    "Profile",
    "__version__",
    "demo_job",
    "plan",
    "simulate",
    "trial",
]

_HOMES = {
    "DocumentError": ("trade.errors", "DocumentError"),
    "Error": ("trade.errors", "Error"),
    "Job": ("documents.job", "Job"),
    "Library": ("devices.library", "Library"),
    "Plan": ("documents.results.plan", "Plan"),
    "Problem": ("trade.errors", "Problem"),
    "Profile": ("devices.library", "AnyProfile"),
    "demo_job": ("devices.library", "demo_job"),
    "plan": ("plan", "plan"),
    "simulate": ("flow.results", "simulate"),
    "trial": ("behaviour.trial", "try_job"),
}


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    module, home = _HOMES[name]
    globals()[name] = found = getattr(import_module(f"{__name__}.core.{module}"), home)
    return found


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
