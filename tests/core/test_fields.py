"""Every field of the job document has its words, and every word its field."""

import pytest
from pydantic import BaseModel

from ewerer.core.documents.fields import field_at, fields
from ewerer.core.documents.job import Job
from ewerer.core.trade.stages import STAGES

SKIPPED = {"/ewerer"}
OPEN = ("/as_found", "/extra_entries", "/sheet_marks", "/profile_revisions", "/link/taken_ports")


def leaves(model: type[BaseModel], root: str = ""):
    """Yield the pointer pattern of every field of a model, lists and mappings by ``*``."""
    schema = Job.model_json_schema(by_alias=True)

    def walk(node, at):
        while "$ref" in node or "anyOf" in node:
            node = schema["$defs"][node["$ref"].rsplit("/", 1)[1]] if "$ref" in node else node["anyOf"][0]
        if "properties" in node:
            for name, inner in node["properties"].items():
                yield from walk(inner, f"{at}/{name}")
        elif node.get("type") == "array" and ("$ref" in node["items"] or "properties" in node["items"]):
            yield from walk(node["items"], f"{at}/*")
        else:
            yield at

    yield from walk(schema, root)


def test_no_field_without_words():
    known = set(fields())
    for pointer in leaves(Job):
        if pointer in SKIPPED or pointer.startswith(OPEN):
            continue
        assert pointer in known, pointer


def test_no_words_without_a_field():
    real = set(leaves(Job))
    for pointer in fields():
        held = any(r == pointer or r.startswith(f"{pointer}/") for r in real)
        assert held or pointer.startswith((*OPEN, "/policy/own_figures")), pointer


def test_stages_are_known_and_defaults_are_among_the_choices():
    for f in fields().values():
        assert f.stage in STAGES
        if f.choices and f.default != "":
            assert f.default in [value for value, _ in f.choices], f.pointer


def test_choices_are_what_the_document_takes():
    schema = Job.model_json_schema(by_alias=True)
    policy = schema["$defs"]["Policy"]["properties"]
    for name in ("charge_school", "float_school", "hold_school", "mode", "source_order", "charge_order", "loop", "link_loss"):
        assert [v for v, _ in fields()[f"/policy/{name}"].choices] and {v for v, _ in fields()[f"/policy/{name}"].choices} == set(
            policy[name]["enum"]
        )


@pytest.mark.parametrize(
    ("pointer", "label", "stage"),
    [
        ("/bank/modules/0/resting_v", "Resting volts", "bank"),
        ("/bank/modules/2/switches", "Switches as found", "link"),
        ("/policy/own_figures/absorb_v", "Own figure", "thresholds"),
        ("/policy/mode", "Operating mode", "sources"),
        ("/units/1/nothing", "Units", "units"),
        ("/sheet_marks/U1/fill", "Work done", "sheet"),
    ],
)
def test_a_pointer_finds_its_words_or_those_of_what_holds_it(pointer, label, stage):
    found = field_at(pointer)
    assert (found.label, found.stage) == (label, stage)


def test_a_pointer_to_nothing_finds_nothing():
    assert field_at("/nowhere/at/all") is None
