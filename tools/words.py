"""Every text that people read, on one page: docs/words.md. `python tools/words.py` writes it, `--check` says what is wrong with it.

Texts stay where they belong: a rule owns its sentences, a component its labels. This only gathers them: sentences of the Python
sources with their figures as names in braces, words of the screens, words of the papers. What it refuses, with the place:
words that a practitioner does not say (``REFUSED``), sentences of more than 25 words, titles of findings of more than 8,
names of code in a sentence.
"""

from __future__ import annotations

import ast
import html
import json
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
PAGE = ROOT / "docs" / "words.md"
MOST_WORDS = 25
NOT_READ = ("manual/columns.py", "manual/words.py")
"""Words that manuals use, not ours."""
MOST_WORDS_TITLE = 8
REFUSED = {
    r"\bcry wolf\b": "it would sound at ...",
    r"\bflutter\w*\b": "switches back and forth",
    r"\bcome and go\b": "switch",
    r"\blets? go\b": "disconnects",
    r"\btakes? (it )?back (above|below|at)\b": "reconnects",
    r"\bput aside\b": "dismissed, with a reason",
    r"\bgo(es)? on anyway\b|\bwent on anyway\b": "override, overridden",
    r"\bbinds\b": "reaches its limit first, is the lowest limit",
    r"\bthe way back\b": "the return",
    r"\bschools?\b": "way, other practice",
    r"\bidles? along\b": "runs underloaded",
    r"\bmakes? idle\b": "then has no effect",
    r"\bresistance of the way\b": "path resistance",
    r"\ba charge to the end\b": "full charge",
    r"\bwhat the unit can say\b": "what the unit's slots can hold",
    r"\bcannot say (these|this)\b": "cannot be set",
    r"\bthe short cut\b": "amps times volts",
    r"\bloaded as it stands\b": "under load",
    r"\bthe bank stands\b": "operating mode",
    r"\bassumed aloud\b": "assumed, and said so",
    r"\brests? (high|low)\b": "is higher (lower) than the others at rest",
    r"\bin this job does nothing\b|\bdoes nothing in this job\b": "not used here",
    r"\bleft at factory\b": "leave at factory value",
    r"\bstands behind\b|\bstand behind\b": "back up",
    r"\b(rating|watts|power|gives|drawn|carries) for hours\b": "continuous, continuously",
    r"\btaken up again\b": "are back",
    r"\bfor the line\b|\bno line\b": "to be sent, offline",
    r"\bput away\b|\btake (it|them) out of the library\b": "archived, restored",
    r"\bgood once\b": "works once",
    r"\bmany people use\b": "common password",
    r"\blaying out\b": "preparing",
    r"\bbounces?\b|\bbouncing\b": "switches back and forth",
}
FORMULA = re.compile(r"\{[A-Z_]+\} \*|\w[\w)]* *(=|<|>|<=|>=|->|!=) *[\w{(]|= sum\(|\bmin\(|floor_to_step\(|I_\w+ *\*")
"""A formula of a rule: its letters are no words."""
SNAKE = re.compile(r"(?<![\w/{.`-])[a-z]+_[a-z_0-9]+\b")
WORD = re.compile(r"[^\W\d_][\w'’-]*|\{[^}]*\}")


SPOKEN = {"word", "fix", "caution", "question", "how", "outcomes"}
"""Names of the fault finder's data under which a person reads a text."""


class Text(NamedTuple):
    """A text with its place (file from the root, line) and what it is: title, text, label."""

    place: str
    line: int
    kind: str
    text: str


def _named(node: ast.expr) -> str:
    names = [n.attr if isinstance(n, ast.Attribute) else n.id for n in ast.walk(node) if isinstance(n, ast.Attribute | ast.Name)]
    return names[-1] if names else "figure"


def said(node: ast.expr) -> str:
    """Return what an expression says, its figures as names in braces; empty where it is no text."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else ""
    if isinstance(node, ast.JoinedStr):
        return "".join(said(p) if isinstance(p, ast.Constant) else said_value(p) for p in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        left, right = said(node.left), said(node.right)
        return f"{left or '{' + _named(node.left) + '}'}{right or '{' + _named(node.right) + '}'}" if left or right else ""
    if isinstance(node, ast.IfExp):
        return max(said(node.body), said(node.orelse), key=len)
    return ""


def said_value(node: ast.expr) -> str:
    """Return a value within a text as a name in braces, or the longer of two words between which it chooses."""
    value = node.value if isinstance(node, ast.FormattedValue) else node
    if isinstance(value, ast.IfExp):
        words = [said(value.body), said(value.orelse)]
        if any(words):
            return max(words, key=len)
    return "{" + _named(value) + "}"


def _docstrings(tree: ast.AST) -> set[int]:
    out = set()
    for node in ast.walk(tree):
        for child in getattr(node, "body", []) if isinstance(getattr(node, "body", None), list) else []:
            if isinstance(child, ast.Expr) and isinstance(child.value, ast.Constant):
                out.add(id(child.value))
    return out


def is_text(text: str) -> bool:
    """Return whether a string is something to read: two words at least, no path, pattern or code."""
    bare = text.strip()
    if len(WORD.findall(bare)) < 2 or " " not in bare or "\\" in bare or "://" in bare:
        return False
    if re.match(r"^[\s<>%#@/.*+^|$(\[-]", bare) and not re.match(r"^\(?[A-Z]", bare):
        return False
    return not re.search(r"(SELECT|PRAGMA|CREATE|INSERT|UPDATE) |[{};]\s*$|=>|\bx-unit\b|%\(|\[a-z", bare)


def of_python(path: Path) -> Iterator[Text]:
    """Yield the texts of a Python source."""
    tree = ast.parse(path.read_text())
    skip = _docstrings(tree)
    inside: set[int] = set()
    place = str(path.relative_to(ROOT))
    for node in ast.walk(tree):
        if id(node) in inside or id(node) in skip or not isinstance(node, ast.expr):
            continue
        if (
            isinstance(node, ast.Call)
            and isinstance(node.func, ast.Attribute)
            and node.func.attr == "finding"
            and len(node.args) > 1
        ):
            title = said(node.args[1])
            if title:
                inside |= {id(n) for n in ast.walk(node.args[1])}
                yield Text(place, node.lineno, "title", title)
            continue
        if isinstance(node, ast.BinOp | ast.JoinedStr | ast.Constant):
            text = said(node)
            inside |= {id(n) for n in ast.walk(node)}
            if text and is_text(text):
                yield Text(place, node.lineno, "text", " ".join(text.split()))


MUSTACHE = re.compile(r"\{\{.*?\}\}", re.S)
ATTRIBUTE = re.compile(r"(?<![:\w-])(?:title|label|placeholder|says|aria-label|word|legend)=\"([^\"]+)\"")
LITERAL = re.compile(r"'((?:[^'\\\n]|\\.)+)'|`((?:[^`\\]|\\.)+)`")


def of_vue(path: Path) -> Iterator[Text]:
    """Yield the words of a component: its template's texts and labels, and the sentences of its script."""
    place, source = str(path.relative_to(ROOT)), path.read_text()
    template = re.search(r"<template>(.*)</template>", source, re.S)
    if template:
        body, begins = template.group(1), source[: template.start(1)].count("\n") + 1
        for m in ATTRIBUTE.finditer(body):
            yield Text(place, begins + body[: m.start()].count("\n"), "label", html.unescape(m.group(1)))
        plain = re.sub(r"<!--.*?-->", "", body, flags=re.S)
        plain = MUSTACHE.sub(lambda m: "{figure}" + "\n" * m.group(0).count("\n"), plain)
        plain = re.sub(
            r"</?(?:b|i|em|span|template|small|br)\b(?:\"[^\"]*\"|[^>\"])*>", lambda m: "\n" * m.group(0).count("\n"), plain
        )
        for m in re.finditer(r">([^<>]+)<", re.sub(r"=\"[^\"]*\"", lambda a: '=""' + "\n" * a.group(0).count("\n"), plain)):
            text = " ".join(html.unescape(m.group(1)).split())
            if WORD.search(re.sub(r"\{[^}]*\}", "", text)):
                yield Text(place, begins + plain[: m.start(1)].count("\n"), "label", text)
    script = re.search(r"<script[^>]*>(.*?)</script>", source, re.S) if path.suffix == ".vue" else re.match(r"(.*)", source, re.S)
    if script:
        body = re.sub(r"^\s*(//|\*|/\*).*$|^import .*$", "", script.group(1), flags=re.M)
        for m in LITERAL.finditer(body):
            text = re.sub(r"\$\{[^}]*\}", "{figure}", m.group(1) or m.group(2) or "")
            if is_text(text) and not re.search(r"[<>\[\]#=]|\bM\d|--", text):
                yield Text(place, body[: m.start()].count("\n") + 1, "label", " ".join(text.replace("\\'", "'").split()))


def of_json(path: Path) -> Iterator[Text]:
    """Yield the texts of a file of data: what stands under the names in ``SPOKEN``, each once."""

    def walk(value: object, key: str) -> Iterator[str]:
        if isinstance(value, dict):
            for name, inner in value.items():
                yield from walk(inner, name)
        elif isinstance(value, list):
            for inner in value:
                yield from walk(inner, key)
        elif isinstance(value, str) and key in SPOKEN:
            yield value

    for text in dict.fromkeys(walk(json.loads(path.read_text()), "")):
        yield Text(str(path.relative_to(ROOT)), 1, "label", text)


def texts() -> list[Text]:
    """Return every text that people read, in the order of the files."""
    out: list[Text] = []
    for path in sorted((ROOT / "src" / "ewerer").rglob("*.py")):
        if "migrations" not in path.parts and "static" not in path.parts and not str(path).endswith(NOT_READ):
            out += sorted(of_python(path), key=lambda t: t.line)
    out += of_json(ROOT / "src" / "ewerer" / "core" / "symptoms" / "symptoms.json")
    for pattern in ("*.vue", "*.ts"):
        for path in sorted((ROOT / "web" / "src").rglob(pattern)):
            if path.name != "schema.ts":
                out += of_vue(path)
    return out


def sentences(text: str) -> list[str]:
    """Return the sentences of a text; a semicolon or a colon ends one too, as a breath does."""
    return [s for s in re.split(r"(?<=[.!?;:])\s+|\n+|; ", text) if s.strip()]


def wrong(all_texts: list[Text]) -> list[str]:
    """Return what the page must not hold, each with its place."""
    out = []
    for t in all_texts:
        where = f"{t.place}:{t.line}"
        plain = re.sub(r"\{[^}]*\}|`[^`]*`", "{}", t.text)
        if FORMULA.search(plain):
            continue
        for pattern, instead in REFUSED.items():
            if m := re.search(pattern, plain, re.I):
                out.append(f"{where}: “{m.group(0)}”: write {instead}: {t.text[:110]}")
        if t.kind == "title" and len(WORD.findall(t.text)) > MOST_WORDS_TITLE:
            out.append(f"{where}: title of {len(WORD.findall(t.text))} words: {t.text}")
        for s in sentences(t.text):
            n = len(WORD.findall(s))
            if n > MOST_WORDS:
                out.append(f"{where}: sentence of {n} words: {s[:160]}")
        if t.kind != "label" and (m := SNAKE.search(plain)):
            out.append(f"{where}: name of code “{m.group(0)}”: {t.text[:110]}")
    return out


def page(all_texts: list[Text]) -> str:
    """Return docs/words.md."""
    lines = [
        "# Every text",
        "",
        "Made by `make docs`; do not edit. Names in braces are figures. Titles of findings stand in bold.",
        "",
    ]
    last = ""
    for t in all_texts:
        if t.place != last:
            lines += ["", f"## {t.place}", ""]
            last = t.place
        text = t.text.replace("<", "&lt;")
        lines.append(f"- **{text}**" if t.kind == "title" else f"- {text}")
    return "\n".join(lines) + "\n"


def main() -> int:
    """Write the page, or say what is wrong with the texts."""
    found = texts()
    if "--check" in sys.argv[1:]:
        bad = wrong(found)
        print("\n".join(bad))
        stale = not PAGE.exists() or PAGE.read_text() != page(found)
        if stale:
            print("docs/words.md is old: make docs")
        return int(bool(bad) or stale)
    PAGE.write_text(page(found))
    print(f"{len(found)} texts, {sum(len(WORD.findall(t.text)) for t in found)} words")
    return 0


if __name__ == "__main__":
    sys.exit(main())
