"""What a name in a manual means: its words taken apart into ideas, the ideas put together into a quantity of the trade.

A name such as *Netzladestrom* is the ideas mains, charge and current; a quantity is told by the ideas it needs, and those that
may stand beside them. Whatever else a name says speaks against it, so that what was never heard before is rather asked than guessed.

Sources: the words of five languages are common practice of the trade (``trade/spoken.json``); likeness of a slip of the pen to a
known word by RapidFuzz (Levenshtein ratio).
"""

from __future__ import annotations

import json
import re
import unicodedata
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from rapidfuzz import fuzz, process

from ...trade.quantities import QUANTITIES, Quantity

Ideas = frozenset[str]
MISSING, EXTRA, OTHER_MEASURE, UNKNOWN, SOFT, SLIP = 0.3, 0.17, 0.25, 0.08, 0.03, 0.04
"""What it costs that an idea is missing, that one is too many, that another measure is named, that a word is not known, that a filling
word stands there, that a word is known but for a slip [T]."""
NO_UNIT, WRONG_UNIT, WRONG_FORM, LONGER = 0.04, 0.4, 0.35, 0.12
"""What it costs that no unit is given, that it is another's, that a list of words stands where a figure is wanted, days for minutes [T]."""
LEAST_SLIP = 86
"""From this likeness [%] on a word is a known one with a slip in it [T]."""
MEASURES = frozenset(("volt", "amp", "power", "soc", "time", "delay", "temp", "frequency", "capacity", "resistance", "rate"))
_IMPLIED: Mapping[str, Ideas] = {
    "V": frozenset(("volt",)),
    "mV": frozenset(("volt",)),
    "A": frozenset(("amp",)),
    "W": frozenset(("power",)),
    "%": frozenset(("soc", "capacity")),
    "min": frozenset(("time", "delay")),
    "h": frozenset(("time", "delay")),
    "s": frozenset(("time", "delay")),
    "days": frozenset(("time", "interval")),
    "°C": frozenset(("temp",)),
    "Hz": frozenset(("frequency",)),
    "Ah": frozenset(("capacity",)),
    "mΩ": frozenset(("resistance",)),
    "bit/s": frozenset(("rate",)),
    "mV/°C": frozenset(("temp", "volt")),
}
"""The ideas that a unit says by itself."""


MEASURED_IN: Mapping[str, str] = {"volt": "V", "amp": "A", "soc": "%", "frequency": "Hz", "temp": "°C"}
"""The unit of figures whose name says what they measure, where none is printed."""


@dataclass(frozen=True, slots=True)
class Part:
    """A piece of a name: its text, the ideas it can stand for (none where it is not known), whether it was read past a slip, and
    whether it may be a filling word."""

    text: str
    ideas: Ideas
    slip: bool = False
    filling: bool = False


@dataclass(frozen=True, slots=True)
class Signature:
    """One way a quantity is told: groups of ideas of which one each is needed, and ideas that may stand beside them."""

    needs: tuple[Ideas, ...]
    may: Ideas


@dataclass(frozen=True, slots=True)
class Lexicon:
    """The words of the trade: single stems by their first letters, stems that stand inside compounds, stems of several words."""

    exact: Mapping[str, Ideas]
    stems: Mapping[str, Ideas]
    inside: Mapping[str, Ideas]
    several: Mapping[tuple[str, ...], Ideas]
    idle: frozenset[str]
    soft: Ideas
    neutral: Ideas
    maybe: frozenset[str]
    meanings: Mapping[str, tuple[Signature, ...]]
    choices: Mapping[str, Mapping[str, tuple[str, ...]]]


def plain(text: str) -> str:
    """Return a text without accents, capitals and signs: its bare words, with blanks between.

    >>> plain("Tension d'égalisation (él.)")
    'tension d egalisation el'
    """
    bare = "".join(c for c in unicodedata.normalize("NFKD", text.replace("ß", "ss")) if not unicodedata.combining(c))
    return re.sub(r"[^a-z0-9%]+", " ", bare.lower()).strip()


@lru_cache(maxsize=1)
def lexicon() -> Lexicon:
    """Return the words of the trade, read once."""
    data = json.loads((Path(__file__).parents[2] / "trade" / "spoken.json").read_text(encoding="utf-8"))
    exact: dict[str, set[str]] = {}
    stems: dict[str, set[str]] = {}
    inside: dict[str, set[str]] = {}
    several: dict[tuple[str, ...], set[str]] = {}
    for idea, words in data["ideas"].items():
        for word in words.split():
            if "_" in word:
                several.setdefault(tuple(word.split("_")), set()).add(idea)
            elif word[0] in "=~":
                ({"=": exact, "~": inside}[word[0]]).setdefault(word[1:], set()).add(idea)
            else:
                stems.setdefault(word, set()).add(idea)
    return Lexicon(
        exact={k: frozenset(v) for k, v in exact.items()},
        stems={k: frozenset(v) for k, v in stems.items()},
        inside={k: frozenset(v) for k, v in inside.items()},
        several={k: frozenset(v) for k, v in sorted(several.items(), key=lambda kv: (-len(kv[0]), -sum(map(len, kv[0]))))},
        idle=frozenset(data["idle"].split()),
        soft=frozenset(data["soft"].split()),
        neutral=frozenset(data["neutral"].split()),
        maybe=frozenset(data["maybe"].split()),
        meanings={name: tuple(map(_signature, ways)) for name, ways in _spread(data["meanings"]).items()},
        choices={q: {key: tuple(words.split()) for key, words in keys.items()} for q, keys in data["choices"].items()},
    )


def _spread(meanings: Mapping[str, list[str]]) -> dict[str, list[str]]:
    """Give what is told in volts or in percent to both of its quantities."""
    out: dict[str, list[str]] = {}
    for name, ways in meanings.items():
        for one in (name,) if name in QUANTITIES else (f"{name}_v", f"{name}_soc"):
            out.setdefault(one, []).extend(ways)
    assert set(out) <= set(QUANTITIES), set(out) - set(QUANTITIES)
    return out


def _signature(text: str) -> Signature:
    needs, may = [], set()
    for word in text.split():
        if word.startswith("?"):
            may |= set(word[1:].split("|"))
        else:
            needs.append(frozenset(word.split("|")))
    return Signature(tuple(needs), frozenset(may))


LONGEST_NAME = 120
"""Characters of a name that are looked at; a name is cut to half of that in a profile."""


@lru_cache(maxsize=8192)
def parts_of(name: str) -> tuple[Part, ...]:
    """Return the pieces of a name with their ideas; filling words are left out.

    >>> [sorted(p.ideas) for p in parts_of("Netzladestrom")]
    [['mains'], ['charge'], ['amp']]
    """
    lex = lexicon()
    tokens = plain(name[:LONGEST_NAME]).split()
    out: list[Part] = []
    i = 0
    while i < len(tokens):
        many = next((stem for stem in lex.several if _begins(tokens[i : i + len(stem)], stem)), None)
        if many is not None:
            out.append(Part(" ".join(tokens[i : i + len(many)]), lex.several[many]))
            i += len(many)
            continue
        out += _word(tokens[i], lex)
        i += 1
    return tuple(out)


def _begins(tokens: list[str], stem: tuple[str, ...]) -> bool:
    """Whether words begin with the stems of a phrase; its short words stand as they are."""
    return len(tokens) == len(stem) and all(t == s if len(s) < 5 else _inflected(t, s) for t, s in zip(tokens, stem, strict=True))


def _inflected(token: str, stem: str) -> bool:
    """Whether a token is a stem with an ending: short stems bear short ones only."""
    return token.startswith(stem) and len(token) - len(stem) <= (3 if len(stem) < 4 else 8)


@lru_cache(maxsize=4096)
def _known(token: str) -> tuple[Part, ...]:
    """Return the pieces of one word, longest stems first; empty where nothing in it is known."""
    lex = lexicon()
    if token in lex.exact:
        return (Part(token, lex.exact[token] | _ideas(token, lex), filling=token in lex.maybe),)
    whole = max((s for s in lex.stems if _inflected(token, s)), key=len, default="")
    found = [(token.find(s), s, ideas) for s, ideas in lex.inside.items() if s in token]
    if whole and (not found or len(whole) >= max(len(s) for _, s, _ in found)):
        beside = [(at, s, ideas) for at, s, ideas in found if at >= len(whole)]
        if not beside:
            return (Part(token, _ideas(whole, lex)),)
        found = [*beside, (0, whole, _ideas(whole, lex))]
    elif not whole:
        head = max((s for s in lex.stems if len(s) >= 4 and token.startswith(s)), key=len, default="")
        found += [(0, head, lex.stems[head])] if head and found else []
    else:
        found.append((0, whole, lex.stems[whole]))
    taken: list[tuple[int, str, Ideas]] = []
    for at, stem, ideas in sorted(found, key=lambda f: (-len(f[1]), f[0])):
        if all(at + len(stem) <= a or at >= a + len(s) for a, s, _ in taken):
            taken.append((at, stem, ideas))
    merged: dict[tuple[int, str], Ideas] = {}
    for at, stem, ideas in taken:
        merged[at, stem] = merged.get((at, stem), frozenset()) | ideas
    out = [Part(stem, ideas) for (_, stem), ideas in sorted(merged.items())]
    rest = len(token) - sum(len(p.text) for p in out)
    if out and rest > 5:
        out.append(Part(token, frozenset()))
    return tuple(out)


def _ideas(stem: str, lex: Lexicon) -> Ideas:
    return lex.stems.get(stem, frozenset()) | lex.inside.get(stem, frozenset())


def _word(token: str, lex: Lexicon) -> list[Part]:
    if token in lex.idle and token not in lex.exact:
        return []
    known = _known(token)
    if known:
        return list(known)
    if token in lex.idle or len(token) < 2 or (token.isdigit() and token not in lex.exact):
        return []
    if 4 <= len(token) <= 6:
        begun = [_ideas(s, lex) for s in {*lex.stems, *lex.inside} if s.startswith(token) and len(s) > len(token)]
        if begun and (shared := frozenset.intersection(*begun)):
            return [Part(token, shared, slip=True)]  # an abbreviation of one thing only
    if len(token) >= 6:
        near = process.extractOne(token, _long_stems(), scorer=fuzz.partial_ratio, score_cutoff=LEAST_SLIP)
        if near and fuzz.ratio(token[: len(near[0]) + 1], near[0]) >= LEAST_SLIP - 4:
            return [Part(token, _ideas(near[0], lex), slip=True)]
    return [Part(token, frozenset())]


@lru_cache(maxsize=1)
def _long_stems() -> list[str]:
    lex = lexicon()
    return sorted(s for s in {*lex.stems, *lex.inside} if len(s) >= 6)


def score(parts: Collection[Part], q: Quantity, way: Signature, unit: str) -> float:
    """Return how far the pieces of a name are one way to tell a quantity, 0 to 1."""
    lex = lexicon()
    implied = _IMPLIED.get(q.unit, frozenset())
    shown = _IMPLIED.get(unit, frozenset())
    here = frozenset().union(*(p.ideas for p in parts)) | (shown & implied)
    missing = sum(not (group & here) for group in way.needs)
    if missing and (missing > 1 or len(way.needs) < 2):
        return 0.0
    needed = frozenset().union(*way.needs)
    out = 1.0 - MISSING * missing
    for part in parts:
        if not part.ideas:
            out -= UNKNOWN
        elif part.ideas & (needed | way.may):
            out -= SLIP * part.slip
        elif part.filling or part.ideas & (implied | lex.neutral):
            pass
        elif part.ideas & lex.soft:
            out -= SOFT
        else:
            out -= OTHER_MEASURE if part.ideas <= MEASURES else EXTRA
    return max(0.0, out)


def likeness(name: str, unit: str, form: str) -> dict[str, tuple[float, int]]:
    """Return for every quantity how far a name means it (0 to 1), and how many ideas speak for it.

    ``unit`` is the unit shown, empty where none is; ``form`` is ``figure``, ``choice``, ``switch``, ``clock`` or empty.
    """
    parts = parts_of(name)
    out: dict[str, tuple[float, int]] = {}
    for q_name, ways in lexicon().meanings.items():
        q = QUANTITIES[q_name]
        fit = _fits(q, unit, form, parts)
        best = max(((score(parts, q, w, unit), len(w.needs)) for w in ways), default=(0.0, 0))
        if best[0] > 0:
            out[q_name] = (max(0.0, round(best[0] - fit, 4)), best[1])
    return out


def _fits(q: Quantity, unit: str, form: str, parts: Collection[Part]) -> float:
    """What it costs that a quantity's own unit and form are not those of the row."""
    wordy = q.kind in ("choice", "switch")
    if form == "clock":
        return 0.0 if q.kind == "clock" else WRONG_UNIT
    if form in ("choice", "switch"):
        return 0.0 if q.kind == form else 0.1 if wordy else WRONG_FORM
    if wordy:
        return WRONG_FORM if form == "figure" else 0.02 if not unit else WRONG_FORM
    if q.kind == "clock":
        return WRONG_UNIT
    if not unit:
        told = frozenset().union(*(p.ideas for p in parts)) if parts else frozenset()
        return 0.0 if not q.unit or told & _IMPLIED.get(q.unit, frozenset()) else NO_UNIT
    if not same_measure(unit, q):
        return WRONG_UNIT
    return LONGER if (unit == "days") != (q.unit == "days") and unit in TIMES else 0.0


TIMES = ("min", "h", "s", "days", "ms")


def same_measure(unit: str, q: Quantity) -> bool:
    """Return whether a figure in a unit can be one of a quantity: of its own measure, or percent of a rating."""
    if unit in TIMES:
        return q.unit in TIMES
    if unit in ("W", "kW"):
        return q.unit == "W"
    if unit in ("mV", "V", "V/cell"):
        return q.unit == ("mV" if unit == "mV" else "V")
    if unit in ("% of rated", "% of C", "C"):
        return q.unit == "A"
    if unit in ("Hz", "°C", "°F"):
        return q.unit == unit.replace("F", "C")
    if unit in ("kbit/s", "bit/s"):
        return q.unit == "bit/s"
    if unit.startswith("mV/"):
        return q.unit == "mV/°C"
    if unit == "Ω":
        return q.unit == "mΩ"
    return unit == q.unit


def choice_meaning(quantity: str, shows: str) -> str | None:
    """Return the canonical choice that the words beside a code mean; None where they say none, or could say two.

    >>> choice_meaning("source_order", "Solar, battery, then utility"), choice_meaning("battery_type", "gel / AGM")
    ('sun-bank-mains', None)
    """
    if quantity in ("source_order", "charge_order"):
        return _order_meaning(quantity, shows)
    tokens = plain(shows).split()
    found = {key for key, stems in lexicon().choices.get(quantity, {}).items() if any(_stands(stem, tokens) for stem in stems)}
    return found.pop() if len(found) == 1 else None


def _stands(stem: str, tokens: list[str]) -> bool:
    if "_" in stem:
        parts = tuple(stem.lstrip("=").split("_"))
        return any(_begins(tokens[i : i + len(parts)], parts) for i in range(len(tokens)))
    if stem.startswith("="):
        return stem[1:] in tokens
    if stem.startswith("~"):
        return any(stem[1:] in t for t in tokens)
    return any(_inflected(t, stem) for t in tokens)


_SOURCES = {"sun": "sun", "battery": "bank", "mains": "mains", "gen": "mains", "ac": "mains"}


def _order_meaning(quantity: str, shows: str) -> str | None:
    """Return the order of sources that words name, in the order in which they name them."""
    named = [next((_SOURCES[i] for i in ("sun", "gen", "mains", "battery", "ac") if i in p.ideas), "") for p in parts_of(shows)]
    order = list(dict.fromkeys(n for n in named if n))
    tokens = set(plain(shows).split())
    only = bool(tokens & {"only", "nur", "seul", "seulement", "solo", "solamente", "uniquement", "soltanto", "unicamente"})
    both = (
        bool(
            tokens
            & {"and", "und", "et", "y", "e", "with", "mit", "avec", "con", "together", "simultaneous", "both", "beide", "zusammen"}
        )
        or "+" in shows
        or "&" in shows
    )
    if quantity == "source_order":
        if order == ["sun", "bank", "mains"]:
            return "sun-bank-mains"
        if order[:2] == ["sun", "mains"]:
            return "sun-mains"
        return "mains-first" if order[:1] == ["mains"] else None
    if "bank" in order:
        order.remove("bank")
    if order == ["sun"]:
        return (
            "sun-only"
            if only
            else "sun-first"
            if tokens
            & {
                "first",
                "priority",
                "zuerst",
                "vorrang",
                "priorite",
                "prioritaire",
                "primero",
                "prioridad",
                "prima",
                "priorita",
                "abord",
            }
            else None
        )
    if order == ["sun", "mains"]:
        return "sun-and-mains" if both else "sun-first"
    return "mains-first" if order[:1] == ["mains"] and not (only and len(order) == 1) else None
