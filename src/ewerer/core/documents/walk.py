"""Two documents walked side by side: where they differ, rows told apart by their names."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from .parse import pointer_of

GONE = object()
"""What stands where one document has nothing."""


def _named(rows: list[Any], keys: Sequence[str]) -> dict[str, Any] | None:
    """Return rows by their own id or name, None where they have none or share one."""
    for key in keys:
        names = [r.get(key) if isinstance(r, dict) else None for r in rows]
        known = [n for n in names if isinstance(n, str)]
        if len(known) == len(rows) and len(set(known)) == len(known):
            return dict(zip(known, rows, strict=True))
    return None


def walk(
    before: Any,
    after: Any,
    label_of: Callable[[str, str], str] = lambda _, key: key,
    keys: Sequence[str] = ("id", "name"),
    at: str = "",
    words: tuple[str, ...] = (),
) -> Iterator[tuple[str, tuple[str, ...], Any, Any]]:
    """Yield pointer, words on the way, and both values of whatever differs; :data:`GONE` for what one of them has not.

    ``label_of`` gives the word of a key at a pointer; ``keys`` are what rows of a list are told apart by, else by their place. A
    pointer leads into ``after``, or into ``before`` for what ``after`` has not.
    """
    if before == after and isinstance(before, bool) == isinstance(after, bool):
        return
    if isinstance(before, dict) and isinstance(after, dict):
        for key in dict.fromkeys([*before, *after]):
            held = at + pointer_of([key])
            yield from walk(before.get(key, GONE), after.get(key, GONE), label_of, keys, held, (*words, label_of(held, key)))
        return
    if isinstance(before, list) and isinstance(after, list):
        ones, others = _named(before, keys), _named(after, keys)
        if ones is not None and others is not None and (ones or others):
            places = {name: i for i, name in enumerate(others)} | {n: i for i, n in enumerate(ones) if n not in others}
            for name in dict.fromkeys([*ones, *others]):
                yield from walk(
                    ones.get(name, GONE), others.get(name, GONE), label_of, keys, f"{at}/{places[name]}", (*words, name)
                )
            return
        if len(before) == len(after) and all(isinstance(r, dict) for r in (*before, *after)):
            for i, (one, other) in enumerate(zip(before, after, strict=True)):
                yield from walk(one, other, label_of, keys, f"{at}/{i}", (*words, str(i + 1)))
            return
    yield at, words, before, after
