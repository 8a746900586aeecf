"""The cable between two plugs: pin to pin, colours, pairs, what must stay open, length, terminators.

Colours and pairs of an eight-conductor cable are those of TIA-568, pattern B. Lengths by bit rate are
those of CiA 303-1 and TIA-485, written from memory.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from ..documents.profiles import Port
from ..documents.results.link import Cable, OpenPin, Terminators, Wire
from ..trade.margins import TERMINATOR_OHM
from ..trade.rules import formula_rule
from ..trade.steps import figure

PINS = formula_rule(
    "cable-pins", "link", "Each signal goes from its pin at one end to its pin at the other", "pin_bms(signal) -> pin_unit(signal)"
)


COLOURS = formula_rule(
    "cable-colours",
    "link",
    "Conductors are named by their colours",
    "1 white/orange 2 orange 3 white/green 4 blue 5 white/blue 6 green 7 white/brown 8 brown; pairs 1-2 3-6 4-5 7-8",
    "TIA-568, pattern B",
    "S",
)


T568B: dict[int, str] = {
    1: "white/orange",
    2: "orange",
    3: "white/green",
    4: "blue",
    5: "white/blue",
    6: "green",
    7: "white/brown",
    8: "brown",
}
"""Colour of the conductor in each position of a plug. Source: TIA-568, pattern B."""


PAIRS: tuple[tuple[int, int], ...] = ((1, 2), (3, 6), (4, 5), (7, 8))
"""Positions that share a twisted pair. Source: TIA-568, pattern B."""


DIFFERENTIAL: dict[str, tuple[str, str]] = {"can": ("CAN-H", "CAN-L"), "rs485": ("485-A", "485-B")}


CAN_LENGTH_M: tuple[tuple[int, float], ...] = (
    (1_000_000, 25),
    (800_000, 50),
    (500_000, 100),
    (250_000, 250),
    (125_000, 500),
    (50_000, 1000),
)
"""Longest bus [m] by bit rate. Source: CiA 303-1, from memory; at 1 Mbit/s the cautious end of 25 to 40 m."""


RS485_LENGTH_M, RS485_FULL_RATE = 1200.0, 100_000


def pair_of(position: int) -> int:
    """Return the index (0..3) of the twisted pair that holds a plug position.

    >>> pair_of(4) == pair_of(5)
    True
    """
    return next(i for i, pair in enumerate(PAIRS) if position in pair)


def is_power(signal: str) -> bool:
    """Return whether a pin carries supply voltage.

    >>> is_power('+12V'), is_power('CAN-H')
    (True, False)
    """
    return signal.startswith("+")


def is_ground(signal: str) -> bool:
    """Return whether a pin is the bus's common.

    >>> is_ground('GND')
    True
    """
    return signal in ("GND", "COM", "0V")


def length_limit_m(bus: str, bitrate: int) -> float:
    """Return the longest bus [m] at ``bitrate`` [bit/s].

    CAN: CiA 303-1 (from memory), the next faster listed rate counts for rates between. RS-485: 1200 m up
    to 100 kbit/s, above it 10^8 bit m/s over the rate (TIA-485, from memory).

    >>> length_limit_m('can', 500_000)
    100
    """
    if bus == "rs485":
        return RS485_LENGTH_M if bitrate <= RS485_FULL_RATE else round(1e8 / bitrate, 1)
    return next((metres for rate, metres in reversed(CAN_LENGTH_M) if bitrate <= rate), 20.0)


def ohms_with(terminators: int, each_ohm: float = TERMINATOR_OHM) -> float | None:
    """Return the ohms across the pair, power off, with so many terminators; None without any.

    >>> ohms_with(2)
    60.0
    """
    return None if terminators == 0 else round(each_ohm / terminators, 1)


def terminators_at(ohm: float, each_ohm: float = TERMINATOR_OHM) -> int:
    """Return the number of terminators that ``ohm`` stands for: each_ohm / n, the nearest in conductance, at most 9.

    >>> terminators_at(61.0)
    2
    """
    return min(9, round(each_ohm / ohm)) if ohm > 0 else 9


@dataclass(frozen=True, slots=True)
class Contact:
    """What a straight cable would bring together in one position of both plugs."""

    position: int
    bms: str | None
    unit: str | None


def _by_position(port: Port) -> dict[int, str]:
    return {int(p): s for p, s in port.pins.items()}


def straight_contacts(bms: Port, unit: Port) -> list[Contact]:
    """Return what a straight patch cable connects in each of the eight positions."""
    a, b = _by_position(bms), _by_position(unit)
    return [Contact(p, a.get(p), b.get(p)) for p in range(1, 9)]


def clashes(bms: Port, unit: Port) -> Iterator[tuple[Contact, str]]:
    """Yield the contacts a straight cable must not make, and why."""
    for c in straight_contacts(bms, unit):
        if c.bms == c.unit or (c.bms is None and c.unit is None):
            continue
        for here, there, far in ((c.bms, c.unit, "unit"), (c.unit, c.bms, "BMS")):
            if here is not None and is_power(here):
                meets = f"{there} of the {far}" if there else f"an unused pin of the {far}"
                yield c, f"{here} in position {c.position} would meet {meets}"
                break
        else:
            if c.bms is not None and c.unit is not None:
                yield c, f"{c.bms} of the BMS would meet {c.unit} of the unit in position {c.position}"
            elif _other_bus(c.bms or c.unit or "", bms.bus):
                side = "unit" if c.unit else "BMS"
                yield c, f"{c.bms or c.unit} of another bus in position {c.position} of the {side} would be carried over"


def _other_bus(signal: str, bus: str) -> bool:
    return any(signal in pair for name, pair in DIFFERENTIAL.items() if name != bus)


def coincide(bms: Port, unit: Port) -> bool:
    """Return whether the bus's two signals have the same pins at both ends."""
    at, to = _positions(bms), _positions(unit)
    return all(at.get(s) is not None and at.get(s) == to.get(s) for s in DIFFERENTIAL[bms.bus])


def split_pair(port: Port) -> bool:
    """Return whether the differential signal of a port lies on two different pairs of a straight cable."""
    at = _positions(port)
    high, low = (at.get(s) for s in DIFFERENTIAL[port.bus])
    return high is not None and low is not None and pair_of(high) != pair_of(low)


def _positions(port: Port) -> dict[str, int]:
    return {s: p for p, s in _by_position(port).items()}


def make_cable(bms: Port, unit: Port, bitrate: int, kind: str, length_m: float | None) -> Cable:
    """Return the cable between two ports of one bus.

    ``kind`` is auto, patch or made. Auto takes a straight patch cable only where the pins coincide, the
    signal keeps to one pair and no other pin meets anything; else a made cable carries only what is needed,
    the differential signal always on one pair.
    """
    at, to = _positions(bms), _positions(unit)
    signals = list(DIFFERENTIAL[bms.bus])
    ground = next((s for s in at if is_ground(s)), None)
    ground_far = next((s for s in to if is_ground(s)), None)
    terminal = "terminal" in (bms.connector, unit.connector)
    supply = any(is_power(signal) for signal in (*at, *to))  # a patch cable would carry it to a pin that nobody watches
    straight_fits = not terminal and not supply and coincide(bms, unit) and not split_pair(bms) and not any(clashes(bms, unit))
    straight = not terminal and (kind == "patch" or (kind == "auto" and straight_fits))
    wires: list[Wire] = []
    if straight:
        wires = [
            Wire(
                from_=c.position,
                to=c.position,
                signal=c.bms or c.unit or "",
                colour=T568B[c.position],
                conductor=c.position,
                pair=pair_of(c.position),
            )
            for c in straight_contacts(bms, unit)
            if c.bms or c.unit
        ]
    else:
        high, low = at.get(signals[0]), at.get(signals[1])
        standard = high in T568B and low in T568B and not split_pair(bms)
        first, second = (high, low) if standard and high and low else (4, 5)
        free = [p for p in T568B if pair_of(p) != pair_of(first)]
        chosen = [(signals[0], first), (signals[1], second)]
        if ground and ground_far:
            own = at[ground]
            chosen.append((ground, own if own in free else free[0]))
        for signal, conductor in chosen:
            far = ground_far if signal == ground else signal
            if signal in at and far in to:
                wires.append(
                    Wire(
                        from_=at[signal],
                        to=to[far],
                        signal=signal,
                        colour=T568B[conductor],
                        conductor=conductor,
                        pair=pair_of(conductor),
                    )
                )
    used = {("bms", w.from_) for w in wires} | {("unit", w.to) for w in wires}
    open_pins = []
    for end, port in (("bms", bms), ("unit", unit)):
        for position, signal in sorted(_by_position(port).items()):
            if (end, position) not in used or straight:
                why = "carries supply" if is_power(signal) else "belongs to another bus" if _other_bus(signal, bms.bus) else ""
                if why:
                    open_pins.append(OpenPin(end="bms" if end == "bms" else "unit", pin=position, signal=signal, why=why))
    advice = [
        f"Twisted pair of 100 to 120 ohm; at {bitrate // 1000 if bitrate >= 1000 else bitrate} {'kbit/s' if bitrate >= 1000 else 'bit/s'} up to {figure(length_limit_m(bms.bus, bitrate))} m."
    ]
    advice.append(
        "Bond the screen at one end only, at the BMS."
        if not (ground and ground_far)
        else "Carry the common; bond a screen at one end only, at the BMS."
    )
    if not straight and not terminal:
        advice.append("Mark both ends: this cable fits only this pair of ports.")
    return Cable(
        straight=straight,
        kind="terminal" if terminal else "patch" if straight else "made",
        wires=wires,
        open_pins=open_pins,
        length_limit_m=length_limit_m(bms.bus, bitrate),
        length_m=length_m,
        advice=advice,
    )


def plan_terminators(bus: str, measured_ohm: float | None) -> Terminators:
    """Return the expected ohms at the plug with 0 to 3 terminators, and what a measurement says.

    Two are needed, one at each end: 60 ohm (CAN: ISO 11898-2; RS-485: TIA-485).
    """
    return Terminators(
        needed=2,
        each_ohm=TERMINATOR_OHM,
        expected_ohm=[ohms_with(n) for n in range(4)],
        measured_ohm=measured_ohm,
        found=None if measured_ohm is None else 0 if measured_ohm > 1000 else terminators_at(measured_ohm),
    )


def wire_table(cable: Cable) -> list[Mapping[str, str]]:
    """Return the cable as rows of text for pages and files."""
    return [{"signal": w.signal, "from": str(w.from_), "to": str(w.to), "colour": w.colour} for w in cable.wires]
