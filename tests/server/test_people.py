"""Signing in, throttling, CSRF, roles, headers, the clock."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from django.test import Client
from zucker import clock
from zucker.config.errors import Refused
from zucker.people.actions.found_operation import add_member, found_operation
from zucker.people.models import Role

from .conftest import PASSWORD


def sign_in(client, username, password=PASSWORD, **headers):
    body = json.dumps({"username": username, "password": password})
    return client.generic("POST", "/api/v1/session", body, content_type="application/json", **headers)


def test_session_from_sign_in_to_sign_out(farm):
    client = Client()
    assert client.get("/api/v1/session").json()["signed_in"] is False
    answer = sign_in(client, "ashby-crew")
    assert answer.status_code == 200
    facts = answer.json()
    assert facts["username"] == "ashby-crew"
    assert [(o["slug"], o["role"]) for o in facts["operations"]] == [("ashby", "crew")]
    changed = client.generic("PATCH", "/api/v1/session", json.dumps({"units": "metric", "theme": "night"}), content_type="application/json")
    assert (changed.json()["units"], changed.json()["theme"]) == ("metric", "night")
    assert client.generic("PATCH", "/api/v1/session", '{"units": "cubits"}', content_type="application/json").status_code == 422
    assert client.delete("/api/v1/session").status_code == 204
    assert client.get(farm.url("line")).status_code == 401


@pytest.mark.parametrize("body", [{"username": "ashby-crew", "password": "s3cret" * 40}, ["s3cret"], {"username": 3, "password": "s3cret"}])
def test_a_password_is_never_repeated(db, body):
    answer = Client().generic("POST", "/api/v1/session", json.dumps(body), content_type="application/json")
    assert answer.status_code == 422
    assert b"s3cret" not in answer.content


def test_wrong_passwords_are_throttled(farm):
    client = Client()
    for _ in range(7):
        assert sign_in(client, "ashby-owner", "wrong").status_code == 401
    assert sign_in(client, "ashby-owner", "wrong").status_code == 429
    answer = sign_in(client, "ashby-owner")
    assert answer.status_code == 429
    assert "15 minutes" in answer.json()["errors"][0]["message"]
    assert sign_in(client, "ashby-crew").status_code == 200


def test_changes_need_the_csrf_token(farm):
    client = Client(enforce_csrf_checks=True)
    assert sign_in(client, "ashby-owner").status_code == 403
    client.get("/api/v1/session")
    token = client.cookies["csrftoken"].value
    assert sign_in(client, "ashby-owner", headers={"X-CSRFToken": token}).status_code == 200
    assert client.post(farm.url("runs"), "{}", content_type="application/json").status_code == 403
    token = client.cookies["csrftoken"].value
    assert client.post(farm.url("runs"), "{}", content_type="application/json", headers={"X-CSRFToken": token}).status_code == 201


@pytest.mark.parametrize(("method", "path", "body"), [
    ("POST", "runs", {}), ("POST", "tonight/plan", {}), ("POST", "devices", {"name": "x"}), ("POST", "weather", {}),
])
def test_viewers_look_and_do_not_write(farm, method, path, body):
    if path == "tonight/plan":
        body = {"assumptions": farm.get("tonight", "viewer").json()["assumptions"], "target_brix": 10}
    assert farm.send(method, path, body, role="viewer").status_code == 403
    assert farm.get("line", "viewer").status_code == 200


def test_page_headers_are_strict(client, db):
    page = client.get("/api/v1/clock")
    policy = page["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert page["X-Frame-Options"] == "DENY"
    assert page["X-Content-Type-Options"] == "nosniff"


def test_unknown_addresses(client, db):
    missing = client.get("/api/v1/nothing/here")
    assert missing.status_code == 404
    assert missing.json()["errors"][0]["field"] == "path"
    assert client.get("/nothing.js").status_code == 404


def test_founding_is_checked(db):
    found_operation({"slug": "oak", "name": "Oak", "elevation_m": 10.0})
    with pytest.raises(Refused, match="already"):
        found_operation({"slug": "oak", "name": "Oak", "elevation_m": 10.0})
    with pytest.raises(Refused):
        add_member(found_operation({"slug": "elm", "name": "Elm", "elevation_m": 10.0}), "anna", "short", Role.OWNER)


def test_the_demo_clock_can_be_set_and_sped_up(db, settings):
    settings.DEMO = True
    moment = datetime(2026, 3, 17, 18, 0, tzinfo=UTC)
    clock.set_to(moment, 60.0)
    now = clock.now()
    assert moment <= now < moment + timedelta(minutes=5)
    assert clock.pace() == 60.0
    settings.DEMO = False
    clock.forget()
    assert abs((clock.now() - datetime.now(UTC)).total_seconds()) < 5
