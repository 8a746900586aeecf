"""Ways to ask the API, for its tests."""

import json

from django.contrib.auth import get_user_model

from ewerer.server.crews.models import Crew, Member


def person(name, crew, role="lead"):
    user = get_user_model().objects.create_user(name, password="a-long-password")
    Member.objects.create(user=user, crew=Crew.objects.get_or_create(name=crew)[0], role=role)
    return user


def post(client, path, body):
    return client.post("/api" + path, body if isinstance(body, (str, bytes)) else json.dumps(body), content_type="application/json")


def put(client, id, base, document):
    return client.put(f"/api/jobs/{id}", json.dumps({"base_revision": base, "document": document}), content_type="application/json")


def assert_problem(response, status):
    assert response.status_code == status
    assert response["Content-Type"] == "application/problem+json"
    body = response.json()
    assert {"type", "title", "status", "detail"} <= set(body) and body["status"] == status
    assert "Traceback" not in response.content.decode()
    return body


def items(client, path):
    """Return the items of a page of a list."""
    page = client.get(f"/api{path}").json()
    assert page["total"] >= len(page["items"]) and page["offset"] >= 0
    return page["items"]
