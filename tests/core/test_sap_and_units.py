"""Sap yield, tanks, units, and the refusals that all of the core shares."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import sap, units, water
from zucker_core.arrays import bisect, checked
from zucker_core.errors import Inconsistent, OutOfRange

SHAPES = [
    sap.TankShape("upright cylinder", diameter_m=2.0, height_m=2.5),
    sap.TankShape("rectangle", length_m=3, width_m=1.5, height_m=1.2),
    sap.TankShape("oval", length_m=4, width_m=2.0, height_m=1.4),
    sap.TankShape("horizontal cylinder", diameter_m=2.0, length_m=5.0),
    sap.TankShape("horizontal cylinder", diameter_m=2.0, length_m=5.0, dish_m=0.3),
    sap.TankShape("strapping table", table=((0, 0), (0.5, 0.8), (1.0, 2.1), (1.4, 2.9))),
]


def test_yield():
    assert sap.yield_factor(0) == 1.0
    assert sap.yield_factor(25) == pytest.approx(2.5)
    with pytest.raises(OutOfRange):
        sap.yield_factor(40)


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: f"{s.kind} {s.dish_m:g}")
def test_tanks_fill_steadily_and_have_an_inverse(shape):
    depths = np.linspace(0, shape.full_depth_m, 60)
    volumes = sap.tank_volume(shape, depths)
    assert volumes[0] == pytest.approx(0.0, abs=1e-12)
    assert (np.diff(volumes) > 0).all()
    assert sap.tank_depth(shape, volumes[1:-1]) == pytest.approx(depths[1:-1], abs=1e-6)


def test_tank_volumes_by_hand():
    assert SHAPES[0].capacity_m3 == pytest.approx(np.pi * 2.5)
    assert sap.tank_volume(SHAPES[3], 1.0) == pytest.approx(np.pi / 2 * 5.0)
    assert SHAPES[4].capacity_m3 == pytest.approx(np.pi * 5 + 4 / 3 * np.pi * 0.3)
    assert SHAPES[2].capacity_m3 == pytest.approx(np.pi / 4 * 2.0 * 1.4 * 4)
    assert sap.tank_volume(SHAPES[5], 0.5) == pytest.approx(0.8)


@pytest.mark.parametrize("call", [
    lambda: sap.TankShape("bathtub"), lambda: sap.TankShape("strapping table", table=((0, 0), (1, 1), (0.5, 2))),
    lambda: sap.TankShape("upright cylinder", diameter_m=0), lambda: sap.tank_volume(SHAPES[0], 2.6),
    lambda: sap.tank_volume(SHAPES[0], -0.1), lambda: sap.tank_depth(SHAPES[0], 99),
])
def test_tanks_refuse(call):
    with pytest.raises((OutOfRange, Inconsistent)):
        call()


@given(st.sampled_from([(d, u) for d, us in units.UNITS.items() for u in us]), st.floats(-1e4, 1e4))
def test_units_there_and_back(unit, value):
    dimension, name = unit
    assert units.from_si(units.to_si(value, name, dimension), name, dimension) == pytest.approx(value, rel=1e-9, abs=1e-6)


def test_unknown_units_are_named():
    with pytest.raises(units.UnknownUnit, match="furlong"):
        units.to_si(1, "furlong", "length")
    assert units.to_si(212, "°F", "temperature") == pytest.approx(100)
    assert units.to_si(1, "inHg", "pressure") == pytest.approx(3386.389)


def test_water():
    assert water.density(20) == pytest.approx(998.2041, abs=1e-3)
    assert water.density(4) == pytest.approx(999.972, abs=2e-3)
    assert water.saturation_temperature(101_325) == pytest.approx(99.974, abs=1e-3)
    temps = np.linspace(60, 110, 30)
    assert water.saturation_temperature(water.saturation_pressure(temps)) == pytest.approx(temps, abs=1e-6)
    # IAPWS-IF97 verification values, table 35
    assert water.saturation_pressure(373.15 + 0.0 - 273.15) == pytest.approx(0.101418e6, rel=1e-4)


def test_checks_name_the_first_offender():
    with pytest.raises(OutOfRange) as caught:
        checked("depth", [1.0, 5.0, float("nan")], 0, 2, "m")
    assert (caught.value.name, caught.value.value, caught.value.low, caught.value.high) == ("depth", 5.0, 0, 2)
    with pytest.raises(OutOfRange, match="nan"):
        checked("depth", float("nan"), 0, 2, "m")


def test_bisect_works_element_by_element():
    roots = bisect(lambda x: x**2 - np.array([2.0, 9.0]), [0, 0], [10, 10])
    assert roots == pytest.approx([2**0.5, 3.0])


def test_the_bare_rate_undoes_the_yield_of_vacuum():
    from zucker_core import sap

    assert sap.bare_rate(2.5e-7, 25.0) == pytest.approx(1e-7)
    assert sap.bare_rate(1e-7, 0.0) == pytest.approx(1e-7)
