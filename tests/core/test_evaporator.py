"""Evaporator: heat, fuel, wood, pans."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import evaporator, sugar, water
from zucker_core.errors import Inconsistent, OutOfRange
from zucker_core.evaporator import FUELS, Evaporator
from zucker_core.units import J_PER_BTU, M3_PER_GALLON, f_to_c

GPH = M3_PER_GALLON / 3600


def test_specific_heat():
    assert evaporator.specific_heat(66.9, 20) == pytest.approx(2608, abs=0.5)


def test_latent_heat():
    assert water.latent_heat(100) == pytest.approx(2256.5e3)
    assert water.latent_heat(60) == pytest.approx(2358e3, rel=4e-3)


@pytest.mark.parametrize(("feed", "gallons"), [(2, 3.967), (8, 0.910), (12, 0.570), (15, 0.434), (20, 0.298)])
def test_oil_for_a_gallon_of_syrup(feed, gallons):
    assert evaporator.fuel_per_syrup(feed, f_to_c(40), FUELS["oil"], 0.75) == pytest.approx(gallons, rel=0.02)


@pytest.mark.parametrize(("feed", "gph"), [(2, 6.96), (8, 30.65), (15, 65.2)])
def test_syrup_from_300_gph_of_water(feed, gph):
    syrup_kg = evaporator.syrup_rate(300 * GPH * water.density(15.0), feed)
    assert syrup_kg / sugar.density(66.9, 20) / GPH == pytest.approx(gph, rel=2e-3)


def test_rate_falls_with_cold_feed_and_rises_with_a_preheater():
    plain = Evaporator(711e3)
    assert evaporator.water_rate(plain, 2.0, 100.0) / water.density(20.0) / GPH == pytest.approx(300, rel=0.002)
    assert evaporator.water_rate(plain, 2.0, 4.0) < evaporator.water_rate(plain, 2.0, 40.0)
    assert evaporator.water_rate(Evaporator(711e3, preheat_c=88.0), 2.0, 4.0) > evaporator.water_rate(plain, 2.0, 4.0)


@pytest.mark.parametrize(("name", "btu", "size"), [
    ("oil", 138_500, M3_PER_GALLON), ("propane", 91_500, M3_PER_GALLON), ("natural gas", 100_000, 100_000 * J_PER_BTU),
    ("wood", 24e6, 1.0), ("pellets", 8_200, 0.45359237), ("electricity", 3_412, 3.6e6),
])
def test_fuels_by_their_trade_unit(name, btu, size):
    fuel = FUELS[name]
    assert fuel.trade_size == pytest.approx(size)
    assert fuel.heat_j * fuel.trade_size / J_PER_BTU == pytest.approx(btu, rel=1e-3)
    assert 0 < fuel.efficiency[0] < fuel.efficiency[1] < 1


def test_wet_wood_gives_less():
    dry, wet = evaporator.wood_heat_per_cord(0.0), evaporator.wood_heat_per_cord(0.5)
    assert dry == pytest.approx(24e6 * J_PER_BTU)
    assert wet / dry == pytest.approx(1 - 0.5 * 1050 / 8600)


@given(st.floats(60, 7200), st.floats(300, 3600))
def test_firing_interval_has_an_inverse(interval, decay):
    share = evaporator.mean_over_peak(interval, decay)
    if 0.2 <= share <= 0.999:
        assert evaporator.firing_interval(share, decay) == pytest.approx(interval, rel=1e-6)


@given(st.floats(1.5, 25))
def test_pans_hold_more_sugar_the_sweeter_they_are_fed(feed):
    assert evaporator.pan_sugar(0.3, feed + 0.5) > evaporator.pan_sugar(0.3, feed)


def test_time_to_the_first_draw():
    unit = Evaporator(711e3, hold_up_m3=0.3)
    full = evaporator.pan_sugar(0.3, 8.0)
    assert evaporator.time_to_first_draw(unit, full, 8.0, 4.0) == 0.0
    empty = evaporator.time_to_first_draw(unit, 0.0, 8.0, 4.0)
    assert evaporator.time_to_first_draw(unit, full / 2, 8.0, 4.0) == pytest.approx(empty / 2)
    assert 600 < empty < 14_400


def test_ways_to_shut_down():
    unit = Evaporator(711e3, hold_up_m3=0.3)
    held, chased, drained = (evaporator.shut_down(unit, 100.0, way) for way in ("held", "chased", "drained"))
    assert (held.kept_kg, held.permeate_m3) == (100.0, 0.0)
    assert drained.out_kg == 100.0
    assert chased.kept_kg + chased.out_kg == pytest.approx(100.0)
    assert chased.permeate_m3 == pytest.approx(0.3 * np.log(10))
    with pytest.raises(Inconsistent):
        evaporator.shut_down(unit, 100.0, "forgotten")


def test_refusals():
    with pytest.raises(Inconsistent, match="fuel"):
        Evaporator(711e3, fuel="hope")
    with pytest.raises(OutOfRange, match="efficiency"):
        Evaporator(711e3, efficiency=1.4)
    with pytest.raises(OutOfRange):
        evaporator.boil_heat(float("inf"), 4)


def test_fuel_of_a_lit_fire_and_water_of_what_was_drawn():
    fire = evaporator.Evaporator(711e3, start_up_s=1800, start_up_fire=0.2)
    assert evaporator.fuel_burnt(fire, 900) == pytest.approx(180 * fire.fuel_rate)
    assert evaporator.fuel_burnt(fire, 5400) == pytest.approx((360 + 3600) * fire.fuel_rate)
    assert evaporator.water_off(100.0, 66.9, 12.0) == pytest.approx(457.5)
    with pytest.raises(OutOfRange):
        evaporator.water_off(100.0, 10.0, 12.0)
