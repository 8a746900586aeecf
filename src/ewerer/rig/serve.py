"""A rig in a process of its own: it says where it is reached, then answers lines of JSON until the input ends."""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from typing import IO, Any

from .rig import Rig, RigError


def answer(rig: Rig, asked: Mapping[str, Any]) -> dict[str, Any]:
    """Return the answer to one command: ``state``, ``key``, ``fault``, ``act``, ``speed``."""
    do = asked.get("do")
    try:
        if do == "key":
            for key in [str(k) for k in asked.get("keys", [])][:400] or [str(asked.get("key", ""))]:
                rig.press(str(asked.get("device", "")), key)
        elif do == "fault":
            rig.fault(str(asked.get("name", "")), bool(asked.get("on", True)))
        elif do == "act":
            rig.act(str(asked.get("what", "")), str(asked.get("module", "")), bool(asked.get("on", True)))
        elif do == "speed":
            rig.speed = min(600.0, max(0.0, float(asked.get("speed", 1.0))))
        elif do != "state":
            return {"error": f"no such command: {do!r}"}
    except (RigError, ValueError) as error:
        return {"error": str(error)}
    return rig.state()


def serve(
    rig: Rig, serial: bool = False, bus: Mapping[str, Any] | None = None, lines: IO[str] | None = None, out: IO[str] | None = None
) -> int:
    """Open a rig, say where it is reached in one line of JSON, answer commands; return the exit code."""
    into, to = lines or sys.stdin, out or sys.stdout
    try:
        ports = rig.open(bus, serial)
    except (OSError, RigError) as error:
        print(json.dumps({"error": str(error)}), file=to, flush=True)
        return 2
    print(json.dumps({"ports": ports, "faults": rig.possible()}), file=to, flush=True)
    rig.start()
    try:
        for line in into:
            try:
                asked = json.loads(line)
            except ValueError:
                print(json.dumps({"error": "a line of JSON is needed"}), file=to, flush=True)
                continue
            print(json.dumps(answer(rig, asked if isinstance(asked, dict) else {})), file=to, flush=True)
    finally:
        rig.close()
    return 0
