"""A port out of its settings, as a process gets them: plain data, checked."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..core.devices.library import parse_profile
from ..core.documents.profiles import AdapterProfile
from .base import Port, PortError

KINDS = ("can", "modbus-tcp", "modbus-rtu", "replay")
CAN_KEYS = ("interface", "channel", "bitrate", "port", "hop_limit")


def make_port(settings: Mapping[str, Any]) -> Port:
    """Return the port that settings describe; raises PortError where they describe none.

    ``kind``: can, modbus-tcp, modbus-rtu, or replay of the log at ``path``; ``map``: whether the device goes by the register map of ``profile`` (its JSON text),
    else by its SunSpec models.
    """
    kind = settings.get("kind")
    if kind == "can":
        from .canbus import CanPort

        how = {k: settings[k] for k in CAN_KEYS if settings.get(k) is not None}
        if "channel" not in how or "interface" not in how:
            raise PortError("a CAN port needs an interface and a channel")
        return CanPort(str(settings.get("family", "")), **how)
    if kind in ("modbus-tcp", "modbus-rtu"):
        from .modbus import Line, MapPort, SunSpecPort

        line = Line(str(settings.get("host", "")), int(settings.get("port", 502)), str(settings.get("path", "")))
        unit = int(settings.get("unit_id", 1))
        if not settings.get("map"):
            return SunSpecPort(line, unit)
        profile = parse_profile(str(settings["profile"]))
        if isinstance(profile, AdapterProfile):
            raise PortError(f"{profile.name} has no menu")
        return MapPort(line, profile, unit)
    if kind == "replay":
        from .replay import ReplayPort

        try:
            speed, from_s = float(settings.get("speed", 1.0)), float(settings.get("from_s", 0.0))
        except (TypeError, ValueError):
            raise PortError("the speed and the begin of a replay are figures") from None
        return ReplayPort(str(settings.get("path", "")), speed, from_s, str(settings.get("name", "")))
    raise PortError(f"no such kind of port: {kind!r}; right would be one of {', '.join(KINDS)}")
