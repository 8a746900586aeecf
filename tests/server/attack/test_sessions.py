"""Nobody plants a session."""

import pytest
from django.test import Client

from tests.server.asking import person, post


@pytest.mark.django_db
def test_a_planted_session_is_not_taken_over():
    person("ann", "Ours")
    client = Client()
    client.cookies["sessionid"] = "planted0planted0planted0planted0"
    assert post(client, "/session", {"username": "ann", "password": "a-long-password"}).status_code == 200
    assert client.cookies["sessionid"].value != "planted0planted0planted0planted0"
    other = Client()
    other.cookies["sessionid"] = "planted0planted0planted0planted0"
    assert not other.get("/api/session").json()["signed_in"]
