"""How the document of a revision is kept: whole and compressed, long series once by their content.

What is kept is an envelope, ``{"document": ..., "series": {pointer: key}}``: the document with nothing in place of each
long list of numbers, and where which list belongs. A job with a year of load at 15 minutes then costs no more to save
than one without.
"""

from __future__ import annotations

import hashlib
import json
import re
import zlib
from collections.abc import Mapping
from typing import Any

import jsonpatch
import jsonpointer

LONG = 100
"""Lists of more numbers are kept on their own."""
Envelope = dict[str, Any]
Kept = bytes | memoryview
"""What a database gives back of bytes."""
Bodies = dict[str, bytes]
"""Long lists as JSON text, by the SHA-256 of that text."""
DAMAGED = (ValueError, KeyError, TypeError, AttributeError, IndexError)
"""What reading a damaged envelope may raise."""


def text_of(data: Any) -> bytes:
    """Return data as JSON text."""
    return json.dumps(data, separators=(",", ":")).encode()


def compressed(text: bytes) -> bytes:
    """Return a text as it is kept."""
    return zlib.compress(text, 6)


def packed(data: Any) -> bytes:
    """Return data as compressed JSON."""
    return compressed(text_of(data))


def unpacked(held: Kept) -> Any:
    """Return what :func:`packed` made; raises ValueError for what it did not."""
    try:
        return json.loads(zlib.decompress(bytes(held)))
    except zlib.error as error:
        raise ValueError(str(error)) from None


def parted(document: Mapping[str, Any]) -> tuple[Envelope, Bodies]:
    """Return a document as an envelope, and the long lists that were taken out of it."""
    series: dict[str, str] = {}
    bodies: Bodies = {}

    def walk(node: Any, at: str) -> Any:
        if isinstance(node, dict):
            return {k: walk(v, f"{at}/{jsonpointer.escape(k)}") for k, v in node.items()}
        if not isinstance(node, list):
            return node
        if len(node) > LONG and all(type(v) in (int, float) for v in node):
            body = text_of(node)
            key = hashlib.sha256(body).hexdigest()
            series[at], bodies[key] = key, body
            return None
        return [walk(v, f"{at}/{i}") for i, v in enumerate(node)]

    return {"document": walk(dict(document), ""), "series": series}, bodies


def joined(envelope: Envelope, bodies: Mapping[str, Kept]) -> dict[str, Any]:
    """Return the document of an envelope with its long lists back in place; raises ValueError where one is gone."""
    document: dict[str, Any] = envelope["document"]
    for pointer, key in envelope["series"].items():
        if key not in bodies:
            raise ValueError(f"the figures of {pointer} are gone")
        try:
            jsonpointer.set_pointer(document, pointer, unpacked(bodies[key]))
        except jsonpointer.JsonPointerException as error:
            raise ValueError(f"a series does not fit: {error}") from None
    return document


def keys_in(held: Kept) -> set[str]:
    """Return every key of a long list that packed data may name."""
    try:
        return {k.decode() for k in re.findall(rb'"([0-9a-f]{64})"', zlib.decompress(bytes(held)))}
    except zlib.error:
        return set()


LONGEST = 200
"""Longest value of a change that its line in the history shows."""


def changes_between(before: Envelope, after: Envelope) -> list[dict[str, Any]]:
    """Return what changed from one envelope to another as a JSON patch (RFC 6902) to be read: long values cut, of a series only that it is another."""
    out: list[dict[str, Any]] = []
    for op in jsonpatch.make_patch(before["document"], after["document"]).patch:
        line = {"op": op["op"], "path": op["path"]}
        if "from" in op:
            line["from"] = op["from"]
        if "value" in op:
            text = json.dumps(op["value"], ensure_ascii=False)
            line["value"] = op["value"] if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
        out.append(line)
    was, now = before["series"], after["series"]
    other = [path for path in {**was, **now} if was.get(path) != now.get(path)]
    out = [line for line in out if line["path"] not in other]
    return out + [
        {"op": "remove" if path not in now else "replace" if path in was else "add", "path": path, "value": "another series"}
        for path in other
    ]
