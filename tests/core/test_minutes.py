"""The evening by the minute: what each minute adds up to, alone or among many policies, cut short or carried on."""

import sys
from dataclasses import fields, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from zucker_core import run
from zucker_core.membrane import MembraneState
from zucker_core.run import boil_down
from zucker_core.run.candidates import first_candidates, policies_of, variants

from .test_evening import SECOND, breach, one
from .test_run import MIXED, STAGED, policies, reference

simulate_module = sys.modules["zucker_core.run.simulate"]  # the name in the package is the function's
SINGLE_FIELDS = [f.name for f in fields(run.Outcome) if not f.name.endswith(("trace", "audit"))]


def busy_night(**changes):
    """Two fires, two membranes, trucks, a head tank with something in it: every path of a minute is taken."""
    return reference(
        sap=run.Stock(14.0, 2.0, 4.0, 40.0), head=run.Stock(1.0, 9.0, 4.0, 8.0, 0.2), permeate_m3=2.0,
        more_machines=((STAGED, MembraneState(0.5)),), more_evaporators=(SECOND,),
        loads=(run.Load(40, 2.0, 2.3), run.Load(150, 3.0, 1.8)), inflow_m3_s=np.full(90, 5e-4), between_m3=5.0, **changes)


def many(count=40, seed=3):
    rng = np.random.default_rng(seed)
    return run.Policies(
        rng.uniform(7, 16, count), rng.choice([0.0, 0.0, 45.0], count), rng.integers(0, 400, (count, 2)).astype(float),
        at_pace=rng.random(count) < 0.3, two_passes=rng.random(count) < 0.3, idle=rng.random(count) < 0.4,
        wash_below=rng.choice([np.nan, 0.0, 0.93], count), fire_share=rng.choice([1.0, 0.8], count),
        pressure_share=rng.choice([1.0, 0.9], count))


def only(policy, row):
    taken = {f.name: getattr(policy, f.name) for f in fields(run.Policies)}
    return run.Policies(**{name: None if value is None else value[row : row + 1] for name, value in taken.items()})


def test_a_policy_alone_does_what_it_does_among_many():
    night, all_of = busy_night(), many()
    together = run.simulate(night, all_of)
    assert (together.breach == run.NEVER).sum() >= 5
    for row in range(0, len(all_of), 3):
        alone = run.simulate(night, only(all_of, row))
        assert alone.breach[0] == together.breach[row]
        assert alone.breach_min[0] == together.breach_min[row]
        if alone.breach[0] != run.NEVER:
            continue  # figures of a policy that broke a limit are those so far, and the others carry the loop on
        for name in SINGLE_FIELDS:
            assert getattr(alone, name)[0] == pytest.approx(getattr(together, name)[row], rel=1e-9, abs=1e-12), name


def test_looking_further_ahead_changes_nothing_that_is_done():
    short, long = (run.simulate(replace(busy_night(), horizon_min=minutes), many()) for minutes in (1440, 2200))
    done = short.breach == run.NEVER
    assert done.sum() >= 5
    for name in SINGLE_FIELDS:
        assert getattr(long, name)[done] == pytest.approx(getattr(short, name)[done], rel=1e-12, abs=1e-12), name


def test_traces_end_with_the_last_policy_and_add_up():
    out = run.simulate(reference(), policies([8, 12], [20, 300]))
    assert len(out.sap_trace) == int(out.finish_min.max()) + 1
    for trace in (out.ro_trace, out.wash_trace, out.fire_trace):
        assert (trace[-1] == 0).all()
    assert out.ro_trace.sum(axis=0) == pytest.approx(out.ro_min)
    assert (out.fire_trace > 0).sum(axis=0) == pytest.approx(out.fire_min)
    assert out.syrup_trace[-1] == pytest.approx(out.syrup_m3)
    assert out.sap_trace[0] == pytest.approx(reference().sap.volume_m3)


def test_fuel_is_what_starting_boiling_and_dying_down_take():
    fire = reference().evaporator
    out = run.simulate(reference(), one(12, 260))
    boiled = np.isclose(out.fire_trace[:, 0], 1.0).sum()
    starting, ending = fire.start_up_s / 60 * fire.start_up_fire, fire.shut_down_s / 60 * fire.shut_down_fire
    assert out.fuel[0] == pytest.approx(fire.fuel_rate * 60 * (boiled + starting + ending), rel=1e-9)
    assert out.fire_trace[259, 0] == 0
    assert out.fire_trace[260, 0] == fire.start_up_fire
    half = run.simulate(reference(), one(12, 260, fire_share=0.5))
    assert half.fuel[0] == pytest.approx(out.fuel[0], rel=0.02)
    assert half.boil_min[0] == pytest.approx(2 * out.boil_min[0], rel=0.02)


def test_a_fire_that_needs_power_heats_up_again_after_a_cut():
    needs = replace(reference().evaporator, power_w=900.0)
    assert needs.needs_power
    plain = reference(evaporator=needs)
    out = run.simulate(replace(plain, events=(run.Event("power cut", 400, 430),)), one(12, 260))
    assert (out.fire_trace[400:430, 0] == 0).all()
    start = int(np.ceil(needs.start_up_s / 60))
    assert out.fire_trace[430 : 430 + start, 0] == pytest.approx(needs.start_up_fire)
    assert out.fire_trace[430 + start, 0] == 1.0
    whole = run.simulate(plain, one(12, 260))
    assert out.syrup_m3[0] == pytest.approx(whole.syrup_m3[0], rel=1e-3)
    assert out.fuel[0] > whole.fuel[0]


def test_an_evaporator_that_is_never_lit_finishes_nothing():
    assert breach(run.simulate(reference(), one(12, run.NOT_LIT))) == "not finished in time"


def test_a_fire_that_burns_boils_at_once():
    lit = run.simulate(reference(fire_lit=True, head=run.Stock(2.0, 12.0, 4.0, 11.0)), one(12, 0))
    assert lit.fire_trace[0, 0] == 1.0
    cold = run.simulate(reference(head=run.Stock(2.0, 12.0, 4.0, 11.0)), one(12, 0))
    assert cold.fire_trace[0, 0] == reference().evaporator.start_up_fire


def test_people_who_are_gone_see_the_fire_die_down_too():
    alone = run.simulate(reference(), one(12, 260))
    gone_at = float(alone.finish_min[0]) - 200
    kept = run.simulate(reference(people=run.People(0.5, 1.0, ((0.0, gone_at),))), one(12, 260))
    assert breach(kept) == "nobody there while it runs"
    assert kept.breach_min[0] == gone_at
    enough = run.simulate(reference(people=run.People(0.5, 1.0, ((0.0, float(alone.finish_min[0])),))), one(12, 260))
    assert breach(enough) == ""


@given(st.floats(7.0, 15.0), st.floats(0.5, 3.0), st.sampled_from([MIXED, STAGED]), st.sampled_from(["held", "chased", "drained"]))
@settings(max_examples=10, deadline=None)
def test_what_goes_in_comes_out_whatever_stands_at_the_head(target, head_m3, machine, left):
    night = reference(machine, sap=run.Stock(8.0, 2.0, 4.0, 40.0), head=run.Stock(head_m3, 9.0, 4.0, 8.0), permeate_m3=3.0,
                      pans_left=left)
    out = run.simulate(night, policies([target], [200]), audit=True)
    for audit in (out.sugar_audit, out.water_audit):
        assert np.ptp(audit, axis=0) == pytest.approx(0.0, abs=1e-9 * audit.max())
    assert (np.diff(out.syrup_trace[:, 0]) >= -1e-12).all()
    assert (out.head_trace >= -1e-9).all()
    assert out.head_trace.max() <= night.head.capacity_m3 * (1 + 1e-6)


def every_way(scenario):
    """What a plan tries at first, and every variant of it."""
    first = first_candidates(scenario, [0.0, 6.0, 9.0, 12.0, 15.0] if scenario.machine else [0.0])
    return policies_of(list(dict.fromkeys([*first, *variants(scenario, [(one, run.NEVER) for one in first[::9]])])))


@pytest.mark.parametrize(
    "scenario",
    [
        pytest.param(reference(), id="mixed loop"),
        pytest.param(reference(STAGED, pans_left="chased"), id="staged, pans chased"),
        pytest.param(reference(STAGED, pans_left="drained"), id="staged, pans drained"),
        pytest.param(reference(None, horizon_min=2000), id="no membrane"),
        pytest.param(reference(horizon_min=430), id="cut off"),
        pytest.param(reference(sap=run.Stock(15, 1.9, 14, 45), head=run.Stock(0.5, 12, 14, 4, 0.3)), id="warm, soon too old"),
        pytest.param(reference(people=run.People(hours=((0, 360),))), id="people leave"),
        pytest.param(reference(events=(run.Event("power cut", 200, 230), run.Event("hard frost", 420, 500))), id="cut and frost"),
        pytest.param(busy_night(), id="two of everything"),
    ],
)
def test_boiling_down_in_one_step_is_boiling_by_the_minute(scenario):
    ways = every_way(scenario)
    quick, slow = run.simulate(scenario, ways), run.simulate(scenario, ways, audit=True)
    assert (quick.breach == slow.breach).all()
    assert quick.breach_min == pytest.approx(slow.breach_min)
    done = slow.breach == run.NEVER
    assert done.any() or scenario.people.hours
    for name in SINGLE_FIELDS:
        assert getattr(quick, name)[done] == pytest.approx(getattr(slow, name)[done], rel=1e-9, abs=1e-9), name
    for f in fields(run.Outcome):
        if f.name.endswith("trace"):
            mine, other = getattr(quick, f.name), getattr(slow, f.name)
            both = min(len(mine), len(other)) - 1  # the last row is the state at the end, in which nothing runs
            np.testing.assert_allclose(mine[:both, done], other[:both, done], rtol=1e-9, atol=1e-9, err_msg=f.name)


def test_what_is_left_of_a_boil_takes_no_minutes_of_its_own():
    """The tests above would pass if the step were never taken."""
    taken = []
    original = boil_down.boil_down

    def counted(*args):
        taken.append(args[3])
        return original(*args)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(simulate_module, "boil_down", counted)
        run.simulate(reference(STAGED), policies([8.0, 12.0], [100.0, 150.0]))
        run.simulate(reference(STAGED, people=run.People(hours=((0, 60),))), policies([12.0], [150.0]))
    assert len(taken) == 1
    assert 200 < taken[0] < 400
