"""The evening in its full depth: several machines, loads, washes on the way, people, events; plans and their reasons."""

import sys
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from zucker_core import run, sugar
from zucker_core.errors import CoreError, Inconsistent, OutOfRange
from zucker_core.evaporator import water_rate
from zucker_core.membrane import MembraneState
from zucker_core.run.candidates import policies_of
from zucker_core.run.trend import recent_part
from zucker_core.sugar import density

from .test_run import MIXED, STAGED, policies, reference

SECOND = replace(reference().evaporator, heat_w=400e3, idle_fire=0.1)


def one(target, light, **more):
    return run.Policies(
        np.array([float(target)]), np.zeros(1), np.array([light], float), **{k: np.array([v]) for k, v in more.items()}
    )


def breach(out):
    return run.LIMITS[out.breach[0]] if out.breach[0] >= 0 else ""


def test_two_equal_machines_halve_the_time():
    single = run.simulate(reference(), policies([12], [260]))
    double = run.simulate(reference(more_machines=((MIXED, MembraneState()),)), policies([12], [260]))
    assert double.ro_min[0] == pytest.approx(single.ro_min[0] / 2, rel=0.05)
    assert double.permeate_m3[0] == pytest.approx(single.permeate_m3[0], rel=1e-6)
    assert double.washes[0] == 2 * single.washes[0]


def test_two_evaporators_share_the_concentrate():
    scenario = reference(more_evaporators=(reference().evaporator,))
    both = run.simulate(scenario, one(12, [400, 400]))
    alone = run.simulate(scenario, one(12, [400, run.NOT_LIT]))
    plain = run.simulate(reference(), one(12, [400]))
    assert alone.boil_min[0] == pytest.approx(plain.boil_min[0], abs=1)
    assert both.boil_min[0] == pytest.approx(plain.boil_min[0] / 2, rel=0.05)
    assert both.syrup_m3[0] == pytest.approx(plain.syrup_m3[0], rel=0.01)


def test_loads_bring_their_sugar():
    loads = (run.Load(30, 2.0, 2.6), run.Load(90, 3.0, 1.7, 40))
    scenario = reference(sap=run.Stock(10.0, 2.0, 4.0, 40.0), loads=loads)
    out = run.simulate(scenario, policies([12], [150]), audit=True)
    came = sugar.sugar_mass(2.0, 2.6, 4.0) + sugar.sugar_mass(3.0, 1.7, 4.0) + sugar.sugar_mass(10.0, 2.0, 4.0)
    assert out.syrup_kg[0] * 0.669 == pytest.approx(came, rel=5e-3)
    assert np.ptp(out.sugar_audit[:, 0]) < 1e-9 * out.sugar_audit.max()


@given(
    st.sampled_from(["held", "chased", "drained"]),
    st.booleans(),
    st.booleans(),
    st.floats(0.0, 0.03),
    st.sampled_from([(), (run.Event("power cut", 100, 130),)]),
    st.floats(6, 14),
)
@settings(max_examples=15, deadline=None)
def test_sugar_and_water_are_conserved_whatever_is_chosen(left, two, pace, passage, events, target):
    scenario = reference(
        replace(MIXED, passage=passage),
        more_machines=((STAGED, MembraneState(3.0)),),
        more_evaporators=(SECOND,),
        sap=run.Stock(14.0, 2.0, 4.0, 40.0),
        head=run.Stock(0.5, 8.0, 4.0, 9.0, 0.2),
        pans_left=left,
        events=events,
        between_m3=6.0,
        loads=(run.Load(40, 2.0, 2.4),),
        inflow_m3_s=np.full(100, 2e-4),
        inflow_brix=1.8,
        permeate_m3=1.0,
    )
    out = run.simulate(scenario, one(target, [90, 120], two_passes=two, at_pace=pace, idle=True), audit=True)
    for audit in (out.sugar_audit, out.water_audit):
        assert np.ptp(audit, axis=0) == pytest.approx(0.0, abs=1e-9 * audit.max())


def test_chasing_the_pans_draws_their_sugar_and_takes_permeate():
    held, chased, drained = (
        run.simulate(reference(pans_left=way), policies([12], [260])) for way in ("held", "chased", "drained")
    )
    assert chased.syrup_m3[0] > held.syrup_m3[0] == pytest.approx(drained.syrup_m3[0])
    assert chased.permeate_left_m3[0] < held.permeate_left_m3[0]
    dry = reference(machine=None, sap=run.Stock(2.0, 2.2, 4.0, 5.0), head=run.Stock(0.3, 2.2, 4.0, 0.7, 0.05), pans_left="chased")
    assert breach(run.simulate(dry, policies([0], [0]))) == "permeate short for chasing the pans"


def test_two_passes_take_a_mixed_loop_less_time():
    scenario = reference(between_m3=25.0)
    straight = run.simulate(scenario, one(18, 500))
    twice = run.simulate(scenario, one(18, 500, two_passes=True))
    assert twice.ro_min[0] < 0.9 * straight.ro_min[0]
    assert twice.concentrate_m3[0] == pytest.approx(straight.concentrate_m3[0], rel=1e-3)
    with pytest.raises(Inconsistent, match="tank between"):
        run.simulate(reference(), one(18, 500, two_passes=True))


def test_at_pace_keeps_the_head_tank_low():
    ahead = run.simulate(reference(), one(12, 30))
    paced = run.simulate(reference(), one(12, 30, at_pace=True))
    assert paced.head_trace[:, 0].max() <= ahead.head_trace[:, 0].max()
    assert paced.head_trace[:, 0].max() < 1.5


def test_a_fire_turned_down_waits_for_concentrate():
    scenario = reference(evaporator=replace(reference().evaporator, idle_fire=0.1))
    assert breach(run.simulate(scenario, one(15, 60))) == "head tank below its reserve with the fire lit"
    idle = run.simulate(scenario, one(15, 60, idle=True))
    assert breach(idle) == ""
    assert idle.fuel[0] > run.simulate(scenario, one(15, 300)).fuel[0]


def test_washes_on_the_way_follow_the_policy():
    fouls = reference(replace(MIXED, fouling_per_m3=0.05))
    own, never, often = (run.simulate(fouls, one(10, 500, wash_below=w)) for w in (np.nan, 0.0, 0.95))
    assert never.washes[0] == 1 < own.washes[0] < often.washes[0]


def test_a_power_cut_stops_everything_but_wood():
    cut = (run.Event("power cut", 300, 360),)
    before = run.simulate(reference(), policies([12], [240]))
    after = run.simulate(reference(events=cut), policies([12], [240]))
    assert (after.fire_trace[300:360, 0] == 0).all()
    assert (after.ro_trace[300:360, 0] == 0).all()
    assert after.finish_min[0] > before.finish_min[0] + 60
    wood = reference(events=cut, evaporator=replace(reference().evaporator, fuel="wood"))
    assert (run.simulate(wood, policies([12], [240])).fire_trace[300:340, 0] > 0).all()


def test_frost_and_people_set_limits():
    assert "hard frost" in breach(run.simulate(reference(events=(run.Event("hard frost", 200, 900),)), policies([12], [260])))
    gone = reference(people=run.People(hours=((0, 300),)))
    assert breach(run.simulate(gone, policies([12], [260]))) == "nobody there while it runs"
    there = reference(people=run.People(hours=((0, 300), (300, 1440))))
    assert breach(run.simulate(there, policies([12], [260]))) == ""


def test_power_by_the_hour():
    flat = run.simulate(reference(), policies([12], [260]))
    cheap_later = run.Prices(power_j=1.0, power_hours=(0.2 / 3.6e6, 0.05 / 3.6e6))
    hourly = run.simulate(reference(prices=cheap_later), policies([12], [260]))
    share = hourly.power_cost[0] / flat.power_j[0] * 3.6e6
    assert 0.05 < share < 0.2
    plan = run.plan(reference(prices=replace(cheap_later, power_hours=(5.0 / 3.6e6,) * 3 + (0.01 / 3.6e6,))), targets=[10.0])
    assert plan.choices[0].candidate.ro_start_min >= 180


def test_tanks_of_a_kind_are_pooled():
    both = run.pooled([run.Stock(10, 2.0, 4, 20, hold_used=0.2), run.Stock(5, 2.6, 6, 8)])
    assert both.volume_m3 == 15
    assert both.capacity_m3 == 28
    assert both.brix == pytest.approx(2.2, abs=0.01)
    assert 0 < both.hold_used < 0.2
    with pytest.raises(Inconsistent):
        run.pooled([])


def test_a_plan_comes_in_steps_and_can_be_left():
    steps = run.planning(reference(), targets=[8.0, 12.0])
    (nothing, none_yet), (some, early) = next(steps), next(steps)
    assert nothing < some < 1
    assert none_yet is None
    # every target has an answer at once, which further work can only better
    assert [choice.target_brix for choice in early.choices] == [8.0, 12.0]
    whole = run.plan(reference(), targets=[8.0, 12.0])
    for first, last in zip(early.choices, whole.choices, strict=True):
        assert last.cost_per_m3 <= first.cost_per_m3 * 1.0011
    steps.close()
    with pytest.raises(StopIteration):
        next(steps)


def test_a_fire_turned_down_burns_up_again_when_nothing_more_is_to_come():
    """Whatever the other policies beside it still wait for."""
    oil = replace(reference().evaporator, idle_fire=0.3)
    small = replace(reference(), evaporator=oil, head=run.Stock(0.6, 8.0, 4.0, 2.0, 0.25))
    alone = run.simulate(small, run.Policies([12.0], [0.0], [120.0], idle=[True]))
    beside = run.simulate(small, run.Policies([12.0, 18.0], [0.0, 300.0], [120.0, 420.0], idle=[True, True]))
    assert alone.breach[0] == beside.breach[0] == -1
    assert beside.finish_min[0] == alone.finish_min[0]
    assert beside.fuel[0] == pytest.approx(alone.fuel[0])


def test_why_not():
    plan = run.plan(reference())
    refused = run.why_not(plan, 0)
    assert refused.limit == "not finished in time"
    eight = next(i for i, c in enumerate(plan.choices) if c.target_brix == 8)
    why = run.why_not(plan, eight)
    assert why.limit is None
    assert why.cost_more > 0
    assert why.fuel_cost_more > 0
    assert why.cost_more == pytest.approx(why.fuel_cost_more + why.labour_cost_more + why.other_cost_more)


def test_so_little_sap_that_the_pans_keep_it():
    scenario = replace(reference(), sap=run.Stock(0.2, 0.2, 10.0, 30.0))
    plan = run.plan(scenario, targets=[0.0])
    assert plan.best == 0
    assert plan.outcome.syrup_m3[plan.choices[0].row] == 0
    assert plan.choices[0].cost_per_m3 is None
    why = run.why_not(plan, 0)
    assert (why.cost_more, why.fuel_cost_more, why.labour_cost_more, why.other_cost_more) == (0, 0, 0, 0)


def test_other_sap_than_expected_under_the_same_ways():
    scenario = reference(inflow_m3_s=np.full(120, 1e-3))
    plan = run.plan(scenario, targets=[8.0, 12.0])
    same = run.with_inflow(scenario, plan, scenario.inflow_m3_s, run.simulate)
    glanced = run.with_inflow(scenario, plan, scenario.inflow_m3_s)
    more = run.with_inflow(scenario, plan, 2 * scenario.inflow_m3_s)
    flood = run.with_inflow(scenario, plan, np.full(120, 0.02))
    for k, choice in enumerate(plan.choices):
        assert same.finish_min[k] == plan.outcome.finish_min[choice.row]
        assert glanced.finish_min[k] == pytest.approx(same.finish_min[k], abs=6)
        assert same.breach[k] == run.NEVER
        assert more.finish_min[k] > same.finish_min[k]
        assert run.LIMITS[flood.breach[k]] == "sap tank over its brim"


def test_people_are_busy_where_something_runs():
    busy = run.People(0.5, 2.0).busy(np.array([0, 0.3, 1, 0]), np.array([0, 0, 0.2, 1]))
    assert busy.tolist() == [0, 0.5, 2.5, 2]


def test_taste_is_the_users_own():
    plain = run.plan(reference(STAGED))
    mild = run.plan(reference(STAGED), preference=run.Preference(7, 9, 200.0))
    assert plain.choices[plain.best].target_brix > 15
    chosen = mild.choices[mild.best]
    assert chosen.target_brix <= 9
    assert mild.choices[-1].taste_per_m3 == pytest.approx(11 * 200)


def test_doubt_avoids_plans_that_just_make_it():
    plan = run.plan(reference(), "earliest finish", targets=[12.0])
    sure = run.plan(reference(), "earliest finish", targets=[12.0], doubt=run.Doubt(0.06, 0.06))
    slow = reference(replace(MIXED, permeability=MIXED.permeability * 0.9))
    assert breach(run.simulate(slow, one(12, plan.choices[0].light_min))) == "head tank below its reserve with the fire lit"
    assert breach(run.simulate(slow, one(12, sure.choices[0].light_min))) == ""


def test_a_target_that_only_just_makes_it_is_tried_with_its_fire_lit_later(monkeypatch):
    """Sap all day and machines half known: where every first way is daring, later light-ups are, and may be the cheapest that stand."""
    night = reference(sap=run.Stock(21, 1.9, 4, 60), inflow_m3_s=np.full(1260, 18 / 1260 / 60))
    doubt = run.Doubt(0.05, 0.05, 0.03)
    found = run.plan(night, doubt=doubt)
    best = found.choices[found.best]
    assert not best.daring
    adverse = replace(
        night, machine=replace(night.machine, permeability=0.9 * night.machine.permeability, sigma=1.03 * night.machine.sigma),
        evaporator=replace(night.evaporator, heat_w=1.1 * night.evaporator.heat_w))
    ways = policies_of([best.candidate])
    assert "reserve" not in breach(run.simulate(adverse, ways))
    assert breach(run.simulate(night, ways)) == ""
    monkeypatch.setattr(sys.modules["zucker_core.run.plan"], "lit_later", lambda one: [])
    without = run.plan(night, doubt=doubt)
    assert best.cost_per_m3 < without.choices[without.best].cost_per_m3 or without.choices[without.best].daring


def test_a_plan_over_two_of_each_uses_what_pays():
    scenario = reference(
        more_machines=((STAGED, MembraneState()),),
        more_evaporators=(SECOND,),
        loads=tuple(run.Load(60 * k + 30, 2.0, 2.0 + 0.1 * k) for k in range(4)),
    )
    plan = run.plan(scenario, targets=[8.0, 12.0, 16.0])
    best = plan.choices[plan.best]
    assert best.limit is None
    assert len(best.candidate.lights) == 2
    assert len(best.candidate.machines_on) == 2


@pytest.mark.parametrize(
    "bad",
    [
        lambda: run.Load(10, 500, 2),
        lambda: run.Event("flood", 0, 1),
        lambda: run.Event("power cut", 50, 20),
        lambda: run.People(hours=((60, 30),)),
        lambda: reference(pans_left="sold"),
        lambda: run.Preference(9, 7, 1),
        lambda: reference(more_evaporators=(replace(SECOND, fuel="wood"),)),
        lambda: one(12, 30, fire_share=3.0),
        lambda: run.simulate(reference(), one(12, [30, 60])),
        lambda: reference(None, more_machines=((MIXED, MembraneState()),)),
    ],
)
def test_what_cannot_be_is_refused(bad):
    with pytest.raises(CoreError):
        bad()


def state(fall, *, minutes=15, volume=1.2, target=12.0, **more):
    seconds = np.arange(0, minutes * 60 + 1, 60.0)
    noise = np.random.default_rng(8).normal(0, 0.003, seconds.size)
    return run.State(seconds, np.maximum(volume + fall * (seconds[-1] - seconds) + noise, 0), target, **more)


def ahead(machine=MIXED, **changes):
    return reference(
        machine, sap=run.Stock(15, 1.9, 4, 45), head=run.Stock(1.2, 12, 4, 11, 0.3), fire_lit=True, permeate_m3=3.0, **changes
    )


def test_balance_sees_the_tank_run_low_and_mends_it():
    now = run.balance(state(0.00025), ahead())
    assert now.minutes_low < now.minutes_left < now.minutes_high
    assert now.breach == "head tank below its reserve with the fire lit"
    assert now.minutes_left == pytest.approx(0.9 / 0.00025 / 60, rel=0.15)
    assert now.change.holds
    assert now.change.value < {"target": 12, "fire": 1}[now.change.kind]
    assert not now.warn
    assert run.balance(state(0.0007), ahead()).warn


def test_balance_after_the_membrane_stopped():
    now = run.balance(state(0.00015, membrane_on=False), ahead())
    assert now.change.kind == "membrane"
    assert now.change.holds
    gains = run.balance(state(0.00045, membrane_on=False), ahead())
    assert gains.change.kind == "membrane"
    assert not gains.change.holds
    assert gains.change.minutes_left > 1.5 * gains.minutes_left
    late = run.balance(state(0.0009, volume=0.7, membrane_on=False), ahead())
    assert late.warn


def test_balance_of_a_rising_tank_is_quiet():
    now = run.balance(state(-0.0003), ahead())
    assert now.minutes_left is None
    assert not now.warn
    assert now.change is None
    assert now.permeate_short_m3 == 0


def test_balance_counts_on_sap_that_still_comes():
    little = run.Stock(0.5, 1.9, 4, 45)
    now = run.balance(state(0.0004), replace(ahead(), sap=little, inflow_m3_s=np.full(240, 6e-4)))
    assert not now.sap_in
    assert run.balance(state(0.0004), replace(ahead(), sap=little)).sap_in


def test_balance_is_asked_by_somebody_who_is_there():
    gone = replace(ahead(), people=run.People(hours=((600, 700),)))
    assert run.balance(state(-0.0003), gone).breach == run.balance(state(-0.0003), ahead()).breach == ""


def test_balance_tells_the_end_of_the_boil_from_a_fault():
    now = run.balance(state(0.0004, membrane_on=True), replace(ahead(), sap=run.Stock(0.0, 1.9, 4, 45)))
    assert now.sap_in
    assert now.breach == ""


def test_the_trend_follows_a_sudden_change():
    seconds = np.arange(0, 1801, 60.0)
    levels = np.where(seconds < 1400, 1.5, 1.5 - 0.001 * (seconds - 1400)) + np.random.default_rng(2).normal(
        0, 0.002, seconds.size
    )
    now = run.balance(run.State(seconds, levels, 12.0, membrane_on=False), ahead())
    assert now.head.fall_m3_s == pytest.approx(0.001, rel=0.15)


@pytest.mark.parametrize("minutes_ago", [3, 5, 8, 12])
def test_the_trend_begins_where_the_levels_bend(minutes_ago):
    seconds = np.arange(0, 901, 60.0)
    since = np.maximum(seconds - (900 - 60 * minutes_ago), 0.0)
    levels = 1.5 - 0.0001 * seconds - 0.0006 * since + np.random.default_rng(5).normal(0, 0.004, seconds.size)
    start = recent_part(seconds, levels, 0.005)
    assert abs(seconds[start] - (900 - 60 * minutes_ago)) <= 60


@given(st.integers(0, 10_000), st.integers(8, 90), st.floats(0.002, 0.02))
@settings(max_examples=60, deadline=None)
def test_a_straight_line_is_not_broken_by_waves(seed, count, wave):
    seconds = np.arange(count) * 10.0
    levels = 2 - 0.0003 * seconds + np.random.default_rng(seed).normal(0, wave, count)
    # a z test at its best place errs now and then; what is left then still spans the readings of a slope
    assert count - recent_part(seconds, levels, wave) >= 3
    assert sum(recent_part(seconds, 2 - 0.0003 * seconds + np.random.default_rng(seed + k).normal(0, wave, count), wave) > 0
               for k in range(10)) <= 2


def test_a_membrane_known_to_have_stopped_is_not_read_from_levels_before_it():
    steady = state(0.0, membrane_on=False)
    by_levels = run.balance(steady, ahead())
    known = run.balance(replace(steady, switched_s_ago=20.0), ahead())
    # the pans' own figures: the level before the stop, which the membrane held, says nothing of now
    evaporator = ahead().evaporator
    takes = float(water_rate(evaporator, 12, 4)) / (1 - 12 / evaporator.syrup_brix) / float(density(12, 4))
    assert known.minutes_left == pytest.approx(0.9 / takes / 60, rel=0.1)
    assert by_levels.minutes_left is None or by_levels.minutes_left > 2 * known.minutes_left
    assert known.minutes_low < known.minutes_left < (known.minutes_high or np.inf)
    assert known.head.fall_m3_s == pytest.approx(takes, rel=1e-6)


def test_few_levels_are_weighed_against_the_machines_figures():
    rough = np.array([0.0, 20.0, 40.0, 60.0])
    wild = run.State(rough, np.array([1.2, 1.23, 1.17, 1.2]), 12.0, membrane_on=False, level_sd_m3=0.03, switched_s_ago=60.0)
    steady = replace(state(0.0), membrane_on=False, switched_s_ago=10.0)
    # noise of three centimetres says next to nothing in a minute
    assert run.balance(wild, ahead()).minutes_left == pytest.approx(run.balance(steady, ahead()).minutes_left, rel=0.15)
    # many levels outweigh them
    long = run.balance(state(0.0009, membrane_on=False), ahead())
    assert long.minutes_left == pytest.approx(0.9 / 0.0009 / 60, rel=0.12)


def test_permeate_short_is_said():
    wants = replace(ahead(replace(MIXED, hold_up_m3=1.5)), permeate_m3=0.0, sap=run.Stock(2.0, 1.9, 4, 45))
    now = run.balance(state(0.0001), wants)
    assert now.permeate_short_m3 > 15
    with pytest.raises(OutOfRange):
        run.balance(run.State([0, 60, 120], [-1, 0, 0], 12.0), ahead())
