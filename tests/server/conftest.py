"""Two small operations, their people and devices; nothing here needs the demo."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from django.core.management import call_command
from django.db import connection
from django.test import Client
from zucker import clock
from zucker.people.actions.found_operation import add_member, found_operation
from zucker.people.models import Operation, Role
from zucker.sugarhouse.actions.set_up_house import set_up_house
from zucker.telemetry.actions.register_device import register_device
from zucker.telemetry.actions.take_readings import take_readings
from zucker.telemetry.models import Sensor
from zucker.telemetry.parsing import RawReading
from zucker.woods.actions.survey_network import survey_network
from zucker.woods.models import Bush

from tests.core.test_vacuum import geojson

PASSWORD = "four-dry-cords"
HOUSE: dict[str, Any] = {
    "tanks": {
        "sap": {"name": "sap tank", "shape": {"kind": "upright cylinder", "diameter_m": 3.0, "height_m": 3.0}, "reserve_m3": 0.0},
        "head": {"name": "head tank", "shape": {"kind": "upright cylinder", "diameter_m": 2.0, "height_m": 2.0}, "reserve_m3": 0.2},
        "permeate": {"name": "permeate tank", "shape": {"kind": "rectangle", "length_m": 4, "width_m": 3, "height_m": 2}, "reserve_m3": 0.0},
    },
    "machine": {"elements": 4, "max_brix": 18.0, "hold_up_m3": 0.08}, "machine_name": "loop", "since_wash_m3": 0.0,
    "evaporator": {"heat_w": 711e3, "preheat_c": 88.0}, "evaporator_name": "pans", "firing_decay_s": None,
    "prices": {"fuel": 3.8, "power_kwh": 0.2, "labour_hour": 24, "wash": 30, "syrup_m3": 7000},
}
PARTS = [
    ("SAP-LEVEL", "level", "sap tank", 2.0), ("SAP-BRIX", "brix", "sap tank", 2.1), ("SAP-TEMP", "temperature", "sap tank", 4.0),
    ("HEAD-LEVEL", "level", "head tank", 0.5), ("HEAD-BRIX", "brix", "head tank", 12.0), ("BARO", "pressure", "barometer", 97_500.0),
    ("PAN-TEMP", "temperature", "pan", 20.0), ("AIR-TEMP", "temperature", "outdoors", 6.0),
    ("FLOW", "flow", "releaser north", 2e-6),
]


@dataclass
class Farm:
    """An operation as tests see it: clients by role, device token."""

    operation: Operation
    token: str
    clients: dict[str, Client] = field(default_factory=dict)

    @property
    def slug(self) -> str:
        return self.operation.slug

    def url(self, path: str) -> str:
        return f"/api/v1/operations/{self.slug}/{path}"

    def get(self, path: str, role: str = "owner") -> Any:
        return self.clients[role].get(self.url(path))

    def send(self, method: str, path: str, body: Any = None, role: str = "owner") -> Any:
        return self.clients[role].generic(method, self.url(path), json.dumps(body), content_type="application/json")

    def post(self, path: str, body: Any = None, role: str = "owner") -> Any:
        return self.send("POST", path, body, role)

    def readings(self, client: Client, body: Any, content_type: str = "application/json") -> Any:
        data = body if isinstance(body, str | bytes) else json.dumps({"readings": body})
        return client.generic("POST", "/api/v1/readings", data, content_type=content_type,
                              headers={"Authorization": f"Bearer {self.token}"})


def found_farm(slug: str) -> Farm:
    """A farm with a bush of one mainline, a sugarhouse, three people and present readings."""
    operation = found_operation({"slug": slug, "name": slug.title(), "elevation_m": 300.0, "zone": "America/New_York"})
    _, token = register_device(operation, "gateway")
    farm = Farm(operation, token)
    for role in Role.values:
        add_member(operation, f"{slug}-{role}", PASSWORD, Role(role))
        farm.clients[role] = Client()
        assert farm.clients[role].login_quickly(f"{slug}-{role}")
    Sensor.objects.bulk_create([Sensor(operation=operation, tag=tag, kind=kind, part=part) for tag, kind, part, _ in PARTS])
    bush = Bush.objects.create(operation=operation, slug="north", name="North")
    survey_network(bush, geojson())
    set_up_house(operation, HOUSE)
    say(farm, {tag: value for tag, _, _, value in PARTS})
    return farm


@contextmanager
def kept_for_the_module(blocker: Any) -> Iterator[None]:
    """What is made within stays in the database for a whole module of tests, each of which rolls back its own; then all goes."""
    with blocker.unblock():
        yield
        call_command("flush", verbosity=0, interactive=False)


SI = {"level": "m", "brix": "°Bx", "temperature": "°C", "pressure": "Pa", "flow": "m3/s", "vacuum": "Pa"}


def say(farm: Farm, values: dict[str, float], minutes_ago: float = 0.0) -> None:
    """Readings in SI, by the same action that the API uses."""
    kinds = dict(Sensor.objects.of(farm.operation).values_list("tag", "kind"))
    at = (clock.now() - timedelta(minutes=minutes_ago)).isoformat()
    taken = take_readings(farm.operation, [RawReading(1, tag, at, value, SI[kinds[tag]]) for tag, value in values.items()])
    assert not taken.refused, taken.refused


def _login_quickly(self: Client, username: str) -> bool:
    """A session without the slow password hash; signing in itself is tested in test_people."""
    from zucker.people.models import Person

    self.force_login(Person.objects.get(username=username), backend="django.contrib.auth.backends.ModelBackend")
    return True


Client.login_quickly = _login_quickly


@pytest.fixture(autouse=True)
def _quick_passwords(settings):
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def farm(db) -> Farm:
    return found_farm("ashby")


@pytest.fixture
def neighbour(db) -> Farm:
    return found_farm("birchwell")


@pytest.fixture
def client() -> Client:
    return Client()


ROOT = Path(__file__).resolve().parents[2]
WORKER = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0")[2:])
"""Workers run side by side, so each has ports of its own."""
PORT = 8469 + WORKER


def start_server() -> subprocess.Popen:
    """gunicorn on the test database, in a process group of its own."""
    env = {**os.environ, "ZUCKER_DB_NAME": connection.settings_dict["NAME"], "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}"}
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "zucker.config.wsgi", "--bind", f"127.0.0.1:{PORT}", "--worker-class", "gthread",
         "--workers", "2", "--threads", "2", "--no-control-socket", "--log-level", "error"],
        env=env, cwd=ROOT, start_new_session=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    for _ in range(200):
        try:
            httpx.get(f"http://127.0.0.1:{PORT}/api/v1/clock", timeout=1).raise_for_status()
            return server
        except httpx.HTTPError:
            time.sleep(0.1)
    os.killpg(server.pid, signal.SIGKILL)
    pytest.fail("the server did not start")


@pytest.fixture(scope="module")
def server(django_db_setup) -> Iterator[str]:
    """A real server process on the test database; its address."""
    process = start_server()
    yield f"http://127.0.0.1:{PORT}"
    os.killpg(process.pid, signal.SIGTERM)
    process.wait()
