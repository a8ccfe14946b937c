"""Sending readings over HTTP as any gateway would: batches, patience, nothing forgotten."""

from __future__ import annotations

import time
from collections import deque
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx

KEEP = 200_000
BATCH = 5_000
IDLE_S = 1.0
"""A connection is given up after so long: a server that closes it after two seconds must not do so under a request."""


class Server:
    """Zucker seen by a device: its clock, and where to put readings."""

    def __init__(self, url: str, token: str) -> None:
        self.client = httpx.Client(
            base_url=url, headers={"Authorization": f"Bearer {token}"}, timeout=20.0,
            limits=httpx.Limits(keepalive_expiry=IDLE_S))
        self.waiting: deque[dict[str, Any]] = deque(maxlen=KEEP)
        self._clock: tuple[float, datetime, float] | None = None

    def now(self) -> datetime:
        """The server's time, asked for every five seconds. Raises httpx.HTTPError."""
        if self._clock is None or time.monotonic() - self._clock[0] > 5.0:
            answer = self.client.get("/api/v1/clock").raise_for_status().json()
            self._clock = (time.monotonic(), datetime.fromisoformat(answer["now"]), float(answer["pace"]))
        asked, moment, pace = self._clock
        return moment + timedelta(seconds=(time.monotonic() - asked) * pace)

    def queue(self, sensor: str, at: datetime, value: float, unit: str) -> None:
        """Keep a reading until the server has said that it has it."""
        self.waiting.append({"sensor": sensor, "at": at.astimezone(UTC).isoformat(), "value": value, "unit": unit})

    def flush(self) -> int:
        """Send what waits; returns how many were new. What fails is kept and sent again: sending twice is harmless."""
        new = 0
        while self.waiting:
            batch = [self.waiting[i] for i in range(min(BATCH, len(self.waiting)))]
            answer = self.client.post("/api/v1/readings", json={"readings": batch}).raise_for_status().json()
            for _ in batch:
                self.waiting.popleft()
            new += answer["taken"]
            for refused in answer["refused"][:3]:
                print(f"refused: {refused['field']} {refused['message']}", flush=True)
        return new

    def tell_stations(self, stations: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Say how pump stations stand; returns what is asked of them. Raises httpx.HTTPError."""
        answer = self.client.post("/api/v1/stations", json={"stations": stations}).raise_for_status().json()
        return list(answer["requests"])

    def answer_station(self, request: int, done: bool, reason: str) -> None:
        """A request was met, or refused and why. Raises httpx.HTTPError."""
        self.client.post(f"/api/v1/stations/requests/{request}", json={"done": done, "reason": reason}).raise_for_status()
