"""Libraries with one device changed, for tests."""

import json

from ewerer.core.devices.library import parse_profile, shipped_library


def narrow_library(low, high):
    """A library whose unit takes shut-down volts only between low and high."""
    profile = json.loads(
        next(p for p in shipped_library() if p.id == "orrowan-t8").model_dump_json(by_alias=True, exclude_unset=True)
    )
    for s in profile["settings"]:
        if s["id"] == "low-out":
            s["min"], s["max"] = low, high
    from ewerer.core.devices.library import Library

    return Library([*shipped_library(), parse_profile(json.dumps(profile))])
