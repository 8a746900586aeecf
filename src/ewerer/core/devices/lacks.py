"""What a profile with a menu lacks for a good plan, and which of its factory values endanger a lithium bank.

A profile may be small: ten settings make a plan. This says what more would help and why, never that it must be.

Sources: the rules of the ladder and of what lead-acid leaves behind, as in ``trade/rules.py`` [T]; cell levels of lithium
iron phosphate from ``trade/chemistries/lfp.json``, cells of a class 12/24/48 V as 4/8/16 [common practice].
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from ..documents.profiles import InverterProfile, MenuProfile, Profile, SunChargerProfile
from ..trade.chemistries import CHEMISTRIES
from ..trade.margins import NORMAL_CELLS
from ..trade.quantities import QUANTITIES
from .codec import decode

CELLS = NORMAL_CELLS
"""Cells of lithium iron phosphate in series for a voltage class."""
WANTED: dict[str, dict[str, str]] = {
    "inverter": {
        "absorb_v": "without it nothing says where charging ends",
        "float_v": "without it the bank may be held full for good",
        "shutdown_v": "without it, or by percent, nothing ends a discharge in good time",
        "restart_v": "without it the unit decides alone when loads come back",
        "charge_max_a": "without it the bank's charge limit cannot be kept",
        "mains_charge_max_a": "a weak source needs its own limit",
        "battery_type": "a type that stays on lead-acid brings equalising and compensation with it",
        "temp_comp_mv_per_c": "lithium takes none; a plan sets it to nothing",
        "equalise_on": "lithium takes none; a plan turns it off",
        "alarm_v": "a warning before the cut-off lets people act",
        "bms_protocol": "without it the bank's own limits are not heard",
        "link_loss_action": "says what happens when the link is lost",
    },
    "sun-charger": {
        "absorb_v": "without it nothing says where charging ends",
        "float_v": "without it the bank may be held full for good",
        "sun_charge_max_a": "without it the bank's charge limit cannot be kept",
        "temp_comp_mv_per_c": "lithium takes none; a plan sets it to nothing",
        "equalise_on": "lithium takes none; a plan turns it off",
    },
}
"""What a plan asks of a device, by kind, with the reason."""
INSTEAD = {"shutdown_v": "shutdown_soc", "restart_v": "restart_soc", "alarm_v": "alarm_soc", "charge_max_a": "sun_charge_max_a"}
"""What does as well."""


class Lack(BaseModel):
    """One thing to add or to look at: kind, the quantity or setting it is about, words."""

    kind: Literal["lacking", "danger"]
    quantity: str
    word: str
    setting: str = Field(default="", description="id of the setting, empty where it is lacking")
    text: str


def lacks(profile: Profile) -> list[Lack]:
    """Return what a profile with a menu lacks, then its dangerous factory values; nothing for a profile without a menu."""
    dangers = _dangers(profile) if isinstance(profile, (InverterProfile, SunChargerProfile)) else []
    return lacking(profile) + dangers


def lacking(profile: Profile) -> list[Lack]:
    """Return what a profile with a menu lacks; nothing for a profile without a menu."""
    if not isinstance(profile, (InverterProfile, SunChargerProfile)):
        return []
    kind = profile.version_tag.split("/")[0]
    held = {s.quantity for s in profile.settings}
    return [
        Lack(kind="lacking", quantity=name, word=QUANTITIES[name].word, text=why)
        for name, why in WANTED[kind].items()
        if name not in held and INSTEAD.get(name) not in held
    ]


def _dangers(profile: MenuProfile) -> list[Lack]:
    cells = CELLS.get(round(profile.menu_class_v)) if isinstance(profile, InverterProfile) else None
    cell = CHEMISTRIES["lfp"]
    out = []
    for s in profile.settings:
        if s.factory is None or s.quantity is None:
            continue
        try:
            value = decode(s, s.factory, profile)
        except ValueError:
            continue
        text = ""
        if s.quantity == "battery_type" and isinstance(value, str) and value.startswith("lead"):
            text = f"ships as {s.factory}, a lead-acid type"
        elif s.quantity in ("equalise_on", "equalise_days") and value not in (False, "no", 0, 0.0):
            text = f"ships with equalising {s.factory}; lithium takes none"
        elif s.quantity == "temp_comp_mv_per_c" and isinstance(value, (int, float)) and value != 0:
            text = f"ships with {s.factory} {s.unit} of compensation; in the cold it charges a lithium bank too high"
        elif isinstance(value, (int, float)) and not isinstance(value, bool) and cells:
            text = _volts(s.quantity, float(value), cells, cell.absolute_max_v, cell.absolute_min_v)
        if text:
            out.append(Lack(kind="danger", quantity=s.quantity, word=QUANTITIES[s.quantity].word, setting=s.id, text=text))
    return out


def _volts(quantity: str, value: float, cells: int, highest: float, lowest: float) -> str:
    if quantity in ("absorb_v", "float_v", "equalise_v") and value > cells * highest:
        return f"ships at {value:g} V, above {cells * highest:g} V that {cells} cells bear"
    if quantity in ("shutdown_v", "unit_off_v", "alarm_v") and value < cells * lowest:
        return f"ships at {value:g} V, below {cells * lowest:g} V that {cells} cells bear"
    return ""
