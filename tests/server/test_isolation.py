"""One operation against another: every route of the OpenAPI document, tried with the wrong person and device."""

import io
import json
from datetime import timedelta

import pytest
from PIL import Image
from zucker import clock
from zucker.barrels.models import Lot, Move, Pack
from zucker.config.api import api
from zucker.sugarhouse.models import Draw, Entry, MembraneLine, Run, Tick, WashStep
from zucker.woods.models import Alarm, Bush, CaseStep, Contact, Drill, LeakCase, Node, Station, StationRequest, Tapping, Walk

from tests.core.test_vacuum import geojson

from .conftest import found_farm, kept_for_the_module, say

SKETCH = {"pump": {"ultimate_inhg": 27, "flow_cfm": 30, "at_inhg": 25}, "mains": [{"name": "A", "length_m": 200, "taps": 90}]}


def soon():
    return (clock.now() + timedelta(hours=2)).isoformat()


FILL = {"tag": "S1", "main": "M", "number": 1, "bush": "north", "kind": "membrane-lines"}
LOT = {"run": 1, "volume_m3": 0.2, "brix": 66.9, "transmittance": 60}
JUGS = {"container": "jug", "each_m3": 0.004, "count": 5, "fill_c": 85}
LINE = {"feed_brix": 2.1, "concentrate_brix": 12, "temp_c": 4, "pressure_pa": 3e6, "permeate_m3_s": 3e-4}
NOTEBOOK = "Date,Syrup (gal)\n2021-03-14,120\n"


def machine_of(own):
    return own.operation.membrane_machines.get().pk


def lots_of(own):
    return list(own.operation.lots.values_list("pk", flat=True))


def parts_of(own):
    return {"parts": [{"lot": key, "volume_m3": 0.01} for key in lots_of(own)[:2]]}


BODIES = {
    "tonight/plan": lambda own: {"assumptions": own.get("tonight").json()["assumptions"], "target_brix": 10},
    "tonight/compare": lambda own: own.get("tonight").json()["assumptions"],
    "runs": lambda own: {"plan": None}, "devices": lambda own: {"name": "x"}, "boiling-point": lambda own: {"water_boiling_c": 99},
    "draws": lambda own: {"volume_m3": 0.01, "instrument": "hydrometer", "reading": 59, "temp_c": 99, "set_c": 103},
    "entries": lambda own: {"kind": "fired", "text": ""},
    "balance": lambda own: {"measures": own.get("runs/1/measures").json()},
    "hunts": lambda own: {"bush": "north"}, "steps": lambda own: {"kind": "note", "facts": {"text": "x"}},
    "walks": lambda own: {"place": "north", "due_at": soon()}, "tapping": lambda own: {"main": "M", "taps": 5},
    "round": lambda own: {"readings": [{"sensor": "S0", "vacuum_pa": 80_000}]}, "contacts": lambda own: {"kind": "email", "address": "a@b.example"},
    "drills": lambda own: {"bush": "north"}, "drills/{number}/steps": lambda own: {"action": "give_up"},
    "weather/extremes": lambda own: {"warmest_c": 6, "coldest_c": -4},
    "bushes": lambda own: {"slug": "south", "name": "South"}, "import": lambda own: {"format": "geojson", "text": json.dumps(geojson())},
    "sketch": lambda own: SKETCH, "features": lambda own: {"changes": [{"what": "point", "tag": "J", "set": {"elevation_m": 103}}]},
    "stations/{tag}/requests": lambda own: {"action": "stop"}, "due": lambda own: {},
    "compare-steps": lambda own: own.get("tonight").json()["assumptions"],
    "cups": lambda own: {"instrument": "hydrometer", "reading": 59, "temp_c": 99, "set_c": 103},
    "membrane-lines": lambda own: {"machine": machine_of(own), **LINE}, "wash-steps": lambda own: {"step": "rinse"},
    "clean-water": lambda own: {"flow_m3_s": 5e-4, "temp_c": 5, "pressure_pa": 3e6},
    "replan": lambda own: {"target_brix": next(c["target_brix"] for c in own.get("runs/1/replan").json()["choices"] if c["limit"] is None)},
    "past-runs/look": lambda own: {"text": NOTEBOOK}, "past-runs": lambda own: {"text": NOTEBOOK},
    "lists": lambda own: {"list": "sap filter", "item": "sock-off", "done": True}, "lots": lambda own: LOT,
    "packs": lambda own: {"lot": lots_of(own)[0], **JUGS}, "moves": lambda own: {"went": "sold", "count": 1},
    "blends": parts_of, "blends/look": parts_of,
    "blends/recipe": lambda own: {"lots": lots_of(own), "volume_m3": 0.02, "transmittance": 40, "brix": 66.9},
    "close": lambda own: {"measures": own.get("runs/1/measures").json()},
}


def routes():
    for path, methods in api.get_openapi_schema()["paths"].items():
        if "{operation}" in path:
            for method in methods:
                yield method.upper(), path


def body_for(path, own):
    return next((make(own) for name, make in sorted(BODIES.items(), key=lambda item: -len(item[0])) if path.endswith(name)), {})


def address(path, farm, ids):
    filled = path.replace("{operation}", farm.slug)
    for name, value in {**FILL, **ids}.items():
        filled = filled.replace("{" + name + "}", str(value))
    return filled


@pytest.fixture(scope="module")
def farms_and_ids(django_db_setup, django_db_blocker):
    """Two farms alike, each with a run, a draw, an entry."""
    with kept_for_the_module(django_db_blocker):
        yield found_two()


@pytest.fixture
def two(db, farms_and_ids):
    """The same two as new: what a test does to them is rolled back."""
    return farms_and_ids


def found_two():
    farms = [found_farm("ashby"), found_farm("birchwell")]
    ids = []
    for farm in farms:
        say(farm, {"S0": 84_000.0, "S1": 82_000.0})
        farm.post("runs", {"plan": None})
        draw = farm.post("runs/1/draws", BODIES["draws"](farm)).json()
        entry = farm.post("runs/1/entries", {"kind": "fired"}).json()
        hunt = farm.post("hunts", {"bush": "north"}).json()
        farm.post(f"hunts/{hunt['number']}/steps", {"kind": "note", "facts": {"text": "here"}})
        step = send_photo(farm.clients["owner"], farm.url(f"hunts/{hunt['number']}/photos")).json()["steps_log"][-1]
        alarm = Alarm.objects.create(operation=farm.operation, bush=farm.operation.bushes.get(), place="M", cause="leak",
                                     opened_at=clock.now(), seen_at=clock.now())
        ids.append({"draw": draw["id"], "entry": entry["id"], "device": farm.operation.devices.get().pk, "step": step["id"],
                    "alarm": alarm.pk, **more(farm)})
    return farms, ids


def picture(size=(40, 30), form="PNG"):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 60, 30)).save(out, form)
    return out.getvalue()


def send_photo(client, url):
    return client.post(url, {"photo": io.BytesIO(picture())})


def more(farm):
    """Rows of the field's work, by the names that routes give their ids."""
    walk = farm.post("walks", {"place": "north", "due_at": soon()}).json()
    entry = farm.post("bushes/north/tapping", {"main": "M", "taps": 5}).json()["entries"][0]
    contact = farm.post("contacts", {"kind": "webhook", "address": "http://127.0.0.1:9/"}).json()
    farm.post("drills", {"bush": "north"})
    Station.objects.create(operation=farm.operation, tag="S1", running=True, heard_at=clock.now())
    line = farm.post("runs/1/membrane-lines", {"machine": machine_of(farm), **LINE}).json()
    lots = [farm.post("lots", {**LOT, "note": note}).json()["id"] for note in ("a", "b", "c")]
    farm.post("packs", {"lot": lots[0], **JUGS})
    move = farm.post("packs/1/moves", {"went": "given away", "count": 1}).json()["moves"][0]["id"]
    # a lot that nothing was made of, so that it can be taken back
    return {"line": line["id"], "lot": lots[2], "move": move, "machine": machine_of(farm), "walk": walk["id"], "tapping": entry["id"], "contact": contact["id"]}


def counts():
    return Walk.objects.filter(back_at=None).count(), Tapping.objects.filter(undone_at=None).count(), Contact.objects.count(), Drill.objects.filter(solved=None).count(), StationRequest.objects.count(), Node.objects.count(), Bush.objects.count(), Run.objects.count(), CaseStep.objects.filter(undone_at=None).count(), LeakCase.objects.count(), Draw.objects.filter(undone_at=None).count(), Entry.objects.filter(undone_at=None).count(), Lot.objects.count(), Pack.objects.count(), Move.objects.filter(undone_at=None).count(), MembraneLine.objects.filter(undone_at=None).count(), Tick.objects.count(), WashStep.objects.count()


@pytest.mark.parametrize(("method", "path"), list(routes()))
def test_nothing_of_one_is_seen_or_changed_by_the_other(two, method, path):
    (mine, other), (_, other_ids) = two
    before, body = counts(), json.dumps(body_for(path, other))
    if path.endswith("/weather") and method == "POST":
        body = "at,temp_c,wind_m_s,kind\n2026-03-01T00:00:00Z,1,,measured\n"

    def call(client, url):
        if path.endswith("/photos") and method == "POST":
            return send_photo(client, url)
        if path.endswith("/due"):
            url += "?until=2060"
        return client.generic(method, url, body, content_type="application/json")

    stranger = mine.clients["owner"]
    assert call(stranger, address(path, other, other_ids)).status_code == 404
    # the other's rows by their ids under my own address
    if any("{" + name + "}" in path for name in other_ids):
        assert call(stranger, address(path, mine, other_ids)).status_code == 404
    assert counts() == before
    # a device token opens no route of people's
    token = {"Authorization": f"Bearer {other.token}"}
    from django.test import Client

    bare = Client().generic(method, address(path, other, other_ids), body, content_type="application/json", headers=token)
    assert bare.status_code == 401
    # and the owner's own call is a real one
    # (409: the farm has a run open already)
    assert call(other.clients["owner"], address(path, other, other_ids)).status_code in (200, 201, 204, 409)


def test_lots_and_machines_of_another_are_not_to_be_had(two):
    (mine, other), _ = two
    theirs = lots_of(other)
    assert mine.post("packs", {"lot": theirs[0], **JUGS}).status_code == 404
    assert mine.post("blends", parts_of(other)).status_code == 404
    assert mine.post("blends/recipe", BODIES["blends/recipe"](other)).status_code == 404
    assert mine.post("runs/1/membrane-lines", {"machine": machine_of(other), **LINE}).status_code == 404
    assert len(lots_of(mine)) == 3


def test_a_device_writes_only_to_its_own(two, client):
    (mine, other), _ = two
    at = "2026-01-05T10:00:00Z"
    other.operation.sensors.create(tag="ONLY-THERE", kind="vacuum")
    answer = mine.readings(client, [{"sensor": "ONLY-THERE", "at": at, "value": 20, "unit": "inHg"},
                                    {"sensor": "S1", "at": at, "value": 20, "unit": "inHg"}]).json()
    assert answer["taken"] == 1
    assert answer["refused"][0]["field"] == "sensor"
    assert not other.operation.sensors.get(tag="S1").readings.filter(at=at).exists()
    assert mine.operation.sensors.get(tag="S1").readings.filter(at=at).exists()


def test_a_plan_of_another_starts_no_run(two):
    (mine, other), _ = two
    plan = other.post("tonight/plan", BODIES["tonight/plan"](other)).json()
    Pack.objects.all().delete()
    Lot.objects.all().delete()
    Run.objects.all().delete()
    assert mine.post("runs", {"plan": plan["id"]}).status_code == 404
