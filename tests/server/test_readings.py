"""Readings in: three formats, idempotence, refusals line by line."""

import json
import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from django.db import connection
from zucker import clock
from zucker.telemetry.actions.roll_up import roll_up
from zucker.telemetry.models import Reading, Rollup, Sensor
from zucker.telemetry.partitions import ensure_months, month_after
from zucker.telemetry.queries import history
from zucker.woods.api.hunt import StepIn
from zucker.woods.formats import FORMATS
from zucker.woods.models import Station, StationRequest
from zucker_core.vacuum import Network, complete

NOW = datetime.now(UTC).replace(microsecond=0)


def reading(sensor="S1", minutes=0, value=24.1, unit="inHg", **more):
    return {"sensor": sensor, "at": (NOW - timedelta(minutes=minutes)).isoformat(), "value": value, "unit": unit, **more}


def test_taken_means_stored_in_si(farm, client):
    answer = farm.readings(client, [reading(), reading("SAP-TEMP", value=41, unit="°F")])
    assert answer.status_code == 200
    assert answer.json() == {"taken": 2, "known": 0, "refused": []}
    sensor = Sensor.objects.get(operation=farm.operation, tag="S1")
    assert sensor.last_value == pytest.approx(24.1 * 3386.389)
    assert Reading.objects.filter(sensor=sensor).get().value == sensor.last_value
    assert Reading.objects.filter(sensor__tag="SAP-TEMP", at=NOW).get().value == pytest.approx(5.0)


def test_sending_twice_is_harmless(farm, client):
    batch = [reading(minutes=m) for m in range(20)]
    assert farm.readings(client, batch).json()["taken"] == 20
    again = farm.readings(client, [*batch, reading(minutes=30), reading(minutes=30)]).json()
    assert (again["taken"], again["known"]) == (1, 21)


def test_late_readings_do_not_become_the_latest(farm, client):
    farm.readings(client, [reading(value=24.0)])
    farm.readings(client, [reading(minutes=60, value=10.0)])
    assert Sensor.objects.get(operation=farm.operation, tag="S1").last_value == pytest.approx(24.0 * 3386.389)


def test_ndjson_and_csv(farm, client):
    lines = "\n".join(json.dumps(reading(minutes=m)) for m in range(3)) + "\nnot json\n\n"
    answer = farm.readings(client, lines, "application/x-ndjson").json()
    assert answer["taken"] == 3
    assert (answer["refused"][0]["line"], answer["refused"][0]["field"]) == (4, "line")
    rows = "unit,sensor,value,at\n" + "".join(f"inHg,S1,24.{m},{reading(minutes=10 + m)['at']}\n" for m in range(3))
    rows += "inHg,S1,24.0\n"
    answer = farm.readings(client, rows, "text/csv; charset=utf-8").json()
    assert answer["taken"] == 3
    assert answer["refused"][0]["line"] == 5
    assert "3 columns" in answer["refused"][0]["message"]


@pytest.mark.parametrize(("change", "field", "words"), [
    ({"sensor": "UN-99"}, "sensor", "no sensor"), ({"sensor": None}, "sensor", "no sensor"), ({"sensor": ["S1"]}, "sensor", "no sensor"),
    ({"at": "2199-01-01T00:00:00Z"}, "at", "ten minutes from now"), ({"at": "yesterday"}, "at", "with its zone"),
    ({"at": "2026-01-01T00:00:00"}, "at", "with its zone"), ({"at": 12}, "at", "with its zone"),
    ({"at": "0001-01-01T00:00:00+23:59"}, "at", "zone"), ({"at": "1999-01-01T00:00:00Z"}, "at", "between 2000"),
    ({"value": "NaN"}, "value", "finite"), ({"value": None}, "value", "finite"), ({"value": True}, "value", "finite"),
    ({"value": 1e308}, "value", "between"), ({"value": 99}, "value", "between"), ({"value": "1" * 5000}, "value", "finite"),
    ({"unit": "furlong"}, "unit", "inHg"), ({"unit": 7}, "unit", "known"), ({"unit": "°F"}, "unit", "no unit for vacuum"),
])
def test_refusals_name_line_field_and_reason(farm, client, change, field, words):
    answer = farm.readings(client, [reading(minutes=1), reading(minutes=2) | change, reading(minutes=3)])
    assert answer.status_code == 200, answer.content
    body = answer.json()
    assert body["taken"] == 2
    assert [(r["line"], r["field"]) for r in body["refused"]] == [(2, field)]
    assert words in body["refused"][0]["message"]


@pytest.mark.parametrize(("body", "content_type", "status", "field"), [
    (b"{", "application/json", 400, "body"), (b"[]", "application/json", 422, "readings"), (b"\xff\xfe", "text/csv", 400, "body"),
    (b'{"readings": [NaN]}', "application/json", 400, "body"), (b"a,b\n1,2\n", "text/csv", 422, "header"), (b"\n", "text/csv", 422, "header"),
    (b"x", "application/octet-stream", 415, "Content-Type"), (b'{"readings": ' + b"[" * 20000, "application/json", 400, "body"),
    (b'{"readings": [' + b"1," * 10000 + b"1]}", "application/json", 413, "readings"),
])
def test_bodies_that_cannot_be_read(farm, client, body, content_type, status, field):
    answer = farm.readings(client, body, content_type)
    assert answer.status_code == status
    assert answer.json()["errors"][0]["field"] == field


def test_a_50_mb_body_is_refused_before_it_is_read(farm, client):
    answer = farm.readings(client, b"x" * 50_000_000)
    assert answer.status_code == 413
    assert "50000000" in answer.json()["errors"][0]["message"]


def test_ten_minutes_of_skew_are_borne(farm, client):
    for ahead, taken in ((9, 1), (11, 0)):
        at = (datetime.now(UTC) + timedelta(minutes=ahead)).isoformat()
        assert farm.readings(client, [{**reading(), "at": at}]).json()["taken"] == taken


def test_tokens(farm, client):
    wrong = client.post("/api/v1/readings", {}, content_type="application/json", headers={"Authorization": "Bearer nothing"})
    assert wrong.status_code == 401
    assert client.post("/api/v1/readings", {}, content_type="application/json").status_code == 401
    # a person's session is no device
    assert farm.clients["owner"].post("/api/v1/readings", {}, content_type="application/json").status_code == 401
    device = farm.get("devices").json()[0]
    assert farm.send("DELETE", f"devices/{device['id']}").status_code == 204
    assert farm.readings(client, [reading()]).status_code == 401
    new = farm.post("devices", {"name": "second gateway"})
    assert new.status_code == 201
    farm.token = new.json()["token"]
    assert farm.readings(client, [reading()]).json()["taken"] == 1
    assert "token" not in farm.get("devices").json()[1]
    assert farm.token not in str(list(farm.operation.devices.values()))
    assert farm.post("devices", {"name": "x"}, role="crew").status_code == 403


def test_months_get_partitions_and_take_over_what_came_before(farm, client):
    old = NOW - timedelta(days=95)
    farm.readings(client, [reading(minutes=95 * 1440)])
    with connection.cursor() as cursor:
        cursor.execute("SELECT tableoid::regclass::text FROM telemetry_reading WHERE at = %s", [old])
        assert cursor.fetchone()[0] == "telemetry_reading_default"
        assert ensure_months(old, old) == [f"telemetry_reading_{old:%Y_%m}"]
        assert ensure_months(old, old) == []
        cursor.execute("SELECT tableoid::regclass::text FROM telemetry_reading WHERE at = %s", [old])
        assert cursor.fetchone()[0] == f"telemetry_reading_{old:%Y_%m}"
    assert month_after(datetime(2026, 12, 5).date()).isoformat() == "2027-01-01"


def test_rollups_and_history(farm, client):
    start = NOW.replace(minute=0, second=0) - timedelta(hours=3)
    batch = [{"sensor": "S1", "at": (start + timedelta(minutes=m)).isoformat(), "value": 20 + m / 60, "unit": "inHg"} for m in range(120)]
    farm.readings(client, batch)
    assert roll_up(start, start + timedelta(hours=2)) == 12 + 2
    hour = Rollup.objects.get(sensor__tag="S1", width_s=3600, start=start)
    assert (hour.count, hour.low / 3386.389, hour.last / 3386.389) == (60, pytest.approx(20.0), pytest.approx(20 + 59 / 60))
    assert hour.mean / 3386.389 == pytest.approx(20 + 29.5 / 60)
    sensor = Sensor.objects.get(operation=farm.operation, tag="S1")
    drawn = history(sensor, 6)
    assert len(drawn) == 12
    farm.readings(client, [reading()])
    assert history(sensor, 6)[-1][2] == pytest.approx(24.1 * 3386.389)
    answer = farm.get("sensors/S1/history?hours=6")
    assert len(answer.json()["points"]) == 13
    assert farm.get("sensors/NOPE/history").status_code == 404
    assert farm.get("sensors/S1/history?hours=nan").status_code == 422


def test_jobs_run(farm):
    from zucker.telemetry import jobs

    jobs.make_partitions.func(0)
    jobs.make_rollups.func(0)
    assert Rollup.objects.filter(sensor__tag="SAP-LEVEL").exists()
    with connection.cursor() as cursor:
        cursor.execute("SELECT to_regclass(%s)", [f"telemetry_reading_{clock.now():%Y_%m}"])
        assert cursor.fetchone()[0]


def examples(language):
    """The code blocks of docs/formats.md."""
    text = (Path(__file__).resolve().parents[2] / "docs/formats.md").read_text()
    return re.findall(rf"```{language}\n(.*?)```", text, re.S)


def test_the_documented_examples_are_taken(farm, client):
    Sensor.objects.create(operation=farm.operation, tag="UN-07E", kind="vacuum")
    sending = [(examples("json")[0], "application/json"), (examples("json")[1], "application/x-ndjson"),
               (examples("csv")[0], "text/csv")]
    for body, content_type in sending:
        # the examples' day lies in the demo's spring, which may be ahead of the real clock
        answer = farm.readings(client, body.replace("2026-03-17", "2025-03-17"), content_type).json()
        assert (answer["taken"], answer["refused"]) == (1, []), body
    network = Network.from_geojson(json.loads(examples("json")[3]))
    assert list(network.mains) == ["A-01"]
    files = {"csv": examples("csv")[1], "gpx": examples("xml")[0], "kml": examples("xml")[1]}
    for name, text in files.items():
        done, faults = complete(FORMATS[name].read(text))
        assert not faults
        read = Network.from_geojson(done)
        assert read.nodes[1].tag == "A-01E", name
        assert read.length_m[1] == pytest.approx(158, abs=1)
    headers = {"Authorization": f"Bearer {farm.token}"}
    stations = examples("json")[4].replace("2026-03-17", "2025-03-17")
    assert client.post("/api/v1/stations", stations, content_type="application/json", headers=headers).json() == {"requests": []}
    asked = StationRequest.objects.create(station=Station.objects.get(), action="stop", at=clock.now())
    told = client.post(f"/api/v1/stations/requests/{asked.pk}", examples("json")[5], content_type="application/json", headers=headers)
    assert told.json()["state"] == "refused"
    step = StepIn.model_validate_json(examples("json")[2])
    assert (step.kind, step.facts.cause) == ("found", "loose spout")
    weather = farm.clients["owner"].generic("POST", farm.url("weather"), examples("csv")[2], content_type="text/csv")
    assert weather.json() == {"hours": 2}
