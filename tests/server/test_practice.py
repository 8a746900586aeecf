"""Tries of practice: one's own, kept as acts, hidden until they are over; a scenario handed on to others."""

import pytest

from ewerer.server.live.models import Try
from tests.server.asking import assert_problem, items, person, post

pytestmark = pytest.mark.django_db


@pytest.fixture
def mine(client):
    client.force_login(person("ann", "North", "reader"))
    return client


def test_a_try_from_the_first_look_to_the_debrief_and_handed_on(mine, client):
    begun = post(mine, "/practice", {"lesson": True})
    assert begun.status_code == 201
    at = f"/practice/{begun.json()['id']}"
    assert begun.json()["debrief"] is None and "cable-out" not in begun.content.decode()
    assert_problem(mine.get(f"/api{at}/scenario"), 422)
    asked = post(mine, f"{at}/acts", {"do": "test", "test": begun.json()["tests"][0]["id"]}).json()
    assert asked["acts"] == 1 and len(asked["done"]) == 1
    assert_problem(post(mine, f"{at}/acts", {"do": "mend", "way": 0}), 422)
    assert mine.get(f"/api{at}").json() == asked, "a refused act changes nothing"
    over = post(mine, f"{at}/acts", {"do": "end"}).json()
    assert over["over"] and over["debrief"][0]["word"] == "Link cable out" and over["score"]["points"] == 0
    assert_problem(post(mine, f"{at}/acts", {"do": "hint"}), 422)
    scenario = mine.get(f"/api{at}/scenario").json()
    again = post(mine, "/practice", {"scenario": scenario}).json()
    assert again["complaint"] == begun.json()["complaint"] and not again["over"]
    assert_problem(post(mine, "/practice", {"scenario": {"ewerer": "job/2"}}), 422)
    assert [(t["over"], t["points"]) for t in items(mine, "/practice")] == [(False, None), (True, 0)]


def test_tries_are_ones_own_and_a_lead_sees_how_they_went(mine, client):
    made = post(mine, "/practice", {"level": 1, "seed": 4}).json()["id"]
    client.force_login(person("lea", "North"))
    assert [t["by"] for t in items(client, "/practice")] == ["ann"]
    assert client.get(f"/api/practice/{made}").status_code == 404
    client.force_login(person("ben", "South"))
    assert items(client, "/practice") == [] and client.get(f"/api/practice/{made}").status_code == 404
    assert post(client, f"/practice/{made}/acts", {"do": "end"}).status_code == 404
    assert Try.objects.get().acts == []
