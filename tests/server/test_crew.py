"""The crew: out alone, tapping, rounds of dials, photos; whom alarms are told."""

import io
import json
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from threading import Thread
from uuid import uuid4

import pytest
from django.core import mail
from PIL import Image
from zucker import clock
from zucker.telemetry.models import Reading, Sensor
from zucker.woods.actions.send_notices import is_quiet, send_notices
from zucker.woods.actions.survey_network import survey_network
from zucker.woods.actions.watch_bush import watch_bush
from zucker.woods.hunts import noise_of, priors_of
from zucker.woods.models import Alarm, Contact, LeakCase, Notice, Photo, Tapping, Walk
from zucker_core import vacuum

from tests.core.test_vacuum import NET

from .conftest import say

INHG = 3386.389


def due(hours=2.0):
    return (clock.now() + timedelta(hours=hours)).isoformat()


def test_out_alone_is_sent_once_and_overdue_is_shown(farm):
    token = str(uuid4())
    body = {"place": "Upper end of M", "due_at": due(), "token": token}
    first = farm.post("walks", body, "crew")
    assert first.status_code == 201
    assert farm.post("walks", body, "crew").json()["id"] == first.json()["id"]
    assert Walk.objects.count() == 1
    assert not farm.get("walks").json()[0]["overdue"]
    Walk.objects.update(since=clock.now() - timedelta(hours=3), due_at=clock.now() - timedelta(minutes=1))
    assert farm.get("walks").json()[0]["overdue"]
    back = farm.post(f"walks/{first.json()['id']}/back", role="crew").json()
    assert back["back_at"]
    assert not back["overdue"]
    # whoever goes out anew is back from before; a viewer goes nowhere
    farm.post("walks", {"place": "M again", "due_at": due()}, "crew")
    farm.post("walks", {"place": "elsewhere", "due_at": due()}, "crew")
    assert [w["place"] for w in farm.get("walks").json() if w["back_at"] is None] == ["elsewhere"]
    assert farm.post("walks", {"place": "x", "due_at": due()}, "viewer").status_code == 403


@pytest.mark.parametrize("hours", [-1, 30])
def test_due_back_must_lie_ahead(farm, hours):
    answer = farm.post("walks", {"place": "M", "due_at": due(hours)})
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "due_at"


class Hook(BaseHTTPRequestHandler):
    got: list = []
    answer = 200

    def do_POST(self):
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        Hook.got.append(body)
        self.send_response(Hook.answer)
        self.end_headers()

    def log_message(self, *_):
        pass


@pytest.fixture
def hook():
    Hook.got, Hook.answer = [], 200
    server = HTTPServer(("127.0.0.1", 0), Hook)
    Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}/alarms"
    server.shutdown()


def alarm_of(farm, **more):
    bush = farm.operation.bushes.get()
    now = clock.now()
    return Alarm.objects.create(**{"operation": farm.operation, "bush": bush, "place": "M", "cause": "leak", "causes": {"leak": 0.9},
                                   "fall_pa": 2 * INHG, "opened_at": now, "seen_at": now, **more})


def test_an_alarm_is_told_once_by_mail_and_webhook(farm, hook):
    farm.post("contacts", {"kind": "email", "address": "boss@sugar.example"})
    farm.post("contacts", {"kind": "webhook", "address": hook})
    alarm = alarm_of(farm)
    now = clock.now()
    assert send_notices(now) == 2
    assert send_notices(now + timedelta(minutes=1)) == 0
    assert "M: a leak" in mail.outbox[0].subject
    assert "2.0 inHg (6.8 kPa)" in mail.outbox[0].body
    assert Hook.got[0]["event"] == "alarm"
    assert Hook.got[0]["id"] == alarm.pk
    assert [c["fault"] for c in farm.get("contacts").json()] == ["", ""]
    # one that somebody has seen already needs no telling
    alarm.closed_at = now
    alarm.save()
    alarm_of(farm, acknowledged_at=now)
    assert send_notices(now) == 0


def test_a_webhook_that_fails_is_tried_again_and_says_why(farm, hook):
    Hook.answer = 503
    farm.post("contacts", {"kind": "webhook", "address": hook})
    alarm_of(farm)
    now = clock.now()
    assert send_notices(now) == 0
    assert "503" in farm.get("contacts").json()[0]["fault"]
    Hook.answer = 200
    assert send_notices(now + timedelta(minutes=1)) == 1
    assert Notice.objects.get().tries == 2
    contact = Contact.objects.get()
    Hook.answer = 500
    assert farm.post(f"contacts/{contact.pk}/try").status_code == 409
    Hook.answer = 200
    assert farm.post(f"contacts/{contact.pk}/try").status_code == 200


def test_quiet_hours_hold_alarms_but_not_a_person_overdue(farm, hook):
    farm.post("contacts", {"kind": "webhook", "address": hook, "quiet_from": 22, "quiet_to": 6})
    contact = Contact.objects.get()
    night = datetime(2026, 3, 14, 7, 0, tzinfo=UTC)  # 2 or 3 in the morning there
    morning = datetime(2026, 3, 14, 13, 0, tzinfo=UTC)
    assert is_quiet(contact, night)
    assert not is_quiet(contact, morning)
    alarm_of(farm, opened_at=night)
    assert send_notices(night) == 0
    Walk.objects.create(operation=farm.operation, token=uuid4(), person=farm.operation.memberships.first().person,
                        place="M", since=night - timedelta(hours=3), due_at=night - timedelta(hours=1))
    assert send_notices(night) == 1
    assert Hook.got[0]["event"] == "walk overdue"
    assert send_notices(morning) == 1
    assert Hook.got[1]["event"] == "alarm"


@pytest.mark.parametrize(("kind", "address"), [("email", "boss"), ("webhook", "ftp://x.example/"), ("webhook", "no-address")])
def test_an_address_that_is_none_is_refused(farm, kind, address):
    answer = farm.post("contacts", {"kind": kind, "address": address})
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "address"


def test_only_owners_see_and_change_contacts(farm):
    for role in ("crew", "viewer"):
        assert farm.get("contacts", role).status_code == 403
        assert farm.post("contacts", {"kind": "email", "address": "a@b.example"}, role).status_code == 403


def test_tapping_progress_by_line_and_person(farm):
    token = str(uuid4())
    entry = {"main": "M", "lateral": "L1", "taps": 5, "soft": 1, "depth_m": 0.045, "spout": "check-valve", "token": token}
    shown = farm.post("bushes/north/tapping", entry, "crew").json()
    assert shown == farm.post("bushes/north/tapping", entry, "crew").json() | {"a_day": shown["a_day"], "days_left": shown["days_left"]}
    farm.post("bushes/north/tapping", {"main": "M", "taps": 2})
    shown = farm.get("bushes/north/tapping").json()
    assert (shown["done"], shown["planned"]) == (7, 8)
    assert shown["lines"] == [{"main": "M", "planned": 8, "done": 7, "soft": 1}]
    assert shown["people"] == [{"who": "ashby-crew", "taps": 5}, {"who": "ashby-owner", "taps": 2}]
    assert shown["a_day"] == 7
    undone = farm.send("DELETE", f"bushes/north/tapping/{shown['entries'][0]['id']}").json()
    assert undone["done"] == 5
    assert Tapping.objects.count() == 2  # it stays in the store


@pytest.mark.parametrize(("body", "field"), [
    ({"main": "X", "taps": 3}, "main"), ({"main": "M", "lateral": "Q", "taps": 3}, "lateral"), ({"main": "M", "taps": 3, "soft": 4}, "soft"),
    ({"main": "M", "taps": 0}, "taps"), ({"main": "M", "taps": 3, "depth_m": 0.4}, "depth_m"),
])
def test_wrong_tapping_names_the_field(farm, body, field):
    answer = farm.post("bushes/north/tapping", body)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"].endswith(field)


@pytest.fixture
def dials(farm):
    """The farm's bush as the larger test network, its end gauges dials that somebody reads; the pump's sends by itself."""
    whole = NET.to_geojson()
    for feature in whole["features"]:
        if feature["properties"].get("sensor", "").endswith("E"):
            feature["properties"]["gauge"] = "hand"
    bush = farm.operation.bushes.get()
    survey_network(bush, whole)
    bush.refresh_from_db()
    return farm, bush


def test_a_leak_is_located_from_a_round_of_dials(dials):
    farm, bush = dials
    tags = sorted(Sensor.objects.filter(nodes__bush=bush, by_hand=True).values_list("tag", flat=True))
    assert len(tags) >= 4
    now = clock.now()
    clean = vacuum.steady(NET, None, 2e-6 / NET.taps.sum()).vacuum_pa
    leaking = vacuum.steady(NET, {"C03-9": 1.5}, 2e-6 / NET.taps.sum()).vacuum_pa
    by_tag = dict(NET.sensors)
    readings = [{"sensor": tag, "vacuum_pa": float(leaking[by_tag[tag]]) - (101_325.0 - 97_500.0),
                 "at": (now - timedelta(minutes=80 - 2 * k)).isoformat()} for k, tag in enumerate(tags)]
    assert farm.post("hunts", {"bush": "north"}).status_code == 409  # nothing to go by yet
    rows = farm.post("bushes/north/round", {"readings": readings}, "crew").json()
    assert Reading.objects.filter(sensor__by_hand=True).count() == len(tags)
    farm.post("bushes/north/round", {"readings": readings}, "crew")  # sending again is harmless
    assert Reading.objects.filter(sensor__by_hand=True).count() == len(tags)
    worst = max(rows, key=lambda row: row["shortfall_pa"])
    assert worst["main"].startswith("C03")
    expected = float(clean[by_tag[worst["sensor"]]] - leaking[by_tag[worst["sensor"]]])
    assert worst["shortfall_pa"] == pytest.approx(expected, abs=400)
    assert worst["state"] == "losing"
    hunt = farm.post("hunts", {"bush": "north"}, "crew").json()
    assert hunt["leak"]["branches"][0]["main"].startswith("C03")
    case = LeakCase.objects.get()
    assert set(noise_of(case, case.drops).values()) == {vacuum.HAND_NOISE_PA}
    # the watch leaves dials alone: what nobody reads is not silent
    assert watch_bush(bush, now) == []


def test_a_gauge_that_sends_takes_no_reading_by_hand(farm):
    answer = farm.post("bushes/north/round", {"readings": [{"sensor": "S1", "vacuum_pa": 80_000}]})
    assert answer.status_code == 409
    assert "sends its own" in answer.json()["errors"][0]["message"]
    answer = farm.post("bushes/north/round", {"readings": [{"sensor": "S9", "vacuum_pa": 80_000}]})
    assert answer.json()["errors"][0]["field"] == "readings.0.sensor"


def test_soft_taps_and_past_leaks_make_a_place_likelier(farm):
    say(farm, {"S0": 84_000.0, "S1": 80_000.0})
    farm.post("bushes/north/tapping", {"main": "M", "lateral": "L1", "taps": 8, "soft": 2})
    farm.post("hunts", {"bush": "north"})
    raised = priors_of(LeakCase.objects.get())
    assert raised["J"] == pytest.approx(4.0, rel=0.4)


def picture(size=(3000, 2000), form="JPEG", **more):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 60, 30)).save(out, form, **more)
    return out.getvalue()


def test_a_photo_is_kept_small_once_and_without_its_place(farm):
    say(farm, {"S0": 84_000.0, "S1": 80_000.0})
    farm.post("hunts", {"bush": "north"})
    exif = Image.Exif()
    exif[0x8825] = {1: "N", 2: (45.0, 0.0, 0.0)}
    client, token = farm.clients["crew"], str(uuid4())
    for _ in range(2):
        answer = client.post(farm.url("hunts/1/photos"), {"photo": io.BytesIO(picture(exif=exif)), "token": token, "text": "chewed"})
        assert answer.status_code == 201, answer.content
    assert Photo.objects.count() == 1
    step = answer.json()["steps_log"][-1]
    assert (step["photo"], step["facts"]["text"]) == (True, "chewed")
    kept = farm.get(f"hunts/1/photos/{step['id']}", "viewer")
    with Image.open(io.BytesIO(kept.content)) as shown:
        assert max(shown.size) == 1600
        assert not shown.getexif()


@pytest.mark.parametrize("data", [b"not a picture", b"\xff\xd8\xff\xe0 broken", b""])
def test_what_is_no_picture_is_refused(farm, data):
    say(farm, {"S0": 84_000.0, "S1": 80_000.0})
    farm.post("hunts", {"bush": "north"})
    answer = farm.clients["crew"].post(farm.url("hunts/1/photos"), {"photo": io.BytesIO(data)})
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "photo"
    assert not Photo.objects.exists()
