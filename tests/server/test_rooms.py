"""Woods, Tonight, Boil, Ledger and the Line as the interface asks for them."""

import csv
import io

import pytest
from zucker.sugarhouse.models import Draw, Plan, Run
from zucker.telemetry.models import Reading, Sensor
from zucker.woods.models import Bush
from zucker_core import sugar

from .conftest import found_farm, say


def test_woods_shows_a_line_beside_its_usual(farm):
    usual = farm.get("woods").json()["mains"][0]["usual_pa"]
    assert farm.get("woods").json()["mains"][0]["state"] == "silent"
    say(farm, {"S0": 84_000.0, "S1": usual}, minutes_ago=3)
    now = farm.get("woods").json()
    usual = now["mains"][0]["usual_pa"]
    say(farm, {"S1": usual})
    now = farm.get("woods").json()
    assert now["mains"][0]["state"] == "holding"
    assert now["walk_first"] is None
    say(farm, {"S1": usual - 2.0 * 3386.389}, minutes_ago=-0.5)
    now = farm.get("woods").json()
    row = now["mains"][0]
    assert (row["main"], row["taps"], row["state"]) == ("M", 8, "losing")
    assert row["shortfall_pa"] == pytest.approx(2.0 * 3386.389, rel=0.02)
    # 8 taps, 2 inHg short, by the formula of the models page
    bare = 2e-6 / 8 / (1 + 0.06 * 84_000 / 3386.389)
    assert row["sap_m3_s"] == pytest.approx(8 * bare * 0.06 * row["shortfall_pa"] / 3386.389, rel=1e-3)
    assert row["money_s"] == pytest.approx(row["sap_m3_s"] / sugar.sap_per_syrup(2.1) * 7000, rel=1e-3)
    assert now["walk_first"] == "M"


def test_stale_readings_are_silent_and_cost_nothing(farm):
    say(farm, {"S0": 84_000.0, "S1": 40_000.0}, minutes_ago=12)
    row = farm.get("woods").json()["mains"][0]
    assert (row["state"], row["money_s"]) == ("silent", 0.0)
    assert row["age_s"] == pytest.approx(720, abs=20)


def test_profile_and_map(farm):
    say(farm, {"S0": 84_000.0, "S1": 80_000.0})
    profile = farm.get("woods/mains/M/profile").json()
    assert [p["node"] for p in profile["points"]] == ["P", "J", "E"]
    assert [p["distance_m"] for p in profile["points"]] == sorted(p["distance_m"] for p in profile["points"])
    assert {r["sensor"] for r in profile["readings"]} == {"S0", "S1"}
    drawn = farm.get("woods/map").json()
    assert drawn["lines"][0]["points"][0] == [0.0, 0.0]
    assert drawn["lines"][0]["points"][1][0] == pytest.approx(78.9, abs=0.2)
    assert len(drawn["laterals"]) == 1


def test_a_bush_without_a_survey_is_no_error(farm):
    Bush.objects.create(operation=farm.operation, slug="south", name="South")
    assert farm.get("woods").status_code == 200
    assert farm.get("line").status_code == 200


def test_tonight_takes_what_the_tanks_say(farm):
    facts = farm.get("tonight").json()
    assumed = facts["assumptions"]
    assert assumed["sap_volume_m3"] == pytest.approx(3.14159 / 4 * 9 * 2.0, rel=1e-4)
    assert (assumed["sap_brix"], assumed["fuel_price"]) == (2.1, 3.8)
    assert facts["sources"]["sap_brix"]["age_s"] < 60
    answer = farm.post("tonight/compare", assumed).json()
    assert [c["target_brix"] for c in answer["choices"]] == [0, *range(4, 19)]
    best = answer["choices"][answer["best"]]
    assert best["limit"] is None
    parts = best["fuel_cost"] + best["power_cost"] + best["labour_cost"] + best["wash_cost"]
    assert best["cost"] == pytest.approx(parts, rel=1e-6)
    assert best["syrup_m3"] * 0.669 * sugar.density(66.9, 20) == pytest.approx(
        sugar.sugar_mass(assumed["sap_volume_m3"], 2.1, 4.0) + sugar.sugar_mass(assumed["head_volume_m3"], 12.0, 4.0), rel=0.04)  # pans may end a little sweeter
    assert best["sap_trace"][0] == pytest.approx(assumed["sap_volume_m3"], abs=1e-3)


@pytest.mark.parametrize(("change", "field"), [
    ({"sap_brix": 250}, "sap_brix"), ({"sap_volume_m3": -1}, "sap_volume_m3"), ({"sap_volume_m3": 400}, "sap_volume_m3"),
    ({"sap_temp_c": "warm"}, "sap_temp_c"), ({"heat_w": 0}, "heat_w"), ({"efficiency": 3}, "efficiency"),
    ({"objective": "nicest"}, "objective"), ({"coming_m3": 5, "coming_h": 0}, "coming_h"), ({"pressure_pa": 10}, "pressure_pa"),
    ({"sap_volume_m3": 0, "head_volume_m3": 0}, "sap_volume_m3"), ({"sap_brxi": 2}, "sap_brxi"), ({"finish_by_h": 99}, "finish_by_h"),
])
def test_tonight_refuses_by_field(farm, change, field):
    answer = farm.post("tonight/compare", farm.get("tonight").json()["assumptions"] | change)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == field


def test_a_refusal_names_the_value_and_its_bound(farm):
    assumed = farm.get("tonight").json()["assumptions"]
    [fault] = farm.post("tonight/compare", assumed | {"sap_brix": 250}).json()["errors"]
    assert (fault["value"], fault["high"]) == (250, 20)
    [fault] = farm.post("tonight/compare", assumed | {"loads": [{"at_h": 1, "volume_m3": 500, "brix": 2}]}).json()["errors"]
    assert (fault["field"], fault["value"]) == ("loads.0.volume_m3", 500)


def test_nan_in_json_is_refused(farm):
    body = '{"sap_volume_m3": NaN}'
    answer = farm.clients["owner"].generic("POST", farm.url("tonight/compare"), body, content_type="application/json")
    assert answer.status_code in (400, 422)


def test_choosing_a_plan(farm):
    assumed = farm.get("tonight").json()["assumptions"]
    chosen = farm.post("tonight/plan", {"assumptions": assumed, "target_brix": 10}, role="crew")
    assert chosen.status_code == 201
    assert farm.get("tonight").json()["chosen"]["id"] == chosen.json()["id"]
    assert Plan.objects.get().assumptions["sap_brix"] == 2.1
    refused = farm.post("tonight/plan", {"assumptions": assumed, "target_brix": 10.5})
    assert refused.json()["errors"][0]["field"] == "target_brix"
    far = farm.post("tonight/plan", {"assumptions": assumed | {"finish_by_h": 0.5}, "target_brix": 10})
    assert "cannot be done" in far.json()["errors"][0]["message"]


def test_an_operation_without_equipment_says_so(farm):
    farm.operation.tanks.all().delete()
    assert farm.get("tonight").status_code == 409
    assert farm.get("boil").status_code == 200
    assert farm.get("line").status_code == 200


DRAW = {"volume_m3": 0.02, "instrument": "hydrometer", "reading": 59.4, "temp_c": 99.44, "set_c": 103.6}


def test_a_run_from_start_to_export(farm):
    assumed = farm.get("tonight").json()["assumptions"]
    plan = farm.post("tonight/plan", {"assumptions": assumed, "target_brix": 12}).json()
    started = farm.post("runs", {"plan": plan["id"]}, role="crew")
    assert started.status_code == 201
    assert farm.post("runs", {"plan": None}).status_code == 409
    by_barometer = farm.get("boil").json()["drawoff"]
    assert by_barometer["source"] == "barometer"
    assert by_barometer["set_c"] == pytest.approx(sugar.drawoff_temperature(66.9, sugar.water_boiling_c(97_500.0)), abs=1e-6)
    measured = farm.post("runs/1/boiling-point", {"water_boiling_c": 98.2}).json()
    assert measured["source"] == "measured"
    assert measured["set_c"] == pytest.approx(sugar.drawoff_temperature(66.9, 98.2), abs=1e-6)

    drawn = farm.post("runs/1/draws", DRAW | {"set_c": measured["set_c"]}, role="crew").json()
    assert drawn["true_brix"] == pytest.approx(66.88, abs=0.02)
    assert drawn["verdict"] == "on"
    light = farm.post("runs/1/draws", DRAW | {"reading": 57.0, "set_c": measured["set_c"]}).json()
    assert light["verdict"] == "light"
    assert light["boil_off_kg"] == pytest.approx(sugar.thicken(0.02, light["true_brix"], 66.9).water_kg)
    after = farm.get("boil").json()
    assert after["drawoff"]["set_c"] > measured["set_c"]
    heavy = farm.post("runs/1/draws", DRAW | {"instrument": "refractometer", "reading": 69.0, "temp_c": 20}).json()
    assert heavy["verdict"] == "heavy"
    assert heavy["thin_m3"] > 0

    assert farm.send("DELETE", f"runs/1/draws/{heavy['id']}").status_code == 204
    assert farm.send("DELETE", f"runs/1/draws/{heavy['id']}").status_code == 409
    assert len(farm.get("boil").json()["draws"]) == 2
    assert Draw.objects.get(pk=heavy["id"]).history.count() == 2  # undone, not forgotten

    assert farm.post("runs/1/entries", {"kind": "note", "text": "=SUM(A1)"}).status_code == 201
    assert farm.post("runs/1/entries", {"kind": "note", "text": " "}).json()["errors"][0]["field"] == "text"
    fired = farm.post("runs/1/entries", {"kind": "fired"}).json()
    assert farm.send("DELETE", f"runs/1/entries/{fired['id']}").status_code == 204

    measures = farm.get("runs/1/measures").json()
    assert {m["side"] for m in measures} >= {"held before", "out", "held after"}
    balance = farm.post("runs/1/balance", {"measures": measures}).json()
    assert len(balance["lines"]) == len(measures)
    closed = farm.post("runs/1/close", {"measures": measures, "fuel": 80, "labour_h": 9}, role="crew").json()
    assert closed["closing"]["unaccounted_kg"] == pytest.approx(balance["unaccounted_kg"])
    assert closed["fuel"] == pytest.approx(80)
    assert closed["planned"]["syrup_m3"] == pytest.approx(plan["syrup_m3"])
    assert closed["syrup_per_tap_m3"] == pytest.approx(0.04 / 8)
    for path, body in (("runs/1/draws", DRAW), ("runs/1/close", {"measures": measures}), ("runs/1/boiling-point", {"water_boiling_c": 99})):
        assert farm.post(path, body).status_code == 409
    assert farm.get("runs/1/measures").json() == measures
    assert farm.get("tonight").json()["chosen"] is None

    text = farm.get("runs/1/export.csv")
    assert text["Content-Type"].startswith("text/csv")
    rows = list(csv.DictReader(io.StringIO(text.content.decode())))
    assert [r["undone"] for r in rows if r["kind"] == "draw"] == ["False", "False", "True"]
    assert "'=SUM(A1)" in {r["text"] for r in rows}  # no formula for a spreadsheet
    whole = farm.get("runs/1/export.json").json()
    assert (whole["format"], whole["version"]) == ("zucker-run", 1)
    assert len(whole["rows"]) == len(rows)
    assert farm.get("line").json()["barrels"]["syrup_m3"] == pytest.approx(0.04)


@pytest.mark.parametrize(("change", "field"), [
    ({"reading": 250}, "reading"), ({"volume_m3": -0.1}, "volume_m3"), ({"temp_c": 140}, "temp_c"), ({"set_c": 20}, "set_c"),
    ({"instrument": "eye"}, "instrument"), ({"reading": 79, "temp_c": 104}, "reading"), ({"at": "2199-01-01T00:00:00Z"}, "at"),
    ({"instrument": "refractometer", "reading": 60, "temp_c": 3}, "temp_c"), ({"volume_m3": None}, "volume_m3"),
])
def test_draws_are_refused_by_field(farm, change, field):
    farm.post("runs", {"plan": None})
    answer = farm.post("runs/1/draws", DRAW | change)
    assert answer.status_code == 422
    fault = answer.json()["errors"][0]
    assert fault["field"] == field
    assert fault["message"]
    assert not Draw.objects.exists()


def forget(tag):
    """As if the sensor had never been heard of."""
    Reading.objects.filter(sensor__tag=tag).delete()
    Sensor.objects.filter(tag=tag).update(last_at=None)


def test_minutes_of_concentrate_from_the_levels(farm):
    forget("HEAD-LEVEL")
    for minute in range(12, -1, -1):
        say(farm, {"HEAD-LEVEL": 0.40 + 0.01 * minute}, minutes_ago=minute + 0.01)
    head = farm.get("boil").json()["head"]
    truth = (0.40 - 0.2 / 3.14159) / 0.01  # reserve 0.2 m³ in a tank of 2 m across
    assert head["minutes_left"] == pytest.approx(truth, rel=0.1)
    assert head["minutes_low"] < head["minutes_left"] < head["minutes_high"]


def test_running_short_is_said_first(farm):
    farm.post("runs", {"plan": None})
    forget("HEAD-LEVEL")
    for minute in range(12, -1, -1):
        say(farm, {"HEAD-LEVEL": 0.12 + 0.01 * minute}, minutes_ago=minute + 0.01)
    following = farm.get("boil").json()["next"]
    assert (following["key"], following["urgent"]) == ("concentrate-low", True)


def test_without_a_barometer_the_elevation_must_do(farm):
    Sensor.objects.filter(tag="BARO").delete()
    drawoff = farm.get("boil").json()["drawoff"]
    assert drawoff["source"] == "elevation"
    assert drawoff["water_boiling_c"] == pytest.approx(sugar.water_boiling_c(sugar.station_pressure(300.0)))


def test_wood_has_a_firing_clock(db):
    farm = found_farm("woodlot")
    unit = farm.operation.evaporators.get()
    unit.parameters, unit.firing_decay_s = {"heat_w": 2e5, "fuel": "wood", "efficiency": 0.5}, 900.0
    unit.save()
    farm.post("runs", {"plan": None})
    assert farm.get("boil").json()["next"]["key"] == "fire"
    farm.post("runs/1/entries", {"kind": "fired"})
    boil = farm.get("boil").json()
    assert boil["firing"]["since_s"] < 60
    assert 300 < boil["firing"]["interval_s"] < 900
    assert boil["next"]["key"] != "fire"


def test_runs_are_numbered_by_operation(farm, neighbour):
    assert farm.post("runs", {"plan": None}).json()["number"] == 1
    assert neighbour.post("runs", {"plan": None}).json()["number"] == 1
    assert Run.objects.count() == 2


def test_weather_file(farm):
    rows = "at,temp_c,wind_m_s,kind\n2026-03-17T00:00:00-04:00,-3.5,2,measured\n2026-03-17T01:00:00-04:00,-4,,forecast\n"
    send = lambda text: farm.clients["owner"].generic("POST", farm.url("weather"), text, content_type="text/csv")  # noqa: E731
    assert send(rows).json() == {"hours": 2}
    assert send(rows).json() == {"hours": 2}
    assert farm.operation.weather.count() == 2
    for bad, field in ((rows.replace("-3.5", "cold"), "line 2: temp_c"), (rows.replace("measured", "guessed"), "line 2: kind"),
                       (rows.replace("-04:00,-4", ",-4"), "line 3: at"), ("a,b\n1,2\n", "header"), ("", "header")):
        answer = send(bad)
        assert answer.status_code == 422
        assert answer.json()["errors"][0]["field"] == field
