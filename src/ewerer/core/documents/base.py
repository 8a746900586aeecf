"""Shared parts of every document: strict models, unit-bearing number types, readable errors.

Documents are refused, not repaired: an unknown key, a wrong type or a figure outside what is
physically plausible for its unit raises :class:`DocumentError`, which lists every problem with a
JSON pointer, the value found and what would be right.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field


class Document(BaseModel):
    """Base of all documents: unknown keys refused, no coercion of text to numbers, immutable."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, populate_by_name=True, allow_inf_nan=False)
    version_tag: ClassVar[str] = ""

    @classmethod
    def upgraded(cls, data: dict[str, Any]) -> dict[str, Any]:
        """Return a document of an earlier version as one of this; others as they are."""
        return data

    def to_data(self) -> dict[str, Any]:
        """Return the document as plain JSON data, leaving out what was left out on entry."""
        return self.model_dump(mode="json", by_alias=True, exclude_unset=True)


def _number(low: float, high: float, unit: str, hint: str) -> Any:
    return Field(ge=low, le=high, json_schema_extra={"x-unit": unit}, description=hint)


CellVolts = Annotated[float, _number(0.5, 5.0, "V", "volts of one cell")]


PACK_VOLTS = (1.0, 1500.0)
"""Volts that a module or bank may have [V]."""
PackVolts = Annotated[float, _number(*PACK_VOLTS, "V", "volts of a whole module or bank")]


Amps = Annotated[float, _number(0.0, 5000.0, "A", "amperes")]


PositiveAmps = Annotated[float, _number(0.5, 5000.0, "A", "amperes, above zero")]


AmpHours = Annotated[float, _number(1.0, 20000.0, "Ah", "ampere-hours")]


Milliohms = Annotated[float, _number(0.05, 1000.0, "mohm", "milliohms")]


LeadMilliohms = Annotated[float, _number(0.0, 1000.0, "mohm", "milliohms, zero allowed")]


Watts = Annotated[float, _number(0.0, 2_000_000.0, "W", "watts")]


WattHours = Annotated[float, _number(0.0, 50_000_000.0, "Wh", "watt-hours a day")]


Fraction = Annotated[float, _number(0.0, 1.0, "fraction", "a fraction between 0 and 1; 20 % is 0.2")]


Celsius = Annotated[float, _number(-60.0, 90.0, "degC", "degrees Celsius")]


CellCount = Annotated[int, _number(1, 400, "cells", "cells in series")]


Figure = Annotated[float, Field(ge=-1_000_000, le=1_000_000, description="a figure")]
Shown = Annotated[str, Field(max_length=60, description="a text of at most 60 characters, as the display shows it")]
Condition = Annotated[str, Field(max_length=2000, description="a condition of at most 2000 characters")]
Identifier = Annotated[
    str,
    Field(
        pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]{0,39}$",
        description="a short name of letters, digits, dot, dash or underscore, at most 40 long",
    ),
]


Text = Annotated[str, Field(max_length=4000, description="text of at most 4000 characters")]


def _readable(name: str) -> str:
    if not any(c.isalnum() for c in name):
        raise ValueError("a name needs a letter or a digit")
    return name


Title = Annotated[
    str,
    Field(min_length=1, max_length=120, description="a name of 1 to 120 characters, one of them a letter or a digit"),
    AfterValidator(_readable),
]


TimeOfDay = Annotated[
    str, Field(pattern=r"^(([01]\d|2[0-3]):[0-5]\d|24:00)$", description="a time of day as HH:MM, 00:00 to 24:00")
]


def _real_date(text: str) -> str:
    try:
        dt.date.fromisoformat(text)
    except ValueError:
        raise ValueError("there is no such day") from None
    return text


Date = Annotated[str, Field(pattern=r"^(19|20|21)\d\d-\d\d-\d\d$", description="a date as YYYY-MM-DD"), AfterValidator(_real_date)]


def _real_day(text: str) -> str:
    try:
        dt.date.fromisoformat(f"2024-{text}")
    except ValueError:
        raise ValueError("there is no such day") from None
    return text


MonthDay = Annotated[
    str, Field(pattern=r"^[01]\d-[0-3]\d$", description="a day of the year as MM-DD, 02-29 included"), AfterValidator(_real_day)
]


SlotFormName = Literal["pairs", "six", "single"]
"""How units write down windows: a class of ``devices/slots/`` each."""
