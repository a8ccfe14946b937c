"""When sap runs, ice, and the season's end."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import sap, sugar
from zucker_core.errors import Inconsistent, OutOfRange


def test_index_follows_the_formula():
    night, day = [-5.0] * 4, [2.0, 6.0, 12.0]
    assert sap.hourly_index(night + day).tolist() == [0, 0, 0, 0, 2, 6, 8]
    assert sap.run_index([-2.5] * 4 + day) == pytest.approx(0.5 * 16)


def test_too_short_a_frost_gives_nothing():
    assert sap.run_index([-9.0] * 3 + [8.0] * 6) == 0
    assert sap.run_index([3.0] * 12) == 0


def test_a_brief_thaw_does_not_end_a_frost():
    through = sap.run_index([-5.0] * 3 + [0.5] + [-5.0] * 2 + [8.0] * 5)
    assert through == pytest.approx(8.0 * 5)
    # a new frost after a long thaw starts anew
    assert sap.hourly_index([-10.0] * 6 + [8.0] * 5 + [-1.0] * 2 + [8.0])[-1] == 0


@given(st.lists(st.floats(-30, 30), min_size=1, max_size=72))
def test_index_is_never_negative_nor_above_eight(temps):
    index = sap.hourly_index(temps)
    assert ((index >= 0) & (index <= 8)).all()


def test_yield_is_learned_with_its_spread_and_a_freak_run_does_not_rule():
    rng = np.random.default_rng(1)
    runs = [sap.PastRun(i, 2e-4 * i * float(np.exp(rng.normal(0, 0.15)))) for i in rng.uniform(20, 80, 12)]
    learned = sap.learn_yield([*runs, sap.PastRun(40, 0.2)])
    assert learned.per_index_m3 == pytest.approx(2e-4, rel=0.12)
    middle, low, high = learned.of(50, taps=1000)
    assert middle == pytest.approx(10, rel=0.12)
    assert low < middle < high
    held = []
    for _ in range(300):
        history = [sap.PastRun(i, 2e-4 * i * float(np.exp(rng.normal(0, 0.2)))) for i in rng.uniform(20, 80, 9)]
        middle, low, high = sap.learn_yield(history).of(50)
        held.append(low <= 2e-4 * 50 * float(np.exp(rng.normal(0, 0.2))) <= high)
    assert 0.70 <= np.mean(held) <= 0.92


def test_under_five_runs_there_is_not_enough_history():
    with pytest.raises(Inconsistent, match="not enough history: 4"):
        sap.learn_yield([sap.PastRun(10, 0.002)] * 4 + [sap.PastRun(0, 0.001)])


def test_season_end_needs_more_than_one_sign():
    cold = sap.season_end([-4.0] * 10, [3.0] * 10)
    assert cold.state == "running"
    warm = sap.season_end([-4.0] * 10 + [3.0] * 5, [3.0] * 10 + [18.0] * 5)
    assert warm.state == "near its end"
    assert [s.speaks for s in warm.signs] == [True, True, False, False]
    assert sap.season_end([2.0] * 5, [6.0] * 5, off_flavours=1).state == "over"
    falling = sap.season_end([-1.0] * 8, [2.0] * 8, range(8), [2.6, 2.5, 2.42, 2.3, 2.2, 2.1, 2.02, 1.9])
    assert falling.signs[2].speaks
    assert falling.signs[2].value == pytest.approx(-0.7, abs=0.05)
    with pytest.raises(Inconsistent):
        sap.season_end([0.0], [0.0], [1, 2], [2.0])


def test_ice_is_nearly_water():
    left = sap.take_ice(10.0, 2.0, 3.0, ice_brix=0.0)
    assert left.brix == pytest.approx(2.0 * 10 / (10 - 3 * 0.917), rel=0.01)
    assert sugar.sugar_mass(left.volume_m3, left.brix, 0.0) == pytest.approx(sugar.sugar_mass(10.0, 2.0, 0.0))
    assert sap.take_ice(10.0, 2.0, 3.0).sugar_lost_kg == pytest.approx(5.502, rel=1e-3)
    with pytest.raises(Inconsistent, match="more ice"):
        sap.take_ice(1.0, 2.0, 2.0)
    with pytest.raises(OutOfRange):
        sap.take_ice(1.0, 90.0, 0.2)


def test_a_day_by_its_extremes():
    hours = np.arange(0, 48, 0.25)
    temps = sap.day_curve(hours, -5.0, 7.0, coldest_hour=5, warmest_hour=14)
    assert temps.min() == pytest.approx(-5)
    assert temps.max() == pytest.approx(7)
    assert hours[temps.argmin()] % 24 == 5
    assert hours[temps.argmax()] % 24 == 14
    # half way up and half way down stand at the mean
    assert sap.day_curve([9.5, 21.5], -5.0, 7.0, 5, 14) == pytest.approx([1.0, 1.0])
    assert temps[:96] == pytest.approx(temps[96:])


def test_a_day_over_midnight():
    assert sap.day_curve(2.0, -5.0, 7.0, coldest_hour=20, warmest_hour=8) == pytest.approx(1.0)


@pytest.mark.parametrize(("extremes", "name"), [((8.0, 2.0, 6, 15), "coldest_c"), ((-2.0, 2.0, 6, 6), "coldest_hour")])
def test_extremes_that_contradict_each_other(extremes, name):
    with pytest.raises(Inconsistent) as odd:
        sap.day_curve(3.0, *extremes)
    assert odd.value.name == name
