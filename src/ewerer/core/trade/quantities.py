"""The canonical quantities: names, units and the words shown for them.

The names are those that profiles and plans use. ``kind`` is ``volts`` or ``soc`` for thresholds
on the ladder, otherwise the unit of the figure.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Side = Literal["down", "up"] | None


@dataclass(frozen=True, slots=True)
class Quantity:
    """One canonical quantity: its name, the word on screens, its unit and kind."""

    name: str
    word: str
    unit: str
    kind: str
    side: Side = None
    """The safe side of rounding, whatever a profile says; None where it depends on the unit."""


def _volts(name: str, word: str, side: Side = None) -> Quantity:
    return Quantity(name, word, "V", "volts", side)


def _soc(name: str, word: str, side: Side = None) -> Quantity:
    return Quantity(name, word, "%", "soc", side)


_ALL = [
    _volts("absorb_v", "Absorption", "down"),
    _volts("equalise_v", "Equalising", "down"),
    _volts("float_v", "Float", "down"),
    _volts("recharge_v", "Charge again"),
    _volts("gen_stop_v", "Generator stop"),
    _volts("return_bank_v", "Back to the bank"),
    _volts("restart_v", "Restart"),
    _volts("to_mains_v", "To the mains", "up"),
    _volts("gen_start_v", "Generator start", "up"),
    _volts("alarm_v", "Alarm", "up"),
    _volts("shutdown_v", "Shut-down", "up"),
    _volts("unit_off_v", "Unit off", "up"),
    _soc("recharge_soc", "Charge again"),
    _soc("gen_stop_soc", "Generator stop"),
    _soc("return_bank_soc", "Back to the bank"),
    _soc("restart_soc", "Restart"),
    _soc("to_mains_soc", "To the mains", "up"),
    _soc("gen_start_soc", "Generator start", "up"),
    _soc("alarm_soc", "Alarm", "up"),
    _soc("shutdown_soc", "Shut-down", "up"),
    Quantity("absorb_min", "Hold time", "min", "time"),
    Quantity("tail_a", "Tail current", "A", "amps"),
    Quantity("charge_max_a", "Charge current", "A", "amps", "down"),
    Quantity("mains_charge_max_a", "Charge current from AC", "A", "amps", "down"),
    Quantity("discharge_max_a", "Discharge current", "A", "amps", "down"),
    Quantity("max_charge_h", "Longest charge", "h", "time", "up"),
    Quantity("full_charge_days", "Full charge every", "days", "time"),
    Quantity("equalise_on", "Equalising on", "", "switch"),
    Quantity("equalise_min", "Equalising time", "min", "time"),
    Quantity("temp_comp_mv_per_c", "Temperature compensation", "mV/°C", "number"),
    Quantity("float_on", "Float on", "", "switch"),
    Quantity("charge_order", "Charge order", "", "choice"),
    Quantity("source_order", "Source order", "", "choice"),
    Quantity("shutdown_delay_s", "Shut-down delay", "s", "time"),
    Quantity("ac_input_max_a", "AC input current", "A", "amps", "down"),
    Quantity("battery_type", "Battery type", "", "choice"),
    Quantity("capacity_ah", "Capacity", "Ah", "number"),
    Quantity("series_cells", "Cells in series", "", "number"),
    Quantity("control", "Decide by", "", "choice"),
    Quantity("bms_protocol", "BMS protocol", "", "choice"),
    Quantity("bms_port", "BMS port", "", "choice"),
    Quantity("bms_bitrate", "BMS bit rate", "bit/s", "number"),
    Quantity("link_loss_action", "On loss of link", "", "choice"),
    Quantity("role", "Role", "", "choice"),
    Quantity("topology", "Topology", "", "choice"),
    Quantity("phase", "Phase", "", "choice"),
    Quantity("address", "Address", "", "number"),
    Quantity("output_v", "Output volts", "V", "number"),
    Quantity("output_hz", "Output frequency", "Hz", "number"),
    Quantity("low_temp_stop_c", "Stop charging below", "°C", "number", "up"),
    Quantity("temp_stop_c", "Stop above", "°C", "number", "down"),
    Quantity("temp_warn_c", "Warn above", "°C", "number", "down"),
    Quantity("ac_low_off_v", "AC lets go below", "V", "ac volts", "up"),
    Quantity("ac_low_on_v", "AC takes back above", "V", "ac volts"),
    Quantity("ac_high_on_v", "AC takes back below", "V", "ac volts"),
    Quantity("ac_high_off_v", "AC lets go above", "V", "ac volts", "down"),
    Quantity("ac_range", "AC input window", "", "choice"),
    Quantity("new_bank", "New bank declared", "", "switch"),
    Quantity("soc_now", "Charge now", "%", "number"),
    Quantity("shunt_a", "Shunt rating", "A", "number"),
    Quantity("shunt_mv", "Shunt millivolts", "mV", "number"),
]


QUANTITIES: dict[str, Quantity] = {q.name: q for q in _ALL}


LADDER_VOLTS: tuple[str, ...] = tuple(q.name for q in _ALL if q.kind == "volts")


LADDER_SOC: tuple[str, ...] = tuple(q.name for q in _ALL if q.kind == "soc")


LADDER_QUANTITIES: frozenset[str] = frozenset(LADDER_VOLTS + LADDER_SOC)


TERMS: dict[str, str] = {
    "absorption": "the constant voltage a charge ends at, held for a time or until the current has fallen",
    "bank": "all modules in parallel, with their leads",
    "BMS": "battery management system: the module's own protection and measurement",
    "C": "capacity in Ah; 0.2 C is a fifth of it in amperes",
    "closed loop": "the BMS tells the inverter volts and limits over a cable; open loop: settings alone decide",
    "follower": "a unit that takes its lead from the host",
    "host": "the unit, or the module, that speaks for the others",
    "ladder": "all thresholds above each other on one scale of volts or of charge",
    "module": "one battery case with its cells in series and its BMS",
    "n-1": "the same figure with one module gone",
    "narrows": "the chain of caps on current, drawn as a channel",
    "rung": "one threshold on the ladder",
    "sag": "what load current takes off the terminal voltage, I * R",
    "school": "one of several accepted ways to choose a figure",
    "SOC": "state of charge, a fraction 0..1 in code and files, percent on screens",
    "sheet": "what to type into one unit, in order",
    "unit": "one inverter-charger",
    "window": "a time of day with an intent: charge, hold, use, export",
}


def glossary_markdown() -> str:
    """Return docs/glossary.md: the words of the trade as used here, and every canonical quantity with its unit."""
    lines = [
        "# Glossary",
        "",
        "Made by `make docs`; do not edit. Names in code and files end in their unit: `_v _a _w _wh _ah _mohm _c _soc",
        "_s _min _h`. Voltages are of the pack unless the name says `cell`. Currents are positive; the name says which way.",
        "",
        "| term | meaning |",
        "|---|---|",
        *(f"| {term} | {meaning} |" for term, meaning in sorted(TERMS.items(), key=lambda t: t[0].lower())),
        "",
        "## Canonical quantities",
        "",
        "| name | word on screens | unit | kind |",
        "|---|---|---|---|",
        *(f"| `{q.name}` | {q.word} | {q.unit or '-'} | {q.kind} |" for q in QUANTITIES.values()),
    ]
    return "\n".join(lines) + "\n"
