"""The API against its own OpenAPI document, with generated requests."""

import json

import pytest
import schemathesis
from django.contrib.auth import get_user_model
from django.test import Client
from hypothesis import HealthCheck, settings
from jsonschema import Draft202012Validator, ValidationError

from ewerer.server.api import openapi_json
from ewerer.server.crews.models import Crew, Member
from tests.sizes import size

DOCUMENT = json.loads(openapi_json())
schema = schemathesis.openapi.from_dict(DOCUMENT)
PROBLEM = "application/problem+json"
# One case for every bound of every key of a job would be many thousand; a random few have the same aim.
schema.config.phases.coverage.enabled = False


# All operations together: 1,500 cases in `make test`, 10,000 by night.
CASES = size(2, 140)


def _holds(body, told, kind="application/json"):
    """The answer is as its schema says, references and all."""
    shape = told.get("content", {}).get(kind, {}).get("schema")
    if shape:
        Draft202012Validator({**shape, "components": DOCUMENT["components"]}, format_checker=None).validate(body)


def test_an_answer_that_is_not_as_its_schema_says_is_seen():
    told = DOCUMENT["paths"]["/api/jobs/{id}"]["get"]["responses"]["404"]
    _holds({"type": "about:blank", "title": "Not found", "status": 404, "detail": "", "problems": []}, told, PROBLEM)
    with pytest.raises(ValidationError):
        _holds({"title": "Not found", "status": "404"}, told, PROBLEM)


@pytest.mark.django_db
# Signing in by name is throttled, so it is tested by hand.
@schema.exclude(path="/api/session", method="POST").parametrize()
@settings(max_examples=CASES, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_breaks_the_server(case):
    user, made = get_user_model().objects.get_or_create(username="fuzz")
    if made:
        Member.objects.create(user=user, crew=Crew.objects.get_or_create(name="Fuzz")[0], role="lead")
    client = Client(raise_request_exception=False)
    client.force_login(user)
    sent = case.as_transport_kwargs(base_url="http://testserver")
    path = sent["url"].removeprefix("http://testserver")
    body = sent.get("json", sent.get("data"))
    answer = client.generic(
        case.method,
        path,
        body if isinstance(body, (str, bytes)) else json.dumps(body),
        content_type="application/json",
        query_string=case.query and "&".join(f"{k}={v}" for k, v in case.query.items()),
    )
    assert answer.status_code < 500, answer.content[:500]
    told = case.operation.definition.raw["responses"]
    assert str(answer.status_code) in told or answer.status_code in (400, 405), (answer.status_code, sorted(told))
    if answer.status_code in (200, 201) and answer["Content-Type"].startswith("application/json"):
        _holds(answer.json(), told[str(answer.status_code)])
    if answer.status_code >= 400:
        assert answer["Content-Type"].startswith(PROBLEM), (answer.status_code, answer["Content-Type"])
        _holds(answer.json(), told.get(str(answer.status_code)) or told["422"], PROBLEM)
