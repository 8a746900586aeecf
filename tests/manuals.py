"""Manuals' tables made up by a program: labels written as authors would (``data/labels.txt``), figures drawn, printed in many habits.

What is right stands beside each: it was drawn before anything was printed, so no reader had a part in it.
"""

import csv
import io
import random
from dataclasses import dataclass, field
from pathlib import Path

from openpyxl import Workbook

from ewerer.core.trade.quantities import QUANTITIES

LANGUAGES = ("en", "de", "fr", "es", "it")
YES_NO = {"en": ("On", "Off"), "de": ("Ein", "Aus"), "fr": ("Oui", "Non"), "es": ("Sí", "No"), "it": ("Attivo", "Disattivo")}
TO = {"en": "to", "de": "bis", "fr": "à", "es": "a", "it": "a"}
STEP = {"en": "step", "de": "Schritt", "fr": "pas", "es": "paso", "it": "passo"}
DEFAULT = {"en": "default", "de": "Werk", "fr": "défaut", "es": "por defecto", "it": "predefinito"}
ALL_STEPS = {
    "en": "Unless stated otherwise voltages are set in steps of {v} V, currents in steps of {a} A.",
    "de": "Wenn nicht anders angegeben: Spannungen in Schritten von {v} V, Ströme in Schritten von {a} A.",
    "fr": "Sauf indication contraire, tensions par pas de {v} V, courants par pas de {a} A.",
    "es": "Salvo indicación contraria, tensiones en pasos de {v} V, corrientes en pasos de {a} A.",
    "it": "Salvo diversa indicazione, tensioni a passi di {v} V, correnti a passi di {a} A.",
}
HEADERS = {
    "en": {"place": "No.", "name": "Parameter", "range": "Setting range", "step": "Step", "factory": "Default", "unit": "Unit", "min": "Min", "max": "Max", "note": "Remarks"},
    "de": {"place": "Nr.", "name": "Bezeichnung", "range": "Einstellbereich", "step": "Schrittweite", "factory": "Werkseinstellung", "unit": "Einheit", "min": "Min.", "max": "Max.", "note": "Bemerkung"},
    "fr": {"place": "N°", "name": "Désignation", "range": "Plage de réglage", "step": "Pas", "factory": "Réglage d'usine", "unit": "Unité", "min": "Mini", "max": "Maxi", "note": "Remarques"},
    "es": {"place": "N.º", "name": "Parámetro", "range": "Rango de ajuste", "step": "Paso", "factory": "Valor de fábrica", "unit": "Unidad", "min": "Mínimo", "max": "Máximo", "note": "Observaciones"},
    "it": {"place": "Voce", "name": "Descrizione", "range": "Campo di regolazione", "step": "Passo", "factory": "Valore di fabbrica", "unit": "Unità", "min": "Minimo", "max": "Massimo", "note": "Note"},
}  # fmt: skip
HEADINGS = {
    "en": ["BATTERY", "GRID AND GENERATOR", "OUTPUT", "GENERAL"],
    "de": ["BATTERIE", "NETZ UND GENERATOR", "AUSGANG", "ALLGEMEIN"],
    "fr": ["BATTERIE", "RÉSEAU ET GROUPE", "SORTIE", "GÉNÉRALITÉS"],
    "es": ["BATERÍA", "RED Y GRUPO", "SALIDA", "GENERAL"],
    "it": ["BATTERIA", "RETE E GRUPPO", "USCITA", "GENERALE"],
}
WORDS = {
    "battery_type": {
        "en": {"lead-agm": "AGM", "lead-gel": "Gel", "lead-flooded": "Flooded", "user": "User defined"},
        "de": {"lead-agm": "AGM", "lead-gel": "Gel", "lead-flooded": "Nass", "user": "Benutzerdefiniert"},
        "fr": {"lead-agm": "AGM", "lead-gel": "Gel", "lead-flooded": "Ouvert", "user": "Personnalisé"},
        "es": {"lead-agm": "AGM", "lead-gel": "Gel", "lead-flooded": "Abierta", "user": "Usuario"},
        "it": {"lead-agm": "AGM", "lead-gel": "Gel", "lead-flooded": "Vaso aperto", "user": "Personalizzata"},
    },
    "source_order": {
        "en": {"sun-bank-mains": "Solar - battery - grid", "sun-mains": "Solar - grid - battery", "mains-first": "Grid - solar - battery"},
        "de": {"sun-bank-mains": "Solar - Batterie - Netz", "sun-mains": "Solar - Netz - Batterie", "mains-first": "Netz - Solar - Batterie"},
        "fr": {"sun-bank-mains": "Solaire - batterie - réseau", "sun-mains": "Solaire - réseau - batterie", "mains-first": "Réseau - solaire - batterie"},
        "es": {"sun-bank-mains": "Solar - batería - red", "sun-mains": "Solar - red - batería", "mains-first": "Red - solar - batería"},
        "it": {"sun-bank-mains": "Solare - batteria - rete", "sun-mains": "Solare - rete - batteria", "mains-first": "Rete - solare - batteria"},
    },
    "charge_order": {
        "en": {"sun-only": "Solar only", "sun-first": "Solar first", "sun-and-mains": "Solar and grid", "mains-first": "Grid first"},
        "de": {"sun-only": "Nur Solar", "sun-first": "Solar zuerst", "sun-and-mains": "Solar und Netz", "mains-first": "Netz zuerst"},
        "fr": {"sun-only": "Solaire uniquement", "sun-first": "Solaire en priorité", "sun-and-mains": "Solaire et réseau", "mains-first": "Réseau en priorité"},
        "es": {"sun-only": "Solo solar", "sun-first": "Solar primero", "sun-and-mains": "Solar y red", "mains-first": "Red primero"},
        "it": {"sun-only": "Solo solare", "sun-first": "Prima solare", "sun-and-mains": "Solare e rete", "mains-first": "Prima rete"},
    },
}  # fmt: skip
OTHERS = {
    "en": ["Alpha", "Beta", "Gamma"],
    "de": ["Anna", "Berta", "Cäsar"],
    "fr": ["Aube", "Brise", "Cime"],
    "es": ["Alba", "Brisa", "Cima"],
    "it": ["Alba", "Brezza", "Cima"],
}
VOLTS = {
    "absorb_v": (1.0, 1.25, 1.175), "float_v": (1.0, 1.25, 1.125), "equalise_v": (1.0, 1.3, 1.217), "shutdown_v": (0.83, 1.0, 0.9), "restart_v": (0.9, 1.15, 1.04),
    "alarm_v": (0.85, 1.05, 0.92), "recharge_v": (0.95, 1.15, 1.05), "to_mains_v": (0.85, 1.06, 0.96), "return_bank_v": (1.0, 1.2, 1.12), "gen_start_v": (0.85, 1.06, 0.94), "gen_stop_v": (1.0, 1.25, 1.14),
}  # fmt: skip
FIGURES = {
    "equalise_min": (5, 900, 5, "min", 60), "equalise_days": (1, 90, 1, "days", 30), "absorb_min": (5, 300, 5, "min", 120),
    "shutdown_soc": (5, 50, 1, "%", 20), "alarm_soc": (5, 60, 1, "%", 25), "restart_soc": (10, 90, 1, "%", 40), "gen_start_soc": (5, 70, 1, "%", 25), "gen_stop_soc": (40, 100, 1, "%", 85),
    "charge_max_a": (10, 140, 10, "A", 60), "mains_charge_max_a": (2, 80, 1, "A", 30), "sun_charge_max_a": (10, 120, 10, "A", 80), "discharge_max_a": (20, 300, 5, "A", 200),
    "ac_input_max_a": (5, 63, 1, "A", 32), "tail_a": (1, 50, 0.5, "A", 10), "temp_comp_mv_per_c": (-8, 0, 0.5, "mV/°C", -3), "low_temp_stop_c": (-20, 10, 1, "°C", 2), "temp_stop_c": (40, 70, 1, "°C", 55),
    "capacity_ah": (50, 4000, 10, "Ah", 400), "output_v": (208, 240, 1, "V", 230), "output_hz": (45, 65, 0.5, "Hz", 50), "ac_low_off_v": (90, 200, 1, "V", 180), "ac_high_off_v": (240, 290, 1, "V", 265),
    "address": (1, 32, 1, "", 1), "gen_warm_up_s": (0, 300, 5, "s", 60), "gen_cool_down_min": (0, 15, 1, "min", 3), "gen_min_run_min": (10, 240, 10, "min", 60), "export_limit_w": (0, 8000, 100, "W", 5000), "shutdown_delay_s": (1, 120, 1, "s", 30),
}  # fmt: skip
RARE_FORMS = ("per-cell", "rated", "off", "besides")


@dataclass
class Entry:
    """A setting as it was drawn: what is printed follows from it, and what is right is it."""

    label: str
    quantity: str | None
    min: float | None = None
    max: float | None = None
    step: float | None = None
    unit: str = ""
    factory: str = ""
    choices: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    off: float | str | None = None
    per_cell: int | None = None
    of_rated: bool = False
    coded: bool = False
    clock: bool = False


@dataclass
class Habit:
    """How an author prints a table."""

    language: str = "en"
    form: str = "tabs"  # tabs commas semicolons bars gaps loose sheet
    dash: str = "~"
    unit: str = "end"  # both end column header label
    step: str = "column"  # column inside above none
    factory: str = "column"  # column inside
    code: str = "{n:02d}"  # empty: none
    ends: bool = False  # lowest and highest in columns of their own
    header: bool = True
    headings: bool = True
    path: bool = False
    second: str = ""  # a second language beside the first, in the same cell
    wrap: bool = False
    marks: bool = False
    pages: bool = False


def labels():
    """Every line of the list: quantity, then the labels of each language."""
    lines = (Path(__file__).parent / "data" / "labels.txt").read_text(encoding="utf-8").splitlines()
    for line in lines:
        if line and not line.startswith("#"):
            name, *langs = (part.strip() for part in line.split("|"))
            yield (None if name == "-" else name), dict(zip(LANGUAGES, [text.split(" / ") for text in langs], strict=True))


def draw(chance: random.Random, language: str, number: int, class_v: int = 48, rare: bool = True) -> list[Entry]:
    """Settings of a device that is not there, each quantity once."""
    pool = list(labels())
    chance.shuffle(pool)
    out = []
    for name, by_language in pool[:number]:
        label = chance.choice(by_language[language])
        if any(e.label == label for e in out):
            continue
        out.append(_entry(chance, label, name, language, class_v, rare))
    return out


def _entry(chance, label, name, language, class_v, rare):
    if name is None:
        if chance.random() < 0.5:
            words = OTHERS[language]
            return Entry(label, None, choices={w: (w, None) for w in words}, factory=chance.choice(words))
        return Entry(label, None, 1, 9, 1, "", str(chance.randrange(1, 10)))
    q = QUANTITIES[name]
    if q.kind == "switch":
        yes, no = YES_NO[language]
        return Entry(label, name, choices={yes: (yes, "yes"), no: (no, "no")}, factory=chance.choice((yes, no)))
    if name in WORDS:
        words = list(WORDS[name][language].items())
        chance.shuffle(words)
        if chance.random() < 0.7 or name != "battery_type":
            return Entry(
                label,
                name,
                choices={str(i): (w, key) for i, (key, w) in enumerate(words)},
                factory=str(chance.randrange(len(words))),
                coded=True,
            )
        return Entry(label, name, choices={w: (w, key) for key, w in words}, factory=words[0][1])
    if name == "bms_protocol":
        return Entry(label, name, choices={str(i): (w, None) for i, w in enumerate(OTHERS[language])}, factory="0", coded=True)
    if q.kind == "clock":
        at = chance.randrange(0, 24 * 60, 15)
        return Entry(label, name, 0, 23 * 60 + 59, None, "HH:MM", f"{at // 60:02d}:{at % 60:02d}", clock=True)
    if name in VOLTS:
        low, high, usual = (round(class_v * r * 5) / 5 for r in VOLTS[name])
        if rare and chance.random() < 0.12:
            low, high, usual = (round(r * 2, 2) for r in VOLTS[name])
            return Entry(label, name, low, high, 0.01, "V", f"{usual:g}", per_cell=2)
        return Entry(label, name, low, high, chance.choice((0.1, 0.2)), "V", f"{usual:g}")
    low, high, step, unit, usual = FIGURES[name]
    e = Entry(label, name, low, high, step, unit, f"{usual:g}")
    if rare and name in ("equalise_min", "absorb_min", "gen_warm_up_s") and chance.random() < 0.5:
        e.min, e.off = max(low, 5), 0.0
        e.factory = f"{usual:g}"
    elif rare and name in ("charge_max_a", "mains_charge_max_a", "discharge_max_a") and chance.random() < 0.25:
        e.min, e.max, e.step, e.unit, e.factory, e.of_rated = 10, 100, 1, "%", "50", True
    elif rare and name == "temp_comp_mv_per_c" and chance.random() < 0.5:
        e.per_cell = 2
    return e


def figure(value: float, habit: Habit, step: float | None = None) -> str:
    """A figure as printed: with the decimals of its step, and the decimal sign of its language."""
    places = len(f"{step:g}".partition(".")[2]) if step is not None else len(f"{value:g}".partition(".")[2])
    text = f"{value:.{places}f}"
    return text if habit.language == "en" else text.replace(".", ",")


def _unit(e: Entry, habit: Habit) -> str:
    cell = {"en": "cell", "de": "Zelle", "fr": "él.", "es": "celda", "it": "cella"}[habit.language]
    if e.per_cell:
        return f"{e.unit}/{cell}"
    if e.unit == "days":
        return {"en": "days", "de": "Tage", "fr": "jours", "es": "días", "it": "giorni"}[habit.language]
    return e.unit


def _factory(e: Entry, habit: Habit) -> str:
    return e.factory if e.choices or e.clock or not e.factory else figure(float(e.factory), habit)


def _range(e: Entry, habit: Habit) -> str:
    inside = f" ({DEFAULT[habit.language]}: {_factory(e, habit)})" if habit.factory == "inside" else ""
    if e.clock:
        return f"00:00{habit.dash if habit.dash != 'to' else ' - '}23:59" + inside
    if e.choices:
        sign = " / " if habit.form != "bars" else ", "
        return sign.join(f"{code}: {shows}" if e.coded else shows for code, (shows, _) in e.choices.items()) + inside
    unit = _unit(e, habit) if habit.unit in ("both", "end") else ""
    dash = f" {TO[habit.language]} " if habit.dash == "to" else habit.dash
    low, high = figure(e.min, habit, e.step), figure(e.max, habit, e.step)
    space = "" if habit.unit == "both" and unit != "days" else " "
    text = f"{low}{space + unit if habit.unit == 'both' and unit else ''}{dash}{high}{space + unit if unit else ''}"
    if e.off is not None:
        text = f"0 {unit}, {text}" if unit else f"0; {text}"
    if habit.step == "inside" and e.step is not None:
        step = f"{figure(e.step, habit)}{' ' + unit if unit else ''}"
        text += f" ({STEP[habit.language]} {step})" if habit.form != "loose" else f", {STEP[habit.language]} {step}"
    return text + inside


def table(entries: list[Entry], habit: Habit, chance: random.Random):
    """The source of a table, and for each entry the label as a reader should give it."""
    head = HEADERS[habit.language]
    columns = [
        c
        for c in (
            "place" if habit.code else "",
            "name",
            *(("min", "max") if habit.ends else ("range",)),
            "step" if habit.step == "column" else "",
            "factory" if habit.factory == "column" else "",
            "unit" if habit.unit == "column" else "",
            "note" if habit.marks else "",
        )
        if c
    ]
    rows: list[list[str]] = []
    above: list[list[str]] = []
    if habit.step == "above":
        text = ALL_STEPS[habit.language].format(v=figure(0.1, habit), a=1)
        above.append([text])
        for e in entries:
            if e.step is not None and not e.choices:
                e.step = 0.1 if e.unit == "V" and not e.per_cell and e.quantity in VOLTS else e.step
    if habit.header:
        rows.append([head[c] for c in columns])
    headings = HEADINGS[habit.language]
    for n, e in enumerate(entries, 1):
        e.off = None if habit.ends else e.off  # columns of ends have no place for it
        if habit.headings and n % 15 == 1:
            rows.append([headings[(n // 15) % len(headings)]])
        cells = {
            "place": habit.code.format(n=n) if habit.code else "",
            "name": e.label,
            "range": _range(e, habit),
            "factory": _factory(e, habit),
            "note": "",
        }
        if habit.path:
            cells["name"] = f"{headings[0].title()} > {e.label}"
        if habit.second:
            other = next((ls[habit.second][0] for q, ls in labels() if e.label in ls[habit.language]), "")
            cells["name"] = f"{e.label} / {other}"
        cells["unit"] = "" if e.clock else _unit(e, habit)
        cells["step"] = (
            figure(e.step, habit) + (f" {_unit(e, habit)}" if habit.unit == "both" and e.unit else "")
            if e.step is not None and not e.choices
            else ""
        )
        if habit.ends:
            ends = not e.choices and not e.clock
            cells["min"], cells["max"] = (
                (figure(e.min, habit, e.step), figure(e.max, habit, e.step))
                if ends
                else ("00:00", "23:59")
                if e.clock
                else ("", _range(e, habit))
            )
        if habit.unit == "label" and _unit(e, habit) and not e.choices and not e.clock:
            cells["name"] += f" [{_unit(e, habit)}]"
        if habit.marks and n % 9 == 0:
            cells["name"] += " *"
        row = [cells[c] for c in columns]
        words = cells["name"].split()
        if habit.wrap and n % 6 == 0 and len(words) > 3 and words[-1][:1].islower():
            at = columns.index("name")
            row[at] = " ".join(words[:-1])
            rows += [row, ["" if k != at else words[-1] for k in range(len(columns))]]
        else:
            rows.append(row)
        if habit.pages and n % 20 == 0:
            rows += [[f"Page {n // 20} / 3"], [head[c] for c in columns]]
    if habit.marks:
        rows.append(["* only at the installer's level"])
    return _printed(above, rows, len(columns), habit)


def _printed(above, rows, width, habit):
    filled = [r + [""] * (width - len(r)) for r in above + rows]
    if habit.form == "sheet":
        book, out = Workbook(), io.BytesIO()
        sheet = book.active
        for r in filled:
            sheet.append([_native(c) for c in r])
        for i, r in enumerate(above + rows, 1):
            if len(r) == 1 and width > 1:
                sheet.merge_cells(start_row=i, end_row=i, start_column=1, end_column=width)
        book.save(out)
        return out.getvalue()
    if habit.form in ("commas", "semicolons"):
        text = io.StringIO()
        csv.writer(text, delimiter="," if habit.form == "commas" else ";").writerows(filled)
        return text.getvalue()
    if habit.form == "bars":
        lines = ["| " + " | ".join(r) + " |" for r in filled]
        return "\n".join([lines[0], "|" + "---|" * width, *lines[1:]]) if habit.header and not above else "\n".join(lines)
    if habit.form == "gaps":
        wide = [max(len(r[k]) for r in filled if sum(bool(c) for c in r) > 1) for k in range(width)]
        return "\n".join(
            r[0] if sum(bool(c) for c in r) == 1 and r[0] else "   ".join(c.ljust(w) for c, w in zip(r, wide, strict=True)).rstrip()
            for r in filled
        )
    if habit.form == "loose":
        return "\n".join(" ".join(c for c in r if c) for r in filled)
    return "\n".join("\t".join(r) for r in filled)


def _native(cell):
    try:
        return float(cell)
    except ValueError:
        return cell


TWELVE: list[tuple[str, int, int, Habit]] = [
    ("english, tabs", 1, 48, Habit()),
    ("german, commas in figures, ends in columns", 2, 48, Habit("de", "tabs", "-", "column", "column", "column", "P-{n}", ends=True)),
    ("french, semicolons, steps above", 3, 24, Habit("fr", "semicolons", " à ", "both", "above", "column", "", headings=False)),
    ("spanish, bars", 4, 48, Habit("es", "bars", " - ", "end", "column", "column", "{n}")),
    ("italian, sheet, merged headings", 5, 12, Habit("it", "sheet", "...", "end", "column", "column", "A{n:02d}")),
    ("english, sheet, units in the labels, no header", 6, 48, Habit("en", "sheet", " to ", "label", "column", "column", "", header=False, headings=False)),
    ("german, columns of a page, names over two lines", 7, 24, Habit("de", "gaps", " ... ", "end", "column", "column", "{n:02d}", wrap=True, pages=True)),
    ("english, lines of a page", 8, 48, Habit("en", "loose", "-", "end", "inside", "column", "{n:02d}", headings=False)),
    ("french, columns of a page, everything in one cell", 9, 48, Habit("fr", "gaps", " - ", "end", "inside", "inside", "[{n}]")),
    ("spanish and english in one cell, path in the name", 10, 48, Habit("es", "tabs", "~", "end", "column", "column", "", second="en", headings=False)),
    ("italian, commas, menu path, no numbers", 11, 24, Habit("it", "semicolons", " ÷ ", "end", "inside", "column", "", path=True, headings=False)),
    ("hostile: english, marks, pages, wraps, ends apart, no units but a column", 12, 12, Habit("en", "gaps", " – ", "column", "column", "column", "C{n}", wrap=True, marks=True, pages=True)),
]  # fmt: skip
"""The twelve: what they are, seed, voltage class, habit."""


def drawn_habit(chance: random.Random) -> Habit:
    """Any author's habit, by chance."""
    language = chance.choice(LANGUAGES)
    form = chance.choice(("tabs", "commas", "semicolons", "bars", "gaps", "loose", "sheet"))
    loose = form == "loose"
    ends = not loose and chance.random() < 0.2
    return Habit(
        language,
        form,
        chance.choice(("~", "-", " - ", " – ", "...", " ... ", "to", " ÷ ", "..")),
        chance.choice(("column", "label"))
        if ends
        else chance.choice(("both", "end") if loose else ("both", "end", "column", "label")),
        chance.choice(
            ("inside", "none") if loose else ("column", "above", "none") if ends else ("column", "inside", "above", "none")
        ),
        "column" if loose or ends else chance.choice(("column", "column", "inside")),
        chance.choice(("{n:02d}", "P-{n}", "C{n}", "{n}") if loose else ("{n:02d}", "P-{n}", "C{n}", "", "3.{n}")),
        ends=ends,
        header=loose or chance.random() < 0.8,
        headings=not loose and chance.random() < 0.5,
        path=not loose and chance.random() < 0.15,
        wrap=not loose and chance.random() < 0.2,
        marks=not loose and chance.random() < 0.2,
        pages=not loose and chance.random() < 0.2,
    )


def compare(entries: list[Entry], read, habit: Habit):
    """What is wrong with a table as read: (label, what, right, read) for each; and which of it is said to be sure."""
    by_label = {}
    for r in read.rows:
        by_label.setdefault(r.label.split(" / ")[0], r)
    wrong = []
    for e in entries:
        r = by_label.get(e.label[:60])
        if r is None:
            wrong.append((e.label, "row", "there", "not there", False))
            continue
        step = (
            None
            if habit.step == "none" or e.clock or (habit.step == "above" and not (e.unit in ("V", "A") and not e.of_rated))
            else e.step
        )
        if habit.step == "above" and e.unit == "V":
            step = 0.1
        if habit.step == "above" and e.unit == "A":
            step = 1
        pairs = [("quantity", e.quantity, r.quantity)]
        if e.choices:
            pairs.append(("choices", {k: v[0] for k, v in e.choices.items()}, {k: c.shows for k, c in r.choices.items()}))
            if e.quantity:
                pairs.append(("meanings", {k: v[1] for k, v in e.choices.items()}, {k: c.means for k, c in r.choices.items()}))
        else:
            pairs += [
                ("min", e.min, r.min),
                ("max", e.max, r.max),
                ("unit", e.unit, r.unit),
                ("off", e.off, r.off),
                ("per_cell", e.per_cell, r.per_cell),
                ("of_rated", e.of_rated, r.of_rated),
            ]
            if step is not None and e.quantity not in ("address",):
                pairs.append(("step", step, r.step))
        pairs.append(("factory", e.factory, r.factory))
        wrong += [(e.label, what, right, got, r.sure) for what, right, got in pairs if right != got]
    return wrong
