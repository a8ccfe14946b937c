"""Evenings remembered: the same figures at other prices, simulated once."""

from dataclasses import fields, replace

import numpy as np
import pytest
from zucker_core import run
from zucker_core.run import memory as memory_module

from .test_minutes import busy_night, many
from .test_run import STAGED, policies, reference

DEAR = run.Prices(fuel=2000.0, power_j=1e-7, labour_s=0.02, wash=35.0, syrup_m3=9000.0, power_hours=(1e-8, 9e-8, 4e-8))


class Done(list):
    """Scenarios that were simulated; `asked` : the policies with each."""

    def __init__(self):
        self.asked = []

    def note(self, scenario, ways):
        self.append(scenario)
        self.asked.append(ways)


@pytest.fixture
def counted(monkeypatch):
    """A memory, and the scenarios that it really simulated."""
    done = Done()
    original = memory_module.simulate
    monkeypatch.setattr(memory_module, "simulate", lambda scenario, ways: done.note(scenario, ways) or original(scenario, ways))
    return run.Memory(), done


def same(one, other):
    for f in fields(run.Outcome):
        np.testing.assert_array_equal(getattr(one, f.name), getattr(other, f.name), err_msg=f.name)


def test_other_prices_are_worked_out_from_what_is_known(counted):
    memory, done = counted
    night, ways = busy_night(), many()
    memory.simulate(night, ways)
    dear = replace(night, prices=DEAR)
    same(memory.simulate(dear, ways), run.simulate(dear, ways))
    same(memory.simulate(night, many()), run.simulate(night, ways))
    assert len(done) == 1


@pytest.mark.parametrize(
    "change", [{"permeate_m3": 2.5}, {"people": run.People(1.0, 2.0)}, {"fire_lit": True}, {"horizon_min": 1000}], ids=str)
def test_another_evening_is_simulated(counted, change):
    memory, done = counted
    first, ways = reference(STAGED), policies([12.0], [200.0])
    memory.simulate(first, ways)
    other = replace(first, **change)
    same(memory.simulate(other, ways), run.simulate(other, ways))
    memory.simulate(first, policies([12.0], [201.0]))
    assert len(done) == 3


def test_only_the_last_evenings_are_kept(counted):
    _, done = counted
    small, ways = run.Memory(most=2), policies([12.0], [100.0])
    nights = [reference(STAGED, permeate_m3=permeate) for permeate in (1.0, 2.0, 3.0)]
    for one in (nights[0], nights[1], nights[0], nights[2], nights[0]):
        small.simulate(one, ways)
    assert len(done) == 3  # the one asked for again and again stays, the other went
    small.simulate(nights[1], ways)
    assert len(done) == 4


def test_of_an_evening_only_unknown_ways_are_simulated(counted, monkeypatch):
    memory, done = counted
    night, ways = busy_night(), many()
    some = ways.take([3, 7, 8])
    memory.simulate(night, some)
    whole, fresh = memory.simulate(night, ways), run.simulate(night, ways)
    assert [len(asked) for asked in done.asked] == [3, len(ways) - 3]
    np.testing.assert_array_equal(whole.breach, fresh.breach)
    stood = fresh.breach == run.NEVER
    for name in ("finish_min", "syrup_m3", "fuel", "cost", "washes"):
        np.testing.assert_allclose(getattr(whole, name)[stood], getattr(fresh, name)[stood], rtol=1e-9, err_msg=name)
    minutes = min(len(whole.head_trace), len(fresh.head_trace))
    np.testing.assert_allclose(whole.head_trace[:minutes, stood], fresh.head_trace[:minutes, stood], rtol=1e-9, atol=1e-9)
    # in any order, and any of them again, nothing is simulated
    turned = memory.simulate(night, ways.take([8, 0, 3]))
    np.testing.assert_array_equal(turned.finish_min, whole.finish_min[[8, 0, 3]])
    assert len(done) == 2
    # an evening with too many ways is begun anew
    monkeypatch.setattr(memory_module, "MOST_ROWS", 10)
    memory.simulate(night, some)
    assert len(done) == 3


def test_a_glance_is_kept_apart_from_the_minutes(counted):
    memory, done = counted
    night, ways = reference(STAGED), policies([12.0], [200.0])
    same(memory.glance(night, ways), run.glance(night, ways))
    same(memory.simulate(night, ways), run.simulate(night, ways))
    assert len(done) == 1
    # whether or not a choice is spelled out
    memory.simulate(night, run.Policies([12.0], [0.0], [[200.0]], machines_on=[[True]]))
    assert len(done) == 1


def test_a_plan_at_another_price_is_the_same_plan_thought_over_anew(counted):
    memory, done = counted

    def planned(price, **more):
        scenario = reference(STAGED, prices=run.Prices(fuel=price, labour_s=0.006))
        steps = run.planning(scenario, targets=[0.0, 8.0, 12.0, 16.0], work=memory.simulate, look=memory.glance, **more)
        while True:
            try:
                next(steps)
            except StopIteration as end:
                return end.value, run.plan(scenario, targets=[0.0, 8.0, 12.0, 16.0], **more)

    for price, more in ((900.0, {}), (1500.0, {}), (900.0, {"objective": "least fuel"})):
        found, fresh = planned(price, **more)
        assert [c.target_brix for c in found.choices] == [c.target_brix for c in fresh.choices]
        assert [c.cost_per_m3 for c in found.choices] == [c.cost_per_m3 for c in fresh.choices]
        assert found.best == fresh.best
    # the first simulates all; of the others only what another price makes worth a look
    assert sum(len(asked) for asked in done.asked[1:]) < 0.5 * len(done.asked[0])
