"""Vacuum: the network and its errors, air in pipes, the steady state, usual and loss."""

import copy
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from zucker_core import vacuum
from zucker_core.errors import Inconsistent, NetworkError
from zucker_core.units import ATMOSPHERE_PA, M3_PER_GALLON, M3_S_PER_CFM, PA_PER_INHG, SCFM_KG_S
from zucker_core.vacuum import airflow
from zucker_core.vacuum.network import path_length

GPH = M3_PER_GALLON / 3600
PUMP = {"ultimate_inhg": 27.0, "flow_cfm": 60, "at_inhg": 25}


def bush(conductors=2, branches=6, saddles=18, *, level=False, lateral_m=60.0):
    """A bush of conductors with 3/4 in branches and laterals of nine taps, as a Network."""
    up = 0.0 if level else 1.0
    nodes = [vacuum.Node("P", "pump", elevation_m=0, pump=vacuum.pump_from_properties(PUMP), sensor="P")]
    lines = []
    for c in range(conductors):
        below = "P"
        for j in range(branches):
            tag = f"C{c}{j}"
            nodes.append(vacuum.Node(tag, "junction", elevation_m=up * 4 * (j + 1)))
            lines.append(vacuum.Line("c" + tag, "conductor", below, tag, 0.032, 100))
            below = tag
            at = tag
            for k in range(saddles):
                saddle = f"{tag}-{k}"
                kind = "valve" if k == 0 else "end" if k == saddles - 1 else "saddle"
                height = up * (4 * (j + 1) + k + 1)
                nodes.append(vacuum.Node(saddle, kind, elevation_m=height, sensor=f"{tag}E" if kind == "end" else None))
                lines.append(vacuum.Line("m" + saddle, "mainline", at, saddle, 0.0189, 20, main=tag))
                at = saddle
                nodes.append(vacuum.Node(saddle + "e", "end", elevation_m=height + up * 3))
                lines.append(vacuum.Line("l" + saddle, "lateral", saddle, saddle + "e", 0.0076, lateral_m, taps=9, main=tag))
    return vacuum.Network(nodes, lines)


NET = bush()
LEVEL = bush(level=True)


def inhg(pa):
    return np.asarray(pa) / PA_PER_INHG


def test_what_to_expect_of_1900_taps():
    clean = vacuum.steady(NET, None, 0.1 * GPH)
    ends = [clean.vacuum_pa[i] for tag, i in NET.sensors.items() if tag != "P"]
    assert inhg(clean.vacuum_pa[0]) == pytest.approx(26.3, abs=0.2)
    assert 25.2 <= inhg(min(ends)) <= inhg(max(ends)) <= 26.0
    leaking = vacuum.steady(NET, {"C03-9": 1.0}, 0.1 * GPH)
    fall = inhg(clean.vacuum_pa - leaking.vacuum_pa)
    assert 0.1 < fall[0] < 0.5
    assert 2.4 < fall[NET.index["C03-17"]] < 3.6
    assert 0.1 < fall[NET.index["C13-17"]] < 0.4


def test_a_lateral_throttles_whatever_the_hole():
    short = [vacuum.steady(NET, {"C03-9e": scfm}).leak_kg_s[NET.index["C03-9e"]] / SCFM_KG_S for scfm in (2, 8, 40)]
    assert short[-1] < 1.75
    assert short[-1] - short[1] < 0.1


@given(st.integers(1, len(NET) - 1), st.floats(0.05, 8.0), st.floats(0, 0.3))
@settings(max_examples=40, deadline=None)
def test_mass_is_conserved(node, scfm, rate):
    leaks = np.zeros(len(NET))
    leaks[node] = scfm
    state = vacuum.steady(NET, leaks, rate * GPH)
    assert state.flow_kg_s[0] == pytest.approx(state.leak_kg_s.sum(), rel=1e-9)
    inside = NET.subtree_sum(state.leak_kg_s)
    assert np.allclose(state.flow_kg_s, inside, rtol=1e-9, atol=1e-18)
    # the pump's own law holds at its inlet
    assert state.pressure_pa[0] == pytest.approx(float(NET.pump.pressure_for(state.flow_kg_s[0] * 287.05 * 276.15)), rel=1e-8)


@given(st.integers(1, len(LEVEL) - 1), st.floats(0.05, 8.0))
@settings(max_examples=30, deadline=None)
def test_vacuum_never_rises_away_from_the_pump_on_level_lines(node, scfm):
    leaks = np.zeros(len(LEVEL))
    leaks[node] = scfm
    state = vacuum.steady(LEVEL, leaks, 0.1 * GPH)
    assert (state.pressure_pa[1:] >= state.pressure_pa[LEVEL.parent[1:]] - 1e-6).all()


@given(st.floats(0.1, 4.0), st.floats(0.1, 2.0))
@settings(max_examples=20, deadline=None)
def test_a_larger_leak_costs_more_everywhere(scfm, more):
    small, large = (vacuum.steady(NET, {"C12-5": size}).vacuum_pa for size in (scfm, scfm + more))
    assert (large <= small + 1e-6).all()


def test_newton_agrees_with_the_explicit_answer_where_all_is_choked():
    module = sys.modules["zucker_core.vacuum.steady"]  # the package's `steady` is the function

    state = vacuum.steady(NET, {"C03-9": 0.5})
    nominal = state.leak_kg_s
    pipes = module._pipes(NET, np.zeros(len(NET)), np.ones(()))
    lift = np.exp(2 * 9.80665 * NET.elevation_m / (287.05 * 276.15))
    pressure, flow, _ = module._newton(NET, nominal[None], module._rows_of_pipes(pipes, ()), lift, NET.pump, 276.15, ATMOSPHERE_PA, state.pressure_pa[None] * 1.2)
    assert np.allclose(pressure[0], state.pressure_pa, rtol=1e-9)
    assert np.allclose(flow[0], state.flow_kg_s, rtol=1e-9)


def test_rows_are_scenarios():
    leaks = np.zeros((3, len(NET)))
    leaks[1, 40], leaks[2, 40] = 0.5, 6.0
    together = vacuum.steady(NET, leaks, 0.1 * GPH)
    for row in range(3):
        alone = vacuum.steady(NET, leaks[row], 0.1 * GPH)
        assert np.allclose(together.pressure_pa[row], alone.pressure_pa, rtol=1e-9)


def test_a_shut_valve_cuts_off_what_lies_behind():
    shut = vacuum.steady(NET, {"C03-9": 2.0}, closed=["C03-0"])
    clean = vacuum.steady(NET, {"C03-9": 2.0})
    assert shut.vacuum_pa[NET.index["C03-17"]] == pytest.approx(0.0)
    assert shut.vacuum_pa[NET.index["C13-17"]] > clean.vacuum_pa[NET.index["C13-17"]]
    with pytest.raises(NetworkError, match="is not a valve"):
        vacuum.steady(NET, closed=["C03-9"])


def test_flooded_lines_are_flagged_and_cost_vacuum():
    flow = vacuum.steady(NET, None, 1.2 * GPH)
    assert flow.flooded.any()
    assert not vacuum.steady(NET, None, 0.02 * GPH).flooded.any()
    assert np.isfinite(flow.pressure_pa).all()


def test_holes_and_leaks():
    assert vacuum.choked_flow(vacuum.hole_size(1.0)) == pytest.approx(SCFM_KG_S)
    assert vacuum.leak_size(vacuum.hole_size(2.5)) == pytest.approx(2.5)
    by_hand = 0.62 * np.pi / 4 * 0.004**2 * 101325 * np.sqrt(1.4 / (287.05 * 293.15)) * (2 / 2.4) ** 3
    assert vacuum.choked_flow(0.004) == pytest.approx(by_hand)
    assert vacuum.subsonic_factor(0.5) == 1.0
    assert vacuum.subsonic_factor(1.0) == 0.0
    assert (np.diff(vacuum.subsonic_factor(np.linspace(0.53, 1, 200))) < 0).all()


def test_air_beside_sap_in_a_pipe():
    area, hydraulic, share = airflow.gas_space(0.0, 0.0189, 0.03)
    assert (area, hydraulic, share) == pytest.approx((np.pi / 4 * 0.0189**2, 0.0189, 0.0))
    half = airflow.full_pipe_flow(0.0189, 0.03) / 2
    area, hydraulic, share = airflow.gas_space(half, 0.0189, 0.03)
    assert share == pytest.approx(0.5)
    assert area == pytest.approx(np.pi / 8 * 0.0189**2, rel=2e-3)
    assert airflow.friction_factor(1000, 0) == pytest.approx(0.064, rel=1e-3)
    assert airflow.friction_factor(1e5, 1e-4) == pytest.approx(0.0185, rel=0.02)


def test_pumps():
    pump = vacuum.pump_from_properties(PUMP)
    assert pump.pressure_for(0.0) == pytest.approx(pump.ultimate_pa)
    rated = pump.rated_pa * 60 * M3_S_PER_CFM
    assert pump.pressure_for(rated) == pytest.approx(pump.rated_pa)
    table = vacuum.pump_from_properties({"table": [[27, 5], [25, 60], [20, 75], [0, 80]]})
    at_25 = ATMOSPHERE_PA - 25 * PA_PER_INHG
    assert table.pressure_for(at_25 * 60 * M3_S_PER_CFM) == pytest.approx(at_25)
    assert (np.diff(table.pressure_for(np.linspace(1, 3000, 50))) > 0).all()
    for wrong in ({}, {"ultimate_inhg": 20, "flow_cfm": 60, "at_inhg": 25}, {"table": [[25, 60], [27, 900]]}):
        with pytest.raises(Inconsistent):
            vacuum.pump_from_properties(wrong)


def geojson():
    def point(tag, kind, x, **more):
        return {"type": "Feature", "geometry": {"type": "Point", "coordinates": [x, 45.0]}, "properties": {"kind": kind, "tag": tag, **more}}

    def line(tag, kind, a, b, x1, x2, **more):
        return {"type": "Feature", "geometry": {"type": "LineString", "coordinates": [[x1, 45.0], [x2, 45.0]]},
                "properties": {"kind": kind, "tag": tag, "from": a, "to": b, "inner_diameter_mm": 19, **more}}

    return {"type": "FeatureCollection", "features": [
        point("P", "pump", -40.0, elevation_m=100, sensor="S0", **PUMP), point("J", "junction", -39.999, elevation_m=104),
        point("E", "end", -39.998, elevation_m=108, sensor="S1"), point("T", "end", -39.9985, elevation_m=107),
        line("C1", "conductor", "P", "J", -40.0, -39.999), line("M1", "mainline", "J", "E", -39.999, -39.998, main="M", installed=2020),
        line("L1", "lateral", "J", "T", -39.999, -39.9985, taps=8, main="M"),
    ]}


def test_geojson_there_and_back():
    network = vacuum.Network.from_geojson(geojson())
    assert network.length_m[network.index["J"]] == pytest.approx(78.85, abs=0.02)
    assert network.taps_behind[0] == 8
    assert set(network.mains["M"]) == {network.index["E"], network.index["T"]}
    again = vacuum.Network.from_geojson(network.to_geojson())
    assert again.nodes == network.nodes
    assert again.lines == network.lines
    assert np.array_equal(again.length_m, network.length_m)


def _spoil(change):
    obj = copy.deepcopy(geojson())
    change(obj["features"])
    return obj


@pytest.mark.parametrize(("change", "feature", "words"), [
    (lambda f: f[5]["properties"].update(to="J", **{"from": "E"}), "E", "no line leads here"),
    (lambda f: f.append({**f[5], "properties": {**f[5]["properties"], "tag": "M2", "from": "P"}}), "", "loop"),
    (lambda f: f[1]["properties"].update(kind="pump", **PUMP), "J", "2 pumps"),
    (lambda f: f[5]["properties"].update(to="X"), "M1", "no point 'X'"),
    (lambda f: f[5]["properties"].update(inner_diameter_mm=0), "M1", "inner_diameter_mm is 0"),
    (lambda f: f.append({"type": "Feature", "geometry": {"type": "Point", "coordinates": [0, 0]}, "properties": {"kind": "end", "tag": "Z"}}),
     "Z", "no line leads here"),
    (lambda f: f[5]["properties"].pop("from"), "M1", "has no from"),
    (lambda f: f[5]["properties"].update(length_m="far"), "M1", "cannot be read"),
    (lambda f: f[5]["properties"].update(length_m=float("nan")), "M1", "cannot be read"),
    (lambda f: f[0]["properties"].pop("flow_cfm"), "P", "flow_cfm"),
    (lambda f: f[2]["properties"].update(tag="J"), "J", "two points"),
    (lambda f: f[2]["properties"].update(kind="frog"), "E", "kind 'frog'"),
    (lambda f: f[2]["geometry"].update(type="Polygon"), "E", "Polygon"),
    (lambda f: f.clear(), "network", "no pump"),
])
def test_geojson_errors_name_the_feature(change, feature, words):
    with pytest.raises(NetworkError) as caught:
        vacuum.Network.from_geojson(_spoil(change))
    assert words in str(caught.value)
    assert not feature or caught.value.feature == feature


def test_uphill_lines_are_a_warning():
    network = vacuum.Network.from_geojson(_spoil(lambda f: f[2]["properties"].update(elevation_m=90)))
    assert any("uphill" in warning and "M1" in warning for warning in network.warnings)


def test_path_length_is_geodesic():
    # one degree of longitude on the equator of WGS 84
    assert path_length([[0, 0], [0.01, 0]]) == pytest.approx(1113.195, abs=0.01)
    assert path_length([[0, 45], [0, 45.01]]) == pytest.approx(1111.32, abs=0.02)


def test_usual_follows_the_pump_and_the_sap():
    low, high = (vacuum.usual(NET, 25.0 * PA_PER_INHG, rate * GPH) for rate in (0.0, 0.4))
    drop = inhg(low.vacuum_pa["C03E"] - high.vacuum_pa["C03E"])
    assert 0.3 < drop < 3.0
    assert low.vacuum_pa["P"] == pytest.approx(25.0 * PA_PER_INHG)
    own = vacuum.usual(NET, None)
    assert inhg(own.vacuum_pa["P"]) == pytest.approx(26.39, abs=0.05)
    assert own.spread_pa["C03E"] > own.spread_pa["P"] > 0


def test_loss_of_a_line():
    lost = vacuum.loss(500, 0.10 * GPH, 5 * PA_PER_INHG, sap_brix=2.0, syrup_price_m3=27 / M3_PER_GALLON)
    assert lost.sap_m3_s / GPH == pytest.approx(15.0)
    assert lost.money_s * 3600 == pytest.approx(15 / 44.16 * 27, rel=1e-3)
    assert vacuum.loss(500, 0.1 * GPH, -3000.0, sap_brix=2.0, syrup_price_m3=1.0).sap_m3_s == 0.0
