"""A maker's table of registers through the API: read against a draft's menu, nothing stored."""

import json
from pathlib import Path

import pytest

import ewerer
from tests.server.asking import post

pytestmark = pytest.mark.django_db
ORROWAN = json.loads((Path(ewerer.__file__).parent / "library" / "orrowan-t8.json").read_text())


def test_a_table_is_read_against_a_draft_and_nothing_is_stored(mine):
    draft = {**ORROWAN, "id": "tallow-k5", "name": "Tallow K5"}
    before = mine.get("/api/library").json()["total"]
    answer = post(
        mine, "/library/registers", {"profile": draft, "table": "Address\tName\tType\tScale\n0x0A10\tFill to\tuint16\t0.1"}
    )
    assert answer.status_code == 200
    (row,) = answer.json()["rows"]
    assert row["setting"] == "fill-volts" and row["sure"] and row["register"] == {"at": 2576, "scale": 0.1}
    assert mine.get("/api/library").json()["total"] == before
    assert "column with the addresses" in post(mine, "/library/registers", {"profile": draft, "table": "a b c"}).json()["detail"]
    assert post(mine, "/library/registers", {"profile": {**draft, "settings": []}, "table": "x"}).status_code == 422
