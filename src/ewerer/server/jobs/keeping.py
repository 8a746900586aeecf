"""How the documents of revisions are kept: whole every so often, patches between, long series once by their content.

What is kept is an envelope, ``{"document": ..., "series": {pointer: key}}``: the document with nothing in place of each
long list of numbers, and where which list belongs. A job with a year of load at 15 minutes then costs no more to save
than one without.
"""

from __future__ import annotations

import hashlib
import json
import marshal
import re
import zlib
from collections.abc import Iterable, Mapping
from typing import Any

import jsonpatch
import jsonpointer

EVERY = 20
"""A whole document at least every so many revisions."""
LONG = 100
"""Lists of more numbers are kept on their own."""
_MANY = re.compile(rf"\[(?:[-+.0-9eE]+,){{{LONG}}}")
"""The beginning of a long list in compact JSON."""
Envelope = dict[str, Any]
Kept = bytes | memoryview
"""What a database gives back of bytes."""
Bodies = dict[str, bytes]
"""Long lists as JSON text, by the SHA-256 of that text."""
NOTHING: Envelope = {"document": {}, "series": {}}


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


def parted(document: Mapping[str, Any], text: str | None = None) -> tuple[Envelope, Bodies]:
    """Return a document as an envelope, and the long lists that were taken out of it.

    Where its compact JSON ``text`` is at hand, a document without such lists is not walked through.
    """
    if text is not None and not _MANY.search(text):
        return {"document": dict(document), "series": {}}, {}
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


def rebuilt(rows: Iterable[tuple[Kept | None, Kept]]) -> Envelope:
    """Return the envelope of a revision from its whole and patch, then those of the ones before it, newest first.

    Raises ValueError where they do not fit together.
    """
    patches: list[Any] = []
    for whole, patch in rows:
        if whole is not None:
            made: Envelope = unpacked(whole)
            try:
                for p in reversed(patches):
                    made = jsonpatch.apply_patch(made, p, in_place=True)
            except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException) as error:
                raise ValueError(f"a patch does not fit: {error}") from None
            return made
        patches.append(unpacked(patch))
    raise ValueError("nothing whole is kept to rebuild the revision from")


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


def patch_between(before: Envelope, after: Envelope) -> list[dict[str, Any]]:
    """Return the JSON patch (RFC 6902) from one envelope to another; parts that are equal are not walked through."""
    was: Envelope = {part: dict(held) for part, held in before.items()}
    now: Envelope = {part: dict(held) for part, held in after.items()}
    for part in was.keys() & now.keys():
        for key in [k for k, held in was[part].items() if k in now[part] and same(held, now[part][k])]:
            del was[part][key], now[part][key]
    made: list[dict[str, Any]] = jsonpatch.make_patch(was, now).patch
    return made


PLAIN = 2
"""The form of marshalled data that says nothing but values, their kinds and their order."""


def same(one: Any, other: Any) -> bool:
    """Whether two values of JSON are the same to the letter; 1, 1.0 and true are equal in Python only."""
    return bool(one == other) and marshal.dumps(one, PLAIN) == marshal.dumps(other, PLAIN)


def keys_in(held: Kept) -> set[str]:
    """Return every key of a long list that packed data may name."""
    try:
        return {k.decode() for k in re.findall(rb'"([0-9a-f]{64})"', zlib.decompress(bytes(held)))}
    except zlib.error:
        return set()


LONGEST = 200
"""Longest value of a change that its line in the history shows."""


def told(patch: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return a patch of envelopes as one of documents, to be read: long values cut, of a series only that it is another."""
    out: list[dict[str, Any]] = []
    for op in patch:
        root, _, rest = op["path"].removeprefix("/").partition("/")
        if root == "series":
            out += [] if not rest else [{"op": op["op"], "path": jsonpointer.unescape(rest), "value": "another series"}]
            continue
        line = {"op": op["op"], "path": f"/{rest}" if rest else ""}
        if "from" in op:
            line["from"] = "/" + op["from"].removeprefix("/document/")
        if "value" in op:
            text = json.dumps(op["value"], ensure_ascii=False)
            line["value"] = op["value"] if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
        out.append(line)
    # A list that was replaced by another is told once, as a series.
    series = {line["path"] for line in out if line.get("value") == "another series"}
    return [line for line in out if line["path"] not in series or line.get("value") == "another series"]
