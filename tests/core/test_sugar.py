"""Sugar: every value that the models page prints, inverses, refusals."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import sugar
from zucker_core.errors import Inconsistent, OutOfRange
from zucker_core.units import KG_PER_POUND, M3_PER_GALLON, PA_PER_INHG, c_to_f, f_to_c

P0 = 101_325.0


@pytest.mark.parametrize(
    ("brix", "temp_c", "expected"), [(2, 20, 1005.96), (20, 20, 1080.94), (66.9, 20, 1327.92), (66.9, 99.4, 1282.55), (10, 60, 1022.08)])
def test_density(brix, temp_c, expected):
    assert sugar.density(brix, temp_c) == pytest.approx(expected, abs=0.006)


def test_density_broadcasts():
    found = sugar.density(np.array([[2.0], [66.9]]), np.array([20.0, 60.0]))
    assert found.shape == (2, 2)
    assert found[1, 0] == pytest.approx(1327.92, abs=0.006)


@given(st.floats(0, 80), st.floats(0, 107))
def test_density_has_an_inverse(brix, temp_c):
    assert sugar.brix_from_density(sugar.density(brix, temp_c), temp_c) == pytest.approx(brix, abs=1e-6)


@given(st.floats(0, 79.9), st.floats(0, 107))
def test_density_rises_with_sugar(brix, temp_c):
    assert sugar.density(brix + 0.1, temp_c) > sugar.density(brix, temp_c)


@pytest.mark.parametrize(("brix", "degrees"), [(66, 35.55), (66.9, 36.00)])
def test_baume(brix, degrees):
    assert sugar.baume(brix) == pytest.approx(degrees, abs=0.005)


@pytest.mark.parametrize(("fahrenheit", "shows"), [(80, 66.01), (140, 63.09), (211, 59.42)])
def test_hydrometer_in_hot_syrup(fahrenheit, shows):
    assert sugar.hydrometer_expected_reading(66.9, f_to_c(fahrenheit)) == pytest.approx(shows, abs=0.006)
    assert sugar.hydrometer_true_brix(shows, f_to_c(fahrenheit)) == pytest.approx(66.9, abs=0.01)


@given(st.floats(12, 72), st.floats(0, 107))
def test_hydrometer_has_an_inverse(brix, temp_c):
    reading = sugar.hydrometer_expected_reading(brix, temp_c)
    assert sugar.hydrometer_true_brix(reading, temp_c) == pytest.approx(brix, abs=1e-6)


def test_hydrometer_says_how_sure_it_is():
    assert sugar.hydrometer_uncertainty(25) == 0.15
    assert sugar.hydrometer_uncertainty(99) == 0.5


@pytest.mark.parametrize(("reading", "temp_c"), [(250, 20), (-1, 20), (60, 140), (float("nan"), 20), (80, 107), (0, 1)])
def test_hydrometer_refuses(reading, temp_c):
    with pytest.raises(OutOfRange) as caught:
        sugar.hydrometer_true_brix(reading, temp_c)
    assert caught.value.name in ("reading", "temp_c")
    assert "must lie between" in str(caught.value)


def test_refractometer():
    assert sugar.refractometer_true_brix(66.0, 20.0) == 66.0
    # 20 K above: d (…) + d² (…) + d³ by hand at B = 60
    d, b = 10.0, 60.0
    by_hand = b + d * (0.062098 + 5.6282e-4 * b - 4.4552e-6 * b**2) + d**2 * (1.1525e-3 - 2.0021e-5 * b + 7.4888e-8 * b**2) - 1.0449e-5 * d**3
    assert sugar.refractometer_true_brix(60.0, 30.0) == pytest.approx(by_hand, rel=1e-9)
    assert sugar.refractometer_true_brix(60.0, 28.0, compensated=True) == 60.0
    assert sugar.refractometer_true_brix(60.0, 12.0) < 60.0


@pytest.mark.parametrize(("reading", "temp_c", "compensated"), [(60, 8, False), (2, 8, True), (60, 45, False), (90, 20, False)])
def test_refractometer_refuses(reading, temp_c, compensated):
    with pytest.raises(OutOfRange):
        sugar.refractometer_true_brix(reading, temp_c, compensated)


def test_barometer_brought_back_to_the_station():
    station = sugar.station_from_sea_level(30.10 * PA_PER_INHG, 1500 * 0.3048)
    assert station / PA_PER_INHG == pytest.approx(28.5, abs=0.03)
    assert c_to_f(sugar.water_boiling_c(28.5 * PA_PER_INHG)) == pytest.approx(209.5, abs=0.05)
    assert c_to_f(sugar.water_boiling_c(30.10 * PA_PER_INHG)) == pytest.approx(212.3, abs=0.05)
    assert sugar.station_from_sea_level(P0, 0.0) == pytest.approx(P0)
    assert sugar.station_pressure(0.0) == pytest.approx(P0)


@pytest.mark.parametrize(
    ("brix", "fahrenheit"), [(2, 0.054), (8, 0.236), (20, 0.702), (60, 5.20), (66, 7.115), (66.9, 7.477), (70, 8.93)])
def test_boiling_elevation(brix, fahrenheit):
    assert sugar.boiling_elevation(brix, P0) * 1.8 == pytest.approx(fahrenheit, rel=1e-3, abs=6e-4)


def test_boiling_elevation_under_less_pressure():
    assert sugar.boiling_elevation(66.9, 26 * PA_PER_INHG) * 1.8 == pytest.approx(7.298, abs=0.001)


@given(st.floats(1, 79), st.floats(65_000, 110_000))
def test_boiling_has_an_inverse(brix, pressure):
    temp = sugar.water_boiling_c(pressure) + sugar.boiling_elevation(brix, pressure)
    assert sugar.brix_from_boiling(temp, pressure) == pytest.approx(brix, abs=1e-5)


def test_half_a_degree_is_a_point_of_brix():
    slope = (sugar.boiling_elevation(67.4, P0) - sugar.boiling_elevation(66.4, P0)) * 1.8
    assert slope == pytest.approx(0.4, abs=0.05)


def test_drawoff_from_the_measured_boiling_point():
    draw = sugar.drawoff_temperature(66.9, f_to_c(210.0))
    assert c_to_f(draw) - 210.0 == pytest.approx(7.4, abs=0.06)


def test_drawoff_loop_corrects_a_false_thermometer():
    true_boiling = sugar.water_boiling_c(P0)
    bias, set_c = 0.9, true_boiling + sugar.boiling_elevation(66.9, P0)
    cups = []
    for _ in range(6):
        cup = sugar.brix_from_boiling(set_c - bias, P0)
        point = sugar.drawoff_correction(set_c, cup, 0.3, 66.9, P0, earlier=cups)
        assert abs(point.set_c - set_c) <= 1 / 1.8 + 1e-12
        cups.append((set_c, cup, 0.3))
        set_c = point.set_c
    assert sugar.brix_from_boiling(set_c - bias, P0) == pytest.approx(66.9, abs=0.02)
    assert point.uncertainty_k < sugar.drawoff_correction(*cups[0], 66.9, P0).uncertainty_k
    assert sugar.drawoff_correction(*cups[0], 66.9, P0).limited


@pytest.mark.parametrize(("sap", "ratio"), [(2, 44.16), (1, 88.65), (8, 10.78), (15, 5.592)])
def test_sap_per_syrup(sap, ratio):
    assert sugar.sap_per_syrup(sap) == pytest.approx(ratio, rel=5e-4)


def test_rules_of_thumb_beside_the_real_thing():
    assert sugar.sap_per_syrup(2, 66.0) == pytest.approx(43.38, abs=0.01)
    assert sugar.rule_of_86(2) == 43.0
    assert sugar.rule_of_88(2) == pytest.approx(43.78)
    assert abs(sugar.rule_of_88(15) / sugar.sap_per_syrup(15) - 1) < abs(sugar.rule_of_86(15) / sugar.sap_per_syrup(15) - 1)


def test_thin_and_thicken():
    gallons = 100 * M3_PER_GALLON
    assert sugar.thin(gallons, 68, 66.9) / M3_PER_GALLON == pytest.approx(2.199, abs=5e-4)
    assert sugar.thin(gallons, 68, 66.9, with_brix=2) / M3_PER_GALLON == pytest.approx(2.249, abs=5e-4)
    done = sugar.thicken(gallons, 65, 66.9)
    assert done.water_kg / KG_PER_POUND == pytest.approx(31.20, abs=0.005)
    assert done.volume_m3 / M3_PER_GALLON == pytest.approx(96.31, abs=0.005)


@given(st.floats(0.01, 10), st.floats(66, 80), st.floats(50, 65), st.floats(0, 40))
def test_thinning_keeps_sugar(volume, brix, target, added):
    extra = sugar.thin(volume, brix, target, added)
    total, mixed = sugar.blend([volume, extra], [brix, added])
    assert mixed == pytest.approx(target, abs=1e-6)
    before = sugar.sugar_mass(volume, brix) + sugar.sugar_mass(extra, added)
    assert sugar.sugar_mass(total, mixed) == pytest.approx(before, rel=1e-9)


@given(st.lists(st.tuples(st.floats(0.001, 5), st.floats(0, 80)), min_size=1, max_size=6))
def test_blends_keep_sugar(batches):
    volumes, brix = [v for v, _ in batches], [b for _, b in batches]
    total, mixed = sugar.blend(volumes, brix)
    assert min(brix) - 1e-9 <= mixed <= max(brix) + 1e-9
    assert sugar.sugar_mass(total, mixed) == pytest.approx(sum(sugar.sugar_mass(v, b) for v, b in batches), rel=1e-9)


def test_overdensity():
    by_volume = sugar.overdensity_cost(1.0, 68.2, 66.9, 7000.0)
    by_weight = sugar.overdensity_cost(1.0, 68.2, 66.9, 5.0, sold_by="weight")
    assert 0.019 < by_volume / 7000.0 < 0.028
    assert by_weight == pytest.approx(sugar.density(68.2, 20) * (68.2 / 66.9 - 1) * 5)
    assert sugar.overdensity_cost(1.0, 66.0, 66.9, 7000.0) < 0
    with pytest.raises(Inconsistent):
        sugar.overdensity_cost(1.0, 68, 66.9, 1.0, sold_by="dozen")


@pytest.mark.parametrize("call", [
    lambda: sugar.thin(1, 60, 66.9), lambda: sugar.thin(1, 68, 66.9, 67), lambda: sugar.thicken(1, 68, 66.9),
    lambda: sugar.sap_per_syrup(60, 50), lambda: sugar.blend([1, 2], [3]), lambda: sugar.blend([0], [3]),
    lambda: sugar.mean_pan_brix(20, 20),
])
def test_what_does_not_go_together_is_refused(call):
    with pytest.raises(Inconsistent):
        call()


def test_mean_brix_of_the_pans():
    assert sugar.mean_pan_brix(8.0) == pytest.approx(8 * np.log(66.9 / 8) / (1 - 8 / 66.9))
    assert 8 < sugar.mean_pan_brix(8.0) < 66.9


@pytest.mark.parametrize(
    ("light", "name"), [(80, "golden"), (75, "golden"), (74.9, "amber"), (50, "amber"), (49, "dark"), (25, "dark"), (24, "very dark")])
def test_grades(light, name):
    assert sugar.grade(light) == name
    assert sugar.grade(light, "sour") == "processing"


def test_colour_blends_by_absorbance():
    assert sugar.blend_transmittance([1, 1], [80, 20]) == pytest.approx(40.0)
    assert sugar.transmittance_at_10mm(64, 20) == pytest.approx(80.0)
    with pytest.raises(OutOfRange):
        sugar.grade(120)
