"""The protocol families Ewerer knows of, and the files that describe the CAN ones."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

FOLDER = Path(__file__).resolve().parents[3] / "library" / "protocols"


@dataclass(frozen=True, slots=True)
class Family:
    """A protocol family: name, what it runs on, whether its specification is public, what it carries."""

    name: str
    word: str
    layer: str
    open: bool
    carries: str
    dbc: str | None = None

    def dbc_text(self) -> str | None:
        """Return the DBC file of a CAN protocol, None where there is none."""
        return (FOLDER / self.dbc).read_text() if self.dbc else None


FAMILIES: dict[str, Family] = {
    f.name: f
    for f in (
        Family(
            "dunmarrow-link",
            "Dunmarrow Link",
            "CAN, 11-bit identifiers, 500 kbit/s",
            False,
            "limits, charge voltage, state, cell extremes, alarms",
            "dunmarrow-link.dbc",
        ),
        Family(
            "openstore-can",
            "Open Store",
            "CAN, 11-bit identifiers, 250 kbit/s",
            False,
            "limits, charge voltage, state",
            "openstore-can.dbc",
        ),
        Family("fennick-serial", "Fennick Serial", "RS-485, 9600 bit/s", False, "limits, charge voltage, state"),
        Family(
            "rv-c",
            "RV-C",
            "CAN, 29-bit identifiers, 250 kbit/s",
            True,
            "volts, amps, temperature, state of charge, requested charge",
        ),
        Family(
            "sunspec-modbus",
            "SunSpec Modbus, battery model 802",
            "RS-485, Modbus RTU",
            True,
            "volts, amps, limits, state of charge and health",
        ),
    )
}


def protocol_word(name: str) -> str:
    """Return a protocol as people say it, its version kept; a name that nobody knows as it is.

    >>> protocol_word("dunmarrow-link 2")
    'Dunmarrow Link 2'
    >>> protocol_word("own-thing 1")
    'own-thing 1'
    """
    family, _, version = name.partition(" ")
    return " ".join(filter(None, (FAMILIES[family].word if family in FAMILIES else family, version)))
