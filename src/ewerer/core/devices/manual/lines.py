"""The lines of a table sorted: which are settings, which are headers, headings, footnotes, explanations, or belong to the row above."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence

from ...trade.numbers import read_number
from .cells import RANGE, STEP, UNITS, marks_off, tidy, unit_named
from .columns import Role, content_roles, header_role, is_header
from .context import Context, Found
from .grid import Line
from .table import Skipped
from .values import CODE, value_start

HEADER_WITHIN = 25
"""Lines among which the first header is looked for."""
_FOOT = re.compile(r"^\s*(?P<mark>\*{1,3}|[¹²³⁴⁵⁶⁷⁸⁹†‡]|\(?\d\)|\[\d\]|\^\d)\s*(?P<text>\S.*)$")
_NOTE = re.compile(
    r"^\s*(?:note|notes|hinweis|anmerkung|remarque|nota|attention|achtung|warning|caution|n\.?b\.?|important|avvertenza|atención|bemerkung)\b\s*\d*\s*[:!.–-]",
    re.IGNORECASE,
)
_PAGE = re.compile(
    r"^\s*(?:page|seite|página|pagina|pág\.?|p\.|s\.)?\s*-?\s*\d{1,4}\s*-?(?:\s*(?:/|of|von|de|sur|di)\s*\d{1,4})?\s*$",
    re.IGNORECASE,
)
_ABBREVIATION = re.compile(
    r"(?<![\w])(?P<short>[A-Za-z][A-Za-z0-9./]{0,5})\s*(?:=|:|–|-(?=\s)|\bmeans\b|\bsteht für\b)\s*(?P<long>[^\W\d_][^,;.=]{3,60}?)(?=\s*(?:[,;.]|$))"
)


def decimal_commas(lines: Sequence[Line]) -> bool:
    """Return whether the figures of a table have commas for their decimals."""
    cells = [c for line in lines for c in line.cells]
    commas = sum(len(re.findall(r"(?<![\d,])\d+,\d{1,2}(?![\d,])", c)) for c in cells)
    return commas > sum(len(re.findall(r"(?<![\d.])\d+\.\d{1,2}(?![\d.])", c)) for c in cells)


def headed(
    lines: list[Line], loose: bool, skipped: list[Skipped]
) -> tuple[tuple[str, ...], list[Role | None], list[str], list[Line], list[Line]]:
    """Return headers, roles and units of the columns, the rows below, the lines above."""
    at = next((i for i, line in enumerate(lines[:HEADER_WITHIN]) if is_header(line.cells)), None)
    if at is None and loose:
        at = next(
            (
                i
                for i, line in enumerate(lines[:HEADER_WITHIN])
                if len(line.text.split()) <= 12 and is_header(line.text.split()) and not re.search(r"\d", line.text)
            ),
            None,
        )
    if loose:
        start = 0 if at is None else at + 1
        before = lines[: at or 0]
        if at is not None:
            skipped.append(Skipped(line=lines[at].no, text=lines[at].text, why="header"))
        return (), [None], [""], lines[start:], before
    width = len(lines[0].cells)
    if at is None:
        first = next((i for i, line in enumerate(lines) if sum(bool(c) for c in line.cells) >= min(3, width)), 0)
        return (), [None] * width, [""] * width, lines[first:], lines[:first]
    header = list(lines[at].cells)
    end = at + 1
    if end < len(lines) and is_header(lines[end].cells) and not any(re.search(r"\d", c) for c in lines[end].cells):
        below = lines[end].cells
        header = [
            b if header_role(b)[0] in ("min", "max") or not a else a if not b else f"{a} {b}"
            for a, b in zip(header, below, strict=True)
        ]
        skipped.append(Skipped(line=lines[end].no, text=lines[end].text, why="header"))
        end += 1
    skipped.insert(0, Skipped(line=lines[at].no, text=lines[at].text, why="header"))
    roles: list[Role | None] = []
    units = []
    for cell in header:
        role, unit = header_role(cell)
        roles.append(role if role not in roles else None)
        units.append(unit)
    early = [
        line
        for line in lines[:at]
        if sum(bool(c) for c in line.cells) > 2 or any(RANGE.search(c) and len(c) < 60 for c in line.cells)
    ]
    before = [line for line in lines[:at] if not early or line.no < early[0].no]
    return tuple(header), roles, units, lines[len(before) : at] + lines[end:], before


def explained(texts: Sequence[str], context: Context) -> None:
    """Take steps, units and abbreviations that stand above or below a table out of its explanations."""
    for text in map(tidy, texts):
        for found in STEP.finditer(text):
            step = read_number(found["a"] or found["b"], mark=context.mark).value
            unit = unit_named(found["ua"] or found["ub"])
            if step and unit:
                context.steps.setdefault(unit, step)
        pairs = list(_ABBREVIATION.finditer(text))
        if pairs and (len(pairs) > 1 or re.search(r"abb|abk|abr|sigl|=", text, re.IGNORECASE)):
            for found in pairs:
                if found["short"].lower() not in UNITS or found["short"].isupper():
                    context.words.setdefault(found["short"], found["long"].strip())


def sorted_rows(body: list[Line], headers: Sequence[str], context: Context, skipped: list[Skipped]) -> list[Found]:
    """Sort the lines below the header into settings, headings and what is neither."""
    if not context.loose:
        telling = [line.cells for line in body if sum(bool(c) for c in line.cells) > 1]
        context.roles = content_roles(telling or [line.cells for line in body], context.roles, context.mark)
        if "name" not in context.roles and "place" in context.roles:
            context.roles[context.roles.index("place")] = "name"
    out: list[Found] = []
    path: list[str] = []
    places = {_at(line, context, "place").strip(".") for line in body} - {""}
    coded = sum(bool(_at(line, context, "place")) for line in body) > 0.5 * len(body)
    notes: list[str] = []
    for line in body:
        filled = [c for c in line.cells if c]
        alone = len(filled) == 1
        if headers and sum(a == b for a, b in zip(line.cells, headers, strict=False) if b) >= 0.6 * sum(bool(h) for h in headers):
            skipped.append(Skipped(line=line.no, text=line.text, why="header again"))
            continue
        if alone and _PAGE.match(filled[0]):
            skipped.append(Skipped(line=line.no, text=line.text, why="page"))
            continue
        foot = (
            _FOOT.match(line.text)
            if alone or (len(filled) == 2 and re.fullmatch(r"\*{1,3}|[¹²³†‡]|\(?\d\)|\^\d", filled[0]))
            else None
        )
        if foot is not None and (context.loose is False or not _looks_like_setting(line.text, context)):
            mark = marks_off("x" + foot["mark"])[1]
            context.notes[mark[0] if mark else foot["mark"].strip("()[]^")] = foot["text"]
            skipped.append(Skipped(line=line.no, text=line.text, why="footnote"))
            notes.append(foot["text"])
            continue
        if alone and (_NOTE.match(filled[0]) or (len(filled[0].split()) > 9 and not _looks_like_setting(filled[0], context))):
            skipped.append(Skipped(line=line.no, text=line.text, why="explanation"))
            notes.append(filled[0])
            continue
        if context.loose:
            _loose_line(line, context, skipped, out, path)
            continue
        got: dict[Role, str] = {role: cell for role, cell in zip(context.roles, line.cells, strict=True) if role and cell}
        if out and _belongs_above(got, out[-1], coded):
            for role, text in got.items():
                out[-1].got[role] = (
                    f"{out[-1].got.get(role, '')} {text}".strip()
                    if not out[-1].got.get(role, "").endswith("-")
                    else out[-1].got[role][:-1] + text
                )
            skipped.append(Skipped(line=line.no, text=line.text, why="belongs to the row above"))
            continue
        values = [r for r in got if r in ("range", "min", "max", "choices", "step", "factory")]
        if (alone and not values) or (not values and "unit" not in got and _is_heading(got, line, coded, places)):
            path[:] = _heading(line.text, path)
            skipped.append(Skipped(line=line.no, text=line.text, why="heading"))
            continue
        out.append(Found(line=line.no, got=got, path=list(path)))
    explained(notes, context)
    return out


def _at(line: Line, context: Context, role: Role) -> str:
    return line.cells[context.roles.index(role)] if role in context.roles else ""


def _is_heading(got: Mapping[Role, str], line: Line, coded: bool, places: Collection[str]) -> bool:
    """Whether a row without values is a heading: it has no place of its own, or others are numbered below it."""
    name = got.get("name", "") or line.text
    if got.get("note") and got.get("name"):
        return False
    if "place" in got and "name" in got:
        above = got["place"].strip(".")
        if any(p != above and re.match(rf"{re.escape(above)}[.-]", p) for p in places):
            return True
        return bool(re.fullmatch(r"\d{1,2}\.?", got["place"])) and not coded
    return len(name.split()) <= 8


def _heading(text: str, path: list[str]) -> list[str]:
    """Return the path below a heading: its own, or a part below the last where its number says so."""
    found = re.match(r"^\s*(?P<no>\d+(?:\.\d+)*)\.?\s+(?P<text>.+)$", text)
    title = (found["text"] if found else text).strip(" :=-–*#")[:40]
    if found and path and found["no"].count(".") and len(path) >= found["no"].count("."):
        return [*path[: found["no"].count(".")], title]
    return [title]


def _belongs_above(got: Mapping[Role, str], last: Found, coded: bool) -> bool:
    """Whether a row goes on in the cells of the one above."""
    if not got or (coded and "place" in got) or ("place" in got and "name" in got):
        return False
    if "name" not in got:
        return True
    name, above = got["name"], last.got.get("name", "")
    goes_on = bool(re.match(r"[a-zà-ü(&/+-]", name)) or bool(
        re.search(
            r"(?:[-(/,&]|\b(?:of|de|du|des|la|le|der|die|das|für|bei|von|zur|al|del|della|di|per|para|por|en|et|und|and|mit|con|avec|the|to|from|with)|d['’]|l['’])$",
            above,
            re.IGNORECASE,
        )
    )
    if goes_on:
        return True
    # A name over two lines whose values stand in the first or in the second only.
    has = any(r in last.got for r in ("range", "min", "choices"))
    return coded and not has and any(r in got for r in ("range", "min", "choices")) and "place" in last.got


def _looks_like_setting(text: str, context: Context) -> bool:
    """Whether a line that stands alone carries values: a range, or in lines that run together also a list."""
    return bool(RANGE.search(text)) or (
        context.loose and not text.endswith(".") and CODE.match(text) is not None and value_start(text, context.mark) is not None
    )


def _loose_line(line: Line, context: Context, skipped: list[Skipped], out: list[Found], path: list[str]) -> None:
    """Read a line whose cells run together: number, name, then what begins with a figure or a list."""
    text = line.text
    found = CODE.match(text)
    code, rest = (found["code"], found["rest"]) if found else ("", text)
    start = value_start(rest, context.mark)
    if start is None:
        numbered = re.match(r"^\d+(?:\.\d+)*\.?\s+\S", text)
        if (
            out
            and not code
            and (re.match(r"[a-zà-ü(]", text) or re.search(r"[-(/,]$", out[-1].got.get("name", "")))
            and not numbered
        ):
            out[-1].got["name"] = f"{out[-1].got.get('name', '')} {text}".strip()
            skipped.append(Skipped(line=line.no, text=text, why="belongs to the row above"))
        elif code and not (numbered and len(rest.split()) <= 4 and rest[:1].isupper() and code.isdigit() is False):
            out.append(Found(line=line.no, got={"place": code, "name": rest}, path=list(path)))
        else:
            path[:] = _heading(text, path)
            skipped.append(Skipped(line=line.no, text=text, why="heading"))
        return
    name, values = rest[:start].strip(" :.-–\t"), rest[start:]
    if not name:
        if out:
            out[-1].got["range"] = f"{out[-1].got.get('range', '')} {values}".strip()
            skipped.append(Skipped(line=line.no, text=text, why="belongs to the row above"))
        return
    got: dict[Role, str] = {"name": name, "range": values}
    if code:
        got["place"] = code
    out.append(Found(line=line.no, got=got, path=list(path)))
