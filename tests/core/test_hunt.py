"""What to do next: choices, surprises, and hunts to the end."""

import numpy as np
import pytest
from zucker_core import vacuum
from zucker_core.errors import Inconsistent, NetworkError
from zucker_core.vacuum.hunt import Pace

from benchmarks.bushes import GPH, INHG, bush, falls, random_place, truth
from benchmarks.vacuum_hunt import hunts, shut_off

RATE = 0.1 * GPH
NOISE = 0.10 * INHG / np.sqrt(10)


@pytest.fixture(scope="module")
def net():
    return bush(np.random.default_rng(99), "pump", (5, 6))


@pytest.fixture(scope="module")
def leak(net):
    table = vacuum.signatures(net, conditions=vacuum.Conditions(RATE))
    rng = np.random.default_rng(1)
    return vacuum.locate(net, falls(truth(net, rng, RATE), {"M2.3": 1.0}, rng, 0.1 * INHG), NOISE, table=table, most=1).leaks[0]


def test_hunts_end_within_the_minutes_asked():
    got = hunts(np.random.default_rng(3), "ends", 1.0, 30, 3)
    assert np.median(got["advice"]) < 35
    assert np.median(got["advice"]) < 0.5 * np.median(got["halving"])
    assert np.quantile(got["advice"], 0.9) < 0.3 * np.quantile(got["walking"], 0.9)


def test_a_shut_off_test_cuts_the_search(net, leak):
    search = vacuum.Search.begin(leak)
    rng = np.random.default_rng(2)
    true = truth(net, rng, RATE)
    inside = next(a.at for a in vacuum.hunt(search, most=40) if a.action == "shut" and a.at.startswith("M2"))
    rises, holds = shut_off(true, {"M2.3": 1.0}, inside, rng)
    after = search.after_shut(inside, rises, holds)
    assert after.leak.credible_m() < search.leak.credible_m()
    assert after.position == inside
    assert after.leak.branches["M2"] > 0.9
    elsewhere = search.after_word(inside, rose=False)
    assert elsewhere.leak.branches["M2"] < search.leak.branches["M2"]


def test_outcomes_say_what_each_would_mean(leak):
    search = vacuum.Search.begin(leak)
    for advice in vacuum.hunt(search, most=60):
        outcomes = search.outcomes(advice)
        assert sum(o.chance for o in outcomes) == pytest.approx(1.0, abs=1e-6)
        assert advice.bits >= -1e-9
        if advice.action == "shut":
            rose, stayed = outcomes
            assert rose.rises_pa["P"] > stayed.rises_pa["P"] >= -1e-6


def test_a_fruitless_look_is_not_advised_again_and_again(leak):
    search = vacuum.Search.begin(leak)
    looked = []
    for _ in range(40):
        advice = next(a for a in vacuum.hunt(search, most=300) if a.action == "look")
        looked.append(advice.at)
        search = search.after_look(advice.at)
    assert max(looked.count(tag) for tag in looked) <= 3
    assert len(set(looked)) >= 15


def test_nothing_is_excluded_for_good(leak):
    search = vacuum.Search.begin(leak)
    valve = next(a.at for a in vacuum.hunt(search, most=60) if a.action == "shut")
    for _ in range(6):
        search = search.after_word(valve, rose=False)
    assert search.belief.min() > 0
    assert search.belief.sum() == pytest.approx(1.0)


def test_wind_light_and_flow_change_the_chance_to_notice():
    pace = Pace()
    assert pace.notice() == pytest.approx(0.9)
    assert pace.notice(5.0) < pace.notice(3.9)
    assert pace.notice(dark=True) < pace.notice()
    assert pace.notice(running=False) < pace.notice()


def test_two_people_go_two_ways(leak):
    search = vacuum.Search.begin(leak)
    first = vacuum.hunt(search)[0]
    second = vacuum.hunt(search, taken=[first.at])[0]
    assert second.at != first.at


def test_distances_run_along_the_lines(net, leak):
    ground = vacuum.Ground(leak)
    rng = np.random.default_rng(4)
    for _ in range(30):
        a, b = (net.index[random_place(net, rng)] for _ in range(2))
        assert ground.distance_from(a)[b] == pytest.approx(ground.distance_from(b)[a])
        assert ground.distance_from(a)[a] == pytest.approx(0.0)
        assert ground.distance_from(0)[b] == pytest.approx(net.distance_m[b])


def test_a_shut_branch_empties_at_the_rates_known_from_practice(net, leak):
    ground = vacuum.Ground(leak)
    usual = min(range(len(ground.valves)), key=lambda v: abs(ground.behind[v].sum() - 18))
    sound, more = (60 * rate / INHG for rate in ground.hold(usual))
    assert 1.0 < sound < 2.0
    assert 3 < more < 8


def test_bad_input_is_named(leak):
    search = vacuum.Search.begin(leak)
    with pytest.raises(NetworkError, match="not a valve"):
        search.after_word("P", rose=True)
    with pytest.raises(NetworkError, match="nowhere"):
        vacuum.Search.begin(leak, "nowhere")
    with pytest.raises(NetworkError, match="not a place"):
        search.after_look("nowhere")
    with pytest.raises(Inconsistent, match="notice"):
        search.after_look("M2.3", 1.0)
