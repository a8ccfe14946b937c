"""An evening at a glance: the same evening in longer steps, good enough to say what is worth the minutes."""

from dataclasses import replace

import numpy as np
import pytest
from zucker_core import run
from zucker_core.membrane import MembraneState
from zucker_core.run.candidates import first_candidates, policies_of

from .test_evening import SECOND, breach
from .test_minutes import busy_night, many
from .test_run import MIXED, STAGED, policies, reference

PRICES = run.Prices(fuel=1000.0, power_j=5e-8, labour_s=0.006, wash=20.0, syrup_m3=9000.0)
NIGHTS = {
    "mixed loop": reference(MIXED, prices=PRICES),
    "stages": reference(STAGED, prices=PRICES),
    "sap all day": reference(
        STAGED, prices=PRICES, sap=run.Stock(15.0, 2.0, 4.0, 60.0), inflow_m3_s=np.full(723, 4e-4)),
    "two of each": reference(
        STAGED, prices=PRICES, more_machines=((MIXED, MembraneState(2.0)),), more_evaporators=(SECOND,),
        loads=(run.Load(33.0, 3.0, 2.2), run.Load(151.0, 2.0, 1.8, 12.0))),
    "a power cut": reference(STAGED, prices=PRICES, events=(run.Event("power cut", 122.0, 171.0),)),
}
TARGETS = [0.0, 6.0, 9.0, 12.0, 15.0]


@pytest.mark.parametrize("name", NIGHTS)
def test_a_glance_comes_out_as_the_minutes_do_to_a_step_or_two(name):
    night = NIGHTS[name]
    ways = policies_of(first_candidates(night, TARGETS))
    seen, counted = run.glance(night, ways), run.simulate(night, ways)
    stood = (seen.breach == run.NEVER) & (counted.breach == run.NEVER)
    assert stood.sum() >= 8
    # at the edge of a limit a step may hide what a minute shows
    assert np.mean((seen.breach == run.NEVER) == (counted.breach == run.NEVER)) > 0.85
    for figure in ("syrup_m3", "permeate_m3", "concentrate_m3"):
        np.testing.assert_allclose(getattr(seen, figure)[stood], getattr(counted, figure)[stood], rtol=2e-3, err_msg=figure)
    assert np.abs(seen.finish_min - counted.finish_min)[stood].max() <= 10.0
    assert abs(np.mean((seen.finish_min - counted.finish_min)[stood])) <= 4.0
    np.testing.assert_allclose(seen.cost[stood], counted.cost[stood], rtol=0.04)
    assert abs(np.mean(seen.cost[stood] / counted.cost[stood]) - 1.0) < 0.015


def test_its_traces_are_told_by_the_minute():
    night = NIGHTS["sap all day"]
    ways = policies_of(first_candidates(night, [9.0, 12.0]))
    ways = ways.take(np.nonzero(run.simulate(night, ways).breach == run.NEVER)[0])
    assert len(ways) >= 3
    seen, counted = run.glance(night, ways), run.simulate(night, ways)
    minutes = min(len(seen.head_trace), len(counted.head_trace))
    for trace, most in (("sap_trace", 0.05), ("head_trace", 0.05), ("syrup_trace", 0.005), ("permeate_trace", 0.05)):
        gap = np.abs(getattr(seen, trace)[:minutes] - getattr(counted, trace)[:minutes])
        assert gap.mean() < most, trace  # a wash a step late is a tank of permeate for that step
    for trace in ("ro_trace", "wash_trace", "fire_trace"):
        ran, really = getattr(seen, trace).sum(axis=0), getattr(counted, trace).sum(axis=0)
        assert np.abs(ran - really).max() <= 10.0, trace
        assert (getattr(seen, trace)[-1] == 0).all()
    np.testing.assert_allclose(seen.power_trace.sum(axis=0), counted.power_trace.sum(axis=0), rtol=0.01)
    np.testing.assert_allclose(seen.power_trace.sum(axis=0), seen.power_j, rtol=1e-9)


def test_sugar_is_conserved_in_long_steps_too():
    night = busy_night()
    seen = run.glance(night, many())
    stood = seen.breach == run.NEVER
    assert stood.sum() >= 4
    counted = run.simulate(night, many())
    both = stood & (counted.breach == run.NEVER)
    # what comes in is the same sugar, so syrup and what is lost are the same but for the pans' last fill
    np.testing.assert_allclose(
        (seen.syrup_kg * 0.669 + seen.sugar_lost_kg)[both], (counted.syrup_kg * 0.669 + counted.sugar_lost_kg)[both], rtol=2e-3)


def test_power_is_paid_by_the_hour_of_the_clock():
    dear_late = replace(PRICES, power_j=0.0, power_hours=(0.0, 0.0, 0.0, 1e-6))
    night, ways = reference(STAGED, prices=dear_late), policies([12.0], [100.0])
    early = replace(dear_late, power_hours=(1e-6, 0.0))
    seen = run.glance(night, ways)
    assert seen.power_cost[0] == pytest.approx(run.simulate(night, ways).power_cost[0], rel=0.03)
    first_hour = float(seen.power_trace[:60, 0].sum()) * 1e-6
    assert seen.priced(early).power_cost[0] == pytest.approx(first_hour)
    assert 0 < first_hour < seen.power_j[0] * 1e-6


@pytest.mark.parametrize(("change", "limit"), [
    ({"finish_by_min": 200.0}, "not finished in time"),
    ({"people": run.People(1.0, 1.0, ((0.0, 150.0),))}, "nobody there while it runs"),
    ({"events": (run.Event("hard frost", 120.0, 900.0),)}, "hard frost before the membrane is washed and drained"),
    ({"sap": run.Stock(15.0, 2.0, 4.0, 15.5), "inflow_m3_s": np.full(300, 3e-3)}, "sap tank over its brim"),
])
def test_limits_of_the_clock_are_seen_at_their_time(change, limit):
    night, ways = reference(STAGED, **change), policies([10.0], [120.0])
    seen, counted = run.glance(night, ways), run.simulate(night, ways)
    assert breach(seen) == breach(counted) == limit
    assert seen.breach_min[0] == pytest.approx(counted.breach_min[0], abs=10.0)


def test_a_short_look_ahead_is_by_minutes():
    night, ways = reference(STAGED, horizon_min=50), policies([12.0], [10.0])
    np.testing.assert_array_equal(run.glance(night, ways).head_trace, run.simulate(night, ways).head_trace)


def test_a_fire_never_lit_stays_cold():
    night = reference(STAGED, more_evaporators=(SECOND,))
    ways = run.Policies([12.0], [0.0], [[152.0, run.NOT_LIT]])
    seen = run.glance(night, ways)
    alone = run.glance(reference(STAGED), policies([12.0], [152.0]))
    np.testing.assert_allclose(seen.fuel, alone.fuel)


def test_a_plan_shows_a_glance_first_and_chooses_by_the_minutes():
    night = NIGHTS["stages"]
    steps = run.planning(night, targets=TARGETS)
    early, shares = None, []
    while True:
        try:
            share, so_far = next(steps)
        except StopIteration as end:
            whole = end.value
            break
        shares.append(share)
        early = so_far or early
    assert shares == sorted(shares)
    assert early is not None
    for seen, chosen in zip(early.choices, whole.choices, strict=True):
        assert seen.target_brix == chosen.target_brix
        if seen.cost_per_m3 is not None and chosen.cost_per_m3 is not None:
            assert seen.cost_per_m3 == pytest.approx(chosen.cost_per_m3, rel=0.05)
    # every figure of the whole plan is the minutes' own
    best = whole.choices[whole.best]
    alone = run.simulate(night, policies_of([best.candidate]))
    assert whole.outcome.finish_min[best.row] == alone.finish_min[0]
    assert whole.outcome.cost[best.row] == pytest.approx(alone.cost[0], rel=1e-12)


def test_what_a_glance_hides_is_tried_again_by_the_minutes():
    """At a glance the head tank keeps its reserve; by the minutes it does not, and then every way out is tried."""
    def blind(scenario, ways):
        seen = run.glance(scenario, ways)
        return replace(seen, breach=np.full(len(ways), run.NEVER))

    night = reference(STAGED, head=run.Stock(0.0, 8.0, 4.0, 8.0, reserve_m3=0.6), evaporator=replace(
        reference().evaporator, idle_fire=0.3))
    plain, blinded = run.plan(night, targets=TARGETS), None
    steps = run.planning(night, targets=TARGETS, look=blind)
    while True:
        try:
            next(steps)
        except StopIteration as end:
            blinded = end.value
            break
    assert [c.limit for c in blinded.choices] == [c.limit for c in plain.choices]
    assert blinded.choices[blinded.best].cost_per_m3 == pytest.approx(plain.choices[plain.best].cost_per_m3, rel=0.01)
