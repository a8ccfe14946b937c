"""The made-up bush: a sound network on a sound hillside, gauges that obey physics, a gateway that forgets nothing."""

import json
from datetime import timedelta

import httpx
import numpy as np
import pytest
from zucker_core import vacuum

from standins import landscape
from standins.bush import survey
from standins.gateway import Gateway, control
from standins.gauges import Gauges, seconds_of
from standins.places import HARROW, PLACES, START, VELDHOEK
from standins.post import Server
from standins.season import past_runs, taps_of
from standins.weather import Weather, weather_file

INHG = 3386.389
NOON = np.array([seconds_of(START)])


def quiet(gauges, at=NOON):
    """What the gauges would show without noise."""
    return {tag: float(values[0]) for tag, values in gauges.series(at, np.random.default_rng(0), noise=False).items()}


@pytest.fixture(scope="module")
def camp():
    return Gauges(VELDHOEK, VELDHOEK.valleys[0], Weather(VELDHOEK))


@pytest.mark.parametrize("place", PLACES, ids=lambda p: p.slug)
def test_surveys_make_networks_that_run_downhill(place):
    for valley in place.valleys:
        network = vacuum.Network.from_geojson(survey(place, valley))
        assert len(network.mains) == valley.mains
        assert {f"{main}E" for main in network.mains} <= set(network.sensors)
        # a few short stretches may lie level or sag, as they do in any woods
        assert len(network.warnings) < 0.03 * len(network)
        assert survey(place, valley) == survey(place, valley)


def test_the_demo_has_the_taps_it_promises():
    assert taps_of(HARROW) == pytest.approx(6800, rel=0.02)
    assert HARROW.hauled_taps == 900
    assert taps_of(VELDHOEK) == pytest.approx(900, rel=0.06)


def test_the_hillside_rises_from_the_pumps():
    for valley in HARROW.valleys:
        along = [landscape.elevation(HARROW, *landscape.point(valley, s, 0.0)) for s in (0, 150, 300, 450, 600)]
        assert (np.diff(along) > 0).all()
        s, t = landscape.along(valley, *landscape.point(valley, 120.0, -40.0))
        assert (s, t) == (pytest.approx(120.0), pytest.approx(-40.0))


def test_contours_lie_on_the_hillside():
    flat = landscape.projection(HARROW)
    lines = landscape.contours(HARROW, (-600, -200), (600, 800), step_m=20)
    assert {line["elevation_m"] % 20 for line in lines} == {0.0}
    for line in lines[::4]:
        x, y = flat(*np.array(line["points"]).T)
        assert landscape.elevation(HARROW, x, y) == pytest.approx(line["elevation_m"], abs=1.5)


def test_weather_is_the_same_every_time_and_sap_needs_frost():
    first, second = Weather(HARROW), Weather(HARROW)
    assert np.array_equal(first.temp_c, second.temp_c)
    assert first.at("sap", START) > 0.1 * 3.785e-3 / 3600
    assert first.at("sap", START + timedelta(hours=12)) == 0.0  # two in the morning, under frost
    assert (first.sap >= 0).all()
    assert first.sap[first.temp_c < 0].max() == 0.0
    rows = weather_file(HARROW, START).splitlines()
    assert rows[0] == "at,temp_c,wind_m_s,kind"
    assert [row.rsplit(",", 1)[1] for row in rows[1:]] == ["measured"] * 73 + ["forecast"] * 48


def test_a_leak_is_felt_most_on_its_own_line(camp):
    before = quiet(camp)
    node = camp.middle("AW-02")
    camp.open(node, 1.5, seconds_of(START) - 600)
    after = quiet(camp)
    fall = {tag: before[tag] - after[tag] for tag in before}
    assert max(fall, key=fall.get) == "AW-02E"
    assert fall["AW-02E"] > 1.0 * INHG
    assert all(value >= -1e-6 for value in fall.values())
    # before it was opened nothing is felt
    assert quiet(camp, NOON - 3600)["AW-02E"] == pytest.approx(quiet_without(camp, node), abs=0.06 * INHG)
    camp.close(node)
    assert quiet(camp) == before
    with pytest.raises(KeyError):
        camp.open("nowhere", 1.0, 0.0)


def quiet_without(camp, node):
    scfm, since = camp.leaks.pop(node)
    found = quiet(camp, NOON - 3600)["AW-02E"]
    camp.leaks[node] = (scfm, since)
    return found


def test_gauges_have_noise_resolution_and_gaps(camp):
    seconds = np.arange(NOON[0] - 4000 * 60.0, NOON[0], 60.0)
    values = camp.series(seconds, np.random.default_rng(1))["AW-01E"]
    gaps = np.isnan(values)
    assert 0 < gaps.mean() < 0.02
    steps = values[~gaps] / (0.05 * INHG)
    assert steps == pytest.approx(np.round(steps), abs=1e-6)
    clean = camp.series(seconds, np.random.default_rng(1), noise=False)["AW-01E"]
    assert np.nanstd(values - clean) == pytest.approx(0.08 * INHG, rel=0.2)


def test_what_is_wrong_in_the_demo_today():
    weather = Weather(HARROW)
    upper, hollow = (Gauges(HARROW, valley, weather) for valley in HARROW.valleys)
    yesterday = NOON - 86_400
    assert quiet(upper, yesterday)["UN-07E"] - quiet(upper)["UN-07E"] > 1.0 * INHG
    drift = [quiet(hollow, NOON - day * 86_400)["CH-08E"] for day in (8, 4, 0)]
    assert drift[0] > drift[1] > drift[2]
    dawn = NOON - 4 * 3600
    assert quiet(upper)["UN-12E"] - quiet(upper, dawn)["UN-12E"] > 5 * INHG


class Recorder:
    """A server of a few lines: keeps what is posted, fails when told to."""

    def __init__(self):
        self.taken, self.failing = [], False

    def __call__(self, request):
        if self.failing:
            return httpx.Response(503)
        if request.url.path.endswith("/clock"):
            return httpx.Response(200, json={"now": START.isoformat(), "pace": 60.0})
        readings = json.loads(request.content)["readings"]
        self.taken += readings
        return httpx.Response(200, json={"taken": len(readings), "known": 0, "refused": []})


def attach(server, recorder):
    server.client = httpx.Client(base_url="http://zucker.invalid", transport=httpx.MockTransport(recorder))


def test_what_a_failing_server_did_not_take_is_sent_again():
    recorder, server = Recorder(), Server("http://zucker.invalid", "token")
    attach(server, recorder)
    for minute in range(5):
        server.queue("S1", START + timedelta(minutes=minute), 24.0, "inHg")
    recorder.failing = True
    with pytest.raises(httpx.HTTPStatusError):
        server.flush()
    assert len(server.waiting) == 5
    recorder.failing = False
    assert server.flush() == 5
    assert [r["at"] for r in recorder.taken] == sorted(r["at"] for r in recorder.taken)
    assert not server.waiting


def test_the_gateway_follows_the_servers_clock():
    recorder, gateway = Recorder(), Gateway(VELDHOEK, "http://zucker.invalid")
    attach(gateway.server, recorder)
    now = gateway.server.now()
    assert START <= now < START + timedelta(minutes=1)
    gateway.run_to(now)
    gateway.run_to(now + timedelta(minutes=7))
    times = {r["at"] for r in recorder.taken if r["sensor"] == "AW-FLOW"}
    assert len(times) == 9
    assert {r["unit"] for r in recorder.taken} == {"inHg", "gph"}
    assert gateway.run_to(now + timedelta(minutes=7)) == 0


def test_leaks_open_and_close_on_command():
    recorder, gateway = Recorder(), Gateway(VELDHOEK, "http://zucker.invalid")
    attach(gateway.server, recorder)
    switchboard = control([gateway], 0)
    url = f"http://127.0.0.1:{switchboard.server_address[1]}/leaks"
    try:
        assert httpx.post(url, json={"node": "AW-03.5", "scfm": 0.7}).status_code == 201
        assert httpx.get(url).json() == {"AW-03.5": 0.7}
        assert httpx.post(url, json={"node": "XX-1", "scfm": 1}).status_code == 404
        httpx.delete(f"{url}/AW-03.5")
        assert httpx.get(url).json() == {}
    finally:
        switchboard.shutdown()


def test_past_runs_are_plausible_and_repeatable():
    weather = Weather(HARROW)
    runs = past_runs(HARROW, weather)
    assert runs == past_runs(HARROW, weather)
    assert 8 <= len(runs) <= 21
    assert [run["number"] for run in runs] == list(range(1, len(runs) + 1))
    for run in runs:
        assert run["started_at"] < run["closed_at"]
        assert all(run["started_at"] <= draw["at"] <= run["closed_at"] for draw in run["draws"])
        assert {m["side"] for m in run["measures"]} == {"in", "within", "out", "held after"}
        drawn = sum(draw["volume_m3"] for draw in run["draws"])
        assert drawn == pytest.approx(run["plan"]["syrup_m3"], rel=0.12)
