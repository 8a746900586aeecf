"""Devices with menus, and orders of entry, for tests."""

from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.core.documents.profiles import InverterProfile
from ewerer.core.visit.order import entry_order

ORROWAN = next(p for p in shipped_library() if p.id == "orrowan-t8")


def setting(id, menu="A", low=0, high=9, step=1, **more):
    return {"id": id, "menu": menu.split("/"), "label": id, "min": low, "max": high, "step": step, "factory": str(low)} | more


def device(*items, locks=()):
    ratings = {
        "continuous_w": 1,
        "surge_w": 1,
        "charge_max_a": 1,
        "ac_charge_max_a": 1,
        "battery_v_min": 40,
        "battery_v_max": 60,
        "class_v": 48,
    }
    return DeviceModel(
        InverterProfile.model_validate(
            {
                "ewerer": "inverter/1",
                "id": "toy",
                "name": "Toy",
                "maker": "Toy",
                "ratings": ratings,
                "ac_volts": [230.0],
                "ac_hz": [50],
                "topologies": ["single"],
                "settings": list(items),
                "interlocks": [{"rule": r} for r in locks],
            },
            strict=False,
        )
    )


def replay(model, found, order):
    """Write the sequence on the device model; every write must be taken."""
    state = model.start(found, "off", "installer")
    for w in order.writes:
        state = model.write(state, w.setting, w.text)
        assert not isinstance(state, Refusal), state
    return state.shown


def orrowan_order(found, target):
    model = DeviceModel(ORROWAN)
    order = entry_order(model, found, target)
    return model, order, [(w.setting, w.text) for w in order.writes]


OPEN = {"store-kind": "Own values", "low-back": "53.0", "low-off": "44.0"}
