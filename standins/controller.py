"""The sugarhouse controller: tanks, membrane, pan and barometer, sent each minute."""

from __future__ import annotations

import time
from datetime import datetime, timedelta

import httpx
import numpy as np

from .house import House
from .places import SEED, START, TOKENS, Place
from .post import Server
from .season import taps_of
from .weather import Weather

EVERY = timedelta(minutes=1)
MOST_AT_ONCE = 240


class Controller:
    """One operation's sugarhouse, minute by minute, from the state in which the demo's history left it."""

    def __init__(self, place: Place, url: str, house: House) -> None:
        self.place, self.server, self.house = place, Server(url, TOKENS[place.slug]), house
        self.weather, self.taps = Weather(place), taps_of(place)
        self.rng = np.random.default_rng([SEED, 11])
        self.stood_at = START

    def run_to(self, now: datetime) -> int:
        """Move the house on to `now` and send each minute of it; returns how many readings were new."""
        for _ in range(MOST_AT_ONCE):
            moment = self.stood_at + EVERY
            if moment > now:
                break
            self.house.step(moment, float(self.weather.at("sap", moment)) * self.taps)
            self.stood_at = moment
            for sensor, (value, unit) in self.house.readings(moment, self.rng).items():
                self.server.queue(sensor, moment, value, unit)
        return self.server.flush()


def run(places: tuple[Place, ...], url: str, houses: dict[str, House]) -> None:
    """Send for ever; an unreachable server is tried again."""
    controllers = [Controller(place, url, houses[place.slug]) for place in places]
    while True:
        for controller in controllers:
            try:
                controller.run_to(controller.server.now())
            except httpx.HTTPError as error:
                print(f"sugarhouse controller: {type(error).__name__}, trying again", flush=True)
                time.sleep(2.0)
        time.sleep(1.0)
