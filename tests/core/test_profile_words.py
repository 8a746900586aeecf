"""What is wrong with a profile, in words a tradesman says: every field of every kind, refused in every way."""

import copy
import json
import re

import pytest

from ewerer.core.devices.library import SHIPPED, parse_profile_data
from ewerer.core.documents.profile_words import WORDS, differences, place, said
from ewerer.core.documents.profiles import PROFILE_MODELS
from ewerer.core.trade.errors import DocumentError
from tests.sizes import size

PROFILES = [json.loads(p.read_text()) for p in sorted(SHIPPED.glob("*.json"))]
WRONG = ["", "!!", -1e9, 1e12, True, [], {}, None, [{}], {"a_b": 1}]
SNAKE = re.compile(r"\b[a-z]+_[a-z_]+\b")


def described(tag):
    schema = PROFILE_MODELS[tag].model_json_schema()
    return {d["description"] for d in [schema, *schema.get("$defs", {}).values()] if "description" in d}


def leaves(node, at=()):
    yield at
    for key, value in node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ():
        yield from leaves(value, (*at, key))


def changed(document, at, value):
    out = copy.deepcopy(document)
    node = out
    for key in at[:-1]:
        node = node[key]
    if value is ...:
        del node[at[-1]]
    else:
        node[at[-1]] = value
    return out


def test_every_field_has_a_word():
    for tag, model in PROFILE_MODELS.items():
        schema = model.model_json_schema()
        keys = {k for d in [schema, *schema.get("$defs", {}).values()] for k in d.get("properties", {})}
        assert keys <= set(WORDS), (tag, keys - set(WORDS))
    assert not [w for w in WORDS.values() if "_" in w or not w]


def places(tag):
    """Every kind of field that a kind of profile has, where one stands: in the shipped profile, by its place."""
    seen = set()
    for document in (d for d in PROFILES if d["ewerer"] == tag):
        for at in leaves(document):
            pattern = tuple("*" if isinstance(p, int) else p for p in at)
            if at and at[0] != "ewerer" and pattern not in seen:
                seen.add(pattern)
                yield document, at


@pytest.mark.parametrize("tag", sorted(PROFILE_MODELS))
def test_every_refusal_of_every_field_is_readable(tag):
    """Each kind of field once: taken out, and given every kind of nonsense."""
    texts = 0
    for document, at in list(places(tag))[:: size(4, 1)]:
        for value in (..., *WRONG[:: size(8, 1)]):
            data = changed(document, at, value) if not (value is ... and isinstance(at[-1], int)) else document
            try:
                parse_profile_data(data)
            except DocumentError as error:
                for problem in error.problems:
                    words, where = said(problem), place(problem.pointer, data)
                    texts += 1
                    assert words and where, problem
                    assert not SNAKE.search(words.replace("a_b", "")), (problem, words)
                    assert not any(d in words for d in described(tag)), (problem, words)
                    assert "Input should" not in words and "Value error" not in words, (problem, words)
                    assert not SNAKE.search(re.sub(r"“[^”]*”", "", where).replace("a_b", "")), (problem, where)
    assert texts > size(5, 50)


def test_the_same_refusals_of_one_field_are_not_repeated_words():
    data = {
        "ewerer": "module/1",
        "id": "m",
        "name": "M",
        "maker": "own",
        "series_cells": 16,
        "capacity_ah": 100,
        "charge_a": 50,
        "discharge_a": 100,
    }
    with pytest.raises(DocumentError) as refused:
        parse_profile_data(data)
    assert [said(p) for p in refused.value.problems] == ["resistance is needed", "cell maximum is needed", "cell cut-off is needed"]


def test_what_two_versions_say_differently():
    one = next(d for d in PROFILES if d["id"] == "orrowan-t8")
    other = copy.deepcopy(one)
    assert differences(one, other) == []
    other["settings"][3]["max"] = 99
    gone = other["settings"].pop(5)
    other["settings"].insert(0, {"id": "brand-new", "menu": ["A"], "label": "Brand new", "min": 0, "max": 1, "step": 1})
    other["ratings"]["surge_w"] = 1
    told = differences(one, other)
    words = {(d.place, d.before, d.after) for d in told}
    assert (
        f"the menu, “{one['settings'][3]['label']}”, highest",
        f"{one['settings'][3].get('max'):.10g}" if one["settings"][3].get("max") is not None else "nothing",
        "99",
    ) in words
    assert (f"the menu, “{gone['label']}”", "there", "removed") in words
    assert ("the menu, “Brand new”", "nothing", "Brand new") in words
    assert any(d.place == "ratings, for seconds" for d in told)
    assert len(told) == 4
    assert len(differences(other, one)) == 4
