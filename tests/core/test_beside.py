"""Beside the pans: what is done first, what cannot wait, what a draw's density means."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from zucker_core import run, sugar
from zucker_core.errors import OutOfRange
from zucker_core.run import Action, Beside, Head, Reading, Watched, alarms, next_action

HEAD = Head(age_min=0.3, stale=False, minutes_left=70.0)
CALM = Beside(True, head=HEAD, hot=True, boiling_measured=True, past_k=-1.2, sampled_min=10.0)
"""A boil in which nothing asks for a hand."""

ASKING = (
    ("draw", {"past_k": 0.1}),
    ("level-lost", {"head": Head(9.0, True, None)}),
    ("fire", {"firing_every_min": 6.0, "fired_min": 7.0}),
    ("boiling-point", {"boiling_measured": False}),
    ("weather-moved", {"moved_k": -0.2}),
    ("change", {"change": True}),
    ("cup-test", {"sampled_min": 50.0}),
)
"""What asks for a hand, the most pressing first."""


def test_nothing_asks_and_the_boil_is_steady():
    assert next_action(CALM) == Action("steady", 70.0)
    assert next_action(replace(CALM, head=None)) == Action("steady", None)
    assert next_action(Beside(False)) == Action("start")


@pytest.mark.parametrize(("key", "facts"), ASKING)
def test_what_asks_alone_is_what_is_done(key, facts):
    assert next_action(replace(CALM, **facts)).key == key


@pytest.mark.parametrize("first", range(len(ASKING)))
def test_of_several_the_most_pressing_is_done_first(first):
    facts = {}
    for _, more in reversed(ASKING[first:]):
        facts |= more
    assert next_action(replace(CALM, **facts)).key == ASKING[first][0]


def test_concentrate_that_runs_low_comes_before_all_but_the_end_of_the_boil_is_no_fault():
    everything = replace(CALM, low=True, past_k=2.0, change=True, moved_k=0.5, head=replace(HEAD, minutes_left=12.0))
    assert next_action(everything) == Action("concentrate-low", 12.0, urgent=True)
    assert next_action(replace(everything, sap_in=True)) == Action("boil-ends", 12.0)


def test_syrup_past_its_draw_off_is_urgent_before_it_scorches():
    assert next_action(replace(CALM, past_k=0.0)) == Action("draw")
    assert next_action(replace(CALM, past_k=0.59)) == Action("draw")
    assert next_action(replace(CALM, past_k=0.6)) == Action("draw", urgent=True)
    # how heavy that is: the pan's sugar by its boiling point
    heavy = sugar.brix_from_boiling(float(sugar.drawoff_temperature(66.9, 100.0)) + 0.6, 101_325.0) - 66.9
    assert 2.0 < heavy < 3.5


def test_a_lost_level_is_urgent_only_over_a_fire():
    lost = replace(CALM, head=Head(9.0, True, None))
    assert next_action(lost) == Action("level-lost", 9.0, urgent=True)
    assert next_action(replace(lost, hot=False)) == Action("level-lost", 9.0)


def test_wood_is_counted_from_the_last_firing():
    wood = replace(CALM, firing_every_min=6.0)
    assert next_action(wood) == Action("fire", 0.0)  # nobody has fired yet
    assert next_action(replace(wood, fired_min=2.5)) == Action("wait-fire", 3.5)
    assert next_action(replace(wood, fired_min=6.0)).key == "fire"


def test_a_cup_test_is_asked_for_only_after_a_first_draw():
    assert next_action(replace(CALM, sampled_min=None)).key == "steady"
    assert next_action(replace(CALM, sampled_min=45.0)).key == "steady"
    assert next_action(replace(CALM, sampled_min=45.1)) == Action("cup-test", 45.1)


@given(st.floats(90, 110), st.floats(93, 101))
def test_pans_are_hot_within_eight_kelvin_of_boiling(pan_c, boiling_c):
    assert run.pans_hot(pan_c, boiling_c) == (pan_c > boiling_c - 8.0)


FULL_HEAD = Watched("head", 1.0, 4.0, feeds_pans=True, reserve_m3=0.2)
SAP = Watched("sap", 2.0, 10.0)


def test_a_pan_is_about_to_run_dry_by_its_tank_or_by_the_minutes_left():
    assert alarms(True, [FULL_HEAD, SAP], [], 60.0) == []
    (dry,) = alarms(True, [FULL_HEAD, SAP], [], 7.9)
    assert (dry.key, dry.value, dry.of) == ("dry-pan", 7.9, "")
    (dry,) = alarms(True, [replace(FULL_HEAD, volume_m3=0.2)], [], None)
    assert (dry.key, dry.value) == ("dry-pan", 0.0)


def test_no_pan_runs_dry_that_is_cold_or_whose_level_nobody_knows():
    low = replace(FULL_HEAD, volume_m3=0.1)
    assert alarms(False, [low], [], 3.0) == []
    assert alarms(True, [replace(low, stale=True)], [], 3.0) == []
    assert alarms(True, [replace(SAP, volume_m3=0.0)], [], 3.0) == []  # the sap tank feeds no pan


def test_a_tank_at_its_brim_is_told_hot_or_cold():
    full = replace(SAP, volume_m3=9.71)
    for hot in (True, False):
        (high,) = alarms(hot, [FULL_HEAD, full], [], 60.0)
        assert (high.key, high.of) == ("high-level", "sap")
        assert high.value == pytest.approx(0.971)
    assert alarms(True, [replace(SAP, volume_m3=9.69)], [], 60.0) == []


def test_lost_readings_are_told_over_a_fire_the_dry_pan_first():
    lost = [Reading("pan temperature", 6.5, True), Reading("head tank level", 0.2, False)]
    assert [(one.key, one.value, one.of) for one in alarms(True, [], lost, None)] == [("lost-readings", 6.5, "pan temperature")]
    assert alarms(False, [], lost, None) == []
    everything = alarms(True, [FULL_HEAD, replace(SAP, volume_m3=10.0)], lost, 2.0)
    assert [one.key for one in everything] == ["dry-pan", "high-level", "lost-readings"]


def test_a_density_is_light_or_heavy_only_beyond_what_the_reading_is_sure_of():
    assert sugar.verdict(0.1, 66.7, 0.3, 66.9).word == "on"
    assert sugar.verdict(0.1, 67.2, 0.3, 66.9).word == "on"
    light = sugar.verdict(0.1, 65.0, 0.3, 66.9)
    assert (light.word, light.thin_m3, light.given_away) == ("light", None, None)
    assert light.boil_off_kg == pytest.approx(sugar.thicken(0.1, 65.0, 66.9).water_kg)
    heavy = sugar.verdict(0.1, 68.0, 0.3, 66.9)
    assert (heavy.word, heavy.boil_off_kg) == ("heavy", None)
    assert heavy.thin_m3 == pytest.approx(0.1 * 2.199 / 100, rel=1e-3)  # 2.199 gal to 100
    assert heavy.given_away == pytest.approx(sugar.overdensity_cost(1.0, 68.0, 66.9, 1.0))


@given(st.floats(50, 75), st.floats(0, 1))
def test_a_verdict_puts_the_batch_right(brix, sd):
    found = sugar.verdict(1.0, brix, sd, 66.9)
    mass = float(sugar.density(brix, 20.0))
    if found.boil_off_kg is not None:
        mass -= found.boil_off_kg
    if found.thin_m3 is not None:
        mass += found.thin_m3 * float(sugar.density(0.0, 20.0))
    left = float(sugar.density(brix, 20.0)) * brix / mass
    assert left == pytest.approx(brix if found.word == "on" else 66.9, abs=1e-9)


def test_a_density_out_of_range_is_named():
    with pytest.raises(OutOfRange) as refused:
        sugar.verdict(0.1, 66.9, -0.1, 66.9)
    assert refused.value.name == "brix_sd"
