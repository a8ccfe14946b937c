"""The MQTT bridge against Debian's mosquitto: every message once, through restarts of either end."""

from __future__ import annotations

import json
import shutil
import subprocess
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import paho.mqtt.client as mqtt
import pytest
from paho.mqtt.enums import CallbackAPIVersion
from zucker.telemetry.models import Reading
from zucker.telemetry.mqtt import Bridge

from .conftest import WORKER, found_farm

PORT = 18_830 + WORKER
MOSQUITTO = shutil.which("mosquitto") or "/usr/sbin/mosquitto"
START = datetime(2026, 3, 1, tzinfo=UTC)
pytestmark = pytest.mark.django_db(transaction=True)


class Broker:
    """mosquitto with its messages kept on disk."""

    def __init__(self, folder: Path) -> None:
        self.config = folder / "mosquitto.conf"
        # as root mosquitto would drop to a user who may not write here
        self.config.write_text(
            f"listener {PORT} 127.0.0.1\nallow_anonymous true\npersistence true\npersistence_location {folder}/\n"
            "autosave_on_changes true\nautosave_interval 1\nmax_queued_messages 0\nmax_inflight_messages 1000\nuser root\n")
        self.start()

    def start(self) -> None:
        self.process = subprocess.Popen([MOSQUITTO, "-c", str(self.config)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(0.5)

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(10)


@pytest.fixture
def broker(tmp_path):
    running = Broker(tmp_path)
    yield running
    running.stop()


@pytest.fixture
def farm():
    return found_farm("ashby")


def publish(messages: list[bytes | str], topic: str = "zucker/ashby/readings") -> float:
    """Send with QoS 1 and wait for the broker's word on each; returns the seconds it took."""
    client = mqtt.Client(CallbackAPIVersion.VERSION2)
    client.max_inflight_messages_set(2000)
    client.connect("127.0.0.1", PORT)
    client.loop_start()
    begun = time.monotonic()
    for sent in [client.publish(topic, message, qos=1) for message in messages]:
        sent.wait_for_publish(30)
    took = time.monotonic() - begun
    client.disconnect()
    client.loop_stop()
    return took


def reading(second: int, **more: object) -> dict[str, object]:
    return {"sensor": "S1", "at": (START + timedelta(seconds=second)).isoformat(), "value": 24.0, "unit": "inHg", **more}


def bridge_for(farm) -> Bridge:
    bridge = Bridge(farm.operation, "127.0.0.1", PORT, "zucker/ashby/readings", "zucker-test")
    bridge.start()
    bridge.work(1.0)  # until it has subscribed once; the broker remembers it from now on
    return bridge


def stored(farm) -> int:
    return Reading.objects.filter(sensor__operation=farm.operation, sensor__tag="S1", at__gte=START).count()


def test_messages_of_every_format_are_stored(broker, farm):
    bridge = bridge_for(farm)
    publish([json.dumps({"readings": [reading(1), reading(2)]}), json.dumps(reading(3)) + "\n" + json.dumps(reading(4)),
             f"sensor,at,value,unit\nS1,{START.isoformat()},24.0,inHg\n", "not a reading", json.dumps({"readings": [reading(5, unit="miles")]})])
    told = bridge.work(3.0)
    bridge.stop()
    assert stored(farm) == 5
    assert told.messages == 5
    assert told.refused == 2


def test_nothing_is_lost_when_bridge_and_broker_restart(broker, farm):
    bridge_for(farm).stop()
    publish([json.dumps(reading(i)) for i in range(300)])  # the bridge is away: the broker keeps them
    time.sleep(1.5)
    broker.stop()
    broker.start()
    bridge = bridge_for(farm)
    bridge.work(2.0)
    assert stored(farm) == 300
    broker.stop()  # under the running bridge
    broker.start()
    publish([json.dumps(reading(i)) for i in range(300, 400)])
    bridge.work(6.0)
    bridge.stop()
    assert stored(farm) == 400


def test_what_was_not_stored_comes_again(broker, farm, monkeypatch):
    import zucker.telemetry.mqtt as module

    bridge = bridge_for(farm)

    def die(*args: object) -> None:
        raise RuntimeError("killed while storing")

    publish([json.dumps(reading(i)) for i in range(50)])
    with monkeypatch.context() as broken:
        broken.setattr(module, "take_readings", die)
        with pytest.raises(RuntimeError):
            bridge.work(2.0)
    bridge.stop()
    assert stored(farm) == 0
    again = bridge_for(farm)
    again.work(2.0)
    again.stop()
    assert stored(farm) == 50


def test_a_thousand_messages_a_second_are_kept_up_with(broker, farm):
    bridge = bridge_for(farm)
    publish([json.dumps(reading(i)) for i in range(3000)])
    begun = time.monotonic()
    while stored(farm) < 3000 and time.monotonic() - begun < 30:
        bridge.work(0.25)
    bridge.stop()
    assert stored(farm) == 3000
