"""Pump stations: asked from afar, answered by their gateway, refused where it would not be safe."""

from datetime import timedelta

import pytest
from zucker import clock
from zucker.woods.models import Station, StationRequest

import standins.gateway
from standins.places import VELDHOEK
from standins.pump_house import PumpHouse


def tell(farm, client, **more):
    body = {"stations": [{"tag": "UN-PUMP", "bush": "north", "running": True, "hours": 12.5, "at": clock.now().isoformat(), **more}]}
    return client.post("/api/v1/stations", body, content_type="application/json", headers={"Authorization": f"Bearer {farm.token}"})


def answer(farm, client, number, done, reason=""):
    return client.post(f"/api/v1/stations/requests/{number}", {"done": done, "reason": reason}, content_type="application/json",
                       headers={"Authorization": f"Bearer {farm.token}"})


def test_asked_told_to_the_gateway_done_and_seen(farm, client):
    assert tell(farm, client).json() == {"requests": []}
    shown = farm.post("stations/UN-PUMP/requests", {"action": "stop"}, "crew").json()
    assert shown["requests"][0] | {"id": 0, "at": "", "answered_at": None} == {
        "id": 0, "action": "stop", "by": "ashby-crew", "at": "", "state": "asked", "reason": "", "answered_at": None}
    [asked] = tell(farm, client).json()["requests"]
    assert (asked["station"], asked["action"]) == ("UN-PUMP", "stop")
    assert answer(farm, client, asked["id"], True).json()["state"] == "done"
    tell(farm, client, running=False)
    [station] = farm.get("stations", "viewer").json()
    assert (station["running"], station["requests"][0]["state"], station["bush"]) == (False, "done", "north")


def test_local_control_silence_and_a_waiting_request_refuse(farm, client):
    def refused(body):
        answer = farm.post("stations/UN-PUMP/requests", body)
        assert answer.status_code == 409
        return answer.json()["errors"][0]["message"]

    tell(farm, client, local=True)
    assert "local control" in refused({"action": "stop"})
    tell(farm, client)
    assert "runs already" in refused({"action": "start"})
    farm.post("stations/UN-PUMP/requests", {"action": "stop"})
    assert "asked already" in refused({"action": "stop"})
    StationRequest.objects.all().delete()
    Station.objects.update(heard_at=clock.now() - timedelta(minutes=6))
    assert "not been heard" in refused({"action": "stop"})
    assert farm.get("stations").json()[0]["silent"]
    assert farm.post("stations/UN-PUMP/requests", {"action": "stop"}, "viewer").status_code == 403


def test_no_answer_within_two_minutes_is_told_and_a_late_one_still_counts(farm, client):
    tell(farm, client)
    farm.post("stations/UN-PUMP/requests", {"action": "stop"})
    StationRequest.objects.update(at=clock.now() - timedelta(minutes=3))
    assert farm.get("stations").json()[0]["requests"][0]["state"] == "no answer"
    assert tell(farm, client).json()["requests"] == []  # it is not done behind anybody's back
    number = StationRequest.objects.get().pk
    assert answer(farm, client, number, False, "float switch").json() | {"at": "", "answered_at": ""} == {
        "id": number, "action": "stop", "by": None, "at": "", "state": "refused", "reason": "float switch", "answered_at": ""}
    assert answer(farm, client, number, True).json()["state"] == "refused"  # the first answer stays


def test_a_device_hears_only_of_its_own(farm, neighbour, client):
    tell(farm, client)
    farm.post("stations/UN-PUMP/requests", {"action": "stop"})
    assert tell(neighbour, client).json() == {"requests": []}
    assert answer(neighbour, client, StationRequest.objects.get().pk, True).status_code == 404
    assert client.post("/api/v1/stations", {"stations": []}, content_type="application/json").status_code == 401


class Wire:
    """A server as the stand-in's gateway sees it, without a network."""

    def __init__(self, farm, client):
        self.farm, self.client = farm, client

    def tell_stations(self, stations):
        return self.client.post("/api/v1/stations", {"stations": stations}, content_type="application/json",
                                headers={"Authorization": f"Bearer {self.farm.token}"}).json()["requests"]

    def answer_station(self, request, done, reason):
        assert answer(self.farm, self.client, request, done, reason).status_code == 200


def test_the_stand_in_turns_its_pump_when_asked(farm, client):
    gateway = standins.gateway.Gateway(VELDHOEK, "http://127.0.0.1:9")
    gateway.server = Wire(farm, client)
    now = clock.now()
    assert gateway.tend_stations(now) == []
    farm.post("stations/AW-PUMP/requests", {"action": "stop"})
    assert gateway.tend_stations(now) == ["stop AW-PUMP: done"]
    assert not farm.get("stations").json()[0]["running"]
    # the switch is turned after the server last heard: the station itself refuses
    farm.post("stations/AW-PUMP/requests", {"action": "start"})
    gateway.houses[0].local = True
    assert "local" in gateway.tend_stations(now)[0]
    assert farm.get("stations").json()[0]["requests"][0]["state"] == "refused"


def test_lines_lose_their_vacuum_when_the_pump_stops():
    import numpy as np

    house = PumpHouse("P", "b", 10.0)
    assert house.asked("stop", 1000.0) == (True, "")
    share = house.share(np.array([900.0, 1000.0, 1420.0, 5000.0]))
    assert share[0] == 1.0
    assert share[2] == pytest.approx(np.exp(-1), rel=0.02)
    assert share[3] < 1e-3
    house.asked("start", 6000.0)
    assert house.share(np.array([5900.0, 7000.0]))[1] > 0.99
