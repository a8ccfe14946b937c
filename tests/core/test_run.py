"""The run: the reference case, conservation, limits, choices, live balance and ledger."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from zucker_core import run, sugar
from zucker_core.errors import Inconsistent, OutOfRange
from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine, MembraneState
from zucker_core.units import M3_PER_GALLON as G
from zucker_core.units import f_to_c

MIXED = Machine(4, hold_up_m3=0.05, max_brix=20.0)
STAGED = replace(MIXED, arrangement="stages", stages=4)
PRICES = run.Prices(fuel=3.6 / G, power_j=0.18 / 3.6e6, labour_s=25 / 3600, wash=40, syrup_m3=27 / G)
COLD = f_to_c(38)


def reference(machine=MIXED, **changes):
    scenario = run.Scenario(
        sap=run.Stock(9000 * G, 1.9, COLD, 12_000 * G), head=run.Stock(0.0, 8.0, COLD, 3000 * G, reserve_m3=100 * G),
        evaporator=Evaporator(711e3, preheat_c=f_to_c(190)), machine=machine, permeate_capacity_m3=9000 * G, prices=PRICES)
    return replace(scenario, **changes)


def policies(targets, lights):
    return run.Policies(np.array(targets, float), np.zeros(len(targets)), np.array(lights, float))


@pytest.mark.parametrize(("machine", "hours"), [(MIXED, (4.6, 6.2, 7.8, 10.4)), (STAGED, (4.1, 4.7, 5.2, 5.6))])
def test_reference_case(machine, hours):
    out = run.simulate(reference(machine), policies([8, 12, 15, 18], [20, 130, 280, 500]))
    assert (out.breach == -1).all()
    assert out.concentrate_m3 / G == pytest.approx([2086, 1368, 1081, 890], rel=0.03)
    assert out.permeate_m3[[0, 3]] / G == pytest.approx([6914, 8111], rel=0.03)
    assert out.ro_min / 60 == pytest.approx(hours, rel=0.03)
    assert out.fuel / G == pytest.approx([156, 98, 76, 60], rel=0.03)
    assert out.syrup_m3 / G == pytest.approx([193.9] * 4, rel=0.03)


@given(
    st.floats(1.2, 3.0), st.floats(0, 8), st.floats(0.0, 0.03), st.floats(5, 14), st.floats(0, 200), st.floats(0, 120),
    st.sampled_from([MIXED, STAGED]))
@settings(max_examples=12, deadline=None)
def test_sugar_and_water_are_conserved_at_every_step(brix, head_m3, passage, target, inflow_gph, sweet, machine):
    scenario = reference(
        replace(machine, passage=passage), sap=run.Stock(12.0, brix, 4.0, 40.0), head=run.Stock(head_m3, 7.0, 4.0, 11.0),
        inflow_m3_s=np.full(150, inflow_gph * G / 3600), inflow_brix=brix + 0.4, pans_sugar_kg=sweet)
    out = run.simulate(scenario, policies([target, target + 2, 0], [30, 90, 0]), audit=True)
    for audit in (out.sugar_audit, out.water_audit):
        assert np.ptp(audit, axis=0) == pytest.approx(0.0, abs=1e-9 * audit.max())


def test_syrup_is_what_the_sugar_makes():
    out = run.simulate(reference(), policies([10], [60]))
    sugar_kg = sugar.sugar_mass(9000 * G, 1.9, COLD)
    assert out.syrup_kg[0] * 0.669 == pytest.approx(sugar_kg, rel=2e-3)


def test_plan_finds_an_optimum_and_its_band():
    mixed, staged = run.plan(reference()), run.plan(reference(STAGED))
    costs = {c.target_brix: c.cost_per_m3 for c in mixed.choices if c.cost_per_m3 is not None}
    best = mixed.choices[mixed.best].target_brix
    assert 14 <= best < 20  # labour at the membrane makes a loop's optimum an inner one
    assert staged.choices[staged.best].target_brix == 20
    for choice in mixed.choices:
        if choice.cost_per_m3 is not None:
            assert choice.in_band == (choice.cost_per_m3 <= 1.02 * min(costs.values()) + 1e-9)
    first = mixed.choices[0]
    assert first.target_brix == 0
    assert first.limit == "not finished in time"


def test_plan_by_other_objectives():
    scenario = reference()
    ends = {}
    for objective in run.OBJECTIVES:
        plan = run.plan(scenario, objective)
        row = plan.choices[plan.best].row
        ends[objective] = plan.outcome.finish_min[row], plan.outcome.fuel[row]
    assert ends["earliest finish"][0] == min(end for end, _ in ends.values())
    assert ends["least fuel"][1] <= min(fuel for _, fuel in ends.values()) * 1.01
    with pytest.raises(Inconsistent, match="objective"):
        run.plan(scenario, "prettiest")


def test_frontier_is_not_beaten():
    plan = run.plan(reference())
    points = [(plan.choices[i].cost_per_m3, plan.outcome.finish_min[plan.choices[i].row]) for i in plan.frontier]
    ordered = sorted(points)
    assert [end for _, end in ordered] == sorted((end for _, end in points), reverse=True)


@pytest.mark.parametrize(("changes", "target", "light", "limit"), [
    ({}, 24, 0, "concentrate above the machine's limit"),
    ({}, 1.5, 0, "target not above the sap's own Brix"),
    ({"machine": replace(MIXED, pressure_pa=12e5)}, 18, 0, "osmotic pressure beyond the machine's pump"),
    ({"machine": replace(MIXED, feed_min_m3_s=0.01)}, 8, 60, "feed below the machine's least flow"),
    ({}, 15, 0, "head tank below its reserve with the fire lit"),
    ({"inflow_m3_s": np.full(600, 3e-3)}, 8, 60, "sap tank over its brim"),
    ({"machine": replace(MIXED, hold_up_m3=3.0)}, 8, 60, "permeate short for the wash"),
    ({"sap": run.Stock(9000 * G, 1.9, 4.0, 12_000 * G, hold_used=0.97)}, 12, 130, "sap kept too long"),
    ({"finish_by_min": 300.0}, 12, 130, "not finished in time"),
])
def test_limits_are_named(changes, target, light, limit):
    out = run.simulate(reference(**changes), policies([target], [light]))
    assert run.LIMITS[out.breach[0]] == limit


def test_warm_concentrate_spoils():
    warm = reference(sap=run.Stock(9000 * G, 1.9, 18.0, 12_000 * G), head=run.Stock(5.0, 12.0, 22.0, 3000 * G, 0.3, 0.6))
    out = run.simulate(warm, policies([12], [500]))
    assert "kept too long" in run.LIMITS[out.breach[0]]


def test_a_fouled_machine_is_washed_and_costs_time():
    dirty = reference(membrane=MembraneState(-np.log(0.86) / MIXED.fouling_per_m3 * 4))
    clean_out, dirty_out = (run.simulate(s, policies([12], [260])) for s in (reference(), dirty))
    assert dirty_out.washes[0] == clean_out.washes[0] + 1
    assert dirty_out.finish_min[0] > clean_out.finish_min[0]


def test_without_a_membrane_the_sap_is_boiled_as_it_is():
    small = reference(machine=None, sap=run.Stock(2.0, 2.2, 4.0, 5.0), head=run.Stock(0.3, 2.2, 4.0, 0.7, 0.05))
    plan = run.plan(small)
    assert [c.target_brix for c in plan.choices] == [0.0]
    assert plan.choices[0].limit is None
    out = plan.outcome
    row = plan.choices[0].row
    expected = (sugar.sugar_mass(2.0, 2.2, 4.0) + sugar.sugar_mass(0.3, 2.2, 4.0)) / (sugar.density(66.9, 20) * 0.669)
    assert out.syrup_m3[row] == pytest.approx(expected, rel=1e-2)
    with pytest.raises(Inconsistent):
        run.simulate(small, policies([8], [0]))


def test_spoiling_times():
    assert run.hold_time_h(4.0) == pytest.approx(48.0)
    assert run.hold_time_h(14.0, "concentrate") == pytest.approx(12 / 3.5)
    with pytest.raises(Inconsistent):
        run.hold_time_h(4.0, "milk")


@given(st.floats(0.002, 0.01), st.floats(0.5, 3.0))
@settings(max_examples=25, deadline=None)
def test_minutes_of_concentrate(fall_per_minute, start):
    rng = np.random.default_rng(4)
    seconds = np.arange(0, 901, 60.0)
    volume = np.maximum(start - fall_per_minute * seconds / 60 + rng.normal(0, 0.002, seconds.size), 0)
    left = run.concentrate_left(seconds, volume, 0.25)
    truth = max(start - fall_per_minute * 15 - 0.25, 0) / fall_per_minute
    assert left.minutes_left == pytest.approx(truth, rel=0.35, abs=6.0)
    assert left.minutes_low <= left.minutes_left
    assert left.minutes_high is None or left.minutes_left <= left.minutes_high


def test_a_rising_tank_never_runs_out():
    left = run.concentrate_left([0, 60, 120, 180], [1.0, 1.01, 1.02, 1.03], 0.2)
    assert left.minutes_left is None
    with pytest.raises(Inconsistent):
        run.concentrate_left([0, 5], [1, 1], 0.2)


def measured(name, side, volume, sd, brix, brix_sd):
    return run.Measured(name, side, volume, sd, brix, brix_sd)


def test_ledger_closes_and_says_what_is_missing():
    sap = measured("sap", "in", 30.0, 0.3, 2.0, 0.1)
    syrup_m3 = sap.sugar_kg / (sugar.density(66.9, 20) * 0.669)
    exact = run.ledger([sap, measured("syrup", "out", syrup_m3, 0.01, 66.9, 0.15)])
    assert exact.unaccounted_kg == pytest.approx(0.0, abs=1e-9)
    assert exact.closure == pytest.approx(1.0)
    assert exact.explained
    assert exact.largest == "sap"
    short = run.ledger([sap, measured("syrup", "out", 0.8 * syrup_m3, 0.005, 66.9, 0.15)])
    assert short.unaccounted_kg == pytest.approx(0.2 * sap.sugar_kg)
    assert not short.explained
    with pytest.raises(Inconsistent):
        run.ledger([])


def test_ledger_uncertainty_matches_a_monte_carlo():
    rng = np.random.default_rng(11)
    lines = [measured("sap", "in", 30.0, 0.4, 2.0, 0.08), measured("held", "held after", 0.3, 0.01, 24.0, 2.0),
             measured("syrup", "out", 0.6, 0.01, 66.9, 0.3)]
    sd = run.ledger(lines).sd_kg
    drawn = []
    for _ in range(1500):
        shaken = [replace(m, volume_m3=rng.normal(m.volume_m3, m.volume_sd_m3), brix=rng.normal(m.brix, m.brix_sd)) for m in lines]
        drawn.append(run.ledger(shaken).unaccounted_kg)
    assert np.std(drawn) == pytest.approx(sd, rel=0.08)


def test_scenarios_refuse_what_cannot_be():
    with pytest.raises(OutOfRange, match="volume_m3"):
        run.Stock(5.0, 2.0, 4.0, 4.0)
    with pytest.raises(OutOfRange, match="brix"):
        run.Stock(1.0, 250.0, 4.0, 4.0)
    with pytest.raises(OutOfRange):
        run.Prices(fuel=-1.0)
    with pytest.raises(Inconsistent):
        run.Measured("x", "sideways", 1, 0, 2, 0)
