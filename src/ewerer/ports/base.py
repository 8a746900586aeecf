"""What every port is: opened, closed, asked for points, each value with its time."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal, Protocol

OLD_S = 5.0
"""A value older than this is shown as old, never as now [s]."""
LOST_S = 2.0
"""A port that answered nothing for so long says so [s]."""


class PortError(Exception):
    """What a port could not do, in words: where, what, what would be right."""


@dataclass(frozen=True, slots=True)
class Point:
    """One thing that a port can read: a setting of a device, by its id, or a measurement, by its canonical name."""

    name: str
    word: str
    unit: str
    kind: Literal["setting", "measure"]
    writable: bool = False


@dataclass(frozen=True, slots=True)
class Value:
    """What was read: a figure or a displayed text, and when [s since 1970]."""

    value: float | str
    at: float


@dataclass(frozen=True, slots=True)
class Frame:
    """The last frame of an identifier: data, how many came, how often [Hz], when [s since 1970], its name where it is known."""

    id: int
    extended: bool
    data: bytes
    count: int
    hz: float
    at: float
    name: str = ""


class Port(Protocol):
    """A way to a device. Every call ends within two seconds, or raises :class:`PortError`."""

    def open(self) -> None:
        """Open it; raise PortError where that is not possible."""

    def close(self) -> None:
        """Close it; closing twice does nothing."""

    def points(self) -> list[Point]:
        """Return what it can read."""

    def read(self, names: Iterable[str]) -> Mapping[str, Value]:
        """Return what could be read of these points; what did not answer is left out."""

    def write(self, name: str, value: str) -> None:
        """Write a setting as its display shows it; raise PortError where the device refuses."""

    def frames(self) -> list[Frame]:
        """Return the frames of a bus, by identifier; none where it is no bus."""
