"""The door: JSON text in, a checked document out; refusals with pointer, value and remedy."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterable
from functools import cache
from itertools import accumulate
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ..trade.budget import MAX_DOCUMENT_BYTES
from ..trade.errors import DocumentError, Problem
from .base import Document

MAX_NESTING = 40
"""Deepest nesting accepted; a job needs 7."""
MAX_DIGITS = 40
"""Longest number accepted, in characters."""


def pointer_of(parts: Iterable[str | int]) -> str:
    """Return the JSON pointer (RFC 6901) of a path of keys and indexes.

    >>> pointer_of(['units', 0, 'id'])
    '/units/0/id'
    """
    return "".join("/" + str(p).replace("~", "~0").replace("/", "~1") for p in parts)


@cache
def _schema_of(model: type[BaseModel]) -> dict[str, Any]:
    return model.model_json_schema(by_alias=True)


def _field_at(model: type[BaseModel], loc: tuple[str | int, ...]) -> dict[str, Any]:
    """Return the JSON-schema entry that describes ``loc`` in ``model`` (``*`` for an index or an id), or an empty dict."""
    schema = _schema_of(model)
    node: Any = schema
    for part in loc:
        node = _resolve(schema, node)
        keyed: Any = node.get("additionalProperties") or next(iter(node.get("patternProperties", {}).values()), {})
        node = node.get("items") or keyed if isinstance(part, int) or part == "*" else node.get("properties", {}).get(part) or keyed
        if not isinstance(node, dict):
            return {}
    return _resolve(schema, node)


@cache
def bounds_at(model: type[BaseModel], pointer: str) -> tuple[float | None, float | None, bool]:
    """Return the lowest and highest figure that stands at a pointer pattern (``*`` for an index or an id), and whether it is whole."""
    node = _field_at(model, tuple(pointer.split("/")[1:]))
    return node.get("minimum"), node.get("maximum"), node.get("type") == "integer"


def _resolve(schema: dict[str, Any], node: dict[str, Any]) -> dict[str, Any]:
    for key in ("anyOf", "allOf", "oneOf"):
        if key in node:
            options = [n for n in node[key] if n.get("type") != "null"]
            if options:
                node = {**options[0], **{k: v for k, v in node.items() if k not in (key, "default")}}
    if "$ref" in node:
        ref: dict[str, Any] = schema["$defs"][node["$ref"].rsplit("/", 1)[1]]
        return {**ref, **{k: v for k, v in node.items() if k != "$ref"}}
    return node


KINDS: dict[str, str] = {
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "float_type": "a number",
    "finite_number": "a number",
    "string_type": "text",
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "a list of names with values",
    "model_type": "fields of its own",
    "model_attributes_type": "fields of its own",
}
"""What would be right where a value is of another kind."""


def _expected(field: dict[str, Any], error: dict[str, Any]) -> str:
    kind = error["type"]
    if "properties" in field:  # its description says what the class is, not what would be right
        field = {**field, "description": "fields of its own"}
    if kind == "extra_forbidden":
        return "no such key; keys are spelled as in `ewerer schema`"
    if kind == "missing":
        return f"this key with {field.get('description', 'a value')}"
    if "enum" in field:
        return "one of " + ", ".join(str(v) for v in field["enum"])
    if "const" in field:
        return json.dumps(field["const"])
    text: str = str(field.get("description", ""))
    low, high = field.get("minimum"), field.get("maximum")
    if low is not None and high is not None:
        unit = field.get("x-unit", "")
        text += f" from {low:.15g} to {high:.15g}" + (f" {unit}" if unit and unit != "fraction" else "")
    return text or KINDS.get(kind, "") or str(error.get("msg", "")).removeprefix("Value error, ")


def _wrong_unit(field: dict[str, Any], value: Any) -> str:
    """Say so when a number would fit after a usual slip of units (mV for V, percent for fraction)."""
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return ""
    low, high, unit = field.get("minimum"), field.get("maximum"), field.get("x-unit")
    if low is None or high is None or unit is None:
        return ""
    if unit == "V" and value > high and low <= value / 1000 <= high:
        return f"; it looks like millivolts: {value / 1000:g} V"
    if unit == "mohm" and 0 < value < low and low <= value * 1000 <= high:
        return f"; it looks like ohms: {value * 1000:g} mohm"
    if unit == "fraction" and 1 < value <= 100:
        return f"; it looks like percent: {value / 100:g}"
    if unit == "A" and value > high and low <= value / 1000 <= high:
        return f"; it looks like milliamperes: {value / 1000:g} A"
    if unit == "A" and value < 0:
        return "; write the size of the current, the direction is in the key"
    return ""


def problems_of(model: type[BaseModel], error: ValidationError) -> list[Problem]:
    """Translate a pydantic error into problems with JSON pointers and plain words."""
    found = []
    for item in error.errors(include_url=False):
        loc = tuple(p for p in item["loc"] if not (isinstance(p, str) and "[" in p))
        entry = dict(item)
        parent = loc[:-1] if item["type"] == "extra_forbidden" else loc
        field = _field_at(model, parent)
        message = {
            "extra_forbidden": "unknown key",
            "missing": "missing",
            "float_type": "not a number",
            "int_type": "not a whole number",
            "string_type": "not text",
            "bool_type": "not true or false",
            "greater_than_equal": "too low",
            "less_than_equal": "too high",
            "literal_error": "not one of the choices",
            "string_pattern_mismatch": "not in the right form",
            "finite_number": "not a finite number",
            "string_too_long": "too long",
            "too_long": "too many",
        }.get(item["type"], str(item["msg"]).removeprefix("Value error, "))
        value = None if item["type"] == "missing" else item.get("input")
        found.append(
            Problem(
                pointer=pointer_of(loc),
                message=message + _wrong_unit(field, value),
                value=shortened(value) if isinstance(value, str) else None if isinstance(value, (dict, list)) else value,
                expected=_expected(field, entry),
            )
        )
    return found


D = TypeVar("D", bound=Document)


_NO_BRACKETS = re.compile(rb'"[^"\\]*+(?:\\.[^"\\]*+)*+"?|[^\[\]{}"]+', re.DOTALL)
_LEVEL = {ord("["): 1, ord("{"): 1, ord("]"): -1, ord("}"): -1}
_NO_MARKS = bytes(c for c in range(256) if c not in b'[]{}"')
_AS_DIGITS = bytes(ord("0") if c in b"0123456789.eE+-" else ord(" ") for c in range(256))


def nesting(text: bytes) -> int:
    """Return how many levels deep a JSON text nests, in one pass over it; brackets in strings are text.

    >>> nesting(b'{"a": [1, [2]]}')
    3
    """
    if b"\\" not in text:  # then every quote begins or ends a string, and nothing but these marks matters
        text = text.translate(None, _NO_MARKS).replace(b'""', b"")
    return max(accumulate(map(_LEVEL.__getitem__, _NO_BRACKETS.sub(b"", text)), initial=0))


def has_long_number(text: bytes) -> bool:
    """Whether a text holds more signs of numbers in a row than a number may have."""
    return b"0" * (MAX_DIGITS + 1) in text.translate(_AS_DIGITS)


def shortened(text: str, most: int = 200) -> str:
    """Return a text for a message: its beginning where it is long.

    >>> shortened('abcdef', 3)
    'abc…'
    """
    return text if len(text) <= most else f"{text[:most]}…"


def parse_json(text: str | bytes) -> Any:
    """Return JSON data from ``text``; raise :class:`DocumentError` when it is not JSON or too big."""
    raw = text.encode() if isinstance(text, str) else text
    size = len(raw)
    if size > MAX_DOCUMENT_BYTES:
        raise DocumentError(
            [Problem(pointer="", message=f"the document is too big: {size} bytes", expected=f"at most {MAX_DOCUMENT_BYTES} bytes")]
        )

    def refuse(name: str) -> Any:
        raise DocumentError([Problem(pointer="", message=f"{name} is not a number", expected="finite numbers only")])

    def no_twins(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        made = dict(pairs)
        if len(made) < len(pairs):
            seen: set[str] = set()
            twin = next(k for k, _ in pairs if k in seen or seen.add(k))  # type: ignore[func-returns-value]
            raise DocumentError([Problem(pointer="", message=f"key {shortened(twin)!r} stands twice", expected="each key once")])
        return made

    def bounded(read: Callable[[str], Any]) -> Callable[[str], Any]:
        def number(digits: str) -> Any:
            if len(digits) > MAX_DIGITS:
                raise DocumentError(
                    [Problem(pointer="", message=f"a number of {len(digits)} characters", expected=f"at most {MAX_DIGITS}")]
                )
            return read(digits)

        return number

    try:
        plain = text if isinstance(text, str) else text.decode("utf-8-sig")
        if nesting(raw) > MAX_NESTING:
            raise DocumentError([Problem(pointer="", message="nested too deeply", expected=f"at most {MAX_NESTING} levels")])
        if not has_long_number(raw):
            return json.loads(plain, parse_constant=refuse, object_pairs_hook=no_twins)
        return json.loads(
            plain, parse_constant=refuse, object_pairs_hook=no_twins, parse_int=bounded(int), parse_float=bounded(float)
        )
    except DocumentError:
        raise
    except (ValueError, UnicodeDecodeError) as error:
        where = ""
        if isinstance(error, json.JSONDecodeError):
            where = f" at line {error.lineno}, column {error.colno}: {error.msg}"
        raise DocumentError([Problem(pointer="", message=f"not JSON{where}", expected="a JSON object in UTF-8")]) from None


def parse_document(model: type[D], data: Any) -> D:
    """Validate JSON ``data`` as ``model``; raise :class:`DocumentError` with every problem."""
    if not isinstance(data, dict):
        raise DocumentError(
            [Problem(pointer="", message="not a JSON object", value=data, expected=f"a {model.version_tag} object")]
        )
    data = model.upgraded(data)
    tag = data.get("ewerer")
    if model.version_tag and tag != model.version_tag:
        raise DocumentError(
            [Problem(pointer="/ewerer", message="not a version this program reads", value=tag, expected=f'"{model.version_tag}"')]
        )
    try:
        return model.model_validate_json(json.dumps(data))
    except ValidationError as error:
        raise DocumentError(problems_of(model, error)) from None


def read_rows(text: str, mark: str = ",", tight: bool = False) -> list[list[str]]:
    r"""Return the rows of delimited text, whatever ends its lines; ``tight`` where blanks after a mark do not count.

    Raises :class:`DocumentError` for what is no such text, such as a quote that is never closed over a whole file.

    >>> read_rows('a;b\n1;2,5', ';')
    [['a', 'b'], ['1', '2,5']]
    """
    plain = text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    try:
        return list(csv.reader(io.StringIO(plain), delimiter=mark, skipinitialspace=tight))
    except csv.Error as error:
        expected = "lines of columns with commas, semicolons or tabs between"
        raise DocumentError([Problem(pointer="", message=f"not a list of lines and columns: {error}", expected=expected)]) from None
