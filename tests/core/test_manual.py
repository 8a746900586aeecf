"""Tables of manuals, as people paste them: every column, unit and language; never a silent misreading, nothing confirmed lost."""

import io
import json
import random
from pathlib import Path

import pytest
from hypothesis import given, strategies as st
from openpyxl import Workbook

from ewerer.core.devices.codec import decode, encode
from ewerer.core.devices.lacks import WANTED, lacks
from ewerer.core.devices.library import parse_profile, shipped_library
from ewerer.core.devices.manual import Decided, ManualTable, read_table, take
from ewerer.core.devices.manual.cells import read_cell, unit_of
from ewerer.core.devices.manual.words import choice_meaning, likeness
from ewerer.core.documents.profiles import Setting
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.quantities import QUANTITIES
from ewerer.core.trade.usual import FIGURES, PER_CLASS, is_usual
from tests.manuals import TWELVE, compare, draw, drawn_habit, labels, table
from tests.sizes import EXPLORE

HEAD = ["No.", "Setting", "Range", "Step", "Factory"]
ROWS = [
    ["01", "Absorption voltage", "48.0~58.4V", "0.1V", "56.4V"],
    ["02", "Float voltage", "48.0~58.4V", "0.1V", "54.0V"],
    ["03", "Maximum charging current", "5-100A", "5A/div", "60A"],
    ["04", "Battery cut-off voltage", "40.0~52.0V", "0.1V", "44.0V"],
    ["05", "Minimum SOC", "5-50%", "1%", "20%"],
    ["06", "Equalisation", "On / Off", "", "On"],
    ["07", "Absorption time", "5 to 180 min", "5", "60"],
]
RIGHT = ["absorb_v", "float_v", "charge_max_a", "shutdown_v", "shutdown_soc", "equalise_on", "absorb_min"]
PLATE = {
    "ewerer": "inverter/1", "id": "made", "name": "Made", "maker": "own", "ac_volts": [230], "ac_hz": [50], "topologies": ["single"],
    "ratings": {"continuous_w": 5000, "surge_w": 10000, "charge_max_a": 100, "ac_charge_max_a": 60, "battery_v_min": 40, "battery_v_max": 60, "class_v": 48},
}  # fmt: skip


def joined(sign, rows=(HEAD, *ROWS)):
    return "\n".join(sign.join(r) for r in rows)


def book(rows=(HEAD, *ROWS)):
    out, held = Workbook(), io.BytesIO()
    for row in rows:
        out.active.append(list(row))
    out.save(held)
    return held.getvalue()


def one(cells, head="Setting\tRange\tStep", others="Float voltage\t48.0~58.4 V\t0.1"):
    """The row of a table with one more, so that its figures tell the class."""
    return read_table(f"{head}\n{cells}\n{others}").rows[0]


def confirmed(read, **changes):
    """Every row as a person confirms it who knows all: steps where none is printed."""
    return [
        Decided(**{**r.model_dump(), "step": r.step or (1.0 if not r.choices else None), "rated": 100.0, **changes})
        for r in read.rows
    ]


@pytest.mark.parametrize(
    "source",
    [joined("\t"), joined(" | "), joined(";"), joined("   "), joined(","), joined("\t", ROWS), joined("\t").encode(), book(), book(ROWS),
     joined("\t").replace("\n", "\r\n"), joined("\t").encode("utf-16"), "\n\n" + joined("\t"), joined(" ", ROWS)],
    ids=["tabs", "bars", "semicolons", "gaps", "commas", "no header", "bytes", "xlsx", "xlsx no header", "cr", "utf-16", "blank lines", "lines of a page"],
)  # fmt: skip
def test_one_table_in_every_form_reads_alike(source):
    read = read_table(source)
    assert [r.quantity for r in read.rows] == RIGHT
    first, amps, soc = read.rows[0], read.rows[2], read.rows[4]
    assert (first.min, first.max, first.step, first.factory, first.unit) == (48.0, 58.4, 0.1, "56.4", "V")
    assert (amps.min, amps.max, amps.step, amps.unit) == (5, 100, 5, "A")
    assert {c: v.means for c, v in read.rows[5].choices.items()} == {"On": "yes", "Off": "no"}
    assert all(not r.doubts for r in read.rows)
    made = take(confirmed(read))
    assert not made.refused and soc.label == made.settings[4]["label"]
    assert made.settings[4]["encoding"] == {"kind": "plain", "scale": 100.0}
    assert made.settings[5]["encoding"] == {"kind": "on-off", "choices": {"yes": "On", "no": "Off"}}


def test_what_it_makes_is_a_profile_that_plans_can_use():
    profile = parse_profile(json.dumps({**PLATE, "settings": take(confirmed(read_table(joined("\t")))).settings}))
    assert set(profile.by_quantity) == set(RIGHT)
    assert {x.quantity for x in lacks(profile) if x.kind == "lacking"} == set(WANTED["inverter"]) - set(RIGHT) - {"restart_soc"}


@pytest.mark.parametrize(
    ("text", "span", "step", "unit"),
    [
        ("44.0~58.4V", (44, 58.4), None, "V"), ("48-58.4 V (0.1 V)", (48, 58.4), 0.1, "V"), ("48...58 V", (48, 58), None, "V"), ("40 to 60 V", (40, 60), None, "V"),
        ("40–60 Vdc, step 0.2 V", (40, 60), 0.2, "V"), ("5A - 100A (5A/step)", (5, 100), 5, "A"), ("0-100%", (0, 100), None, "%"), ("-20 ~ 10 °C", (-20, 10), None, "°C"),
        ("−20 − 10 °C", (-20, 10), None, "°C"), ("-5--1 A", (-5, -1), None, "A"), ("±5 A", (-5, 5), None, "A"), ("40 bis 60 V", (40, 60), None, "V"),
        ("5 à 180 min", (5, 180), None, "min"), ("10 hasta 60 A", (10, 60), None, "A"), ("da 10 a 60 A", (10, 60), None, "A"), ("entre 10 y 60 A", (10, 60), None, "A"),
        ("1 000-6 000 W", (1000, 6000), None, "W"), ("0.1C - 1.0C", (0.1, 1.0), None, "C"), ("von 40 bis 60 V in Schritten von 2 V", (40, 60), 2, "V"),
        ("min 5 A, max 60 A", (5, 60), None, "A"), ("40 ÷ 60 V, passo 0.5 V", (40, 60), 0.5, "V"), ("40 V → 60 V".replace("→", "~"), (40, 60), None, "V"),
    ],
)  # fmt: skip
def test_ranges_as_manuals_print_them(text, span, step, unit):
    cell = read_cell(text, ".")
    assert (cell.low, cell.high, cell.step, cell.unit) == (*span, step, unit)
    assert not cell.doubts and not cell.rest


@pytest.mark.parametrize(
    ("row", "right"),
    [
        ("Charge temperature stop\t45~60 °C\t1", {"quantity": "temp_stop_c"}),
        ("Low temperature stop\t45~60 °C\t1", {"sure": False}),
        ("Tension d'absorption\t2,25 - 2,50 V/él.\t0,01", {"quantity": "absorb_v", "unit": "V", "per_cell": 2, "min": 2.25}),
        ("Absorptionsspannung\t2,25 - 2,50 V/Zelle\t0,01", {"per_cell": 2}),
        ("Tensión de absorción\t2,25 - 2,50 V/celda\t0,01", {"per_cell": 2}),
        ("Tensione di assorbimento\t2,25 - 2,50 V/cella\t0,01", {"per_cell": 2}),
        ("Absorption voltage\t3.40-3.60 V per cell\t0.01", {"per_cell": 1}),
        ("Absorption voltage\t2.25-2.50 V\t0.01", {"sure": False}),
        ("Absorption time\t0:00-24:00\t", {"unit": "HH:MM", "max": 1440.0, "quantity": None, "sure": False}),
        ("Fin de charge\t2 % à 10 % C\t1", {"quantity": "tail_a", "of_rated": True, "min": 2.0, "max": 10.0}),
        ("Temperature compensation\t-5…0 mV/°C/cell\t1", {"quantity": "temp_comp_mv_per_c", "per_cell": 2, "unit": "mV/°C", "min": -5.0}),
        ("Max charge current\t2A, 10A~80A\t10", {"min": 2.0, "max": 80.0, "codes": ["2", "10", "20", "30", "40", "50", "60", "70", "80"]}),
        ("Max charge current\t10A~80A and 2A\t10", {"codes": ["2", "10", "20", "30", "40", "50", "60", "70", "80"]}),
        ("Equalisation time\t0 min, 30..180 min\t5", {"off": 0.0, "min": 30.0, "max": 180.0}),
        ("Equalisation time\tOFF, 30..180 min\t5", {"off": "OFF", "min": 30.0}),
        ("Max charge current\t5…100 %\t1", {"quantity": "charge_max_a", "of_rated": True}),
        ("Max charge current\t2/10/20/30 A\t", {"step": None, "codes": ["2", "10", "20", "30"], "quantity": "charge_max_a"}),
        ("Max charge current\t10/20/30 A\t", {"step": 10.0, "min": 10.0, "max": 30.0, "codes": []}),
        ("Equalisation\tENA/DIS\t", {"quantity": "equalise_on", "means": ["yes", "no"], "sure": True}),
        ("Battery type\t0: AGM / 1: Flooded / 2: User\t", {"codes": ["0", "1", "2"], "means": ["lead-agm", "lead-flooded", "user"]}),
        ("Battery type\tAGM (0), Flooded (1), User (2)\t", {"codes": ["0", "1", "2"]}),
        ("Max charge current\t60A\t", {"sure": False, "min": None}),
    ],
)  # fmt: skip
def test_rows_that_went_wrong_once(row, right):
    got = one(row)
    shown = {**got.model_dump(), "codes": list(got.choices), "means": [c.means for c in got.choices.values()]}
    assert {k: shown[k] for k in right} == right


@pytest.mark.parametrize(
    ("text", "right"),
    [("V/él.", ("V", True, False)), ("V/Zelle", ("V", True, False)), ("mV/°C/cell", ("mV/°C", True, False)), ("% of rated", ("%", False, True)),
     ("% vom Nennstrom", ("%", False, True)), ("% de la capacité", ("% of C", False, True)), ("Minuten", ("min", False, False)), ("días", ("days", False, False)), ("xyz", ("", False, False))],
)  # fmt: skip
def test_units_of_five_languages(text, right):
    assert unit_of(text) == right


@pytest.mark.parametrize(("what", "seed", "class_v", "habit"), TWELVE, ids=[t[0] for t in TWELVE])
def test_the_twelve_tables(what, seed, class_v, habit):
    """At least 95 of 100 rows right without help, nothing sure and wrong, nothing lost once it is confirmed."""
    chance = random.Random(seed)
    entries = draw(chance, habit.language, 50, class_v)
    read = read_table(table(entries, habit, chance))
    wrong = compare(entries, read, habit)
    assert len({w[0] for w in wrong}) <= 0.05 * len(entries), wrong
    assert not [w for w in wrong if w[4] and w[1] in ("quantity", "meanings")]
    made = take(confirmed(read), class_v=float(class_v))
    assert len(made.settings) + len(made.refused) == len(read.rows)
    assert not made.refused, made.refused
    taken = {s["label"]: s for s in made.settings}
    assert all(taken[r.label].get("quantity") == r.quantity for r in read.rows)


@pytest.mark.parametrize("name", ["codes-only.txt", "numbered.txt", "two-languages.txt"])
def test_tables_written_by_other_hands(name):
    """Codes for names, numbered parts of a menu, two languages in a cell: every row is there, nothing is sure and wrong, most is right."""
    folder = Path(__file__).parents[1] / "data" / "manuals"
    right = json.loads((folder / "right.json").read_text())[name]
    rows = {r.label: r for r in read_table((folder / name).read_bytes()).rows}
    assert set(rows) == set(right)
    assert not [label for label, r in rows.items() if r.sure and r.quantity != right[label]["quantity"]]
    figures = [
        (label, key)
        for label, wanted in right.items()
        for key, v in wanted.items()
        if key != "quantity" and rows[label].model_dump()[key] != v
    ]
    assert not figures
    assert sum(rows[label].quantity == wanted["quantity"] for label, wanted in right.items()) >= 0.6 * len(right)


@pytest.mark.parametrize("seed", range(4000 if EXPLORE else 20))
def test_any_habit_of_printing(seed):
    """Drawn tables in drawn habits: nothing is sure and wrong, no row is lost, and nearly all are right."""
    chance = random.Random(10_000 + seed)
    habit = drawn_habit(chance)
    entries = draw(chance, habit.language, chance.randrange(25, 50), chance.choice((12, 24, 48)))
    read = read_table(table(entries, habit, chance))
    wrong = compare(entries, read, habit)
    assert not [w for w in wrong if w[4] and w[1] in ("quantity", "meanings") and w[3] is not None], habit
    assert len({w[0] for w in wrong}) <= 0.12 * len(entries), (habit, wrong)


def test_names_of_five_languages_are_understood():
    """Names as authors write them, collected apart from the words of the reader: nine of ten at once, in every language."""
    units = {"volts": "V", "edge": "V", "ac volts": "V", "soc": "%", "level": "%", "amps": "A"}
    for language in ("en", "de", "fr", "es", "it"):
        right = of = 0
        for name, names in labels():
            if name is None:
                continue
            q = QUANTITIES[name]
            form = {"choice": "choice", "switch": "switch", "clock": "clock"}.get(q.kind, "figure")
            for label in names[language]:
                got = likeness(label, units.get(q.kind, q.unit), form)
                right += max(got, key=lambda n: got[n], default="") == name
                of += 1
        assert right >= 0.97 * of, (language, right, of)


def test_phrases_of_the_trade_also_with_a_slip():
    phrases = json.loads((Path(__file__).parents[1] / "data" / "phrases.json").read_text())
    units = {"volts": "V", "edge": "V", "ac volts": "V", "soc": "%", "level": "%", "amps": "A"}
    chance = random.Random(3)
    first = near = of = 0
    for name, texts in phrases.items():
        q = QUANTITIES[name]
        form = {"choice": "choice", "switch": "switch", "clock": "clock"}.get(q.kind, "figure")
        for text in texts:
            of += 1
            got = likeness(text, units.get(q.kind, q.unit), form)
            first += max(got, key=lambda n: got[n], default="") == name
            long = max(text.split(), key=len)
            cut = chance.randrange(1, max(2, len(long) - 1))
            slip = likeness(text.replace(long, long[:cut] + long[cut + 1 :], 1), units.get(q.kind, q.unit), form)
            near += name in sorted(slip, key=lambda n: slip[n], reverse=True)[:6]
    assert first >= 0.97 * of, (first, of)
    assert near >= 0.85 * of, (near, of)


def test_words_of_a_choice_say_what_they_mean_or_nothing():
    assert choice_meaning("source_order", "Grid first") == "mains-first"
    assert choice_meaning("charge_order", "Nur Solar") == "sun-only"
    assert choice_meaning("charge_order", "Solar und Netz") == "sun-and-mains"
    assert choice_meaning("battery_type", "Lithium") is None
    assert choice_meaning("role", "A1") is None


def test_what_could_be_two_figures_is_said_and_not_taken():
    row = one("Export power limit\t0-12,000 W\t100")
    assert row.max is None and any("could be 12000 or 12" in p for p in row.doubts) and not row.sure


def test_one_quantity_goes_to_one_row_and_a_better_row_takes_it():
    rows = read_table(
        "Setting\tRange\tStep\nBattery float\t48~58V\t0.1\nFloat voltage\t48~58V\t0.1\nFloat charge voltage\t48~58V\t0.1"
    ).rows
    assert [r.quantity for r in rows].count("float_v") == 1
    assert not any(r.sure for r in rows)
    assert any("taken" in p for r in rows for p in r.doubts)
    worse = read_table("Setting\tRange\tStep\nCharge current of the lamp\t5~60 A\t1\nMaximum charging current\t5~100 A\t5").rows
    assert [r.quantity for r in worse] == [None, "charge_max_a"]


def test_rows_of_something_else_stay_without_a_quantity():
    row = one("Colour of the casing lights\t1~9\t1")
    assert row.quantity is None and not row.sure


def test_what_is_no_setting_is_said():
    text = (
        "Abbreviations: VA1 = absorption voltage, VF1 = float voltage\nVoltages in steps of 0.1 V.\nNo.\tName\tRange\tDefault\nBATTERY\n01\tVA1\t48.0~58.4 V\t56.4\n"
        "02\tVF1 *\t48.0~58.4 V\t54.0\n03\tBattery cut-off\t\t\n\tvoltage\t40.0~52.0 V\t44.0\n17\nNo.\tName\tRange\tDefault\nGRID > LIMITS\n04\tMax grid charge current (A)\t2~60\t30\n* only at the second level"
    )  # fmt: skip
    read = read_table(text)
    assert [r.quantity for r in read.rows] == ["absorb_v", "float_v", "shutdown_v", "mains_charge_max_a"]
    assert [r.menu for r in read.rows] == [["BATTERY", "01"], ["BATTERY", "02"], ["BATTERY", "03"], ["GRID > LIMITS", "04"]]
    assert read.rows[1].note == "only at the second level" and read.rows[0].step == 0.1 and read.rows[3].unit == "A"
    assert [s.why for s in read.skipped] == [
        "header",
        "heading",
        "belongs to the row above",
        "page",
        "header again",
        "heading",
        "footnote",
    ]


def test_nothing_confirmed_is_lost_it_is_taken_or_refused_at_its_row():
    read = read_table(
        "Name\tRange\tStep\nAbsorption voltage\t48~58.4 V\t\nMax charge current\t5~100 %\t1\nFloat voltage\t2.2~2.4 V/cell\t0.01\nSource order\ta/b/c\t\nEqualise\tx/y\t\nAbsorption time\t1~12 h\t1"
    )
    rows = [Decided(**r.model_dump()) for r in read.rows]
    rows[3].quantity = "source_order"
    rows[4].quantity = "equalise_on"
    made = take(rows)
    assert {r.line for r in rows} == set(made.lines) | {r.line for r in made.refused}
    assert {(r.label, r.field) for r in made.refused} == {
        ("Absorption voltage", "step"),
        ("Max charge current", "rated"),
        ("Equalise", "choices"),
    }
    assert all(r.message and r.expected and "_" not in r.message + r.expected for r in made.refused)
    by = {s["label"]: s for s in made.settings}
    assert by["Float voltage"]["encoding"] == {"kind": "per-2v-cell"} and by["Absorption time"]["encoding"][
        "scale"
    ] == pytest.approx(1 / 60)
    assert by["Source order"]["quantity"] == "source_order" and list(by["Source order"]["encoding"]["choices"].values()) == [
        "a",
        "b",
        "c",
    ]
    rows[0].step, rows[1].rated = 0.1, 120.0
    rows[4].choices["x"].means, rows[4].choices["y"].means = "no", "yes"
    again = take(rows)
    assert not again.refused
    assert {s["label"]: s for s in again.settings}["Equalise"]["encoding"]["choices"] == {"no": "x", "yes": "y"}
    rows[2].quantity = "absorb_v"
    assert [r.field for r in take(rows).refused] == ["quantity"]


def setting(**parts):
    return Setting.model_validate({"id": "s", "menu": ["M"], "label": "S", **parts})


@given(
    st.lists(st.integers(1, 400), min_size=2, max_size=12, unique=True),
    st.floats(0, 450),
    st.sampled_from(["charge_max_a", "gen_start_v", None]),
)
def test_figures_that_are_listed_are_entered_on_the_safe_side(values, wanted, quantity):
    """Beside a search through all of them."""
    s = setting(values=sorted(float(v) for v in values), unit="A", quantity=quantity)
    profile = parse_profile(json.dumps({**PLATE, "settings": [s.model_dump(exclude_unset=True)]}))
    entry = encode(profile.settings[0], wanted, profile)
    side = QUANTITIES[quantity].side if quantity else None
    fit = [v for v in values if (v <= wanted if side == "down" else v >= wanted)] if side else values
    right = (
        (max(fit) if side == "down" else min(fit))
        if fit and side
        else min(values, key=lambda v: (abs(v - wanted), v))
        if not side
        else (min if side == "down" else max)(values)
    )
    assert entry.value == right and decode(profile.settings[0], entry.text, profile) == right
    assert entry.cut == (not fit if side else not min(values) <= wanted <= max(values))
    with pytest.raises(ValueError, match=r"is not one of|outside"):
        decode(profile.settings[0], str(max(values) - 0.5), profile)


def test_what_is_off_is_entered_and_read():
    s = setting(min=30, max=180, step=5, unit="min", off="OFF", quantity="equalise_min")
    profile = parse_profile(json.dumps({**PLATE, "settings": [s.model_dump(exclude_unset=True)]}))
    assert encode(s, 0.0, profile).text == "OFF" and decode(s, "off", profile) == 0.0
    assert encode(s, 60.0, profile).text == "60"
    assert encode(setting(min=0, max=180, step=5, off="OFF"), 0.0, profile).text == "0"


def test_a_code_or_the_words_beside_it_are_read():
    s = setting(encoding={"kind": "choice", "choices": {"user": "2 Own values", "lead-agm": "1 Mat", "lead-gel": "1 Jelly"}})
    profile = parse_profile(json.dumps({**PLATE, "settings": [s.model_dump(exclude_unset=True)]}))
    assert decode(s, "2", profile) == decode(s, "own values", profile) == decode(s, "2 Own values", profile) == "user"
    with pytest.raises(ValueError, match="is not one of"):
        decode(s, "1", profile)


def test_usual_figures_know_high_from_low():
    assert is_usual("low_temp_stop_c", -10, 10, 2, None) and is_usual("temp_stop_c", 40, 70, 55, None)
    assert is_usual("low_temp_stop_c", 45, 60, None, None) is False
    assert is_usual("absorb_v", 48, 60, 56.4, 48.0) and is_usual("absorb_v", 2.25, 2.5, 2.4, 2.0)
    assert is_usual("absorb_v", 2.25, 2.5, 2.4, 48.0) is False and is_usual("absorb_v", 48, 60, 56, None) is None
    assert set(PER_CLASS) | set(FIGURES) <= set(QUANTITIES)
    assert all(low < high for low, high in [*PER_CLASS.values(), *FIGURES.values()])


def test_every_shipped_setting_lies_where_its_kind_usually_does():
    """The bands against what they were not made from: the menus that ship, by their own factory values."""
    for profile in (p for p in shipped_library() if getattr(p, "menu_class_v", 0) <= 60):
        for s in getattr(profile, "settings", []):
            if s.quantity in PER_CLASS and s.factory is not None and not s.is_choice:
                value = float(decode(s, s.factory, profile))
                assert is_usual(s.quantity, None, None, value, float(profile.menu_class_v)) is not False, (profile.id, s.id, value)


@given(
    low=st.integers(0, 5000), width=st.integers(1, 5000), places=st.sampled_from([0, 1, 2]), mark=st.sampled_from([".", ","]),
    sign=st.sampled_from(["-", "~", " - ", " to ", "...", "–", " ÷ ", " bis "]), unit=st.sampled_from(["V", " V", " A", "A", " min", "%"]),
)  # fmt: skip
def test_a_range_written_is_the_range_read(low, width, places, mark, sign, unit):
    figures = [f"{v / 10**places:.{places}f}".replace(".", mark) for v in (low, low + width)]
    cell = read_cell(f"{figures[0]}{sign}{figures[1]}{unit}", mark)
    assert (cell.low, cell.high, cell.unit) == (low / 10**places, (low + width) / 10**places, unit.strip())


@given(st.one_of(st.text(max_size=400), st.binary(max_size=400), st.text(alphabet="0123456789-.,~/|;: \t\nVA%onf()", max_size=300)))
def test_any_text_or_bytes_is_read_or_refused_in_words(source):
    try:
        read = read_table(source)
    except DocumentError as error:
        assert all(p.message and p.expected for p in error.problems)
    else:
        assert isinstance(read, ManualTable) and read.rows
        made = take([Decided(**r.model_dump()) for r in read.rows])
        assert len(made.settings) + len(made.refused) == len(read.rows)


@pytest.mark.parametrize(
    "source", ["", "\n\n", b"PK\x03\x04broken", b"\xff\xfe\xfa", "x\t" * 30 + "\n" * 3, "a\tb\n" * 700, "9" * 2_000_001]
)
def test_no_table_is_refused(source):
    try:
        assert read_table(source).rows
    except DocumentError as error:
        assert error.problems[0].expected


def test_what_a_profile_lacks_and_what_ships_dangerous():
    found = {p.id: lacks(p) for p in shipped_library()}
    dangers = {(x.setting, x.kind) for rows in found.values() for x in rows if x.kind == "danger"}
    assert any(kind == "danger" for _, kind in dangers)
    wendle = found["wendle-hy6"]
    assert any(x.quantity == "battery_type" and x.kind == "danger" for x in wendle)
    assert not any(x.quantity == "battery_type" and x.kind == "lacking" for x in wendle)
    assert found["dunmarrow-280"] == []
