"""A server killed with -9 while readings come in: all that it said it had taken is there."""

import os
import signal
import threading
import time
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from zucker.telemetry.models import Reading

from .conftest import PORT, found_farm, start_server


@pytest.mark.django_db(transaction=True)
def test_every_reading_answered_as_taken_survives_kill_9():
    farm = found_farm("ashby")
    start = datetime.now(UTC).replace(microsecond=0) - timedelta(days=3)
    answered: list[tuple[int, int]] = []
    killed = threading.Event()

    def send(number):
        for batch in range(number, 4000, 3):
            at = [start + timedelta(seconds=10 * batch + i * 0.1) for i in range(100)]
            body = {"readings": [{"sensor": "S1", "at": t.isoformat(), "value": 24.0, "unit": "inHg"} for t in at]}
            try:
                answer = httpx.post(f"http://127.0.0.1:{PORT}/api/v1/readings", json=body, timeout=10,
                                    headers={"Authorization": f"Bearer {farm.token}"})
            except httpx.HTTPError:
                return
            if answer.status_code == 200:
                answered.append((batch, answer.json()["taken"]))
            if killed.is_set():
                return

    server = start_server()
    senders = [threading.Thread(target=send, args=(n,)) for n in range(3)]
    for sender in senders:
        sender.start()
    while len(answered) < 25:
        time.sleep(0.02)
    killed.set()
    os.killpg(server.pid, signal.SIGKILL)
    server.wait()
    for sender in senders:
        sender.join()
    again = start_server()
    try:
        assert len(answered) >= 25
        for batch, taken in answered:
            first = start + timedelta(seconds=10 * batch)
            there = Reading.objects.filter(sensor__tag="S1", at__gte=first, at__lt=first + timedelta(seconds=10)).count()
            assert there == taken == 100
    finally:
        os.killpg(again.pid, signal.SIGTERM)
        again.wait()
