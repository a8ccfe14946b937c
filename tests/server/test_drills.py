"""Drills: played at the server against the simulator, scored, and without a trace in what is real."""

import pytest
from zucker import clock
from zucker.telemetry.models import Reading
from zucker.woods.actions.play_drill import begin_drill
from zucker.woods.actions.survey_network import survey_network
from zucker.woods.models import Alarm, Drill, LeakCase

from tests.core.test_vacuum import bush

NETWORK = bush(1, 4, 8)


@pytest.fixture
def large(farm):
    survey_network(farm.operation.bushes.get(), NETWORK.to_geojson())
    return farm


def begun(farm, cause, seed=5):
    person = farm.operation.memberships.get(role="crew").person
    bush = farm.operation.bushes.get()
    return begin_drill(farm.operation, bush, person, [cause], clock.now(), seed)


def step(farm, number, role="crew", **body):
    return farm.post(f"drills/{number}/steps", body, role)


def test_a_leak_is_found_by_following_the_advice(large):
    drill = begun(large, "leak")
    shown = large.get(f"drills/{drill.number}").json()
    assert (shown["cause"], shown["at"], shown["par_min"], shown["solved"]) == (None, None, None, None)
    for _ in range(60):
        hint = shown["hints"][0]
        shown = step(large, drill.number, action=hint["action"], at=hint["at"]).json()
        if shown["solved"] is not None:
            break
    assert shown["solved"] is True
    assert shown["cause"] == "leak"
    assert shown["minutes"] == pytest.approx(sum(s["minutes"] for s in shown["log"]))
    assert shown["par_min"] > 0
    # advice was followed: no step was worth less for its minutes than the best there was
    for one in shown["log"]:
        assert one["worth"] == pytest.approx(1.0, rel=1e-6)
    assert step(large, drill.number, action="give_up").status_code == 409


def test_the_same_seed_is_the_same_drill(large):
    first, second = begun(large, "leak"), begun(large, "leak")
    assert (first.trouble, first.falls, first.par_min) == (second.trouble, second.falls, second.par_min)
    assert first.number != second.number


@pytest.mark.parametrize("cause", ["frozen", "sensor"])
def test_what_is_no_leak_is_said_from_the_desk(large, cause):
    drill = begun(large, cause)
    wrong = step(large, drill.number, action="say", cause="leak").json()
    assert (wrong["solved"], wrong["log"][0]["right"], wrong["minutes"]) == (None, False, 20)
    right = step(large, drill.number, action="say", cause=cause).json()
    assert (right["solved"], right["minutes"], right["par_min"]) == (True, 21, 1)


def test_a_shut_valve_tells_and_costs_minutes(large):
    drill = begun(large, "leak")
    shown = large.get(f"drills/{drill.number}").json()
    told = step(large, drill.number, action="shut", at=shown["valves"][0]).json()["log"][0]
    assert told["minutes"] > 4
    assert told["rise_pa"] is not None
    assert told["best"] is None  # not before it is over
    over = step(large, drill.number, action="give_up").json()
    assert over["solved"] is False
    assert over["log"][0]["best"]["minutes"] > 0
    assert 0 <= over["log"][0]["worth"] < 1


def test_nothing_real_is_touched(large):
    before = Reading.objects.count(), Alarm.objects.count(), LeakCase.objects.count()
    drill = begun(large, "leak")
    step(large, drill.number, action="look", at="C00-3")
    assert (Reading.objects.count(), Alarm.objects.count(), LeakCase.objects.count()) == before
    assert large.get("hunts").json() == []


@pytest.mark.parametrize(("body", "field"), [
    ({"action": "shut", "at": "C00-3"}, "C00-3"), ({"action": "look", "at": "nowhere"}, "nowhere"), ({"action": "look"}, "at"), ({"action": "say"}, "cause"),
])
def test_a_step_that_cannot_be_done_is_refused(large, body, field):
    drill = begun(large, "leak")
    answer = step(large, drill.number, **body)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == field
    assert Drill.objects.get().steps == []


def test_only_its_player_plays_it_and_changed_lines_end_it(large):
    drill = begun(large, "leak")
    assert step(large, drill.number, "owner", action="give_up").status_code == 409
    survey_network(large.operation.bushes.get(), NETWORK.to_geojson())
    assert large.get(f"drills/{drill.number}").json()["strip"] == []
    assert step(large, drill.number, action="look", at="C00-3").status_code == 409
