"""What the fields of a profile are called by people, and what is wrong with one in such words: for forms, refusals and differences."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from ..trade.errors import Problem
from ..trade.quantities import QUANTITIES
from .walk import GONE, walk

WORDS: dict[str, str] = {
    "absorb_v": "charges to", "ac_charge_max_a": "charges from AC at most", "ac_hz": "AC frequency", "ac_input_max_a": "AC input at most", "ac_phases": "phases of its AC side",
    "ac_volts": "AC volts", "addresses": "addresses", "approved": "approved by its maker", "array_v_max": "array, highest volts", "ask": "what is asked", "battery_side": "protocols on the battery's side",
    "battery_type_codes": "codes of its battery types", "battery_v_max": "battery side, highest", "battery_v_min": "battery side, lowest", "below_soc": "below which charge", "bitrate": "bit rate",
    "bitrates": "bit rates", "block_v": "volts of a block", "bms": "BMS", "buffer": "part of its limit that it reports", "bus": "bus", "by": "what its words depend on", "capacity_ah": "capacity",
    "caution": "caution", "cell_max_v": "cell maximum", "cell_min_v": "cell cut-off", "cell_v": "cell volts", "charge_a": "charge, data sheet", "charge_cell_high_v": "charging, highest cell volts",
    "charge_cell_low_v": "charging, lowest cell volts", "charge_derating": "charge by temperature", "charge_max_a": "charges at most", "charge_slots": "charge slots", "charge_voltage_rule": "whose volts count",
    "charge_warranty_a": "charge, warranty", "charger_efficiency": "efficiency of its charger", "chemistry": "chemistry", "choices": "its words", "class_v": "voltage class", "commits": "what keeps a value",
    "connector": "connector", "continuous_w": "continuous power", "counts_coulombs": "counts ampere-hours", "device_side": "protocols on the device's side", "discharge_a": "discharge, data sheet",
    "discharge_derating": "discharge by temperature", "discharge_peak_a": "discharge, peak", "discharge_slots": "discharge slots", "discharge_warranty_a": "discharge, warranty", "efficiency": "efficiency",
    "encoding": "how it is written", "end_of_day": "end of the day", "entry": "entry in the menu", "every_days": "every so many days", "ewerer": "kind of profile", "factory": "factory value", "family": "family",
    "field": "part of the slot", "firmware": "firmware", "first_other": "address of the first other", "fixed": "what it does by itself", "float_v": "rests at", "follower_battery_type": "battery type on followers",
    "follows": "protocols that it obeys", "form": "form", "fraction": "part that is allowed", "host_address": "address of the host", "host_pattern": "switches of the host", "how": "how", "id": "short name",
    "idle_w": "its own use", "interlocks": "rules between settings", "inverter_efficiency": "efficiency of its inverter", "keys": "its keys", "kind": "kind", "label": "name as displayed", "lamps": "lamps",
    "lasts_min": "minutes that it lasts", "least_first": "order of the switches", "leaves": "what leaves without saving", "level": "level", "maker": "maker", "max": "highest", "max_modules": "modules at most",
    "max_parallel": "in parallel at most", "means": "what it means", "menu": "place in the menu", "meters_dc_loads": "meters DC loads", "min": "lowest", "name": "name", "needs": "when it can be changed",
    "no": "number", "no_discharge_slots": "slots without discharge", "note": "note", "notes": "notes", "ocv": "resting volts by charge", "off": "what it shows where it is off", "on_is": "which way is on",
    "opens": "what opens a value", "peukert": "Peukert exponent", "pins": "pins", "port": "port", "ports": "ports", "power": "power of a slot", "presets": "its own battery types", "protocols": "protocols",
    "purpose": "what it is for", "quantity": "what it is", "rated": "what 100 % is", "rated_h": "hours of its rated capacity", "ratings": "ratings", "report_step_a": "reports in steps of",
    "request_cell_v": "cell volts that it asks for", "resistance_mohm": "resistance", "restart": "how it comes back", "restart_soc": "charge at which it comes back", "restart_v": "volts at which it comes back",
    "resting_tolerance_v": "resting volts may differ by", "rests_without_master": "rests without the master switch", "revision": "version", "rule": "rule", "safe": "side it is rounded to", "scale": "factor",
    "scope": "where it is entered", "series_cells": "cells in series", "sets": "what it sets", "settings": "the menu", "shows": "what it shows", "shutdown_v": "stops giving at", "side_effects": "what it changes besides",
    "silence_s": "link lost after", "slot": "time slot", "slots": "time slots", "soc": "charge", "start_order": "order of starting", "step": "step", "step_min": "step of its times", "sun_charge_max_a": "charges from own sun",
    "surge_w": "for seconds", "switches": "address switches", "takes_effect": "when it takes effect", "takes_eighty_itself": "keeps to eighty percent of a breaker itself", "target": "target of a slot", "temp_c": "temperature",
    "terminators": "ends of the bus", "timed_requests": "what it asks for at its own times", "topologies": "AC systems", "tracker_w": "watts of a tracker", "trackers": "trackers", "unit": "unit", "unlock": "how it is unlocked",
    "values": "figures that it takes", "verdict": "verdict", "version": "version", "wake": "what wakes it", "way": "way", "when": "when", "why": "why", "works_only_if": "when it works",
    "at": "address", "blocks": "registers read in one request", "count": "how many registers", "enum": "words by number", "least_pause_ms": "least pause between requests",
    "length": "registers of a text", "measure": "what is measured", "measurements": "measurements", "modbus": "registers", "most_registers": "registers of one request at most",
    "parity": "parity", "register": "register", "registers": "kind of registers", "sign": "which way it counts", "stop_bits": "stop bits", "type": "how it is stored",
    "unit_id": "unit id", "value": "value", "word_order": "order of words", "write": "may be written",
}  # fmt: skip
"""Every field of every kind of profile."""
FORMS: dict[str, str] = {
    "id": "a short name of letters, digits and dashes",
    "name": "a name",
    "label": "a name as displayed",
    "rule": "a rule such as: alarm lies at least 0.5 above shut-down",
}
"""What would be right in fields that are refused for their form."""
NAMES = ("id", "name", "rule", "version")
"""What rows of a profile are told apart by."""
TOLD = ("/revision", "/ewerer")
"""What every version says anew."""
LISTED = 6
"""Most entries of a list that are named in a difference."""
ROW = re.compile(r"^\d+$")
_SNAKE = re.compile(r"\b[a-z0-9]+(?:_[a-z0-9]+)+\b")


def word_of(key: str) -> str:
    """Return what people call a field; a key that is no field's, such as a pin, as it is.

    >>> word_of("cell_max_v"), word_of("12")
    ('cell maximum', '12')
    """
    if key not in WORDS and key in QUANTITIES:
        return QUANTITIES[key].word.lower()
    return WORDS.get(key, key)


def plain(text: str) -> str:
    """Return a text with the names of fields in people's words."""
    return _SNAKE.sub(lambda found: word_of(found[0]).replace("_", " "), text)


def place(pointer: str, data: Any) -> str:
    """Return where a pointer leads in a profile, in words; rows by their names.

    >>> place("/settings/0/min", {"settings": [{"label": "Float"}]})
    'the menu, “Float”, lowest'
    """
    node, out = data, []
    for part in [p.replace("~1", "/").replace("~0", "~") for p in pointer.split("/")[1:]]:
        if isinstance(node, list) and ROW.match(part):
            node = node[int(part)] if int(part) < len(node) else None
            named = isinstance(node, dict) and next((str(node[k]) for k in ("label", "name", "id") if node.get(k)), "")
            out.append(f"“{named}”" if named else f"row {int(part) + 1}")
        else:
            node = node.get(part) if isinstance(node, dict) else None
            out.append(word_of(part))
    return ", ".join(out) or "the profile"


def said(problem: Problem) -> str:
    """Return what is wrong with a field and what would be right, in people's words."""
    field = problem.pointer.rsplit("/", 1)[-1]
    word = word_of(field)
    empty = problem.value in (None, "") or problem.message == "missing"
    if problem.message == "missing" or re.match(r"(List|Dictionary|String) should have at least 1 ", problem.message):
        return "the menu has no setting yet" if field == "settings" else f"{word} {_be(word)} needed"
    if problem.message == "not in the right form":
        right = FORMS.get(field, "")
        if empty:
            return f"{right or word} is needed"
        return f"not in the right form{f'; right would be {right}' if right else ''}"
    if re.match(r"(Input|List|Dictionary|String|Value|Tuple) should |Value error|Input should", problem.message):
        return f"{word} cannot be this" + _right(problem.expected)
    return plain(problem.message) + _right(problem.expected)


def _be(word: str) -> str:
    return (
        "are"
        if re.search(
            r"(?:volts|ports|pins|protocols|words|rates|ratings|settings|cells in series|addresses|switches|systems)$", word
        )
        else "is"
    )


def _right(expected: str) -> str:
    """Return what would be right; nothing where that is only the description of a form's parts."""
    if (
        not expected
        or expected.startswith(("this key", "Input should", "fields of its own"))
        or expected.endswith(".")
        or len(expected) > 160
    ):
        return ""
    return f"; right would be {plain(expected)}"


@dataclass(frozen=True, slots=True)
class ProfileDifference:
    """One thing that two versions of a profile say differently: where, in words, and what each says."""

    pointer: str
    place: str
    before: str
    after: str


def differences(before: Any, after: Any) -> list[ProfileDifference]:
    """Return what differs between two versions of a profile; rows are told apart by their id or name, then by their place.

    >>> differences({"name": "A", "cell_max_v": 3.6}, {"name": "A", "cell_max_v": 3.65})[0].place
    'cell maximum'
    """
    return [_difference(at, one, other, before, after) for at, _, one, other in walk(before, after, keys=NAMES) if at not in TOLD]


def _difference(at: str, one: Any, other: Any, before: Any, after: Any) -> ProfileDifference:
    if other is GONE and isinstance(one, dict):
        return ProfileDifference(at, place(at, before), "there", "removed")
    return ProfileDifference(at, place(at, before if other is GONE else after), _brief(one), _brief(other))


def _brief(value: Any) -> str:
    """Return a value as a person reads it."""
    if value is None or value is GONE or value in ([], {}):
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float)):
        return f"{value:.10g}"
    if isinstance(value, list):
        return ", ".join(_brief(v) for v in value[:LISTED]) + (f" and {len(value) - LISTED} more" if len(value) > LISTED else "")
    if isinstance(value, dict):
        named = value.get("label") or value.get("name") or value.get("id")
        return str(named) if named else ", ".join(f"{word_of(str(k))} {_brief(v)}" for k, v in list(value.items())[:LISTED])
    return str(value)[:80]
