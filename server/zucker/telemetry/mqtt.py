"""Readings from radio gateways over MQTT: the same payload as over HTTP, stored in batches, acknowledged when stored."""

from __future__ import annotations

import queue
import time
from dataclasses import dataclass

import paho.mqtt.client as mqtt
import structlog
from django.db import OperationalError, close_old_connections
from paho.mqtt.enums import CallbackAPIVersion

from ..config.errors import Refused
from ..people.models import Operation
from .actions.take_readings import take_readings
from .parsing import RawReading, parse_readings

log = structlog.get_logger()
MOST_MESSAGES = 500
GATHER_S = 0.1
QOS = 1


@dataclass
class Told:
    """What the bridge has done since it started."""

    messages: int = 0
    taken: int = 0
    known: int = 0
    refused: int = 0


class Bridge:
    """One operation's bridge. A message is acknowledged to the broker after its readings are committed, and the
    broker keeps what is not acknowledged for this client: neither end's restart loses one. Sending twice is harmless."""

    def __init__(self, operation: Operation, host: str, port: int, topic: str, name: str) -> None:
        self.operation, self.host, self.port, self.topic = operation, host, port, topic
        self.told = Told()
        self._waiting: queue.Queue[mqtt.MQTTMessage] = queue.Queue()
        self.client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=name, clean_session=False, manual_ack=True)
        self.client.reconnect_delay_set(1, 10)
        self.client.on_connect = self._on_connect
        self.client.on_message = lambda client, data, message: self._waiting.put(message)

    def _on_connect(self, client: mqtt.Client, data: object, flags: object, reason: object, properties: object) -> None:
        log.info("broker", host=self.host, topic=self.topic, reason=str(reason))
        client.subscribe(self.topic, QOS)

    def start(self) -> None:
        """Connect, and keep connecting, in paho's own thread."""
        self.client.connect_async(self.host, self.port, keepalive=20)
        self.client.loop_start()

    def stop(self) -> None:
        self.client.disconnect()
        self.client.loop_stop()

    def work(self, seconds: float) -> Told:
        """Store what comes for so long; returns the count since the start."""
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            batch = self._gather(min(left, 1.0))
            if batch:
                self._store(batch)
        return self.told

    def _gather(self, seconds: float) -> list[mqtt.MQTTMessage]:
        """Messages of a tenth of a second, so that a thousand a second cost ten transactions."""
        try:
            batch = [self._waiting.get(timeout=seconds)]
        except queue.Empty:
            return []
        end = time.monotonic() + GATHER_S
        while len(batch) < MOST_MESSAGES and (left := end - time.monotonic()) > 0:
            try:
                batch.append(self._waiting.get(timeout=left))
            except queue.Empty:
                break
        return batch

    def _store(self, batch: list[mqtt.MQTTMessage]) -> None:
        readings: list[RawReading] = []
        for message in batch:
            try:
                payload = bytes(message.payload)
                readings += parse_readings(payload, _kind_of(payload))
            except Refused as fault:
                self.told.refused += 1
                log.warning("message refused", topic=message.topic, field=fault.field, reason=fault.message)
        while True:
            try:
                result = take_readings(self.operation, readings)
                break
            except OperationalError as error:  # the database is away: nothing is acknowledged until it is back
                log.warning("database away", reason=str(error).splitlines()[0])
                close_old_connections()
                time.sleep(1.0)
        for message in batch:
            self.client.ack(message.mid, message.qos)
        self.told.messages += len(batch)
        self.told.taken += result.taken
        self.told.known += result.known
        self.told.refused += len(result.refused)


def _kind_of(payload: bytes) -> str:
    """JSON, newline-delimited JSON or CSV, told by how the message begins."""
    start = payload.lstrip()[:200]
    if not start.startswith(b"{"):
        return "text/csv"
    return "application/json" if b'"readings"' in start else "application/x-ndjson"
