"""Address switches of modules: values to positions and back, and the plan for a whole family."""

from __future__ import annotations

from collections.abc import Sequence

from ..documents.profiles import HostRule
from ..trade.rules import formula_rule

SWITCHES = formula_rule(
    "address-switches",
    "link",
    "An address is written in switches, least significant first or last, on up or down",
    "address = sum(on_i * 2^i)",
    "the module's profile",
)


def up_positions(rule: HostRule, address: int) -> list[bool]:
    """Return the switches of ``address`` as a row of booleans, True for up, the first switch first.

    The host's special pattern counts where the family has one. Raises ValueError when the switches
    cannot hold the address.
    """
    if rule.host_pattern is not None and address == rule.host_address:
        return [letter == "u" for letter in rule.host_pattern]
    if address >= 1 << rule.switches:
        raise ValueError(f"{rule.switches} switches hold addresses up to {(1 << rule.switches) - 1}, not {address}")
    on = [bool(address >> i & 1) for i in range(rule.switches)]
    if not rule.least_first:
        on.reverse()
    return [o == (rule.on_is == "up") for o in on]


def address_of(rule: HostRule, up: Sequence[bool]) -> int | None:
    """Return the address that a row of switches stands for; None when the number of switches is another."""
    if len(up) != rule.switches:
        return None
    if rule.host_pattern is not None and list(up) == [letter == "u" for letter in rule.host_pattern]:
        return rule.host_address
    on = [u == (rule.on_is == "up") for u in up]
    if not rule.least_first:
        on.reverse()
    return sum(1 << i for i, o in enumerate(on) if o)


def planned_addresses(rule: HostRule, count: int) -> list[int]:
    """Return the addresses of ``count`` modules: the host's, then the others without gaps, the host's left out."""
    others: list[int] = []
    value = rule.first_other
    while len(others) < count - 1:
        if value != rule.host_address or rule.host_pattern is not None:
            others.append(value)
        value += 1
    return [rule.host_address, *others][:count]
