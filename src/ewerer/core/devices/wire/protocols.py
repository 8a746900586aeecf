"""The protocol families Ewerer knows of, and the files that describe the CAN ones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
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
    signals: Mapping[str, str] = field(default_factory=dict)
    """The measurement that each signal of its DBC carries."""

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
            {
                "ChargeVoltageLimit": "charge_v",
                "ChargeCurrentLimit": "charge_a",
                "DischargeCurrentLimit": "discharge_a",
                "DischargeVoltageLimit": "stop_v",
                "BankVoltage": "volts",
                "BankCurrent": "amps",
                "Temperature": "temp_c",
                "StateOfCharge": "soc_pct",
                "StateOfHealth": "soh_pct",
                "HighestCell": "cell_high_v",
                "LowestCell": "cell_low_v",
                "ModulesPresent": "modules",
                "ModulesCharging": "modules_charging",
                "ModulesDischarging": "modules_discharging",
                "ForcedChargeRequest": "forced_charge",
                "ChargeAllowed": "charge_allowed",
                "DischargeAllowed": "discharge_allowed",
            },
        ),
        Family(
            "openstore-can",
            "Open Store",
            "CAN, 11-bit identifiers, 250 kbit/s",
            False,
            "limits, charge voltage, state",
            "openstore-can.dbc",
            {
                "FillVolts": "charge_v",
                "FillAmps": "charge_a",
                "DrawAmps": "discharge_a",
                "StopVolts": "stop_v",
                "Volts": "volts",
                "Amps": "amps",
                "Charge": "soc_pct",
                "Warmth": "temp_c",
            },
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
