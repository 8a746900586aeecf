"""Two people of two crews, and a job of the first."""

import pytest
from django.test import Client

from tests.jobs import SKERRY, data
from tests.server.asking import person, post


@pytest.fixture
def mine():
    client = Client()
    client.force_login(person("ann", "Ours"))
    return client


@pytest.fixture
def theirs():
    client = Client()
    client.force_login(person("bob", "Theirs"))
    return client


@pytest.fixture
def job(mine):
    return post(mine, "/jobs", data(SKERRY)).json()["id"]
