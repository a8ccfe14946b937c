"""Packing: shrinkage against the figures, and batches into containers."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import packing, sugar
from zucker_core.errors import Inconsistent, OutOfRange

GALLON = 3.785411784e-3


def test_syrup_shrinks_as_it_should():
    assert packing.shrinkage(66.9, 85.0) == pytest.approx(0.0278, abs=5e-5)
    assert packing.shrinkage(66.9, 20.0) == 0.0
    hot = packing.shrinkage(66.9, np.array([60.0, 80.0, 95.0]))
    assert (np.diff(hot) > 0).all()
    with pytest.raises(Inconsistent):
        packing.shrinkage(66.9, 20.0, 85.0)
    with pytest.raises(OutOfRange):
        packing.shrinkage(90, 85.0)


def test_a_batch_fills_what_was_wanted_then_the_rest():
    filled, left = packing.fill_batch(10.2 * GALLON, [packing.Fill("gallon", GALLON, 6), packing.Fill("quart", GALLON / 4, 10), packing.Fill("pint", GALLON / 8)])
    assert [(f.name, f.count, f.short) for f in filled] == [("gallon", 6, 0), ("quart", 10, 0), ("pint", 13, 0)]
    assert left == pytest.approx((10.2 - 6 - 2.5 - 13 / 8) * GALLON)
    short, _ = packing.fill_batch(2 * GALLON, [packing.Fill("gallon", GALLON, 5)])
    assert (short[0].count, short[0].short) == (2, 3)


@given(st.floats(0, 5), st.lists(st.tuples(st.floats(1e-4, 0.5), st.one_of(st.none(), st.integers(0, 40))), max_size=5))
def test_nothing_is_lost_between_batch_and_containers(volume, wanted):
    filled, left = packing.fill_batch(volume, [packing.Fill(str(k), v, n) for k, (v, n) in enumerate(wanted)])
    assert left >= 0
    assert sum(f.used_m3 for f in filled) + left == pytest.approx(volume, abs=1e-6)
    for f, (_, n) in zip(filled, wanted, strict=True):
        assert n is None or f.count + f.short == n


@pytest.mark.parametrize("bad", [packing.Fill("jug", 0.0), packing.Fill("jug", 0.004, -1)])
def test_impossible_containers_are_refused_by_name(bad):
    with pytest.raises((OutOfRange, Inconsistent)) as told:
        packing.fill_batch(1.0, [bad])
    assert told.value.name == "jug"


def test_a_blend_hits_colour_and_density_with_the_least_light_syrup():
    lots = [packing.Available(0.2, 66.9, 80.0), packing.Available(0.2, 66.9, 20.0), packing.Available(0.1, 66.9, 45.0)]
    made = packing.blend_recipe(lots, transmittance=40.0, brix=66.9, volume_m3=0.2)
    assert sum(made.volumes_m3) == pytest.approx(0.2)
    assert made.on_density
    assert made.transmittance == pytest.approx(40.0, abs=1e-3)
    # half 80, half 20 is 40
    assert packing.blend_recipe(lots[:2], 40.0, 66.9, 0.2).volumes_m3 == pytest.approx((0.1, 0.1))
    # density goes first: heavy and light in the share that meets it
    uneven = [packing.Available(0.2, 66.4, 60.0), packing.Available(0.2, 67.4, 60.0)]
    halves = packing.blend_recipe(uneven, 50.0, 66.9, 0.1)
    assert halves.volumes_m3 == pytest.approx((0.05, 0.05), rel=0.01)
    assert sugar.grade(halves.transmittance) == "amber"


def test_a_blend_that_cannot_be_is_refused_with_what_could():
    dark = [packing.Available(0.2, 66.9, 20.0), packing.Available(0.1, 66.9, 30.0)]
    with pytest.raises(Inconsistent, match="reach 22"):
        packing.blend_recipe(dark, transmittance=75.0, brix=66.9, volume_m3=0.3)
    with pytest.raises(Inconsistent, match="less than"):
        packing.blend_recipe(dark, transmittance=20.0, brix=66.9, volume_m3=0.5)
    heavy = packing.blend_recipe([packing.Available(0.2, 67.6, 60.0)], transmittance=50.0, brix=66.9, volume_m3=0.1)
    assert not heavy.on_density
