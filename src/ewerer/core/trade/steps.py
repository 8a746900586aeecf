"""Rounding to a device's steps, with a guard against binary fractions (47.5 is 47.5, 285.0 is 285)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

_GUARD = 1e-9


def floor_to_step(value: float, step: float) -> float:
    """Return the largest multiple of ``step`` not above ``value``.

    >>> floor_to_step(71.9, 5)
    70.0
    """
    return clean(math.floor(value / step + _GUARD) * step)


def ceil_to_step(value: float, step: float) -> float:
    """Return the smallest multiple of ``step`` not below ``value``.

    >>> ceil_to_step(71.1, 5)
    75.0
    """
    return clean(math.ceil(value / step - _GUARD) * step)


def round_to_step(value: float, step: float) -> float:
    """Return the nearest multiple of ``step``.

    >>> round_to_step(55.27, 0.1)
    55.3
    """
    return clean(math.floor(value / step + 0.5 + _GUARD) * step)


def clean(value: float) -> float:
    """Return ``value`` without the dust of binary arithmetic (9 decimals).

    >>> clean(0.1 + 0.2)
    0.3
    """
    return round(value, 9) + 0.0


@lru_cache(maxsize=512)
def decimals_of(step: float) -> int:
    """Return how many decimals a display needs to show multiples of ``step``.

    >>> decimals_of(0.05)
    2
    """
    for digits in range(6):
        if abs(step * 10**digits - round(step * 10**digits)) < 1e-9:
            return digits
    return 6


def figure(value: float, digits: int = 2) -> str:
    """Return ``value`` for a sentence: at most ``digits`` decimals, no trailing zeros.

    >>> figure(55.20), figure(1234.5678, 1)
    ('55.2', '1234.6')
    """
    text = f"{value:.{digits}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def listed(words: Sequence[str]) -> str:
    """Return words as a sentence lists them.

    >>> listed(["sun", "mains", "generator"])
    'sun, mains and generator'
    """
    return ", ".join(words[:-1]) + f" and {words[-1]}" if len(words) > 1 else "".join(words)


def counted(n: int, word: str) -> str:
    """Return a number with its noun.

    >>> counted(1, "module"), counted(3, "module")
    ('1 module', '3 modules')
    """
    return f"{n} {word}{'' if n == 1 else 's'}"
