"""The small grammar of a cell of a manual's table: figures with units, ranges, lists, what is off, steps, factory values, codes.

Signs and words are those that manuals of five languages use for ranges, steps and units [common practice].
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass, field

from ...trade.numbers import Mark, read_number
from .words import plain

MAX_LISTED = 60
"""Most entries of a list of choices."""

_UNITS: dict[str, str] = {
    "V": "v vdc vac vcc vca v= volt volts voltios volt. v.",
    "mV": "mv",
    "A": "a amp amps adc aac aca acc ampere amperes amperios ampères amper a.",
    "mA": "ma",
    "W": "w va watt watts vatios wp",
    "kW": "kw kva kwp",
    "%": "% pct percent prozent porcentaje percento %soc soc% %sdc",
    "ms": "ms msec",
    "s": "s sec secs sek seg second seconds sekunden secondes segundos secondi sekunde seconde segundo secondo s. sec.",
    "min": "min mins mn minute minutes minuten minutos minuti minuto m' min.",
    "h": "h hr hrs hour hours std stunde stunden heure heures hora horas ora ore h. std.",
    "days": "d day days tag tage tagen jour jours j día días dia dias giorno giorni d.",
    "Ah": "ah amp-hours ampereh",
    "kWh": "kwh",
    "Wh": "wh",
    "Hz": "hz hertz",
    "°C": "°c ºc degc celsius ℃ °",
    "°F": "°f ºf degf fahrenheit ℉",
    "K": "k kelvin",
    "mΩ": "mω mohm mohms milliohm mω.",
    "Ω": "ω ohm ohms",
    "bit/s": "bit/s bps baud bd bits/s",
    "kbit/s": "kbit/s kbps kbaud kbit",
    "rpm": "rpm",
    "C": "c ca",
}
UNITS: dict[str, str] = {word: unit for unit, words in _UNITS.items() for word in words.split()} | {
    "c": "C", "v dc": "V", "v ac": "V", "a dc": "A", "a ac": "A", "% soc": "%", "soc %": "%", "% sdc": "%", "amp hours": "Ah", "deg c": "°C", "° c": "°C", "deg f": "°F",
}  # fmt: skip
_CELL = r"(?:2[- ]?v[- ]?)?(?:cells?|zellen?|z\.|él(?:éments?|\.)?|el(?:ements?|ementos?|ementi|emento|\.)?|celdas?|vasos?|celle?|cella|cellules?|pc|block)"
_PER_CELL = re.compile(rf"(?P<unit>m?v(?:dc)?)\s*(?:/|pro|per|je|par|por|a)\s*{_CELL}(?![^\W_])\.?|vpc\b|v\.p\.c\.?", re.IGNORECASE)
_PER_DEGREE = re.compile(
    rf"m?v\s*/\s*(?:°\s*[ck]?|º\s*c|k|c|grad|deg)\b\.?(?P<cell>\s*(?:/|·|\*|pro|per|je|par|por)?\s*{_CELL}(?![^\W_])\.?)?|mv\s*/\s*(?P<first>{_CELL})\s*/\s*(?:°\s*c|k|º\s*c)",
    re.IGNORECASE,
)
_OF = r"(?:of|of the|von|vom|der|des|de|de la|du|del|della|di|do|dem|d[ue] l['’])"
OF_RATED = re.compile(
    rf"%\s*(?:{_OF}\s*)*(?:rated|rating|nominal\w*|nom\.?|nennstrom\w*|nennwert\w*|nenn\w*|max\w*|i\s?n(?:om)?\b|in\b|corrent\w*\s+nomin\w*|corrient\w*\s+nomin\w*|courant\s+nomin\w*)(?:\s+(?:current|power|strom|courant))?",
    re.IGNORECASE,
)
_OF_CAPACITY = re.compile(
    rf"%\s*(?:{_OF}\s*)*(?:c(?:10|20|5)?\b|ah\b|capac\w*|kapaz\w*|cap\.|batter\w+ capac\w*)|(?<![\w°º])c(?:10|20|5)(?!\w)",
    re.IGNORECASE,
)
_WORD_UNIT = "|".join(sorted((re.escape(u) for u in UNITS), key=len, reverse=True))
_NUM = (
    r"(?:\d{1,3}(?:[ '\u202f]\d{3})+(?!\d)(?:[.,]\d+)?|\d{1,3}(?:[.,]\d{3})+(?![\d.,]\d)(?:[.,]\d+)?(?!\d)|\d+[.,]\d+|\d+|[.,]\d+)"
)
_SIGNED = rf"[-+−]?\s?{_NUM}"
_AFTER = rf"(?:\s?(?:{_WORD_UNIT})(?![^\W_]))?"
_TO = r"(?:~|\.{2,3}|(?:(?<=\s)-{2,3}(?=\s)|-)>?|÷|/\.{3}/|\bto\b|\bbis\b|\bà\b|\bhasta\b|\ba\b|\bal\b|\bfino\s+a\b|\bthrough\b|\bjusqu'?\s?à\b|\bthru\b|\buntil\b)"
_BETWEEN = r"(?:between|zwischen|entre|tra|fra)"
_AND = r"(?:and|und|et|y|e|&)"
RANGE = re.compile(
    rf"(?:(?<![\w.,])(?:from|von|de|da|dal|du|desde|ab|{_BETWEEN})\s+)?(?<![\w.,])(?P<low>{_SIGNED})(?P<u1>{_AFTER})\s*(?:{_TO}|(?<=\s){_AND}(?=\s))\s*(?P<high>{_SIGNED})(?P<u2>{_AFTER})(?![\w])",
    re.IGNORECASE,
)
SINGLE = rf"[-+]?\d+(?:[.,]\d+)?(?:\s?(?:{_WORD_UNIT})(?![^\W_]))?"
SINGLE_WITH_UNIT = rf"[-+]?\d+(?:[.,]\d+)?\s?(?:{_WORD_UNIT})(?![^\W_])"
_PLAIN_AND = re.compile(rf"\s{_AND}\s", re.IGNORECASE)
CLOCK = re.compile(r"(?<![\d:])(\d{1,2})[:hH](\d{2})(?![\d:])")
_STEP_WORD = r"(?:steps?(?:\s+size)?|increments?|resolution|res\.|inc\.|schritt(?:weite|e|en)?|stufen?|auflösung|rasterung|raster|pas|incréments?|résolution|pasos?|incrementos?|resolución|passo|passi|incrementi|risoluzione|schr\.|Δ|delta|click|clicks|div)"
STEP = re.compile(
    rf"(?:\b(?:in|by|à|par|en|con|a|mit|de|von|im|im\s)\s+)?(?:{_STEP_WORD}\s*(?:of|von|de|à|da|di|d['’])?\s*[:=]?\s*(?P<a>{_NUM})(?P<ua>{_AFTER})(?![\w])|(?P<b>{_NUM})(?P<ub>{_AFTER})\s*(?:[-/ ]?\s*(?:per|pro|par|por)?\s*){_STEP_WORD}(?![\w]))",
    re.IGNORECASE,
)
_BRACKET = re.compile(rf"[(\[]\s*(?P<a>{_NUM})(?P<ua>{_AFTER})\s*[)\]]|[,;/]\s*(?P<b>{_NUM})(?P<ub>{_AFTER})\s*$", re.IGNORECASE)
_DEFAULT = re.compile(
    r"[(\[,;]?\s*\b(?:default|factory(?: setting| value)?|preset|werkseinstellung|werkswert|werk|ab werk|vorgabe|standard|défaut|par défaut|usine|réglage d['’]usine|défaut usine|por defecto|predeterminad[oa]|de fábrica|fábrica|predefinit[oa]|di fabbrica|fabbrica|def\.|std\.)(?!\w)\s*[:=]?\s*(?P<value>(?:[^,;)\]]|,(?=\d))+?)\s*(?:[)\];]|,(?!\d)|$)",
    re.IGNORECASE,
)
_YES = [
    "on",
    "enable",
    "enabled",
    "ena",
    "en",
    "yes",
    "y",
    "ein",
    "an",
    "ja",
    "aktiv",
    "aktiviert",
    "oui",
    "marche",
    "active",
    "actif",
    "si",
    "activado",
    "encendido",
    "attivo",
    "attivato",
    "acceso",
    "abilitato",
    "habilitado",
    "allow",
    "allowed",
]
_NO = [
    "off",
    "disable",
    "disabled",
    "dis",
    "no",
    "n",
    "aus",
    "nein",
    "inaktiv",
    "deaktiviert",
    "non",
    "arret",
    "desactive",
    "inactif",
    "desactivado",
    "apagado",
    "disattivo",
    "disattivato",
    "spento",
    "disabilitato",
    "deshabilitado",
    "inactive",
    "gesperrt",
    "forbid",
]
OFF = re.compile(
    r"(?<![\w])(?:off|aus|arrêt|désactivé|hors(?: service)?|apagado|desactivado|spento|disattivat[oa]|disabilitat[oa]|disabled?|deaktiviert|inaktiv|never|nie|jamais|nunca|mai|none|no)(?![\w])",
    re.IGNORECASE,
)
_CODED = re.compile(
    r"^\s*[\[(]?\s*(?P<code>\d{1,3}|[A-Z]{1,4}\d{0,2}|[a-z]\d{1,2})\s*[\])]?\s*(?:[:=→]|(?:-|\.|\))\s+|[)\].]\s*)\s*(?P<word>\S.*)$"
)
_SPACED = re.compile(r"^\s*(?P<code>\d{1,2})\s+(?P<word>[^\W\d_].*)$")
_BRACED = re.compile(
    r"^\s*(?P<code>\d{1,3}|[A-Z]{1,4}\d{0,2})\s*[\[(](?P<word>[^\])]*[^\W\d_][^\])]*)[\])]\s*$|^\s*(?P<word2>[^\W\d_][^\[(]*?)\s*[\[(](?P<code2>\d{1,3})[\])]\s*$"
)
_MARK = re.compile(r"(?:[¹²³⁴⁵⁶⁷⁸⁹†‡]+|\*{1,3}|(?<=\S)\s*(?<!\d)\(?\d\)|\^\d)\s*$")
_SUPERSCRIPT = str.maketrans("¹²³⁴⁵⁶⁷⁸⁹", "123456789")


@dataclass(slots=True)
class Listed:
    """One entry of a list: the code or word that is keyed, and what stands beside it."""

    code: str
    shows: str


@dataclass(slots=True)
class Cell:
    """What a cell says: a range, single figures, a step, a factory value, what is off, choices; and what is doubtful in it."""

    low: float | None = None
    high: float | None = None
    unit: str = ""
    step: float | None = None
    step_unit: str = ""
    default: str = ""
    figures: list[float] = field(default_factory=list)
    off: str = ""
    listed: list[Listed] = field(default_factory=list)
    per_cell: bool = False
    of_rated: bool = False
    clock: bool = False
    marks: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    rest: str = ""


def tidy(text: str) -> str:
    """Return a text with one kind of dash, dot and blank, without signs that do not print."""
    text = unicodedata.normalize("NFC", text)
    text = re.sub(r"[\u2010-\u2015\u2212\ufe58\ufe63\uff0d]", "-", text)
    text = re.sub(r"[\u301c\uff5e\u223c\u223f\u2053]", "~", text)
    text = (
        text.replace("…", "...")
        .replace("\u00a0", " ")
        .replace("\u2009", " ")
        .replace("×", "x")
        .replace("Ω", "Ω")
        .replace("％", "%")
    )
    return re.sub(r"\s+", " ", "".join(c for c in text if unicodedata.category(c) not in ("Cc", "Cf") or c in "\t\n")).strip()


def marks_off(text: str) -> tuple[str, list[str]]:
    """Return a text without the marks of footnotes at its end, and those marks."""
    marks: list[str] = []
    if len(re.findall(r"\(\d\)", text)) > 1:
        return text, marks  # codes in brackets, no marks
    while found := _MARK.search(text):
        before = text[: found.start()]
        if not before.strip() or ("(" not in found[0] and found[0].strip().endswith(")") and before.count("(") > before.count(")")):
            break
        marks.append(found[0].strip().translate(_SUPERSCRIPT).strip("()^"))
        text = text[: found.start()].rstrip()
    return text, marks


def unit_of(text: str) -> tuple[str, bool, bool]:
    """Return the unit that a text is, whether it is of one cell, whether it is percent of a rating; an empty unit where it is none.

    >>> unit_of("V/él."), unit_of("% of rated"), unit_of("mV/°C/cell")
    (('V', True, False), ('%', False, True), ('mV/°C', True, False))
    """
    bare = tidy(text).strip("()[] ,;").lower()
    if not bare:
        return "", False, False
    if (found := _PER_DEGREE.fullmatch(bare)) is not None:
        return "mV/°C", bool(found["cell"] or found["first"]), False
    if (found := _PER_CELL.fullmatch(bare)) is not None:
        return ("mV" if (found["unit"] or "").startswith("m") else "V"), True, False
    if _OF_CAPACITY.fullmatch(bare):
        return "% of C", False, True
    if OF_RATED.fullmatch(bare):
        return "%", False, True
    return UNITS.get(bare, ""), False, False


def unit_named(text: str | None) -> str:
    """Return the unit that stands behind a figure; empty where none does."""
    return UNITS.get((text or "").strip().lower(), "")


def figure_of(text: str, mark: Mark, doubts: list[str]) -> float | None:
    """Return the figure a text of digits says; None, with a doubt, where it could be two."""
    said = read_number(text.replace("−", "-").replace(" -", "-").strip(), mark=mark)
    if said.ask:
        doubts.append(f"“{text.strip()}” could be {said.ask[0]:g} or {said.ask[1]:g}")
        return None
    return said.value


def is_yes(word: str) -> bool | None:
    """Return whether a word switches on (True) or off (False); None for any other."""
    parts = re.findall(r"[a-z]+", plain(word))
    if not parts or len(parts) > 3:
        return None
    said = {True if p in _YES else False if p in _NO else None for p in parts}
    return said.pop() if len(said) == 1 else None


def read_cell(text: str, mark: Mark, *, choices: bool = False) -> Cell:
    """Read a cell of values. ``choices`` where its column holds lists of words. Never raises; what is not understood is a doubt.

    >>> c = read_cell("5-100 A (5 A/step)", ".")
    >>> (c.low, c.high, c.unit, c.step)
    (5.0, 100.0, 'A', 5.0)
    """
    out = Cell()
    text = tidy(text)
    text, out.marks = marks_off(text)
    if not text or re.fullmatch(r"[-./ ]+|n/?a|n\. ?a\.|k\. ?a\.", text, re.IGNORECASE):
        return out
    if found := _DEFAULT.search(text):
        out.default = found["value"].strip()
        text = (text[: found.start()] + " " + text[found.end() :]).strip()
    text = _special_units(text, out)
    if CLOCK.search(text) and not re.search(rf"{_NUM}\s*(?:v|a|%)\b", text, re.IGNORECASE):
        return _clock(text, out)
    if re.fullmatch(r"hh[:.]?mm", text.strip(), re.IGNORECASE):
        out.clock, out.low, out.high, out.unit = True, 0.0, 24 * 60.0, "HH:MM"
        return out
    coded = _coded(text)
    if coded:
        out.listed = coded
        return out
    if not re.search(r"\d", text) or (choices and not RANGE.search(text)):
        out.listed = _words(text)
        numbers = [_one(e.code, mark) for e in out.listed]
        if out.listed and all(n is not None for n in numbers):
            out.figures = [n for n, _ in (x for x in numbers if x)]
            out.unit = out.unit or next((u for _, u in (x for x in numbers if x) if u), "")
            out.listed = []
        if not out.listed and not out.figures:
            out.rest = text
        return out
    return _figures(text, out, mark)


def _special_units(text: str, out: Cell) -> str:
    """Take units of several words out of a text, and leave a plain one in their place."""
    if found := _PER_DEGREE.search(text):
        out.per_cell = bool(found["cell"] or found["first"])
        out.unit = "mV/°C"
        return _PER_DEGREE.sub(" ", text).strip()
    if found := _PER_CELL.search(text):
        out.per_cell = True
        return _PER_CELL.sub("mV" if (found["unit"] or "").lower().startswith("m") else "V", text)
    if _OF_CAPACITY.search(text):
        out.of_rated = "%" in text
        out.unit = "% of C" if "%" in text else "C"
        return re.sub(r"%", " ", _OF_CAPACITY.sub(" ", text)).strip()
    if OF_RATED.search(text):
        out.of_rated = True
        return OF_RATED.sub("%", text)
    return text


def _clock(text: str, out: Cell) -> Cell:
    times = [int(h) * 60 + int(m) for h, m in CLOCK.findall(text)]
    out.clock, out.unit = True, "HH:MM"
    if len(times) >= 2:
        out.low, out.high = float(min(times[0], times[1])), float(max(times[0], times[1]))
    else:
        out.default = out.default or f"{times[0] // 60:02d}:{times[0] % 60:02d}"
    return out


def _coded(text: str) -> list[Listed]:
    """Return the entries of a list whose words carry codes, such as ``0: off / 1: on``; empty for anything else."""
    for sign in (r"\s*[;|\n]\s*", r"\s*/\s*(?=\S)", r"\s*,\s*", r"\s{2,}", r"\s+(?=[\[(]?\d{1,2}[\])]?\s*[:=])"):
        parts = [p for p in re.split(sign, text) if p.strip()]
        if 2 <= len(parts) <= MAX_LISTED:
            found = [_entry(p) for p in parts]
            if all(found) and len({f.code for f in found if f}) == len(found) and not all(unit_of(f.shows)[0] for f in found if f):
                return [f for f in found if f]
    return []


def _entry(text: str) -> Listed | None:
    """Return a code and the word beside it; None where a text is no such pair."""
    if found := _BRACED.match(text):
        return Listed(found["code"] or found["code2"], (found["word"] or found["word2"]).strip())
    if RANGE.search(text):
        return None
    found = _CODED.match(text) or _SPACED.match(text)
    return Listed(found["code"], found["word"].strip()) if found else None


def _words(text: str) -> list[Listed]:
    """Return the entries of a list of words; empty for one word, or for a sentence."""
    for sign in (
        r"\s*[|;\n]\s*",
        r"\s+/\s+",
        r"\s*/\s*",
        r"\s*,\s*(?:(?:or|oder|ou|o|und|and|et|y|e)\s+)?",
        r"\s+(?:or|oder|ou|o|bzw\.)\s+",
        r"\s*[•·▪]\s*",
    ):
        parts = [p.strip(" .") for p in re.split(sign, text) if p.strip(" .-")]
        if 2 <= len(parts) <= MAX_LISTED:
            if sum(len(p.split()) > 7 for p in parts) > len(parts) / 2:
                return []
            return [Listed(p[:60], p[:60]) for p in dict.fromkeys(parts)]
    return []


def _one(text: str, mark: Mark) -> tuple[float, str] | None:
    """Return a single figure and its unit; None where a text is anything else."""
    found = re.fullmatch(rf"\s*(?P<n>{_SIGNED})(?P<u>{_AFTER})\s*", text, re.IGNORECASE)
    if not found:
        return None
    value = figure_of(found["n"], mark, [])
    return None if value is None else (value, unit_named(found["u"]))


def _figures(text: str, out: Cell, mark: Mark) -> Cell:
    if found := STEP.search(text):
        out.step = figure_of(found["a"] or found["b"], mark, out.doubts)
        out.step_unit = unit_named(found["ua"] or found["ub"])
        text = (text[: found.start()].rstrip(" (,;/[") + " " + text[found.end() :].lstrip(" )];/")).strip()
    plus = re.fullmatch(rf"\s*(?:±|\+/?-)\s*(?P<n>{_NUM})(?P<u>{_AFTER})\s*", text, re.IGNORECASE)
    if plus:
        high = figure_of(plus["n"], mark, out.doubts)
        out.low, out.high = (-high if high is not None else None), high
        out.unit = out.unit or unit_named(plus["u"])
        return out
    ranges = [
        f
        for f in RANGE.finditer(text)
        if not (_PLAIN_AND.search(f[0]) and not re.match(_BETWEEN, f[0], re.IGNORECASE) and not re.search(_TO, f[0]))
    ]
    if not ranges and (
        found := re.search(
            rf"\bmin\.?\s*[:=]?\s*(?P<low>{_SIGNED})(?P<u1>{_AFTER}).{{0,12}}?\bmax\.?\s*[:=]?\s*(?P<high>{_SIGNED})(?P<u2>{_AFTER})",
            text,
            re.IGNORECASE,
        )
    ):
        ranges = [found]
    rest = text
    for found in reversed(ranges):
        rest = rest[: found.start()] + " ; " + rest[found.end() :]
    for n, found in enumerate(ranges):
        low, high = figure_of(found["low"], mark, out.doubts), figure_of(found["high"], mark, out.doubts)
        before, unit = (unit_named(found[u]) for u in ("u1", "u2"))
        if before and unit and before != unit:
            out.doubts.append(f"the range has two units, {before} and {unit}")
        unit = unit or before
        if n == 0:
            out.low, out.high = low, high
            out.unit = out.unit or unit
        else:
            out.doubts.append(f"a second range, {found[0].strip()}, stands beside the first")
    if ranges and out.step is None and (found := _BRACKET.search(text[ranges[-1].end() :])):
        step = figure_of(found["a"] or found["b"], mark, [])
        if step and out.low is not None and out.high is not None and 0 < step <= (out.high - out.low) / 2 and not OFF.search(text):
            out.step, out.step_unit = step, unit_named(found["ua"] or found["ub"])
            rest = rest.replace(found[0].strip(), " ; ", 1)
    _beside(rest, out, mark)
    if out.low is not None and out.high is not None and out.low > out.high:
        out.doubts.append(f"the range runs from {out.low:g} down to {out.high:g}")
        out.low, out.high = out.high, out.low
    return out


def _beside(rest: str, out: Cell, mark: Mark) -> None:
    """Read what stands beside the ranges of a cell: single figures, what is off, words."""
    if re.fullmatch(r"\s*\d+(?:,\d+){2,}\s*", rest):
        rest = rest.replace(",", ";")
    zero_off = re.search(rf"(?<![\d.,])(?P<n>0+(?:[.,]0+)?)(?P<u>{_AFTER})\s*[=:(]\s*(?P<word>[^,;)]+)\)?", rest, re.IGNORECASE)
    if zero_off and OFF.search(zero_off["word"]):
        out.off = zero_off["n"]
        rest = rest[: zero_off.start()] + rest[zero_off.end() :]
    elif found := OFF.search(rest):
        out.off = out.off or found[0]
        rest = rest[: found.start()] + " ; " + rest[found.end() :]
    words = []
    rest = re.sub(rf"^\s*{_AND}\s|\s{_AND}\s*$|(?<=;)\s*{_AND}\s", " ", rest, flags=re.IGNORECASE)
    for part in re.split(r"\s*[;/|()\[\]]\s*|\s*,\s+|,(?=\s*[^\d])|\s+(?:or|oder|ou|o|and|und|et|y|e|bzw\.|sowie|además)\s+", rest):
        if not part or not part.strip(" .:,=-"):
            continue
        single = re.fullmatch(rf"\s*(?P<n>{_SIGNED})(?P<u>{_AFTER})\s*\.?", part, re.IGNORECASE)
        if single:
            value = figure_of(single["n"], mark, out.doubts)
            if value is not None:
                out.figures.append(value)
                out.unit = out.unit or unit_named(single["u"])
            continue
        most = re.fullmatch(
            rf"\s*(?P<w>max\.?|up to|≤|<=?|bis(?: zu)?|jusqu'à|hasta|fino a|höchstens|min\.?|≥|>=?|ab)\s*(?P<n>{_SIGNED})(?P<u>{_AFTER})\s*",
            part,
            re.IGNORECASE,
        )
        if most and out.low is None and out.high is None:
            value = figure_of(most["n"], mark, out.doubts)
            out.unit = out.unit or unit_named(most["u"])
            if re.match(r"min|≥|>|ab", most["w"], re.IGNORECASE):
                out.low = value
            else:
                out.high = value
            continue
        unit, per_cell, of = unit_of(part)
        if unit:
            out.unit, out.per_cell, out.of_rated = out.unit or unit, out.per_cell or per_cell, out.of_rated or of
            continue
        words.append(part.strip())
    out.rest = ", ".join(words)
    inside = out.low is not None and out.high is not None
    if inside and len(out.figures) == 1 and out.figures[0] == 0 and not (out.low <= 0 <= out.high) and not out.off:  # type: ignore[operator]
        out.off, out.figures = "0", []
    if inside and out.off == "" and not out.rest and len(out.figures) == 1 and out.low <= out.figures[0] <= out.high:  # type: ignore[operator]
        out.default, out.figures = out.default or f"{out.figures[0]:.12g}", []
