"""What the commands read and write."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.trade.budget import MAX_DOCUMENT_BYTES
from ..core.trade.errors import DocumentError, Problem

if TYPE_CHECKING:
    from ..core.devices.library import Library


def read(path: str, most: int = MAX_DOCUMENT_BYTES) -> bytes:
    """Return a file's bytes, standard input's for ``-``; no more of it than it may hold (any document by default) and one byte."""
    try:
        if path == "-":
            return sys.stdin.buffer.read(most + 1)
        with Path(path).open("rb") as file:
            return file.read(most + 1)
    except OSError as error:
        raise DocumentError(
            [Problem(pointer="", message=f"cannot read {path}: {error.strerror}", expected="a file that can be read")]
        ) from None


def library(folder: str | None) -> Library:
    """Return the shipped library, with the profiles of a folder added."""
    from ..core.devices.library import shipped_library

    return shipped_library().with_folder(Path(folder)) if folder else shipped_library()


def write(data: bytes, path: str | None) -> None:
    """Write to a file, or to standard output without one."""
    if path and path != "-":
        try:
            Path(path).write_bytes(data)
        except OSError as error:
            raise DocumentError(
                [Problem(pointer="", message=f"cannot write {path}: {error.strerror}", expected="a place to write")]
            ) from None
    else:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
