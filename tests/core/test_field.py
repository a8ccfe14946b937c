"""The field's half of the vacuum core: surveys from plain tracks, bushes from lists, priors, ages, mornings, drills, sap by line."""

import copy

import numpy as np
import pytest
from zucker_core import sap, vacuum
from zucker_core.errors import Inconsistent, NetworkError, OutOfRange
from zucker_core.units import PA_PER_INHG
from zucker_core.vacuum import drill

from .test_vacuum import NET, PUMP, bush, geojson


def test_every_fault_is_told_not_only_the_first():
    obj = geojson()
    obj["features"][1]["properties"]["kind"] = "shed"
    obj["features"][4]["properties"]["inner_diameter_mm"] = "wide"
    obj["features"].append({"type": "Feature", "geometry": {"type": "Polygon"}, "properties": {"tag": "W"}})
    obj["features"].append("nonsense")
    _, _, faults = vacuum.read_features(obj)
    assert [f.feature for f in faults] == ["J", "C1", "W", "feature 9"]
    nodes, lines, _ = vacuum.read_features(geojson())
    broken = [line for line in lines if line.tag != "M1"]
    assert [f.feature for f in vacuum.faults_of(nodes, broken)] == ["E"]
    with pytest.raises(NetworkError, match="no line leads here"):
        vacuum.Network(nodes, broken)


def test_a_network_whose_nodes_hold_only_a_pump_goes_out_and_back():
    again = vacuum.Network.from_geojson(NET.to_geojson())
    assert again.nodes[0].pump.speed_m3_s == pytest.approx(NET.nodes[0].pump.speed_m3_s)
    table = vacuum.TablePump([10_000, 20_000, 40_000], [0.01, 0.02, 0.025])
    read = vacuum.pump_from_properties(vacuum.pump.properties_of(table))
    assert np.allclose(read.pressure_for([300.0, 900.0]), table.pressure_for([300.0, 900.0]))


def test_complete_changes_nothing_that_is_said():
    obj = geojson()
    done, faults = vacuum.complete(obj)
    assert not faults
    assert done == obj
    assert done is not obj


@pytest.mark.parametrize("turn", [False, True])
def test_lines_without_ends_are_matched_and_led_away_from_the_pump(turn):
    obj = copy.deepcopy(geojson())
    for feature in obj["features"][4:]:
        for name in ("from", "to", "inner_diameter_mm"):
            feature["properties"].pop(name)
        if turn:
            feature["geometry"]["coordinates"].reverse()
    done, faults = vacuum.complete(obj, vacuum.Sizes(mainline_mm=19, lateral_mm=8, conductor_mm=30))
    assert not faults
    network = vacuum.Network.from_geojson(done)
    plain = vacuum.Network.from_geojson(geojson())
    assert [n.tag for n in network.nodes] == [n.tag for n in plain.nodes]
    assert np.allclose(network.length_m, plain.length_m)
    assert list(network.diameter_m[1:] * 1e3) == pytest.approx([30, 19, 8])


@pytest.mark.parametrize(("spoil", "said"), [
    (lambda f: f[5]["geometry"]["coordinates"].__setitem__(1, [-39.99, 45.0]), "from the nearest point, E"),
    (lambda f: f[5]["geometry"].__setitem__("coordinates", [[-39.999, 45.0]]), "neither from and to nor a way"),
    (lambda f: f[5]["geometry"].__setitem__("coordinates", [[-39.999, 45.0], [-39.999, 45.00001]]), "both its ends lie at J"),
    (lambda f: f[2]["geometry"].__setitem__("coordinates", ["x", None]), "has no position"),
])
def test_what_cannot_be_matched_is_said(spoil, said):
    obj = copy.deepcopy(geojson())
    for name in ("from", "to"):
        obj["features"][5]["properties"].pop(name)
    spoil(obj["features"])
    _, faults = vacuum.complete(obj)
    assert any(said in str(fault) for fault in faults)


def sketch(**change):
    return vacuum.MainSketch(**{"name": "A", "length_m": 400.0, "taps": 257, "gauge": "AE", **change})


def test_a_schematic_keeps_lengths_taps_and_gauges():
    drawn = vacuum.schematic(PUMP, [sketch(), sketch(name="B", at_m=120.0, taps=31, length_m=90, gauge=None)], gauge="PG")
    network = vacuum.Network.from_geojson(drawn)
    main = [i for i in network.mains["A"] if network.lines[i].kind == "mainline"]
    assert network.length_m[main].sum() == pytest.approx(400)
    assert network.taps[network.mains["A"]].sum() == 257
    assert network.taps[network.mains["B"]].sum() == 31
    assert set(network.sensors) == {"PG", "AE"}
    assert network.distance_m[network.sensors["AE"]] == pytest.approx(430)
    assert network.taps.max() <= 8
    assert not network.warnings  # it falls to the pump everywhere
    # and it behaves: a leak on A pulls down A's end most
    falls = vacuum.steady(network).vacuum_pa - vacuum.steady(network, {"A.12": 1.0}).vacuum_pa
    assert falls[network.sensors["AE"]] > 3 * falls[network.sensors["PG"]] > 0


@pytest.mark.parametrize(("change", "name"), [({"length_m": 4}, "A.length_m"), ({"taps": 0}, "A.taps"), ({"grade": 0.8}, "A.grade"), ({"at_m": -1}, "A.at_m")])
def test_a_schematic_names_what_is_wrong(change, name):
    with pytest.raises(OutOfRange) as told:
        vacuum.schematic(PUMP, [sketch(**change)])
    assert told.value.name == name
    with pytest.raises(Inconsistent):
        vacuum.schematic(PUMP, [sketch(), sketch()])
    with pytest.raises(Inconsistent):
        vacuum.schematic(PUMP, [])


def test_old_tubing_soft_taps_and_past_leaks_raise_the_prior():
    whole = NET.to_geojson()
    for feature in whole["features"]:
        if feature["properties"].get("main") == "C03":
            feature["properties"]["installed"] = 2006
    network = vacuum.Network.from_geojson(whole)
    raised = vacuum.prior(network, 2026, {"lC00-3": 1, "C00-5e": 2, "gone": 9}, ["C01-2e", "C01-2e", "gone"])
    assert raised["C03-9"] == pytest.approx(1.5**2)
    assert raised["C00-3"] == 2.0
    assert raised["C00-5"] == 4.0
    assert raised["C01-2"] == 2.0
    assert "C02-4" not in raised
    assert max(vacuum.prior(network, 2026, {"lC03-3": 50}).values()) == 8.0


def test_a_prior_moves_the_answer_between_places_that_look_alike():
    table = vacuum.signatures(NET)
    fall = {t: float(v) for t, v in zip(table.sensors, table.falls.fall[0], strict=True)}
    drops = {t: float((vacuum.steady(NET).vacuum_pa - vacuum.steady(NET, {"C03-9": 1.0}).vacuum_pa)[NET.sensors[t]]) for t in fall}
    plain = vacuum.locate(NET, drops, vacuum.MEAN_NOISE_PA, table=table, most=1).leaks[0].nodes
    told = vacuum.locate(NET, drops, vacuum.MEAN_NOISE_PA, table=table, most=1, prior=vacuum.prior(NET, None, {"lC03-11": 1})).leaks[0].nodes
    assert told["C03-11"] > 1.7 * plain["C03-11"]


def test_what_is_due_by_age():
    whole = geojson()
    for feature in whole["features"][4:]:
        feature["properties"]["installed"] = 2015
    whole["features"][6]["properties"]["drops_installed"] = 2022
    found = vacuum.due(vacuum.Network.from_geojson(whole))
    assert [(d.part, d.year, d.taps) for d in found] == [("lateral", 2025, 0), ("drops", 2027, 8), ("mainline", 2035, 0), ("conductor", 2040, 0)]
    assert found[0].length_m == pytest.approx(39.4, abs=0.1)
    sooner = vacuum.due(vacuum.Network.from_geojson(whole), {"mainline": 12})
    assert [d.year for d in sooner if d.part == "mainline"] == [2027]
    with pytest.raises(OutOfRange):
        vacuum.due(vacuum.Network.from_geojson(whole), {"mainline": 0})
    whole["features"][4]["properties"]["installed"] = 20150
    with pytest.raises(NetworkError, match="a year from 1950"):
        vacuum.Network.from_geojson(whole)


def night(wakes, steps=90, dawn=60):
    """Falls of gauges that sleep from the first step until theirs; NaN now and then."""
    rng = np.random.default_rng(3)
    falls = rng.normal(0, 0.1, (steps, len(wakes))) * PA_PER_INHG
    for gauge, wake in enumerate(wakes):
        if wake is not None:
            falls[5:wake, gauge] += 9 * PA_PER_INHG
    falls[rng.random(falls.shape) < 0.05] = np.nan
    cold = np.arange(steps) < dawn
    return falls, cold


def test_lines_wake_one_after_the_other():
    falls, cold = night([62, 70, None, 10_000])
    woke = vacuum.woke_at(falls, cold)
    assert woke[0] == pytest.approx(62, abs=1)
    assert woke[1] == pytest.approx(70, abs=1)
    assert np.isnan(woke[2])
    assert woke[3] == -1


def test_a_leak_that_opens_in_the_warm_is_not_called_asleep():
    falls, cold = night([None])
    falls[75:, 0] += 4 * PA_PER_INHG
    assert np.isnan(vacuum.woke_at(falls, cold)[0])
    with pytest.raises(Inconsistent):
        vacuum.woke_at(falls, cold[:-1])


def test_the_usual_order_is_the_middle_of_the_mornings():
    nan = np.nan
    usual = vacuum.usual_order([[480, 500, 540, nan], [470, 505, 500, nan], [nan, nan, nan, nan], [500, 510, 590, nan]])
    assert {g: (w.order, w.after_min, w.mornings) for g, w in usual.items()} == {0: (1, 0, 3), 1: (2, 20, 3), 2: (3, 60, 3)}
    assert vacuum.usual_order([[nan, nan]]) == {}


def test_sap_is_shared_by_taps_and_vacuum_and_laggards_are_named():
    shares = sap.share_out(100.0, [100, 100, 200], [25, 20, 25])
    assert shares.sum() == pytest.approx(100)
    assert shares[2] == pytest.approx(2 * shares[0])
    assert shares[1] / shares[0] == pytest.approx((1 + 0.06 * 20) / (1 + 0.06 * 25))
    assert list(sap.lags([20.0, np.nan, 30.0], shares)) == [True, False, True]
    assert list(sap.share_out(5.0, [0, 0], [0, 0])) == [0, 0]
    with pytest.raises(OutOfRange):
        sap.share_out(-1.0, [1], [1])


DRILLED = bush(1, 4, 8)
TABLE = vacuum.signatures(DRILLED)


@pytest.mark.parametrize("seed", range(6))
def test_troubles_are_drawn_where_they_can_be(seed):
    rng = np.random.default_rng(seed)
    trouble = drill.invent(DRILLED, rng)
    field = drill.field_of(DRILLED, trouble, TABLE.bench.conditions, rng)
    falls = drill.readings(field, rng)
    assert set(falls) == set(DRILLED.sensors)
    if trouble.cause == "sensor":
        others = [fall for tag, fall in falls.items() if tag != trouble.at]
        assert falls[trouble.at] > trouble.size - PA_PER_INHG
        assert max(others) < 0.5 * PA_PER_INHG
    elif trouble.cause == "frozen":
        behind = [t for t, n in DRILLED.sensors.items() if DRILLED.index[trouble.at] <= n < DRILLED.last[DRILLED.index[trouble.at]]]
        assert behind
        assert all(falls[tag] > 5 * PA_PER_INHG for tag in behind)


def test_a_drills_tests_tell_the_truth():
    rng = np.random.default_rng(8)
    field = drill.field_of(DRILLED, vacuum.Trouble("leak", "C02-4e", 1.5), TABLE.bench.conditions, rng)
    rises, holds = drill.shut(field, "C02-0", rng)
    elsewhere, _ = drill.shut(field, "C01-0", rng)
    assert rises["P"] > elsewhere["P"] + 0.1 * PA_PER_INHG
    assert set(holds) == {"C02E"}
    assert holds["C02E"] > 2 * drill.shut(field, "C01-0", rng)[1]["C01E"]
    assert drill.found_by_look(field, "C02-4", 0.999999, rng)
    assert not drill.found_by_look(field, "C02-5", 0.999999, rng)
    with pytest.raises(NetworkError):
        drill.shut(field, "C02-3", rng)


def test_par_is_what_good_hunts_take():
    rng = np.random.default_rng(9)
    field = drill.field_of(DRILLED, vacuum.Trouble("leak", "C02-4e", 1.5), TABLE.bench.conditions, rng)
    assert 1 < drill.par(field, TABLE, rng, hunts=5) < 120
    wrong = drill.field_of(DRILLED, vacuum.Trouble("sensor", "C02E", 5000.0), TABLE.bench.conditions, rng)
    assert drill.par(wrong, TABLE, rng) == drill.SAY_MIN
    with pytest.raises(Inconsistent):
        drill.invent(DRILLED, rng, ["flood"])
