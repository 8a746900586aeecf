"""Rules of the units."""

from __future__ import annotations

from ...trade.rules import formula_rule

START = formula_rule(
    "start-order",
    "units",
    "Units are switched on in the order their maker wants: all at once, the host first, or the followers first",
    "in the start order of the profile",
    "the device's profile",
)
