"""Alarms that wait for persistence, causes told apart, and what gauges teach of themselves."""

import numpy as np
import pytest
from zucker_core import vacuum
from zucker_core.vacuum.detect import Watch, detect, long_run_variance, threshold
from zucker_core.vacuum.learn import Learned, learn
from zucker_core.vacuum.watch import Surroundings, watch

from benchmarks.bushes import GPH, INHG, bush
from benchmarks.vacuum_watch import KINDS, NOISE, causes, delays, false_alarms

RATE = 0.1 * GPH


@pytest.fixture(scope="module")
def table():
    return vacuum.signatures(bush(np.random.default_rng(12), "ends", (5, 6)), conditions=vacuum.Conditions(RATE))


@pytest.mark.parametrize(("size", "carried"), [(0.05, 0.0), (0.10, 0.4), (0.15, 0.3)])
def test_few_false_alarms_and_short_delays(size, carried):
    rng = np.random.default_rng(1)
    assert false_alarms(rng, size * INHG, carried, 1) <= 1
    assert delays(rng, 0.5 * INHG, size * INHG, carried, 500)[1] <= 10
    assert delays(rng, 1.0 * INHG, size * INHG, carried, 500)[1] <= 5


def test_one_wild_reading_raises_nothing():
    state = Watch.begin(1)
    quiet = np.full(1, (0.1 * INHG) ** 2)
    for value in [0.0] * 5 + [20.0 * INHG] + [0.0] * 5:
        state, alarm = detect(state, np.array([value]), quiet)
        assert not alarm.any()


def test_silence_neither_raises_nor_forgets():
    state, quiet = Watch.begin(1), np.full(1, (0.1 * INHG) ** 2)
    state, _ = detect(state, np.array([0.6 * INHG]), quiet)
    waiting, alarm = detect(state, np.array([np.nan]), quiet)
    assert waiting.total_pa[0] == state.total_pa[0] > 0
    assert not alarm.any()


def test_noisier_gauges_wait_longer():
    rng = np.random.default_rng(2)
    calm, rough = (long_run_variance(rng.normal(0, s * INHG, (2000, 3))) for s in (0.05, 0.2))
    assert (threshold(rough) > threshold(calm)).all()
    assert rough.mean() == pytest.approx((0.2 * INHG) ** 2, rel=0.4)


def test_causes_are_told_apart():
    named = causes(np.random.default_rng(5), "ends", 24, 2)
    right = {kind: tally[kind] / sum(tally.values()) for kind, tally in named.items()}
    for kind in ("leak", "pump", "frozen", "releaser", "valve"):
        assert right[kind] >= 0.7, (kind, named[kind])
    assert named["sensor"]["leak"] <= 2
    assert set(named) == set(KINDS)


def test_facts_say_why(table):
    falls = np.zeros((60, len(table.sensors)))
    falls += np.random.default_rng(3).normal(0, NOISE, falls.shape)
    falls[30:, 2] += np.linspace(0, 15, 30) * INHG
    found = watch(table, falls, NOISE, Surroundings(air_c=np.linspace(-3, 0, 60), before_c=-5.0))
    assert found.cause == "frozen"
    assert sum(found.causes.values()) == pytest.approx(1.0)
    assert table.sensors[2] in found.gauges
    assert {"cold_now", "gauge_fell"} <= {fact.name for fact in found.facts}


def test_quiet_is_none_and_silence_is_silence(table):
    falls = np.random.default_rng(4).normal(0, NOISE, (60, len(table.sensors)))
    assert watch(table, falls, NOISE).cause == "none"
    falls[:, 3:5] = np.nan
    lost = watch(table, falls, NOISE, Surroundings(gateway=dict.fromkeys(table.sensors, "north")))
    assert lost.cause == "silence"
    assert lost.where == "north"
    assert any(fact.name == "gateway_silent" for fact in lost.facts)
    falls[:] = np.nan
    assert watch(table, falls, NOISE).cause == "silence"


def test_a_dead_gauge_is_no_leak(table):
    falls = np.random.default_rng(6).normal(0, NOISE, (90, len(table.sensors)))
    falls[40:, 2] = 4 * INHG
    found = watch(table, falls, NOISE, Surroundings(air_c=np.full(90, 6.0), before_c=2.0))
    assert found.cause == "sensor"
    assert found.where == table.sensors[2]


def test_a_gauge_teaches_its_offset_and_its_way():
    rng = np.random.default_rng(7)
    known = Learned()
    for _ in range(24 * 10):
        drop = rng.uniform(0.3, 1.5) * INHG
        known = learn(known, drop, 1.3 * drop - 0.2 * INHG + rng.normal(0, 0.05 * INHG), 60.0, healthy=True)
    assert known.offset_pa == pytest.approx(0.2 * INHG, abs=0.04 * INHG)
    assert known.resistance == pytest.approx(1.3, abs=0.06)
    assert known.scatter_pa < 0.09 * INHG
    assert Learned.from_json(known.to_json()) == known
    # a fault teaches nothing, a wild value little, and age forgets
    assert learn(known, INHG, 9 * INHG, 60.0, healthy=False).resistance == pytest.approx(known.resistance, abs=0.01)
    wild = learn(known, INHG, 25 * INHG, 60.0, healthy=True)
    assert wild.resistance == pytest.approx(known.resistance, abs=0.05)
    old = learn(known, INHG, INHG, 24 * 60.0, healthy=False)
    assert old.weight < known.weight


def test_usual_uses_what_was_learned():
    net = bush(np.random.default_rng(8), "ends", (5, 6))
    plain = vacuum.usual(net, None, RATE)
    tag = list(net.sensors)[1]
    drop = plain.vacuum_pa["P"] - plain.vacuum_pa[tag]
    known = Learned()
    for _ in range(200):
        known = learn(known, drop, 1.5 * drop, 60.0, healthy=True)
    told = vacuum.usual(net, None, RATE, learned={tag: known})
    assert told.vacuum_pa["P"] - told.vacuum_pa[tag] == pytest.approx(1.5 * drop, rel=0.02)
    assert told.spread_pa[tag] != plain.spread_pa[tag]
    assert vacuum.usual(net, None, RATE, learned={tag: Learned()}).vacuum_pa[tag] == plain.vacuum_pa[tag]
