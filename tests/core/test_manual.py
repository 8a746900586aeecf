"""Tables of manuals, as people paste them: every column, unit and language; never a silent misreading."""

import io
import json
import random

import pytest
from hypothesis import given, strategies as st
from openpyxl import Workbook

from ewerer.core.devices.lacks import WANTED, lacks
from ewerer.core.devices.library import parse_profile, shipped_library
from ewerer.core.devices.manual import ManualTable, _phrases, read_table
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.quantities import QUANTITIES

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


def joined(sign, rows=(HEAD, *ROWS)):
    return "\n".join(sign.join(r) for r in rows)


def book(rows=(HEAD, *ROWS)):
    out, held = Workbook(), io.BytesIO()
    for row in rows:
        out.active.append(list(row))
    out.save(held)
    return held.getvalue()


@pytest.mark.parametrize(
    "source",
    [joined("\t"), joined(" | "), joined(";"), joined("   "), joined(","), joined("\t", ROWS), joined("\t").encode(), book(), book(ROWS), joined("\t").replace("\n", "\r\n")],
    ids=["tabs", "bars", "semicolons", "gaps", "commas", "no header", "bytes", "xlsx", "xlsx no header", "cr"],
)  # fmt: skip
def test_one_table_in_every_form_reads_alike(source):
    table = read_table(source)
    assert [r.quantity for r in table.rows] == RIGHT
    first, amps, soc = table.rows[0], table.rows[2], table.rows[4]
    assert (first.min, first.max, first.step, first.factory, first.unit) == (48.0, 58.4, 0.1, "56.4", "V")
    assert (amps.min, amps.max, amps.step, amps.unit) == (5, 100, 5, "A")
    assert soc.setting["encoding"] == {"kind": "plain", "scale": 100.0}
    assert table.rows[5].setting["encoding"] == {"kind": "on-off", "choices": {"yes": "On", "no": "Off"}}
    assert all(not r.problems for r in table.rows)


def test_what_it_makes_is_a_profile_that_plans_can_use():
    settings = [r.setting for r in read_table(joined("\t")).rows]
    profile = parse_profile(json.dumps({
        "ewerer": "inverter/1", "id": "made", "name": "Made", "maker": "own", "ac_volts": [230], "ac_hz": [50], "topologies": ["single"],
        "ratings": {"continuous_w": 5000, "surge_w": 10000, "charge_max_a": 100, "ac_charge_max_a": 60, "battery_v_min": 40, "battery_v_max": 60, "class_v": 48},
        "settings": settings,
    }))  # fmt: skip
    assert set(profile.by_quantity) == set(RIGHT)
    assert {x.quantity for x in lacks(profile) if x.kind == "lacking"} == set(WANTED["inverter"]) - set(RIGHT) - {
        "restart_soc"
    } | set()


@pytest.mark.parametrize(
    ("text", "span", "step", "unit"),
    [
        ("44.0~58.4V", (44, 58.4), None, "V"), ("48-58.4 V (0.1 V)", (48, 58.4), 0.1, "V"), ("48...58", (48, 58), None, ""), ("40 to 60 V", (40, 60), None, "V"),
        ("40–60 Vdc, step 0.2 V", (40, 60), 0.2, "V"), ("5A - 100A (5A/step)", (5, 100), 5, "A"), ("0-100%", (0, 100), None, "%"), ("-20 ~ 10 °C", (-20, 10), None, "°C"),
        ("40 bis 60 V", (40, 60), None, "V"), ("2.00~2.50 V/cell", (2, 2.5), None, "V/cell"), ("5 à 180 min", (5, 180), None, "min"), ("10 hasta 60 A", (10, 60), None, "A"),
        ("1 000-6 000 W", (1000, 6000), None, "W"), ("0.1C - 1.0C", (0.1, 1.0), None, "°C"),
    ],
)  # fmt: skip
def test_ranges_as_manuals_print_them(text, span, step, unit):
    row = read_table(f"Setting\tRange\nSome setting\t{text}\nFloat voltage\t48~58V").rows[0]
    assert (row.min, row.max) == span
    assert row.step == step
    assert row.unit == unit


@pytest.mark.parametrize(
    ("text", "right"),
    [
        ("P1 Ladeschlussspannung 44,0 - 58,4 V 0,1 V 56,4 V\nP2 Erhaltungsspannung 44,0 - 58,4 V 0,1 V 54,0 V\nP3 Maximaler Ladestrom 10 bis 120 A 10 A 60 A\nP4 Entladeschlussspannung 40,0 - 52,0 V 0,1 V 44,0 V",
         ["absorb_v", "float_v", "charge_max_a", "shutdown_v"]),
        ("N°\tRéglage\tPlage\tPas\tDéfaut\n1\tTension d'absorption\t48,0 à 58,4 V\t0,1 V\t56,4\n2\tTension de floating\t48,0 à 58,4 V\t0,1 V\t54,0\n3\tCourant de charge maximal\t10 à 100 A\t10 A\t60\n4\tTension de coupure\t40,0 à 52,0 V\t0,1 V\t44,0",
         ["absorb_v", "float_v", "charge_max_a", "shutdown_v"]),
        ("Número;Ajuste;Rango;Paso;Por defecto\n1;Tensión de absorción;48,0 - 58,4 V;0,1;56,4\n2;Tensión de flotación;48,0 - 58,4 V;0,1;54,0\n3;Corriente máxima de carga;10 - 100 A;10;60\n4;Voltaje de reinicio;40,0 - 56,0 V;0,1;48,0",
         ["absorb_v", "float_v", "charge_max_a", "restart_v"]),
    ],
    ids=["German, out of a PDF", "French", "Spanish"],
)  # fmt: skip
def test_three_more_languages_and_their_commas(text, right):
    rows = read_table(text).rows
    assert [r.quantity for r in rows] == right
    assert rows[0].max == 58.4 and rows[0].step == 0.1 and rows[0].factory == "56.4"


def test_what_could_be_two_figures_is_said_and_not_taken():
    row = read_table("Setting\tRange\tStep\nExport power limit\t0-12,000 W\t100\nFloat voltage\t48.0-58.4 V\t0.1").rows[0]
    assert row.max is None and any("could be 12000 or 12" in p for p in row.problems)


def test_one_quantity_goes_to_one_row():
    rows = read_table("Setting\tRange\nFloat voltage\t48~58V\nFloat charge voltage\t48~58V").rows
    assert [r.quantity for r in rows].count("float_v") == 1
    assert any("taken" in p for r in rows for p in r.problems)


def test_a_row_of_something_else_stays_without_a_quantity():
    row = read_table("Setting\tRange\nColour of the casing lights\t1~9\nFloat voltage\t48~58V").rows[0]
    assert row.quantity == "" and not row.sure


def test_a_wrong_unit_is_not_sure():
    table = read_table("Setting\tRange\nFloat voltage\t10~60 min\nAbsorption voltage\t48~58V")
    assert not table.rows[0].sure


def test_every_phrase_leads_to_its_quantity_also_with_a_slip():
    """The dictionary through its own reader: as printed nine of ten are first; with one letter gone the right one is among the guesses."""
    phrases, names = _phrases()
    units = {"volts": "V", "edge": "V", "ac volts": "V", "soc": "%", "level": "%", "amps": "A"}
    chance = random.Random(3)
    first = near = 0
    for phrase, name in zip(phrases, names, strict=True):
        q = QUANTITIES[name]
        chosen = q.kind in ("choice", "switch")
        unit = units.get(q.kind, q.unit)
        cells = f"{phrase}\t{'Alpha / Beta / Gamma' if chosen else f'1~9 {unit}'}"
        first += read_table(f"Setting\tRange\n{cells}").rows[0].quantity == name
        cut = chance.randrange(len(phrase))
        slip = cells.replace(phrase, phrase[:cut] + phrase[cut + 1 :], 1)
        near += name in [g.quantity for g in read_table(f"Setting\tRange\n{slip}").rows[0].guesses]
    assert first >= 0.93 * len(phrases), (first, len(phrases))
    assert near >= 0.97 * len(phrases), (near, len(phrases))


@given(
    low=st.integers(0, 5000), width=st.integers(1, 5000), places=st.sampled_from([0, 1, 2]), mark=st.sampled_from([".", ","]),
    sign=st.sampled_from(["-", "~", " - ", " to ", "...", "–"]), unit=st.sampled_from(["V", " V", " A", "A", " min", "%"]),
)  # fmt: skip
def test_a_range_written_is_the_range_read(low, width, places, mark, sign, unit):
    figures = [f"{v / 10**places:.{places}f}".replace(".", mark) for v in (low, low + width)]
    other = "48,5-58,4 V" if mark == "," else "48.5-58.4 V"
    row = read_table(f"Setting\tRange\nSome name\t{figures[0]}{sign}{figures[1]}{unit}\nFloat voltage\t{other}").rows[0]
    assert (row.min, row.max) == (low / 10**places, (low + width) / 10**places)
    assert row.unit == unit.strip()


@given(st.one_of(st.text(max_size=400), st.binary(max_size=400)))
def test_any_text_or_bytes_is_read_or_refused_in_words(source):
    try:
        table = read_table(source)
    except DocumentError as error:
        assert all(p.message and p.expected for p in error.problems)
    else:
        assert isinstance(table, ManualTable) and table.rows


@pytest.mark.parametrize(
    "source", ["", "\n\n", b"PK\x03\x04broken", b"\xff\xfe\xfa", "x\t" * 30 + "\n" * 3, "a\tb\n" * 500, "9" * 2_000_001]
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
