"""No field that changes nothing: each field of each document is flipped, and something else comes of it, or a reason stands beside."""

import json

import pytest

from tests.flips import HELD, REASONS, differs, fields_of, to_try
from tests.sizes import size

FLIPS = json.loads(HELD.read_text())


@pytest.mark.parametrize("tag", REASONS)
def test_every_field_has_a_flip_or_a_reason(tag):
    assert [name for name, _, _ in to_try(tag) if name not in FLIPS[tag]] == []
    known = {
        "/".join(p) for kind in ("job", "profile") for found, fields in fields_of(kind).items() if found == tag for p, _ in fields
    }
    shared = {"/".join(p) for p, _ in fields_of("profile")["inverter/1"]} | {"bms/ports/*/id", "bms/protocols/*/port"}
    assert set(REASONS[tag]) <= known | shared, "no reason for a field that is gone"


@pytest.mark.parametrize(("tag", "name"), [(tag, name) for tag in FLIPS for name in list(FLIPS[tag])[:: size(3, 1)]], ids=str)
def test_a_flipped_field_changes_something(tag, name):
    assert differs(FLIPS[tag][name])
