"""Every check of every stage; to import them is to put them into the register."""

from __future__ import annotations

from collections.abc import Iterable

from ..trade.finding import Finding
from ..trade.rules import run_checks
from ..trade.stages import RANK, STAGES
from .bank import checks as bank_checks, wiring_checks as bank_wiring_checks
from .limits import checks as limits_checks
from .link import checks as link_checks
from .sheet import (
    checks as sheet_checks,
    found_amps_checks as sheet_found_amps_checks,
    found_checks as sheet_found_checks,
    link_loss_checks as sheet_link_loss_checks,
    own_checks as sheet_own_checks,
)
from .solved import Solved
from .sources import checks as sources_checks
from .thresholds import checks as thresholds_checks
from .units import checks as units_checks
from .windows import checks as windows_checks

ALL = (
    bank_checks,
    bank_wiring_checks,
    limits_checks,
    link_checks,
    sheet_checks,
    sheet_found_amps_checks,
    sheet_found_checks,
    sheet_link_loss_checks,
    sheet_own_checks,
    sources_checks,
    thresholds_checks,
    units_checks,
    windows_checks,
)
"""Every module with checks."""
SEVERITY_RANK = {"stop": 0, "caution": 1, "note": 2}


def findings_of(solved: Solved) -> list[Finding]:
    """Return the findings of every check on solved facts, the worst first."""
    found = [f for stage in STAGES for f in run_checks(stage, solved)]
    return ranked(found)


def ranked(found: Iterable[Finding]) -> list[Finding]:
    """Return findings the worst first, those of a kind in the order of the stages."""
    return sorted(found, key=lambda f: (SEVERITY_RANK[f.severity], RANK[f.stage]))
