"""The small language of device profiles: conditions between settings, and interlocks.

A condition compares settings with what the display shows: ``source = SBM and equalise = Off``.
Words are ``and``, ``or``, ``not``, parentheses, and ``= != < <= > >=``. Values with blanks or
capitals stand in single quotes. An interlock is ``upper - lower >= number``. Nothing is evaluated
as code.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from ..trade.errors import Error

_TOKEN = re.compile(r"\s*(?:(<=|>=|!=|=|<|>|\(|\))|'([^']*)'|([^\s()<>=!']+))")


_INTERLOCK = re.compile(r"^\s*([\w.-]+)\s+-\s+([\w.-]+)\s*>=\s*(-?\d+(?:\.\d+)?)\s*$")


MAX_CHARACTERS, MAX_PARTS, MAX_DEPTH = 2000, 120, 20
"""Longest condition accepted, its most comparisons, its deepest nesting of parentheses and ``not``."""


class ConditionError(Error, ValueError):
    """A condition or interlock could not be read."""


@dataclass(frozen=True, slots=True)
class Compare:
    """One comparison of a setting with a displayed value."""

    name: str
    op: str
    value: str

    def holds(self, shown: Mapping[str, str]) -> bool:
        """Return whether the comparison holds for the displayed values ``shown``."""
        have = shown.get(self.name)
        if have is None:
            return False
        try:
            left: float | str = float(have)
            right: float | str = float(self.value)
        except ValueError:
            left, right = have, self.value
        if self.op == "=":
            return left == right
        if self.op == "!=":
            return left != right
        if isinstance(left, str) or isinstance(right, str):
            return False
        return {"<": left < right, "<=": left <= right, ">": left > right, ">=": left >= right}[self.op]

    def names(self) -> set[str]:
        """Return the settings named."""
        return {self.name}


@dataclass(frozen=True, slots=True)
class Combine:
    """``and``, ``or`` or ``not`` over other conditions."""

    op: str
    parts: tuple[Condition, ...]

    def holds(self, shown: Mapping[str, str]) -> bool:
        """Return whether the condition holds for the displayed values ``shown``."""
        if self.op == "not":
            return not self.parts[0].holds(shown)
        results = (p.holds(shown) for p in self.parts)
        return all(results) if self.op == "and" else any(results)

    def names(self) -> set[str]:
        """Return the settings named."""
        return set().union(*(p.names() for p in self.parts))


Condition = Compare | Combine


def compares(condition: Condition) -> list[Compare]:
    """Return every comparison a condition is made of."""
    return [condition] if isinstance(condition, Compare) else [c for part in condition.parts for c in compares(part)]


@dataclass(frozen=True, slots=True)
class ParsedInterlock:
    """``above - below >= margin`` in display figures."""

    above: str
    below: str
    margin: float


@lru_cache(maxsize=1024)
def parse_condition(text: str) -> Condition:
    """Read a condition; raise :class:`ConditionError` naming the place that cannot be read."""
    if len(text) > MAX_CHARACTERS:
        raise ConditionError(f"a condition of {len(text)} characters; at most {MAX_CHARACTERS}")
    tokens: list[tuple[str, str]] = []
    at = 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if not match or match.end() == at:
            if text[at:].strip():
                raise ConditionError(f"cannot read {text[at:][:40]!r} in condition {text[:200]!r}")
            break
        at = match.end()
        if match.group(1):
            tokens.append(("op", match.group(1)))
        elif match.group(2) is not None:
            tokens.append(("value", match.group(2)))
        else:
            tokens.append(("word", match.group(3)))
    parts = sum(t in _OPERATORS for t in tokens)
    if parts > MAX_PARTS:
        raise ConditionError(f"a condition of {parts} comparisons; at most {MAX_PARTS}")
    reader = _Reader(tokens, text[:200])
    condition = reader.either()
    reader.end()
    return condition


_OPERATORS = frozenset(("op", sign) for sign in ("=", "!=", "<", "<=", ">", ">="))


class _Reader:
    def __init__(self, tokens: list[tuple[str, str]], text: str) -> None:
        self.tokens, self.text, self.at, self.depth = tokens, text, 0, 0

    def peek(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self) -> tuple[str, str]:
        token = self.peek()
        self.at += 1
        return token

    def end(self) -> None:
        if self.peek()[0] != "end":
            raise ConditionError(f"unexpected {self.peek()[1]!r} in condition {self.text!r}")

    def either(self) -> Condition:
        return self._chain("or", self.both)

    def both(self) -> Condition:
        return self._chain("and", self.single)

    def _chain(self, word: str, part: object) -> Condition:
        read = part if callable(part) else self.single
        parts = [read()]
        while self.peek() == ("word", word):
            self.take()
            parts.append(read())
        return parts[0] if len(parts) == 1 else Combine(word, tuple(parts))

    def single(self) -> Condition:
        kind, text = self.take()
        if (kind, text) in (("word", "not"), ("op", "(")):
            self.depth += 1
            if self.depth > MAX_DEPTH:
                raise ConditionError(f"a condition nested more than {MAX_DEPTH} deep: {self.text!r}")
        if (kind, text) == ("word", "not"):
            inner = self.single()
            self.depth -= 1
            return Combine("not", (inner,))
        if (kind, text) == ("op", "("):
            inner = self.either()
            self.depth -= 1
            if self.take() != ("op", ")"):
                raise ConditionError(f"a parenthesis is not closed in condition {self.text!r}")
            return inner
        op_kind, op = self.take()
        value_kind, value = self.take()
        if kind != "word" or op_kind != "op" or op in "()" or value_kind not in ("word", "value"):
            raise ConditionError(f"expected `setting = value` in condition {self.text!r}")
        return Compare(text, op, value)


@lru_cache(maxsize=1024)
def parse_interlock(text: str) -> ParsedInterlock:
    """Read ``upper - lower >= number``; raise :class:`ConditionError` otherwise."""
    match = _INTERLOCK.match(text)
    if not match:
        raise ConditionError(f"expected `upper - lower >= number`, found {text!r}")
    return ParsedInterlock(match.group(1), match.group(2), float(match.group(3)))
