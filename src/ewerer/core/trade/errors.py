"""What goes wrong, in words: the one root of all errors, and what is wrong with a document."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

__all__ = ["DocumentError", "Error", "Problem"]


class Error(Exception):
    """The root of every error that Ewerer raises on purpose."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing wrong with a document: where, what was found, what would be right."""

    pointer: str = field(metadata={"description": "JSON pointer of the place"})
    message: str = field(metadata={"description": "what is wrong"})
    value: Any = field(default=None, metadata={"description": "what was found there"})
    expected: str = field(default="", metadata={"description": "what would be right"})

    def __str__(self) -> str:
        shown = json.dumps(self.value, ensure_ascii=False, default=str).encode("utf-8", "replace").decode()  # no half characters
        if len(shown) > 80:
            shown = shown[:77] + "..."
        text = f"{self.pointer or '/'}: {self.message}".encode("utf-8", "replace").decode()
        if self.value is not None:
            text += f"; found {shown}"
        return text + (f"; expected {self.expected}" if self.expected else "")


class DocumentError(Error, ValueError):
    """A document was refused. ``problems`` holds every reason, in document order."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = list(problems)
        super().__init__("\n".join(str(p) for p in self.problems))

    def __reduce__(self) -> tuple[Callable[..., DocumentError], tuple[list[Problem]]]:
        """Return what copies it between processes."""
        return type(self), (self.problems,)
