"""Figures behind the screens: weather ahead, the Line, suggested measures, time, display, the demo's loader."""

import io
import json
import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from django.core.management import CommandError, call_command
from zucker import clock
from zucker.bench.display import Display
from zucker.config.errors import Refused, from_core, from_pydantic
from zucker.people.models import Membership, Operation
from zucker.season.actions.take_weather import take_weather
from zucker.sugarhouse.actions.set_up_house import set_up_house
from zucker.sugarhouse.closing import as_csv
from zucker.sugarhouse.models import Run
from zucker.telemetry.models import Reading, Sensor
from zucker.woods.actions.survey_network import survey_network
from zucker.woods.models import Bush, Node
from zucker_core import sap, sugar
from zucker_core.errors import CoreError, Inconsistent, NetworkError, OutOfRange
from zucker_core.units import UnknownUnit

from tests.core.test_vacuum import geojson

from .conftest import HOUSE, say


def hours(temps):
    """A weather file from now on, one hour a line."""
    start = clock.now().replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    rows = "".join(f"{(start + timedelta(hours=i)).isoformat()},{t},1.0,forecast\n" for i, t in enumerate(temps))
    return start, "at,temp_c,wind_m_s,kind\n" + rows


def test_frost_and_the_thaw_after_it(farm):
    start, text = hours([5, 2, 0.5, -1, -4, -2, 0.5, 1.5, 6])
    take_weather(farm.operation, text)
    ahead = farm.get("weather").json()
    at = lambda key: datetime.fromisoformat(ahead[key])  # noqa: E731
    assert at("frost_at") == start + timedelta(hours=3)
    assert at("thaw_at") == start + timedelta(hours=7)
    assert (ahead["low_c"], at("low_at")) == (-4.0, start + timedelta(hours=4))


@pytest.mark.parametrize(("temps", "frost", "thaw"), [([5, 6, 7], False, False), ([-3, -4, -5], True, False), ([], False, False)])
def test_weather_without_a_turn(farm, temps, frost, thaw):
    if temps:
        take_weather(farm.operation, hours(temps)[1])
    ahead = farm.get("weather").json()
    assert (ahead["frost_at"] is not None, ahead["thaw_at"] is not None) == (frost, thaw)


def test_a_refused_weather_file_leaves_nothing(farm):
    _, text = hours([1, 2, 3])
    with pytest.raises(Refused) as caught:
        take_weather(farm.operation, text + "nonsense,1,1,forecast\n")
    assert caught.value.field == "line 5: at"
    assert not farm.operation.weather.exists()
    with pytest.raises(Refused, match="5000"):
        take_weather(farm.operation, text + text.splitlines()[1] * 0 + "\n".join(text.splitlines()[1:] * 2000))


def test_the_line_tells_each_station(farm):
    line = farm.get("line").json()
    assert line["sap"]["volume_m3"] == pytest.approx(3.14159 / 4 * 9 * 2.0, rel=1e-4)
    assert line["sap"]["capacity_m3"] == pytest.approx(3.14159 / 4 * 9 * 3.0, rel=1e-4)
    assert line["membrane"] == {"permeate_m3_s": None, "running": False, "known": False, "head_m3": pytest.approx(1.5708, rel=1e-3),
                                "head_brix": 12.0}
    assert line["pans"]["boiling"] is False
    assert line["woods"]["mains"] == 1
    farm.operation.sensors.create(tag="RO", kind="flow", part="membrane")
    say(farm, {"RO": 1e-3, "PAN-TEMP": 99.0}, minutes_ago=-0.2)
    line = farm.get("line").json()
    assert line["membrane"]["running"]
    assert line["pans"]["boiling"]
    Sensor.objects.filter(tag="RO").update(last_at=clock.now() - timedelta(minutes=20))
    assert not farm.get("line").json()["membrane"]["running"]


def test_suggested_measures_follow_tanks_and_releasers(farm):
    farm.post("runs", {"plan": None})
    start = clock.now() - timedelta(hours=2)
    Run.objects.update(started_at=start)
    Reading.objects.filter(sensor__tag="FLOW").delete()
    Sensor.objects.filter(tag="FLOW").update(last_at=None)
    # 1 L/s for two hours, and a tank that falls from 2.5 to 2.0 m
    for minute in range(120, -1, -10):
        say(farm, {"FLOW": 1e-3}, minutes_ago=minute + 0.05)
    say(farm, {"SAP-LEVEL": 2.5, "SAP-BRIX": 2.3}, minutes_ago=121)
    farm.post("runs/1/draws", {"volume_m3": 0.05, "instrument": "refractometer", "reading": 67, "temp_c": 20, "set_c": 103})
    rows = {row["name"]: row for row in farm.get("runs/1/measures").json()}
    shape = sap.TankShape("upright cylinder", diameter_m=3.0, height_m=3.0)
    assert rows["sap tank at start"]["volume_m3"] == pytest.approx(sap.tank_volume(shape, 2.5))
    assert rows["sap tank at start"]["brix"] == 2.3
    assert rows["sap tank at end"]["volume_m3"] == pytest.approx(sap.tank_volume(shape, 2.0))
    assert rows["sap come in"]["volume_m3"] == pytest.approx(7.2, rel=0.01)
    assert rows["syrup drawn"]["brix"] == pytest.approx(67.0)
    assert rows["pans at end"]["side"] == "held after"
    balance = farm.post("runs/1/balance", {"measures": list(rows.values())}).json()
    by_hand = sum(sugar.sugar_mass(r["volume_m3"], r["brix"], r["temp_c"]) * (1 if r["side"] in ("in", "held before") else -1)
                  for r in rows.values())
    assert balance["unaccounted_kg"] == pytest.approx(by_hand, abs=1e-6)


@pytest.mark.parametrize("text", ["=1+1", "+1", "-1", "@cmd", "\tx", "\rx"])
def test_no_text_becomes_a_formula(text):
    row = {"at": "2026", "kind": "note", "by": "", "text": text, "undone": False}
    assert f"'{text[0]}" in as_csv([row])
    assert "'fine" not in as_csv([row | {"text": "fine"}])


@pytest.mark.parametrize(("metric", "value", "dimension", "text"), [
    (False, 100.0, "temperature", "212.0 °F"), (True, 100.0, "temperature", "100.0 °C"), (False, 1.0, "volume", "264.17 gal"),
    (True, 1.0, "volume", "1,000.0 L"), (False, 1327.92, "density", "11.082 lb/gal"), (True, 1327.92, "density", "1,327.9 kg/m³"),
    (False, 45.359237, "mass", "100.00 lb"), (True, 1.5, "mass", "1.50 kg"), (False, 101_325.0, "vacuum", "29.92 inHg"),
    (True, 101_325.0, "vacuum", "101.33 kPa"), (True, 3e6, "pressure", "30.00 bar"), (False, 2_757_902.8, "pressure", "400.0 psi"), (False, 457.2, "length", "1,500 ft"), (True, 457.2, "length", "457 m"),
])
def test_working_is_told_in_the_persons_units(metric, value, dimension, text):
    assert Display(metric).text(value, dimension) == text


def test_differences_of_temperature_have_no_offset():
    assert Display(False).difference(1.0) == "1.80 °F"
    assert Display(True).difference(1.0) == "1.00 °C"


@pytest.mark.parametrize(("error", "field"), [
    (OutOfRange("brix", 250.0, 0, 80, "°Brix"), "brix"), (OutOfRange("brix", float("nan"), 0, 80, "°Brix"), "brix"),
    (Inconsistent("target_brix", "no"), "target_brix"), (NetworkError("M1", "loop"), "M1"), (UnknownUnit("ell", "length"), "unit"),
    (CoreError("odd"), "input"),
])
def test_core_errors_become_faults(error, field):
    fault = from_core(error)
    assert fault["field"] == field
    assert json.dumps(fault, allow_nan=False)


def test_pydantic_errors_become_faults():
    fault = from_pydantic({"loc": ("body", "payload", "sap_brix"), "msg": "too much", "input": 250, "ctx": {"le": 20.0}})
    assert (fault["field"], fault["value"], fault["high"], fault["low"]) == ("sap_brix", 250, 20.0, None)
    assert from_pydantic({"loc": ("body",), "msg": "x", "input": "y" * 500})["value"] == "y" * 80


def test_a_new_survey_replaces_the_old_one_and_a_bad_one_changes_nothing(farm):
    bush = Bush.objects.get(operation=farm.operation)
    broken = geojson()
    broken["features"][5]["properties"]["inner_diameter_mm"] = 0
    with pytest.raises(NetworkError):
        survey_network(bush, broken)
    assert Node.objects.filter(bush=bush).count() == 4
    wider = geojson()
    wider["features"][6]["properties"]["taps"] = 11
    survey_network(bush, wider)
    bush.refresh_from_db()
    assert (bush.taps, bush.survey) == (11, 2)
    assert farm.get("woods").json()["mains"][0]["taps"] == 11  # not the network kept in the process


def test_equipment_is_checked_before_it_is_kept(farm):
    with pytest.raises(CoreError):
        set_up_house(farm.operation, HOUSE | {"machine": {"elements": 0}})
    with pytest.raises(CoreError):
        set_up_house(farm.operation, HOUSE | {"evaporator": {"heat_w": 711e3, "fuel": "hope"}})
    assert farm.operation.membrane_machines.get().parameters == HOUSE["machine"]


def test_the_demo_loads_once_and_wakes_where_it_stopped(db, settings, tmp_path: Path):
    settings.DEMO = True
    at = datetime(2026, 3, 17, 18, 0, tzinfo=UTC)
    folder = tmp_path / "tiny"
    folder.mkdir()
    (folder / "weather.csv").write_text(f"at,temp_c,wind_m_s,kind\n{at.isoformat()},3,1,measured\n")
    (folder / "readings.csv").write_text(
        "sensor,at,si\n" + "".join(f"S1,{(at - timedelta(minutes=m)).isoformat()},{80_000 + m}\n" for m in range(30)))
    facts = {
        "start": at.isoformat(), "slug": "tiny", "name": "Tiny", "place": "", "zone": "UTC", "elevation_m": 100, "metric": True,
        "currency": "EUR", "people": [["ida", "owner"], ["per", "viewer"]], "password": "a-long-enough-one", "token": "tok",
        "bushes": [{"slug": "b", "name": "B", "geojson": geojson()}, {"slug": "h", "name": "H", "hauled": True, "taps": 40}],
        "sensors": [], "equipment": HOUSE, "runs": [],
    }
    (folder / "operation.json").write_text(json.dumps(facts))
    for _ in range(2):
        call_command("load_demo", str(tmp_path), "--pace", "60")
    place = Operation.objects.get()
    assert Membership.objects.filter(operation=place).count() == 2
    assert Reading.objects.count() == 30
    assert Sensor.objects.get(tag="S1").last_value == 80_000
    assert at <= clock.now() < at + timedelta(minutes=10)
    clock.forget()


def run_command(*words):
    out = io.StringIO()
    call_command(*words, stdout=out)
    return out.getvalue()


def test_a_real_operation_from_the_command_line(db, tmp_path, monkeypatch, client):
    monkeypatch.setattr("getpass.getpass", lambda prompt: "six-dry-cords-of-ash")
    run_command("found_operation", "linden", "Linden", "--owner", "anna", "--elevation-m", "200")
    assert "crew" in run_command("add_member", "linden", "olaf", "crew")
    run_command("add_member", "linden", "olaf", "viewer")
    assert Membership.objects.get(person__username="olaf").role == "viewer"
    survey = tmp_path / "bush.geojson"
    survey.write_text(json.dumps(geojson()))
    assert "8 taps" in run_command("survey_bush", "linden", "north", str(survey), "--name", "North")
    equipment = tmp_path / "house.json"
    equipment.write_text(json.dumps(HOUSE | {"sensors": [{"tag": "SAP-LEVEL", "kind": "level", "part": "sap tank"}]}))
    assert "pans" in run_command("enter_equipment", "linden", str(equipment))
    token = run_command("register_device", "linden", "gateway").strip()
    body = {"readings": [{"sensor": "SAP-LEVEL", "at": clock.now().isoformat(), "value": 40, "unit": "in"}]}
    answer = client.post("/api/v1/readings", body, content_type="application/json", headers={"Authorization": f"Bearer {token}"})
    assert answer.json()["taken"] == 1


@pytest.mark.parametrize(("words", "message"), [
    (["add_member", "nowhere", "x", "crew"], "no operation"), (["register_device", "nowhere", "x"], "no operation"),
    (["survey_bush", "nowhere", "b", "f"], "no operation"), (["enter_equipment", "nowhere", "f"], "no operation"),
    (["survey_bush", "ashby", "new", "{file}"], "not a GeoJSON"), (["enter_equipment", "ashby", "{file}"], "tanks is missing"),
    (["enter_equipment", "ashby", "/nonexistent"], "No such file"), (["found_operation", "ashby", "A", "--owner", "z", "--elevation-m", "1"], "already"),
])
def test_commands_refuse_in_words(farm, tmp_path, monkeypatch, words, message):
    monkeypatch.setattr("getpass.getpass", lambda prompt: "six-dry-cords-of-ash")
    file = tmp_path / "wrong.json"
    file.write_text("{}")
    with pytest.raises(CommandError, match=message):
        run_command(*[word.replace("{file}", str(file)) for word in words])
    assert not Bush.objects.filter(slug="new").exists()


def test_the_documented_equipment_is_accepted(farm):
    text = (Path(__file__).resolve().parents[2] / "docs/formats.md").read_text()
    block = re.findall(r"```json\n(.*?)```", text, re.S)[6]
    set_up_house(farm.operation, json.loads(block))
    assert farm.get("tonight").json()["fuel"] == "wood"
