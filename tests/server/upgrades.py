"""Databases of every earlier version, and what must be in them whatever became of them."""

from pathlib import Path

from tests.server.running import Session

HELD = sorted((Path(__file__).parents[1] / "data" / "upgrade").glob("*.sqlite3.gz"))


def whole(base):
    """Everything that was put in is there, and can be worked on."""
    ann = Session(base, "ann", "a-long-password")
    assert ann.call("GET", "/session")["role"] == "lead", "whoever was in a crew may do what they could"
    (line,) = ann.call("GET", "/jobs")["items"]
    assert line["name"] == "Skerry Field Station" and line["revision"] == 3
    fuses = [ann.call("GET", f"/jobs/{line['id']}/revisions/{n}")["bank"]["fuse_a"] for n in (2, 3)]
    assert fuses == [310, 320]
    (told,) = ann.call("GET", f"/jobs/{line['id']}/revisions/2/against/3")["items"]
    assert (told["before"], told["after"], told["unit"]) == ("310", "320", "A")
    state = ann.call("GET", f"/jobs/{line['id']}/state")
    assert state["found"] == {"U1": {"fill-volts": "56.4"}} and state["steps"]["enter:U1:fill-volts"]["back"] == "55.2"
    assert [j["name"] for j in ann.call("GET", "/jobs?put_away=true")["items"]] == ["Larch Hollow Workshop"]
    assert any(p["id"] == "our-t8" and p["own"] for p in ann.call("GET", "/library?limit=500")["items"])
    document = ann.call("GET", f"/jobs/{line['id']}")["document"]
    assert document["ewerer"] == "job/2"
    saved = ann.call("PUT", f"/jobs/{line['id']}", {"base_revision": 3, "document": {**document, "notes": "after the update"}})
    assert saved["revision"] == 4
    assert ann.call("GET", f"/jobs/{line['id']}/plan")["bank"]["capacity_ah"] > 0
