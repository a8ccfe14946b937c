"""From readings to an alarm, from the alarm through a hunt to a proven repair."""

from __future__ import annotations

import uuid
from datetime import timedelta

import numpy as np
import pytest
from zucker import clock
from zucker.telemetry.actions.take_readings import store
from zucker.telemetry.models import Sensor
from zucker.woods.actions.bring_back import bring_back
from zucker.woods.actions.learn_bush import learn_bush
from zucker.woods.actions.survey_network import survey_network
from zucker.woods.actions.watch_bush import watch_bush
from zucker.woods.models import Alarm, Bush, CaseStep, GaugeState, LeakCase
from zucker_core import vacuum

from benchmarks.bushes import GPH, INHG, bush

from .conftest import found_farm

NETWORK = bush(np.random.default_rng(31), "ends", (7, 7), 90)
TAPS = float(NETWORK.taps.sum())
AIR_PA = 97_500.0
MAIN = "M2"
LEAK = next(NETWORK.nodes[i].tag for i in NETWORK.mains[MAIN] if NETWORK.nodes[i].kind == "saddle")


class Woods:
    """A farm with a real-sized bush whose gauges say what the physics say."""

    def __init__(self) -> None:
        self.farm = found_farm("ashby")
        self.bush = Bush.objects.create(operation=self.farm.operation, slug="upper", name="Upper")
        survey_network(self.bush, NETWORK.to_geojson())
        self.bush.refresh_from_db()
        Sensor.objects.create(operation=self.farm.operation, tag="UPPER-FLOW", kind="flow", part="releaser upper")
        self.ids = dict(Sensor.objects.of(self.farm.operation).values_list("tag", "pk"))
        self.rng = np.random.default_rng(5)
        self.now = clock.now().replace(second=0, microsecond=0)

    def say(self, first: int, last: int, leaks=None, rate=0.1 * GPH, shift=None, closed=()) -> None:
        """Readings from `first` to `last` minutes ago."""
        state = vacuum.steady(NETWORK, leaks, rate, closed)
        rows = []
        for ago in range(first, last - 1, -1):
            at = self.now - timedelta(minutes=ago)
            for tag, node in NETWORK.sensors.items():
                # the stand-in atmosphere of the farm's own barometer, not the standard one
                value = AIR_PA - state.pressure_pa[node] + self.rng.normal(0, 0.08 * INHG) + (shift or {}).get(tag, 0.0)
                rows.append((self.ids[tag], at, float(value)))
            rows.append((self.ids["UPPER-FLOW"], at, rate * TAPS))
            rows.append((self.ids["BARO"], at, AIR_PA))
        store([r[0] for r in rows], [r[1] for r in rows], [r[2] for r in rows])

    def watch(self, ago: int = 0) -> list[Alarm]:
        return watch_bush(self.bush, self.now - timedelta(minutes=ago))

    def post(self, path, body, status=201, role="crew"):
        answer = self.farm.post(path, body, role)
        assert answer.status_code == status, answer.content
        return answer.json()

    def hunted(self):
        """A hunt for the leak, opened from its alarm."""
        alarm = self.watch()[0]
        return self.post("hunts", {"alarm": alarm.pk})


@pytest.fixture
def woods(db) -> Woods:
    return Woods()


def test_quiet_readings_raise_nothing(woods):
    woods.say(240, 0)
    assert woods.watch() == []
    assert woods.farm.get("alarms").json() == []
    assert woods.farm.get("woods").json()["walk_first"] is None


def test_a_leak_raises_one_alarm_in_minutes_however_often_one_looks(woods):
    woods.say(240, 31)
    woods.watch(31)
    woods.say(30, 0, {LEAK: 1.5})
    for ago in (25, 20, 18, 18, 10, 0, 0):
        woods.watch(ago)
    alarm = Alarm.objects.get()
    assert (alarm.place, alarm.cause) == (MAIN, "leak")
    assert alarm.opened_at <= woods.now - timedelta(minutes=20)
    assert alarm.causes["leak"] > 0.8
    assert alarm.money_lost > 0
    row = woods.farm.get("woods").json()["mains"][0]
    assert row["main"] == MAIN
    assert row["alarm"]["cause"] == "leak"
    shown = woods.farm.get("alarms").json()[0]
    assert {fact["name"] for fact in shown["facts"]} >= {"pump_fell", "gauge_fell"}


def test_watching_that_dies_half_way_leaves_no_trace_and_is_done_again(woods, monkeypatch):
    woods.say(240, 0, {LEAK: 1.5})
    import zucker.woods.actions.watch_bush as module

    def die(*args):
        raise RuntimeError("killed")

    with monkeypatch.context() as broken:
        broken.setattr(module, "prove_repairs", die)
        with pytest.raises(RuntimeError):
            woods.watch()
    assert not Alarm.objects.exists()
    assert not GaugeState.objects.exists()
    woods.watch()
    woods.watch()
    assert Alarm.objects.count() == 1


def test_an_alarm_ends_when_the_vacuum_is_back_and_is_seen_once(woods):
    woods.say(240, 61, {LEAK: 1.5})
    alarm = woods.watch(61)[0]
    seen = woods.post(f"alarms/{alarm.pk}/seen", None, 200)
    again = woods.farm.post(f"alarms/{alarm.pk}/seen", None, "owner").json()
    assert seen["acknowledged_by"] == again["acknowledged_by"] == "ashby-crew"
    assert woods.farm.post(f"alarms/{alarm.pk}/seen", None, "viewer").status_code == 403
    woods.say(60, 0)
    woods.watch(30)
    woods.watch(0)
    alarm.refresh_from_db()
    assert alarm.closed_at is not None
    assert len(woods.farm.get("alarms").json()) == 1
    assert woods.farm.get("alarms?days=0").json() == []


def test_a_gauge_that_is_wrong_alone_sends_nobody_walking(woods):
    tag = next(t for t, node in NETWORK.sensors.items() if node in NETWORK.mains[MAIN])
    woods.say(240, 100)
    woods.say(99, 0, shift={tag: -4.0 * INHG})
    alarm = woods.watch()[0]
    assert alarm.cause != "leak"
    assert alarm.gauges == [tag]
    assert woods.farm.get("woods").json()["walk_first"] is None


def test_a_hunt_narrows_by_tests_read_from_the_gauges(woods):
    woods.say(240, 10, {LEAK: 1.5})
    hunt = woods.hunted()
    assert woods.hunted()["number"] == hunt["number"]
    assert hunt["main"] == MAIN
    assert hunt["leak"]["branches"][0]["main"] == MAIN
    assert hunt["leak"]["size_low"] < 1.5 < hunt["leak"]["size_high"]
    assert sum(place["chance"] for place in hunt["strip"]) > 0.9
    assert hunt["advice"][0]["minutes"] > 0
    assert sum(o["chance"] for o in hunt["advice"][0]["outcomes"]) == pytest.approx(1, abs=1e-6)
    valve = next(p["tag"] for p in hunt["strip"] if p["kind"] == "valve")
    woods.say(9, 8, {LEAK: 1.5})
    woods.say(7, 0, {LEAK: 1.5}, closed=[valve])
    began = (woods.now - timedelta(minutes=8)).isoformat()
    after = woods.post("hunts/1/steps", {"kind": "shut", "place": valve, "facts": {"began_at": began}, "at": woods.now.isoformat()})
    assert after["state"] == "narrowing"
    rises = after["steps_log"][-1]["facts"]["rises_pa"]
    assert max(rises.values()) > 0.3 * INHG
    assert after["leak"]["branches"][0]["chance"] > 0.98
    looked = woods.post("hunts/1/steps", {"kind": "look", "place": after["leak"]["nodes"][0]})
    assert looked["leak"]["nodes"][0] != after["leak"]["nodes"][0]
    undone = woods.farm.send("DELETE", f"hunts/1/steps/{looked['steps_log'][-1]['id']}", role="crew").json()
    assert undone["leak"]["nodes"][0] == after["leak"]["nodes"][0]
    assert undone["steps_log"][-1]["undone"]
    first = woods.farm.send("DELETE", f"hunts/1/steps/{after['steps_log'][0]['id']}", role="crew")
    assert first.status_code == 200  # it is the last that counts now
    assert first.json()["state"] == "suspected"


def test_a_repair_is_proven_by_the_gauges(woods):
    woods.say(240, 41, {LEAK: 1.5})
    woods.watch(41)
    woods.post("hunts", {"alarm": Alarm.objects.get().pk}, 409)  # the readings of the last minutes are missing
    woods.say(40, 31, {LEAK: 1.5})
    woods.say(30, 0)
    case = LeakCase.objects.create(
        operation=woods.farm.operation, bush=woods.bush, number=1, main=MAIN, opened_at=woods.now - timedelta(minutes=60),
        drops={t: 2.0 * INHG for t, n in NETWORK.sensors.items() if n in NETWORK.mains[MAIN]}, noise_pa=100.0, sap_rate=0.1 * GPH)
    found = woods.post("hunts/1/steps", {"kind": "found", "place": LEAK, "facts": {"cause": "chew", "parts": "1 tee"}})
    assert (found["state"], found["found_at"]) == ("found", LEAK)
    at = (woods.now - timedelta(minutes=29)).isoformat()
    assert woods.post("hunts/1/steps", {"kind": "repaired", "place": LEAK, "at": at})["state"] == "repaired"
    woods.watch(20)
    case.refresh_from_db()
    assert case.state == "repaired"
    woods.watch(0)
    case.refresh_from_db()
    assert case.state == "proven"
    assert case.steps.filter(kind="proven").count() == 1
    woods.post("hunts/1/steps", {"kind": "look", "place": LEAK}, 409)


def test_a_repair_that_does_not_hold_opens_the_hunt_again(woods):
    woods.say(240, 0, {LEAK: 1.5})
    woods.hunted()
    woods.post("hunts/1/steps", {"kind": "found", "place": LEAK, "facts": {"cause": "saddle"}})
    at = (woods.now - timedelta(minutes=50)).isoformat()
    woods.post("hunts/1/steps", {"kind": "repaired", "at": at})
    GaugeState.objects.update(watched_to=woods.now - timedelta(minutes=2))
    woods.watch()
    case = LeakCase.objects.get()
    assert case.state == "narrowing"
    assert case.steps.filter(kind="reopened").count() == 1


def test_not_found_comes_back_when_sap_runs_harder(woods):
    woods.say(240, 0, {LEAK: 1.5})
    woods.hunted()
    assert woods.post("hunts/1/steps", {"kind": "not_found"})["state"] == "waiting"
    assert bring_back(woods.bush, woods.now) == 0
    CaseStep.objects.update(at=woods.now - timedelta(hours=5))
    assert bring_back(woods.bush, woods.now) == 0
    Sensor.objects.filter(tag="UPPER-FLOW").update(last_value=0.2 * GPH * TAPS, last_at=clock.now())
    assert bring_back(woods.bush, woods.now) == 1
    assert LeakCase.objects.get().state == "narrowing"


def test_a_phone_may_send_a_step_again(woods):
    woods.say(240, 0, {LEAK: 1.5})
    woods.hunted()
    body = {"kind": "note", "facts": {"text": "fresh tracks"}, "token": str(uuid.uuid4())}
    for _ in range(3):
        hunt = woods.post("hunts/1/steps", body)
    assert [step["facts"]["text"] for step in hunt["steps_log"]] == ["fresh tracks"]


def test_two_people_are_sent_two_ways(woods):
    woods.say(240, 0, {LEAK: 1.5})
    hunt = woods.hunted()
    first = hunt["advice"][0]["at"]
    woods.post("hunts/1/steps", {"kind": "going", "place": first})
    other = woods.farm.get("hunts/1", "owner").json()
    assert other["advice"][0]["at"] != first
    assert other["others"] == [{"who": "ashby-crew", "place": first}]
    assert woods.farm.get("hunts/1", "crew").json()["position"] == first


@pytest.mark.parametrize(("body", "field"), [
    ({"kind": "found", "place": LEAK, "facts": {"cause": "gremlins"}}, "facts.cause"),
    ({"kind": "look", "place": "NOWHERE"}, "place"), ({"kind": "look", "place": f"{LEAK}x"}, "place"),
    ({"kind": "shut", "place": LEAK, "facts": {"rose": True}}, "place"),
    ({"kind": "shut", "place": "M0.0"}, "facts.began_at"),
    ({"kind": "shut", "place": "M0.0", "facts": {"began_at": "2026-01-01T00:00:00Z"}}, "facts.began_at"),
    ({"kind": "note", "at": "2099-01-01T00:00:00Z"}, "at"), ({"kind": "repaired"}, "kind"), ({"kind": "dig"}, "kind"),
    ({"kind": "note", "facts": {"colour": "red"}}, "facts.colour"),
])
def test_wrong_steps_are_refused_by_name(woods, body, field):
    woods.say(240, 0, {LEAK: 1.5})
    woods.hunted()
    if body.get("place") == "M0.0":
        body = {**body, "place": next(n.tag for n in NETWORK.nodes if n.kind == "valve")}
    answer = woods.farm.post("hunts/1/steps", body, "crew")
    assert answer.status_code in (409, 422)
    assert answer.json()["errors"][0]["field"].endswith(field)
    assert not CaseStep.objects.exists()


def test_a_hunt_needs_something_to_go_by(woods):
    assert woods.post("hunts", {"bush": "upper"}, 409)["errors"][0]["field"] == "gauges"
    assert woods.post("hunts", {}, 422)["errors"][0]["field"] == "alarm"
    woods.say(20, 0)
    hunt = woods.post("hunts", {"bush": "upper", "main": MAIN})
    assert hunt["alarm"] is None
    assert woods.farm.post("hunts", {"bush": "upper"}, "viewer").status_code == 403
    assert [row["number"] for row in woods.farm.get("hunts").json()] == [1]


def test_gauges_learn_from_sound_hours_only(woods):
    from zucker.telemetry.actions.roll_up import roll_up

    tag = next(t for t, node in NETWORK.sensors.items() if node in NETWORK.mains[MAIN])
    woods.say(60 * 30, 1, shift={tag: -0.3 * INHG})
    roll_up(woods.now - timedelta(hours=31), woods.now)
    until = woods.now.replace(minute=0)
    assert learn_bush(woods.bush, until) >= 28
    state = GaugeState.objects.get(sensor__tag=tag)
    known = vacuum.Learned.from_json(state.learned)
    assert known.weight > 24
    # what the gauge reads low is put down to its offset and its way together
    drop = float(vacuum.steady(NETWORK, None, 0.1 * GPH).pressure_pa[NETWORK.sensors[tag]] - vacuum.steady(NETWORK, None, 0.1 * GPH).pressure_pa[0])
    assert float(known.drop_pa(drop)[0]) == pytest.approx(drop + 0.3 * INHG, abs=0.06 * INHG)
    assert learn_bush(woods.bush, until) == 0
    woods.watch()
    assert not Alarm.objects.exists()


def test_the_worker_knows_its_periodic_work_and_does_it(woods, settings):
    """Every jobs module is imported by the worker, and the watch runs as it would there."""
    import importlib

    from zucker.woods.jobs import learn_bushes, watch_bushes

    found = {path for path in settings.PROCRASTINATE_IMPORT_PATHS if importlib.import_module(path)}
    assert found == {"zucker.telemetry.jobs", "zucker.woods.jobs"}
    woods.say(240, 0, {LEAK: 1.5})
    watch_bushes.func(0)
    assert Alarm.objects.get().place == MAIN
    learn_bushes.func(0)


def test_a_releaser_that_counts_its_dumps_is_a_flow_and_evidence(farm, client):
    """Dumps become sap; too few of them beside the bush's own days speak for the releaser."""
    from zucker.telemetry.models import Rollup
    from zucker.woods.actions.watch_bush import dumps_of

    meter = Sensor.objects.get(tag="FLOW")
    bush = farm.operation.bushes.get()
    now = clock.now().replace(second=0, microsecond=0)
    assert dumps_of(bush, now) == (None, None)
    meter.dump_m3 = 0.02
    meter.save()
    sent = [{"sensor": "FLOW", "at": (now - timedelta(minutes=m)).isoformat(), "value": 12, "unit": "dumps/h"} for m in range(1, 20)]
    assert farm.readings(client, sent).json()["taken"] == 19
    assert meter.readings.get(at=now - timedelta(minutes=5)).value == pytest.approx(12 * 0.02 / 3600)
    assert dumps_of(bush, now) == (pytest.approx(12), None)
    hour = now.replace(minute=0)
    for day in range(1, 5):
        Rollup.objects.create(sensor=meter, width_s=3600, start=hour - timedelta(days=day), count=60, low=0, high=1, last=0,
                              mean=60 * 0.02 / 3600)
    dumps, usual = dumps_of(bush, now)
    assert usual == pytest.approx(60)
    assert dumps / usual == pytest.approx(0.2)
    wrong = farm.readings(client, [{"sensor": "S1", "at": now.isoformat(), "value": 1, "unit": "dumps/h"}]).json()
    assert wrong["refused"][0]["field"] == "unit"
