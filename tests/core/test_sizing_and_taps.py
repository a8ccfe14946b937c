"""What a main carries, what the gauges cannot tell apart, what to cut, and how many taps a tree takes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import taps, vacuum
from zucker_core.errors import Inconsistent, OutOfRange

from benchmarks.bushes import GPH, INHG, bush

INCH = 0.0254


def test_a_main_of_three_quarters_serves_about_what_practice_says():
    steep = vacuum.main_size(500, 200, 0.08, 0.75 * INCH, sap_rate_m3_s=0.2 * GPH)
    assert not steep.floods
    assert 300 < steep.most_taps < 900
    inch = vacuum.main_size(1000, 300, 0.05, 1.0 * INCH, sap_rate_m3_s=0.2 * GPH)
    assert inch.most_taps > steep.most_taps
    flat = vacuum.main_size(500, 400, 0.005, 0.75 * INCH)
    assert flat.floods
    assert flat.most_taps < 250


@given(st.integers(20, 600), st.floats(50, 600), st.floats(0.01, 0.2))
def test_more_taps_never_lose_less(count, length, slope):
    few, many = (vacuum.main_size(n, length, slope, 0.0245) for n in (count, count + 100))
    assert many.sap_share > few.sap_share
    if not many.floods:  # beyond that the air goes another way
        assert many.lost_pa >= few.lost_pa - 1.0
    assert few.most_taps == pytest.approx(many.most_taps, abs=6)


def test_the_most_taps_really_lose_an_inch():
    most = vacuum.main_size(100, 300, 0.05, 0.019).most_taps
    assert vacuum.main_size(most, 300, 0.05, 0.019).lost_pa <= 1.0 * INHG
    more = vacuum.main_size(most + 15, 300, 0.05, 0.019)
    assert more.lost_pa > 1.0 * INHG or more.floods


def test_remarks_name_line_and_limit():
    nodes = [vacuum.Node("P", "pump", elevation_m=0, pump=vacuum.HeldPressure(15e3)), vacuum.Node("A", "saddle", elevation_m=-2),
             vacuum.Node("B", "end", elevation_m=-1.9), vacuum.Node("L", "end", elevation_m=0)]
    lines = [vacuum.Line("up", "mainline", "P", "A", 0.0189, 100, main="m"), vacuum.Line("flat", "mainline", "A", "B", 0.0189, 50, main="m"),
             vacuum.Line("lat", "lateral", "A", "L", 0.0076, 50, taps=25, main="m")]
    found = {(r.line, r.name): r for r in vacuum.remarks(vacuum.Network(nodes, lines))}
    assert found["up", "uphill"].value == pytest.approx(-0.02)
    assert found["flat", "flat"].limit == 0.02
    assert found["lat", "taps_a_lateral"].value == 25


@given(st.lists(st.floats(1, 800), min_size=1, max_size=40), st.floats(50, 400))
def test_a_cut_list_cuts_all_and_overfills_nothing(lengths, spool):
    pieces = [(f"p{i}", length) for i, length in enumerate(lengths)]
    cuts = vacuum.cut_list(pieces, spool, 0.0)
    got = {}
    for cut in cuts:
        assert cut.left_m >= -1e-6
        for name, length in cut.pieces:
            got[name] = got.get(name, 0) + length
    assert all(got[name] == pytest.approx(length) for name, length in pieces)
    assert len(cuts) <= 11 / 9 * np.ceil(sum(lengths) / spool) + 1 + sum(length > spool / 2 for length in lengths)


def test_coverage_and_the_next_gauge():
    rng = np.random.default_rng(21)
    few, state = bush(rng, "second", (6, 6)), rng.bit_generator.state
    rng = np.random.default_rng(21)
    more = bush(rng, "ends", (6, 6))
    assert state == rng.bit_generator.state  # the same bush
    conditions = vacuum.Conditions(0.1 * GPH)
    blind, seeing = vacuum.coverage(few, conditions=conditions), vacuum.coverage(more, conditions=conditions)
    assert blind.blurred_m > 1.3 * seeing.blurred_m
    assert len(blind.groups[0]) >= 2
    best = vacuum.next_sensors(few, conditions)
    assert best[0].blurred_m < blind.blurred_m
    assert [b.blurred_m for b in best] == sorted(b.blurred_m for b in best)
    # it goes to a main that has none
    bare = {name for name in few.mains if not any(few.nodes[i].sensor for i in few.mains[name])}
    assert str(vacuum.branches_of(few)[few.index[best[0].node]]) in bare


@pytest.mark.parametrize(("school", "inches", "count"), [
    ("conservative", 11.9, 0), ("conservative", 12, 1), ("conservative", 18, 2), ("conservative", 40, 2),
    ("traditional", 9.9, 0), ("traditional", 15, 2), ("traditional", 20, 3), ("traditional", 25, 4), ("one-tap", 30, 1)])
def test_schools(school, inches, count):
    assert taps.taps_for(inches * INCH, taps.SCHOOLS[school]) == count


def test_an_own_school_is_checked():
    own = taps.own_school([0.25, 0.5, 0.75])
    assert list(taps.taps_for(np.array([0.2, 0.3, 0.6, 0.9]), own)) == [0, 1, 2, 3]
    with pytest.raises(Inconsistent, match="each larger") as falling:
        taps.own_school([0.5, 0.25])
    assert falling.value.name == "least_m"
    with pytest.raises(OutOfRange, match="least_m"):
        taps.own_school([0.01])
    with pytest.raises(Inconsistent, match="is more than the greatest"):
        taps.own_school([0.3], depth_m=(0.05, 0.04))


def test_a_new_hole_keeps_clear_round_the_trunk():
    school = taps.SCHOOLS["conservative"]
    old = [[0.02, 1.2]]
    assert not taps.may_tap(0.03, 1.3, 1.0, old, school)
    assert not taps.may_tap(0.99, 1.2, 1.0, old, school)  # near again from the other side
    assert taps.may_tap(0.30, 1.2, 1.0, old, school)
    assert taps.may_tap(0.02, 1.9, 1.0, old, school)
    assert taps.may_tap(0.02, 1.2, 1.0, [], school)


def test_progress():
    day = 86_400.0
    got = taps.progress(1000, [(0 * day, 150), (0.2 * day, 50), (1 * day, 200)], 1.3 * day)
    assert (got.done, got.a_day, got.days_left) == (400, 200, 3.0)
    assert taps.progress(10, [], 0).days_left is None
    assert taps.progress(5, [(0, 5)], 30 * day).days_left == 0.0
    with pytest.raises(Inconsistent, match="negative"):
        taps.progress(5, [(0, -1)], 0)
