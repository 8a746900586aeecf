"""Rules of the link."""

from __future__ import annotations

from ...trade.rules import formula_rule

RANK = formula_rule(
    "link-rank",
    "link",
    "A link approved for warranty comes first, then a generic protocol, then settings with metering, then settings alone",
    "closed approved > closed generic > open with metering > open",
)


PROTOCOL = formula_rule("link-protocol", "link", "Both ends speak the same protocol", "name_bms = name_unit")


VERSION = formula_rule("link-version", "link", "Both ends speak the same version of it", "version_bms = version_unit")


BUS = formula_rule("link-bus", "link", "Both ends have the same physical layer", "bus_bms = bus_unit")


BITRATE = formula_rule("link-bitrate", "link", "Both ports offer the protocol's bit rate", "bitrate in bitrates of both ports")


PORT_FREE = formula_rule("link-port-free", "link", "The unit's port is not taken by another device", "port not in taken ports")


FIRMWARE = formula_rule(
    "link-firmware", "link", "A firmware known as bad is not relied on", "version not in known bad", "the device's profile"
)


SILENT = formula_rule(
    "link-silent",
    "link",
    "The inverter hears only the family that speaks",
    "seen = floor_to_step(k * sum(I_i speaking)); limit = min(seen, I_bank)",
)


SEEN = formula_rule(
    "link-display",
    "link",
    "The inverter shows the sum of the limits, less the buffer, rounded down; the charge voltage by the family's rule",
    "floor_to_step(k * sum(I_i)); V = host's, or the lowest",
)


ADAPTER = formula_rule(
    "link-adapter",
    "link",
    "An adapter hears the battery on one port and speaks the device's protocol on the other",
    "the BMS's protocol on its battery side, the device's on its device side",
)
