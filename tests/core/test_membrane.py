"""Membrane: the printed values, limits and refusals."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import membrane
from zucker_core.errors import Inconsistent, OutOfRange
from zucker_core.membrane import Machine, MembraneState, run_rate
from zucker_core.units import M3_PER_GALLON, PA_PER_PSI

GPH = M3_PER_GALLON / 3600
CLEAN = MembraneState()


@pytest.mark.parametrize(
    ("brix", "temp_c", "bar"), [(1.9, 4, 1.309), (8, 4, 5.972), (15, 4, 12.389), (20, 4, 17.882), (8, 25, 6.406), (20, 25, 19.181)])
def test_osmotic_pressure(brix, temp_c, bar):
    assert membrane.osmotic_pressure(brix, temp_c) / 1e5 == pytest.approx(bar, rel=1e-3)


@pytest.mark.parametrize(("temp_c", "factor"), [(0, 0.445), (10, 0.626), (20, 0.860), (25, 1.0)])
def test_temperature_factor(temp_c, factor):
    assert membrane.temperature_factor(temp_c) == pytest.approx(factor, abs=6e-4)


@pytest.mark.parametrize(("arrangement", "stages", "gph"), [
    ("mixed loop", 1, (338, 268, 211, 101)), ("stages", 4, (390, 365, 344, 296)),
])
def test_permeate_of_one_element(arrangement, stages, gph):
    machine = Machine(1, arrangement=arrangement, stages=stages, pressure_pa=400 * PA_PER_PSI)
    found = membrane.clean_permeate_flow(machine, 2.0, np.array([8.0, 12.0, 15.0, 20.0]), 4.0) / GPH
    assert found == pytest.approx(gph, abs=0.6)


def test_many_stages_approach_the_closed_form():
    assert membrane.linear_stage_area(0.75, 0.1) == pytest.approx(0.92918, abs=1e-5)
    # at low Brix osmotic pressure is nearly linear: the staged machine must come close to the closed form
    machine = Machine(1, sigma=1.0, arrangement="stages", stages=12, pressure_pa=20e5)
    feed, target, temp = 0.5, 2.0, 25.0
    permeate = membrane.clean_permeate_flow(machine, feed, target, temp)
    intake = permeate / (1 - feed / target)
    number = machine.area_m2 * machine.permeability * machine.pressure_pa / intake
    phi = membrane.osmotic_pressure(feed, temp) / machine.pressure_pa
    assert number == pytest.approx(membrane.linear_stage_area(0.75, phi), rel=0.01)


@given(st.floats(1.0, 3.0), st.floats(4.0, 18.0), st.floats(0, 20))
def test_staged_flows_balance(feed, target, temp):
    machine = Machine(4, arrangement="stages", stages=4)
    flows, reason = run_rate(machine, CLEAN, feed, target, temp)
    assert flows is not None, reason
    assert flows.feed_m3_s == pytest.approx(flows.concentrate_m3_s + flows.permeate_m3_s, rel=1e-12)
    assert flows.feed_m3_s / flows.concentrate_m3_s == pytest.approx(membrane.volume_ratio(feed, target, temp), rel=1e-9)


@given(st.floats(1.0, 3.0), st.floats(4.0, 17.0), st.floats(0, 20))
def test_sweeter_colder_and_fouled_is_slower(feed, target, temp):
    for arrangement, extra in (("mixed loop", {}), ("stages", {"stages": 3}), ("batch", {"passes": 4})):
        machine = Machine(4, arrangement=arrangement, **extra)
        flow = membrane.clean_permeate_flow(machine, feed, target, temp)
        assert membrane.clean_permeate_flow(machine, feed, target + 1, temp) < flow
        assert membrane.clean_permeate_flow(machine, feed, target, temp + 2) > flow
    assert membrane.fouling_ratio(machine, 10.0) < membrane.fouling_ratio(machine, 5.0) < 1.0


def test_batch_lies_between_one_pass_and_plug_flow():
    one = Machine(4, arrangement="batch", passes=1)
    many = Machine(4, arrangement="batch", passes=12)
    loop = Machine(4)
    flows = [membrane.clean_permeate_flow(m, 2.0, 12.0, 4.0) for m in (loop, many)]
    assert flows[0] < flows[1]
    assert membrane.clean_permeate_flow(one, 2.0, 12.0, 4.0) > flows[0]


@pytest.mark.parametrize(("feed", "target", "pressure", "words"), [
    (2, 25, None, "limit of 20"), (8, 8, None, "not above"), (2, 19, 10e5, "osmotic"), (2, 8, 60e5, "above this machine"),
])
def test_out_of_reach_says_why(feed, target, pressure, words):
    machine = Machine(4, max_brix=20.0)
    flows, reason = run_rate(machine, CLEAN, feed, target, 4.0, pressure)
    assert flows is None
    assert words in reason


def test_feed_limits():
    slow = Machine(4, feed_max_m3_s=500 * GPH)
    flows, _ = run_rate(slow, CLEAN, 2.0, 8.0, 4.0)
    assert flows.feed_m3_s == pytest.approx(500 * GPH)
    assert flows.concentrate_m3_s + flows.permeate_m3_s == pytest.approx(500 * GPH)
    swept = Machine(4, feed_min_m3_s=5000 * GPH)
    assert "swept" in run_rate(swept, CLEAN, 2.0, 8.0, 4.0)[1]


def test_power():
    machine = Machine(4, pump_efficiency=0.5, recirculation_w=1000.0)
    flows, _ = run_rate(machine, CLEAN, 2.0, 8.0, 4.0)
    recovery = flows.permeate_m3_s / flows.feed_m3_s
    assert flows.power_w == pytest.approx(machine.pressure_pa * flows.permeate_m3_s / (recovery * 0.5) + 1000.0)


def test_sugar_in_permeate():
    assert membrane.sugar_lost_share(8, 0.01) == pytest.approx(0.0206, abs=5e-5)
    ratio = membrane.volume_ratio(2.0, 12.0, 4.0, passage=0.02)
    kept = 1 - membrane.sugar_lost_share(ratio, 0.02)
    # what is kept, in the smaller volume, is the target's sugar
    assert kept * ratio == pytest.approx(membrane.volume_ratio(2.0, 12.0, 4.0), rel=1e-9)


def test_clean_water_test_and_wash():
    assert membrane.clean_water_test(300, 5, 400, 10) == pytest.approx(0.887, abs=5e-4)
    assert membrane.rinse_volume(0.1, 12.0, 0.1) == pytest.approx(0.1 * np.log(120))
    need = membrane.wash_need(Machine(4, hold_up_m3=0.1))
    assert need.permeate_m3 == pytest.approx(1.5)
    fouled = -np.log(0.849) / Machine(4).fouling_per_m3 * 4
    assert membrane.needs_wash(Machine(4), fouled)
    assert not membrane.needs_wash(Machine(4), fouled * 0.9)


def test_refusals():
    with pytest.raises(OutOfRange, match="elements"):
        Machine(0)
    with pytest.raises(Inconsistent, match="arrangement"):
        Machine(1, arrangement="sideways")
    with pytest.raises(OutOfRange):
        membrane.osmotic_pressure(60, 4)
    with pytest.raises(OutOfRange):
        run_rate(Machine(1), CLEAN, float("nan"), 8, 4)
