"""Tables of registers as makers print them: every row of a map, printed in several ways, comes back as it was."""

import random

import pytest

from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.manual.registers import read_registers
from ewerer.core.devices.registers import mapped
from ewerer.core.documents.registers import Register
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.measures import MEASURES

PROFILES = [p for p in shipped_library() if getattr(p, "modbus", None) is not None]
KINDS = {"u16": "uint16", "i16": "int16", "u32": "uint32", "i32": "int32", "f32": "float"}


def printed(profile, way, rng):
    """A profile's own map as a table in one of several ways of printing it."""
    heads = {
        "tab": ("Address", "Name", "Type", "Scale", "Access", "Values"),
        "semi": ("Reg", "Parameter", "Format", "Factor", "R/W", "Range"),
    }
    names = heads["semi" if way == "semi" else "tab"]
    rows = [names]
    for s in mapped(profile).values():
        r = s.register_
        at = {"tab": f"0x{r.at:04X}", "semi": str(r.at), "five": str(40_001 + r.at)}[way]
        scale = f"{r.scale:g}" if way != "semi" else f"/{1 / r.scale:g}" if r.scale != 1 else "1"
        words = ", ".join(f"{k}: {w}" for k, w in r.enum.items())
        rows.append((at, s.label, KINDS[r.type], scale, "RW" if r.write else "R", words))
    if way == "tab":
        rng.shuffle(body := rows[1:])
        rows = [names, *body]
    mark = ";" if way == "semi" else "\t"
    return "\n".join(mark.join(c.replace(";", ",") for c in row) for row in rows)


@pytest.mark.parametrize("way", ["tab", "semi", "five"])
@pytest.mark.parametrize("profile", PROFILES, ids=lambda p: p.id)
def test_a_map_that_is_printed_comes_back(profile, way):
    settings = mapped(profile)
    if way == "five" and any(s.register_.at > 9998 for s in settings.values()):
        pytest.skip("five-digit addresses end at 49999")
    table = read_registers(printed(profile, way, random.Random(2)), profile)
    assert len(table.rows) == len(settings)
    by_label = {}
    for s in settings.values():
        by_label.setdefault(s.label, []).append(s)
    right = 0
    for row in table.rows:
        twins = by_label[row.name]
        if not row.sure:
            continue
        assert row.setting in {s.id for s in twins}, row.name
        read = Register.model_validate(row.register_)
        held = settings[row.setting].register_
        assert (read.registers, read.at, read.type, read.write) == (held.registers, held.at, held.type, held.write)
        assert read.scale == pytest.approx(held.scale) and (not held.enum or read.enum == held.enum)
        right += 1
    assert right >= 0.7 * sum(len(t) == 1 for t in by_label.values())


def test_doubts_are_said_and_nothing_is_sure_that_two_rows_claim():
    profile = next(p for p in PROFILES if p.id == "orrowan-t8")
    table = read_registers(
        "Address,Name,Type,Scale,Values\n"
        "0x0A10,Fill to,uint16,,\n"
        "0x0A11,Store kind,uint16,1,3: Lead A | 5: Honey\n"
        "0x0A12,Rest at,uint16,0.1,\n"
        "0x0A13,Rest at,uint16,0.1,\n"
        "30005,Bank volts,uint16,0.01,\n"
        "0x0A15,Colour of the lamp,uint16,1,\n"
        "see note,,,,\n",
        profile,
    )
    rows = {r.row: r for r in table.rows}
    assert "factor is not given" in rows[2].doubts[0] and not rows[2].sure
    assert "“Honey” is none of the words" in rows[3].doubts[0]
    assert rows[4].doubts == rows[5].doubts == ["two rows are taken for the same"]
    assert rows[6].measure == "volts" and rows[6].register_ == {"at": 4, "registers": "input", "scale": 0.01} and rows[6].sure
    assert (rows[7].setting, rows[7].measure, rows[7].sure) == ("", "", False)
    assert table.skipped == 1 and MEASURES["volts"].word == "Bank volts"


@pytest.mark.parametrize("text", ["", "a\tb\n1\t2", "Address\tName\nhere\tFill to", "\x00\x01"])
def test_what_is_no_table_of_registers_is_refused_in_words(text):
    with pytest.raises(DocumentError) as told:
        read_registers(text, PROFILES[0])
    assert told.value.problems[0].expected


def test_random_text_never_breaks_the_reader():
    rng = random.Random(9)
    pieces = [
        "Address",
        "Name",
        "0x",
        "40001",
        "\t",
        ";",
        "\n",
        "Fill to",
        "99999",
        "ffffh",
        "1: a, 2: b",
        "float",
        "/10",
        "×0,1",
        "é",
        " ",
    ]
    for _ in range(300):
        try:
            table = read_registers(
                "Address\tName\tType\tScale\tValues\n" + "".join(rng.choice(pieces) for _ in range(rng.randrange(60))), PROFILES[0]
            )
        except DocumentError:
            continue
        assert all(0 <= r.register_["at"] <= 65_535 for r in table.rows)
