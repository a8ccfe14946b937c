"""Where it leaks: made-up leaks in made-up bushes, the truth off the model as docs/accuracy.md says."""

import numpy as np
import pytest
from zucker_core import vacuum
from zucker_core.errors import CoreError, NetworkError
from zucker_core.vacuum.signatures import main_node_of, weight_of

from benchmarks.bushes import GPH, INHG, bush, falls, home_of, random_place, truth
from benchmarks.vacuum_locate import pairs, single

RATE = 0.1 * GPH
NOISE = 0.10 * INHG / np.sqrt(10)


@pytest.fixture(scope="module")
def net():
    return bush(np.random.default_rng(4242), "ends", (6, 7))


@pytest.fixture(scope="module")
def table(net):
    return vacuum.signatures(net, conditions=vacuum.Conditions(RATE))


def test_single_leaks_are_found_as_often_as_asked():
    got = single(np.random.default_rng(1), "ends", 1.0, 60, 3)
    assert got["branch"] >= 0.93
    assert got["stretch3"] >= 0.93
    assert 0.80 <= got["held"] <= 1.0
    assert got["size"] >= 0.65


def test_a_small_leak_is_at_least_put_on_its_branch():
    got = single(np.random.default_rng(2), "ends", 0.25, 60, 3)
    assert got["branch"] >= 0.80
    assert got["held"] >= 0.80


def test_the_set_still_holds_when_all_pipes_are_worse_than_told():
    assert single(np.random.default_rng(3), "ends", 1.0, 60, 3, resistance=1.5)["held"] >= 0.7


def test_two_leaks_are_named_as_two():
    right, _, longest = pairs(np.random.default_rng(4), "ends", 20, 2)
    assert right >= 0.7
    assert longest < 20


def test_nothing_fallen_asks_for_no_leak(net, table):
    rng = np.random.default_rng(5)
    for _ in range(20):
        drops = falls(truth(net, rng, RATE), {}, rng, 0.10 * INHG)
        found = vacuum.locate(net, drops, NOISE, table=table)
        assert found.evidence < 3
        assert len(found.leaks) == 1


def test_a_single_leak_is_not_made_two(net, table):
    rng = np.random.default_rng(6)
    many = 0
    for _ in range(20):
        drops = falls(truth(net, rng, RATE), {random_place(net, rng): 1.5}, rng, 0.10 * INHG)
        many += len(vacuum.locate(net, drops, NOISE, table=table).leaks) > 1
    assert many <= 1


def test_an_exact_fall_leads_to_its_place(net, table):
    place = next(net.nodes[i].tag for i in vacuum.candidates_of(net)[::-1] if net.nodes[i].kind == "saddle")
    row = list(table.candidates).index(net.index[place]) * 60 + 33
    drops = dict(zip(table.sensors, table.falls.fall[row], strict=True))
    leak = vacuum.locate(net, drops, 20.0, table=table).leaks[0]
    assert place in leak.credible()
    assert leak.size_scfm() == pytest.approx(table.sizes_scfm[33], rel=0.15)
    assert leak.size_scfm(0.05) < table.sizes_scfm[33] < leak.size_scfm(0.95)
    assert sum(leak.nodes.values()) == pytest.approx(1.0)
    assert sum(leak.stretches.values()) == pytest.approx(1.0)
    assert 0 < leak.credible_m() < sum(net.length_m[i] for i in table.candidates)


def test_more_gauges_and_notes_sharpen(net, table):
    rng = np.random.default_rng(8)
    place = random_place(net, rng)
    drops = falls(truth(net, rng, RATE), {place: 1.0}, rng, 0.10 * INHG)
    whole = vacuum.locate(net, drops, NOISE, table=table).leaks[0]
    pump_only = vacuum.locate(net, {"P": drops["P"]}, NOISE, table=table, most=1).leaks[0]
    assert pump_only.credible_m() > 2 * whole.credible_m()
    home = home_of(net, place)[0]
    noted = vacuum.locate(net, drops, NOISE, table=table, prior={home: 20.0}, most=1).leaks[0]
    assert noted.nodes[home] > whole.nodes[home]


def test_bad_input_is_named(net, table):
    with pytest.raises(NetworkError, match="XX"):
        vacuum.locate(net, {"XX": 1.0}, NOISE, table=table)
    with pytest.raises(CoreError, match="finite"):
        vacuum.locate(net, {"P": float("nan")}, NOISE, table=table)
    with pytest.raises(CoreError, match="no reading"):
        vacuum.locate(net, {}, NOISE, table=table)
    with pytest.raises(NetworkError, match="prior"):
        vacuum.locate(net, {"P": 1.0}, NOISE, table=table, prior={"P": -1.0})
    with pytest.raises(NetworkError, match="nowhere"):
        vacuum.signatures(net, ["nowhere"])


def test_places_cover_all_there_is(net):
    weight = weight_of(net)
    mains = sum(net.length_m[i] for i in vacuum.candidates_of(net))
    laterals = net.length_m.sum() - mains
    assert weight.sum() == pytest.approx(mains + laterals + 5 * net.taps.sum() + 5)
    homes = main_node_of(net)
    assert set(homes) == set(vacuum.candidates_of(net))


def test_stretches_run_between_junctions(net):
    names = vacuum.stretches_of(net)
    for i in vacuum.candidates_of(net)[1:]:
        parent = int(net.parent[i])
        if names[i] == names[parent]:
            assert net.nodes[parent].kind != "junction"
    assert len(set(names)) < len(vacuum.candidates_of(net)) / 2


def test_the_covariance_is_what_sampling_gives(net):
    """Falls of one leak with the errors really drawn scatter as the table says they do."""
    rng = np.random.default_rng(9)
    table = vacuum.signatures(net, conditions=vacuum.Conditions(RATE), sizes_scfm=np.array([1.0]))
    row = len(table.candidates) // 2
    place = net.nodes[table.candidates[row]].tag
    drawn = np.array([list(falls(truth(net, rng, RATE), {place: 1.0}, rng, 1e-6).values()) for _ in range(400)])
    told = table.falls[[row]].covariance(np.full(len(table.sensors), 0.03 * INHG))[0]
    ratio = drawn.std(axis=0) / np.sqrt(np.diagonal(told))
    assert (ratio > 0.75).all()
    assert (ratio < 1.35).all()
