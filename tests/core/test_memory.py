"""Evenings remembered: the same figures at other prices, simulated once."""

from dataclasses import fields, replace

import numpy as np
import pytest
from zucker_core import run
from zucker_core.run import memory as memory_module

from .test_minutes import busy_night, many
from .test_run import STAGED, policies, reference

DEAR = run.Prices(fuel=2000.0, power_j=1e-7, labour_s=0.02, wash=35.0, syrup_m3=9000.0, power_hours=(1e-8, 9e-8, 4e-8))


@pytest.fixture
def counted(monkeypatch):
    """A memory, and the scenarios that it really simulated."""
    done = []
    original = memory_module.simulate
    monkeypatch.setattr(memory_module, "simulate", lambda scenario, ways: done.append(scenario) or original(scenario, ways))
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
    small = run.Memory(most=2)
    ways = [policies([12.0], [float(light)]) for light in (100, 110, 120)]
    for one in (ways[0], ways[1], ways[0], ways[2], ways[0]):
        small.simulate(reference(STAGED), one)
    assert len(done) == 3  # the one asked for again and again stays, the other went
    small.simulate(reference(STAGED), ways[1])
    assert len(done) == 4


def test_a_plan_at_another_price_is_the_same_plan_thought_over_anew(counted):
    memory, done = counted

    def planned(price, **more):
        scenario = reference(STAGED, prices=run.Prices(fuel=price, labour_s=0.006))
        steps = run.planning(scenario, targets=[0.0, 8.0, 12.0, 16.0], work=memory.simulate, **more)
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
    assert len(done) < 6  # each of the three alone simulates twice
