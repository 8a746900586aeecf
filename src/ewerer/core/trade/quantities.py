"""The canonical quantities: names, units and the words shown for them.

The names are those that profiles and plans use. ``kind`` is ``volts`` or ``soc`` for thresholds
on the ladder, otherwise the unit of the figure.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
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
    choices: tuple[tuple[str, str], ...] = ()
    """What may be chosen: key and word."""
    rare: bool = False
    """Planned, and shown, only where a unit has a setting for it or a person gives a figure."""


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
    Quantity(
        "charge_order",
        "Charge order",
        "",
        "choice",
        None,
        (
            ("sun-only", "sun only"),
            ("sun-first", "sun first, then grid"),
            ("sun-and-mains", "sun and grid together"),
            ("mains-first", "grid first"),
        ),
    ),
    Quantity(
        "source_order",
        "Source order",
        "",
        "choice",
        None,
        (("sun-bank-mains", "sun, bank, then grid"), ("sun-mains", "sun, then grid"), ("mains-first", "grid first")),
    ),
    Quantity("shutdown_delay_s", "Shut-down delay", "s", "time"),
    Quantity("ac_input_max_a", "AC input current", "A", "amps", "down"),
    Quantity(
        "battery_type",
        "Battery type",
        "",
        "choice",
        None,
        (
            ("user", "own values"),
            ("protocol", "as the BMS says"),
            ("lead-agm", "lead-acid, AGM"),
            ("lead-gel", "lead-acid, gel"),
            ("lead-flooded", "lead-acid, flooded"),
            ("lfp", "lithium iron phosphate, fixed"),
        ),
    ),
    Quantity("capacity_ah", "Capacity", "Ah", "number"),
    Quantity("series_cells", "Cells in series", "", "number"),
    Quantity("control", "Decide by", "", "choice", None, (("volts", "volts"), ("soc", "charge %"))),
    Quantity("bms_protocol", "BMS protocol", "", "choice", None, (("none", "none"),)),
    Quantity("bms_port", "BMS port", "", "choice"),
    Quantity("bms_bitrate", "BMS bit rate", "bit/s", "number"),
    Quantity("link_loss_action", "On loss of link", "", "choice", None, (("stop", "stop"), ("carry-on", "carry on"))),
    Quantity("role", "Role", "", "choice", None, (("single", "alone"), ("host", "host"), ("follower", "follower"))),
    Quantity(
        "topology",
        "Topology",
        "",
        "choice",
        None,
        (("alone", "one unit alone"), ("single", "one phase"), ("split", "split phase"), ("three", "three phases")),
    ),
    Quantity("phase", "Phase", "", "choice", None, (("L1", "L1"), ("L2", "L2"), ("L3", "L3"))),
    Quantity("address", "Address", "", "number"),
    Quantity("output_v", "Output volts", "V", "number"),
    Quantity("output_hz", "Output frequency", "Hz", "number"),
    Quantity("low_temp_stop_c", "Stop charging below", "°C", "number", "up"),
    Quantity("temp_stop_c", "Stop above", "°C", "number", "down"),
    Quantity("temp_warn_c", "Warn above", "°C", "number", "down"),
    Quantity("ac_low_off_v", "AC disconnects below", "V", "ac volts", "up"),
    Quantity("ac_low_on_v", "AC reconnects above", "V", "ac volts"),
    Quantity("ac_high_on_v", "AC reconnects below", "V", "ac volts"),
    Quantity("ac_high_off_v", "AC disconnects above", "V", "ac volts", "down"),
    Quantity("ac_range", "AC input window", "", "choice", None, (("narrow", "narrow"), ("wide", "wide"))),
    Quantity("new_bank", "New bank declared", "", "switch"),
    Quantity("soc_now", "Charge now", "%", "number"),
    Quantity("shunt_a", "Shunt rating", "A", "number"),
    Quantity("shunt_mv", "Shunt millivolts", "mV", "number"),
]

_RARE = [
    # Charging
    Quantity("absorb_end", "Hold ends by", "", "choice", None, (("time", "time"), ("tail", "tail current"), ("level", "charge %"))),
    Quantity("absorb_end_soc", "Hold ends at", "%", "level"),
    Quantity("final_stage", "After the hold", "", "choice", None, (("float", "float"), ("none", "nothing"))),
    Quantity("charge_to_soc", "Charge up to", "%", "level"),
    Quantity("sun_charge_max_a", "Charge current from own sun", "A", "amps", "down"),
    Quantity("bank_charge_max_a", "Current into the bank, whole system", "A", "amps", "down"),
    Quantity("ac_charge_start_v", "Charging from AC begins", "V", "edge", "up"),
    Quantity("ac_charge_stop_v", "Charging from AC ends", "V", "edge", "down"),
    Quantity("ac_charge_start_soc", "Charging from AC begins", "%", "level", "up"),
    Quantity("ac_charge_stop_soc", "Charging from AC ends", "%", "level", "down"),
    Quantity("full_charge_v", "Periodic full charge", "V", "edge", "down"),
    Quantity("full_charge_min", "Periodic full charge, time", "min", "time"),
    Quantity("equalise_days", "Equalising every", "days", "time"),
    # Protection by charge, beyond the ladder
    Quantity("protect_1_soc", "First protection", "%", "level", "up"),
    Quantity("protect_2_soc", "Second protection", "%", "level", "up"),
    Quantity("protect_3_soc", "Last protection", "%", "level", "up"),
    # AC and generator
    Quantity("ac_breaker_a", "AC breaker", "A", "amps", "down"),
    Quantity("gen_quiet_from", "Quiet from", "", "clock"),
    Quantity("gen_quiet_to", "Quiet to", "", "clock"),
    Quantity("gen_top_off", "Generator tops off", "", "switch"),
    Quantity("gen_min_run_min", "Generator runs at least", "min", "time"),
    Quantity("gen_warm_up_s", "Generator warms up", "s", "time"),
    Quantity("gen_cool_down_min", "Generator cools down", "min", "time"),
    Quantity("gen_exercise_days", "Generator exercise every", "days", "time"),
    Quantity("gen_exercise_min", "Generator exercise", "min", "time"),
    Quantity("gen_tries", "Attempts to start", "", "number"),
    Quantity("gen_max_run_min", "Generator runs at most", "min", "time"),
    # Hybrid
    Quantity(
        "mode",
        "Mode",
        "",
        "choice",
        None,
        (
            ("off-grid", "off grid"),
            ("feed-in", "feed in"),
            ("essential-only", "essential loads only"),
            ("zero-export", "no export"),
            ("peak-shaving", "peak shaving"),
        ),
    ),
    Quantity("sun_priority", "Sun goes first to", "", "choice", None, (("loads-first", "loads"), ("bank-first", "bank"))),
    Quantity("windows_on", "Windows in force", "", "switch"),
    Quantity("export_on", "Export", "", "switch"),
    Quantity("export_cap_on", "Cap on export in force", "", "switch"),
    Quantity("export_limit_w", "Export at most", "W", "number", "down"),
    Quantity("export_limit_pct", "Export at most, of the rating", "%", "level", "down"),
    Quantity("peak_cap_w", "Grid at most", "W", "number", "down"),
    Quantity("on_grid_min_soc", "Least charge on the grid", "%", "level", "up"),
    Quantity("outage_min_soc", "Least charge in an outage", "%", "level", "up"),
    Quantity("outage_return_soc", "Back after an outage at", "%", "level", "up"),
    Quantity("backup_output", "Backup output", "", "choice", None, (("off", "off"), ("slow", "slow"), ("fast", "fast"))),
    Quantity("second_meter", "Second meter, for sun on the AC side", "", "switch"),
    # Bank data
    Quantity("blocks_in_series", "Blocks in series", "", "number"),
    Quantity("resistance_mohm", "Resistance of the bank", "mΩ", "number"),
    Quantity("charge_efficiency_pct", "Charge efficiency", "%", "level"),
    Quantity("empty_v", "Empty at", "V", "edge", "up"),
    # Link and sensors
    Quantity("interface_role", "Interface", "", "choice", None, (("host", "host"), ("follower", "follower"), ("alone", "alone"))),
    Quantity("shunt_type", "Current sensor", "", "choice", None, (("none", "none"), ("external", "external shunt"))),
    Quantity("shunt_zero", "Zero the current sensor", "", "switch"),
    Quantity("temp_sensor", "Temperature sensor", "", "choice", None, (("none", "none"), ("bank", "at the bank"))),
    Quantity("temp_resume_c", "Charge again below", "°C", "number", "down"),
    Quantity("fan_start_c", "Fan from", "°C", "number", "down"),
    Quantity(
        "meter_kind",
        "Grid meter",
        "",
        "choice",
        None,
        (("none", "none"), ("clamp", "clamp"), ("meter", "meter"), ("bus", "on a bus")),
    ),
    # Output
    Quantity("neutral_bond", "Neutral bond", "", "switch"),
    Quantity("ups_narrow", "Quick transfer for electronics", "", "switch"),
    # Housekeeping
    Quantity("overload_restart", "Restart after overload", "", "switch"),
    Quantity("overtemp_restart", "Restart after over-temperature", "", "switch"),
    Quantity("overload_bypass", "Bypass to AC on overload", "", "switch"),
    Quantity("power_saving", "Power saving", "", "switch"),
    Quantity("search_w", "Search for loads from", "W", "number"),
    Quantity("assist", "Bank helps a weak source", "", "switch"),
    Quantity("solar_balance", "Sun used by the loads' need", "", "switch"),
    Quantity("buzzer", "Buzzer", "", "switch"),
    Quantity("backlight_min", "Backlight", "min", "time"),
    Quantity("source_beep", "Beep when a source goes", "", "switch"),
]
"""Quantities that only some units know."""


QUANTITIES: dict[str, Quantity] = {q.name: q for q in (*_ALL, *(replace(q, rare=True) for q in _RARE))}


OWN_AMPS = ("charge_max_a", "mains_charge_max_a", "discharge_max_a", "ac_input_max_a")
"""Currents of each unit, of which an own figure may ask for less."""


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


def fitting(words: str, sources: Collection[str]) -> str:
    """Return words that speak of the mains as they are said at a site: of its generator, where that is all there is."""
    if "mains" in sources or "generator" not in sources:
        return words
    return words.replace("mains", "generator").replace("Mains", "Generator")


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
