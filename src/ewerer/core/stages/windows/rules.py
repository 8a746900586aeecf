"""Rules of the windows."""

from __future__ import annotations

from ...trade.rules import formula_rule

DST = formula_rule(
    "windows-dst", "windows", "Windows follow the site's clock, also on days of 23 and 25 hours", "minute = local wall clock"
)
