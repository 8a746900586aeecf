"""Signing in is slowed down where it fails often: for an address, for a name, and over all.

Beside the lock of a name at one address (five failures, five minutes). A stranger cannot lock a person out: whoever is signed in
from an address already is only held to that lock there.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict, deque

from .crews.models import SignIn

WINDOW_S = 300.0
AT_ADDRESS, FOR_NAME, OVER_ALL = 30, 40, 600
"""Most failures within the window, each."""
MOST_HELD = 20_000
"""Most addresses and names that are remembered; the oldest go."""

_held: OrderedDict[tuple[str, str], deque[float]] = OrderedDict()
_lock = threading.Lock()


def _count(kind: str, key: str, add: bool = False) -> int:
    now = time.monotonic()
    with _lock:
        times = _held.get((kind, key))
        if times is None:
            if not add:
                return 0
            times = _held[kind, key] = deque(maxlen=OVER_ALL + 1)
            while len(_held) > MOST_HELD:
                _held.popitem(last=False)
        while times and now - times[0] > WINDOW_S:
            times.popleft()
        if add:
            times.append(now)
            _held.move_to_end((kind, key))
        return len(times)


def _held_to(name: str, address: str) -> tuple[tuple[str, str, int], ...]:
    """Return what a sign-in counts for, each with the most failures of it."""
    return ("address", address, AT_ADDRESS), ("name", name.casefold()[:150], FOR_NAME), ("all", "", OVER_ALL)


def failed(name: str, address: str) -> None:
    """Note a sign-in that failed."""
    for kind, key, _ in _held_to(name, address):
        _count(kind, key, add=True)


def refuses(name: str, address: str) -> bool:
    """Return whether a sign-in is not even tried now."""
    if all(_count(kind, key) < most for kind, key, most in _held_to(name, address)):
        return False
    return not SignIn.objects.filter(user__username__iexact=name[:150], address=address).exists()


def forget() -> None:
    """Forget all failures: for tests."""
    with _lock:
        _held.clear()
