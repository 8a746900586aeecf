"""Cells of lists for spreadsheets."""

from __future__ import annotations

FORMULA_STARTS = ("=", "+", "-", "@", "|", "%")


def plain_cell(value: str) -> str:
    """Return ``value`` so that no spreadsheet takes it for a formula; numbers stay as they are."""
    bare = value.lstrip()
    if bare.startswith(FORMULA_STARTS) or value.startswith(("\t", "\r", "\n")):
        try:
            float(value)
        except ValueError:
            return "'" + value
    return value
