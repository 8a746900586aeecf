"""How each fault of a stand-in is mended: the right way, one that hurts somebody, one that does not help. For practice."""

from __future__ import annotations

from typing import NamedTuple

__all__ = ["WAYS", "Ways"]


class Ways(NamedTuple):
    """Three ways: right, unsafe with its reason, useless."""

    right: str
    unsafe: str
    why: str
    useless: str


SUN_FIRST = "A charger's bank breaker was opened while its sun strings were on: its volts rise without the bank, and it burns."
JOINED = "A module was joined without measuring: the difference in volts drives hundreds of amps through the lead."
LIVE = "Metal was held at live posts: a bank gives thousands of amps into a dropped spanner."
STOP = "The bank was energised against a stop of the plan."
CLAMP = "The leads of a current transformer were opened under load: their volts rise until the insulation breaks."
MOVING = "Hands were at a running engine."
LIMIT = "The BMS's limit was overridden: the cells are charged beyond what they bear."

_LINK = Ways(
    "Put the link cable, its ends and its terminators right as the cable card draws them; nothing of the bank is opened.",
    "Open the bank's breakers with the sun strings on, then see to the cable in peace.",
    SUN_FIRST,
    "Restart the inverter and look again.",
)
_ADDRESS = Ways(
    "Set the switches as drawn, then switch each module off and on by itself; they stay joined.",
    "Take a module off the busbar, set its switches, and close its breaker again at once.",
    JOINED,
    "Type the number of modules into the inverter.",
)
_ENTRIES = Ways(
    "Enter the planned values in the order of entry and read each back.",
    "Leave the entries, and raise the absorption voltage above the plan's highest to make up for them.",
    STOP,
    "Restart the unit; it finds its values by itself.",
)

WAYS: dict[str, Ways] = {
    **dict.fromkeys(("cable-out", "wrong-port", "pins-swapped", "no-terminator", "terminator-too-many"), _LINK),
    **dict.fromkeys(("host-address", "equal-addresses", "no-power-cycle"), _ADDRESS),
    **dict.fromkeys(("factory-left", "window-overlap", "preset-resets", "sensor-forgotten", "timer-early"), _ENTRIES),
    "clock-wrong": _ENTRIES._replace(
        right="Set the unit's clock, and read it back.", useless="Move every window by the difference."
    ),
    "loads-eat": _ENTRIES._replace(
        right="Set the cap so that the bank gets its amps on top of the DC loads, within the plan's limit."
    ),
    "charging-off": Ways(
        "Clear the module's reason at its display, switch its charging on, and watch its amps beside the others.",
        "Take the module out, charge it elsewhere, and close it onto the bank again at once.",
        JOINED,
        "Raise the charge limit of the inverter.",
    ),
    "cell-high": Ways(
        "Charge gently to full and hold until the cells are even.",
        "Switch the BMS off and charge on by volts.",
        LIMIT,
        "Lower the float voltage.",
    ),
    "cold": Ways(
        "Warm the room; charging stays off until the cells are warm.",
        "Override the BMS's limit and charge with little current.",
        LIMIT,
        "Restart the BMS.",
    ),
    "forced-charge": Ways(
        "Note both versions, load a firmware that is known to be good, with the loads on AC meanwhile.",
        "Cut the BMS off and let the inverter discharge by volts alone.",
        LIMIT,
        "Lower the reserve.",
    ),
    "sensor-in-sun": Ways(
        "Move the sensor into the shade, onto the negative post of a middle module, with an insulated tool.",
        "Unscrew the post with a bare spanner and put the sensor under it.",
        LIVE,
        "Raise the temperature limit.",
    ),
    "shunt-backwards": Ways(
        "Isolate the bank in its order, prove dead, then turn the shunt's sense leads.",
        "Turn the busbar's leads at the shunt while the bank is on.",
        LIVE,
        "Enter a higher rating of the shunt.",
    ),
    **dict.fromkeys(
        ("transformer-reversed", "transformer-phase"),
        Ways(
            "Switch that feed off, put the transformer round the right phase with its arrow to the grid, and test with a known load.",
            "Swap its leads at the meter under load.",
            CLAMP,
            "Change the sign of the export limit.",
        ),
    ),
    "generator-sags": Ways(
        "Lower the charging amps to the last at which volts and hertz hold, and give that to the plan.",
        "Hold the engine's governor open by hand while it charges.",
        MOVING,
        "Widen the AC input window.",
    ),
    "fault-returns": Ways(
        "Leave the unit off, note code and time, and follow the maker's page for a present fault.",
        "Clear it again and again with the loads on.",
        STOP,
        "Delete the unit's history.",
    ),
    "asleep": Ways(
        'Wake the unit at its display by saving "on" again, then enter.',
        "Bridge the unit's bank breaker to wake it.",
        LIVE,
        "Wait for the evening.",
    ),
    "bank-fuse": Ways(
        "Isolate in order, prove dead, find why it blew, then fit a fuse of the same class and amps.",
        "Push in a new fuse with the loads and the sun on.",
        LIVE,
        "Reset the BMS.",
    ),
}
