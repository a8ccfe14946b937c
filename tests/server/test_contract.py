"""Whatever is sent to the API, it answers as its OpenAPI document says and never with a 500."""

import pytest
import schemathesis
from django.test import Client
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance, status_code_conformance
from zucker.config.api import api

from .conftest import found_farm, kept_for_the_module, say

DOCUMENT = api.get_openapi_schema()
SCHEMA = schemathesis.openapi.from_dict(dict(DOCUMENT))
OPERATIONS = [result.ok() for result in SCHEMA.get_all_operations()]
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]


@pytest.fixture(scope="module")
def farm(django_db_setup, django_db_blocker):
    """One farm for all routes: what one of them changes or takes away, the others must bear."""
    with kept_for_the_module(django_db_blocker):
        farm = found_farm("ashby")
        say(farm, {"S0": 84_000.0, "S1": 80_000.0})
        farm.post("runs", {"plan": None})
        yield farm


def test_every_route_is_in_the_document(db):
    assert len(OPERATIONS) > 120
    assert all(operation.definition.raw.get("responses") for operation in OPERATIONS)


@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda o: o.label)
def test_any_request_gets_a_documented_answer(operation, farm, server):
    client = Client()  # of its own: a route may sign it out
    assert client.login_quickly(f"{farm.slug}-owner")
    client.get("/api/v1/session")
    headers = {"X-CSRFToken": client.cookies["csrftoken"].value}
    if operation.path == "/api/v1/readings":
        headers = {"Authorization": f"Bearer {farm.token}"}
    cookies = {name: morsel.value for name, morsel in client.cookies.items()}
    real = {"operation": farm.slug, "tag": "S1", "main": "M", "number": 1}

    @given(case=operation.as_strategy())
    @settings_for_contract
    def try_it(case):
        # half of what is generated names things that exist, so that it gets past the first door
        if case.path_parameters and len(str(case.path_parameters)) % 2:
            for name, value in real.items():
                if name in case.path_parameters:
                    case.path_parameters[name] = value
        response = case.call(base_url=server, headers=headers, cookies=cookies)
        case.validate_response(response, checks=CHECKS, excluded_checks=[])

    try_it()


settings_for_contract = settings(
    max_examples=15, deadline=None, database=None, phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck), derandomize=True)
