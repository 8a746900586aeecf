"""The table of settings of a manual read into rows: what each is, how surely, and what has to be asked.

Nothing is taken over unseen. A meaning is sure only where words, unit and usual range agree, where nothing else is nearly as likely
and where nothing in the row is doubtful; everything else is shown to a person with its candidates.
"""

from __future__ import annotations

from ...trade.numbers import Mark
from .context import Context
from .grid import grid, refused
from .lines import decimal_commas, explained, headed, sorted_rows
from .meanings import class_of, finished, one_each, suggested_steps, weigh
from .table import ManualTable, Skipped
from .values import read_values


def read_table(source: str | bytes, class_v: float | None = None, kind: str = "inverter") -> ManualTable:
    """Read a table of settings from text (tabs, semicolons, commas, bars, columns of blanks, lines of a PDF) or an XLSX file.

    ``class_v`` is the voltage class of the device [V] where it is known; else the figures tell it. ``kind`` is whose menu it is: what a
    sun charger calls its charge current is the one from the sun.
    Raises :class:`DocumentError` for what is too big, no text, no such file, or has no row that reads as a setting.
    """
    lines, loose = grid(source)
    if not lines:
        raise refused("no rows", "a table with a row for each setting: number, name, range, step, factory value")
    skipped: list[Skipped] = []
    headers, roles, units, body, before = headed(lines, loose, skipped)
    mark: Mark = "," if decimal_commas(lines) else "."
    context = Context(roles=roles, units=units, mark=mark, loose=loose)
    explained([x.text for x in before], context)
    found = sorted_rows(body, headers, context, skipped)
    for f in found:
        read_values(f, context)
    found = [f for f in found if f.label]
    if not found:
        raise refused("no column with names of settings", "a column with the name of each setting")
    context.class_v = class_v or class_of(found)
    for f in found:
        weigh(f, context)
        if kind == "sun-charger" and "charge_max_a" in f.shares:
            share = f.shares.pop("charge_max_a")
            f.shares["sun_charge_max_a"] = max(share, f.shares.get("sun_charge_max_a", share))
    one_each(found)
    rows = [finished(f, context, found) for f in found]
    return ManualTable(
        columns=[r or "" for r in context.roles], headers=list(headers), rows=rows, skipped=skipped, steps=suggested_steps(rows)
    )
