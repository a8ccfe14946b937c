"""The made-up sugarhouse: tanks that keep their sugar, a schedule, readings in the units that controllers speak."""

from datetime import timedelta

import numpy as np
import pytest
from zucker_core import sap, sugar
from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine
from zucker_core.units import to_si

from standins.house import EQUIPMENT, SENSORS, House
from standins.places import HARROW, START, VELDHOEK
from standins.weather import Weather

DIMENSIONS = {"level": "length", "temperature": "temperature", "brix": "brix", "flow": "flow", "pressure": "pressure", "wind": "speed"}


def house(place=HARROW):
    return House(place, Weather(place))


def sugar_in(tanks):
    return sum(float(sugar.sugar_mass(volume, brix, 4.0)) for volume, brix in tanks)


@pytest.mark.parametrize("slug", sorted(EQUIPMENT))
def test_equipment_is_what_the_core_accepts(slug):
    equipment = EQUIPMENT[slug]
    Evaporator(**equipment.evaporator)
    if equipment.machine is not None:
        Machine(**equipment.machine)
    for tank in equipment.tanks.values():
        shape = sap.TankShape(**tank["shape"])
        assert 0 <= tank["reserve_m3"] < shape.capacity_m3


def test_the_membrane_moves_sugar_and_loses_none():
    place = house()
    place.sap_m3, place.sap_brix, place.head_m3 = 12.0, 2.2, 0.3
    before = sugar_in([(place.sap_m3, place.sap_brix), (place.head_m3, place.head_brix)])
    for _ in range(30):
        place._press(True)
    after = sugar_in([(place.sap_m3, place.sap_brix), (place.head_m3, place.head_brix)])
    assert after == pytest.approx(before, rel=5e-3)
    assert place.permeate_flow > 0
    assert place.head_m3 > 0.6
    assert place.since_wash > 0


def test_a_full_head_tank_stops_the_membrane():
    place = house()
    place.sap_m3, place.head_m3 = 12.0, place.capacity["head"] * 0.98
    place._press(True)
    assert place.permeate_flow == 0.0


def test_the_fire_waits_for_concentrate_and_keeps_its_reserve():
    place = house()
    place.head_m3 = 0.1
    place._boil(True)
    assert not place.lit
    place.head_m3 = 1.5
    for _ in range(300):
        place._boil(True)
    assert place.head_m3 > 0
    assert not place.lit  # it has boiled down to half the reserve and gone out
    hot = place.pan_c
    for _ in range(60):
        place._boil(False)
    assert place.pan_c < hot


def test_the_pan_boils_by_the_days_barometer_and_is_drawn_again_and_again():
    place = house()
    place.head_m3 = 1.5
    lit = []
    for minute in range(120):
        place.step(START - timedelta(minutes=30) + timedelta(minutes=minute), 0.0)
        place.head_m3 = 1.5
        lit.append(place.pan_c)
    boiling = np.array(lit[60:])
    water = sugar.water_boiling_c(float(Weather(HARROW).at("pressure", START)))
    draw = sugar.drawoff_temperature(66.9, water)
    assert boiling.max() == pytest.approx(draw, abs=0.25)
    assert 5 <= (np.diff(boiling) < -1).sum() <= 8  # draws in an hour
    assert boiling.min() > water


def test_without_a_membrane_sap_goes_straight_to_the_feed_tank():
    place = house(VELDHOEK)
    place.sap_m3, place.head_m3 = 2.0, 0.1
    place._press(True)
    assert place.sap_m3 + place.head_m3 == pytest.approx(2.1)
    assert place.head_m3 > 0.1
    assert place.permeate_flow == 0.0


def test_the_tank_never_runs_over():
    place = house()
    for minute in range(600):
        place.step(START - timedelta(days=3) + timedelta(minutes=minute), 0.01)
    assert place.sap_m3 <= place.capacity["sap"] + 1e-9


@pytest.mark.parametrize("where", [HARROW, VELDHOEK], ids=lambda p: p.slug)
def test_readings_say_what_the_tanks_hold(where):
    place = house(where)
    place.sap_m3 = 0.4 * place.capacity["sap"]
    sent = place.readings(START, np.random.default_rng(0))
    assert set(sent) <= set(SENSORS)
    for tag, (value, unit) in sent.items():
        assert np.isfinite(to_si(value, unit, DIMENSIONS[SENSORS[tag][0]]))
    depth = to_si(*sent["SAP-LEVEL"], "length")
    assert sap.tank_volume(place.shapes["sap"], depth) == pytest.approx(place.sap_m3, rel=0.03)
    assert to_si(*sent["BARO"], "pressure") == pytest.approx(Weather(where).at("pressure", START), rel=1e-3)
    assert ("RO-PERM" in sent) == (place.machine is not None)


def test_the_demo_starts_with_pans_on_and_a_tank_to_work_down():
    place, weather = house(), Weather(HARROW)
    place.sap_m3, place.head_m3 = 10.0, 0.4
    moment = START - timedelta(minutes=110)
    while moment < START:
        moment += timedelta(minutes=1)
        place.step(moment, float(weather.at("sap", moment)) * 7700)
    assert place.lit
    assert place.pan_c > 100
    assert place.permeate_flow > 0
    assert place.head_m3 > EQUIPMENT["harrow-notch"].tanks["head"]["reserve_m3"]
