"""What the vacuum gauges of a made-up bush show: the core's physics with leaks, noise, drift and drop-outs."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
from zucker_core import vacuum
from zucker_core.units import PA_PER_INHG

from .bush import survey
from .places import SEED, START, Place, Valley
from .weather import ORIGIN, Weather

NOISE_PA = 0.08 * PA_PER_INHG
RESOLUTION_PA = 0.05 * PA_PER_INHG
THAW_AT_S = (START - timedelta(minutes=35) - ORIGIN).total_seconds()
DAY_S = 86_400.0
SLEPT_DAYS = range(4, 13)


class Gauges:
    """One valley's gauges. `leaks` (SCFM by node tag) can be opened and closed at any time."""

    def __init__(self, place: Place, valley: Valley, weather: Weather) -> None:
        self.place, self.valley, self.weather = place, valley, weather
        self.network = vacuum.Network.from_geojson(survey(place, valley))
        self.sensors = self.network.sensors
        rng = np.random.default_rng([SEED, valley.mains])
        # no two lines are alike: the model that judges them does not know these
        spread = {main: rng.uniform(0.88, 1.12) for main in self.network.mains}
        self.background = np.full(len(self.network), vacuum.BACKGROUND_SCFM_PER_TAP)
        for main, nodes in self.network.mains.items():
            self.background[nodes] *= spread[main]
        self.leaks: dict[str, tuple[float, float]] = {}
        for leak in place.leaks:
            if leak.main in self.network.mains:
                since = START - timedelta(hours=leak.hours_before)
                self.open(self.middle(leak.main), leak.scfm, (since - ORIGIN).total_seconds())

    @property
    def taps(self) -> int:
        return int(self.network.taps.sum())

    def middle(self, main: str) -> str:
        """The node half way along a mainline."""
        lines = self.network.lines
        nodes = [i for i in self.network.mains[main] if (line := lines[i]) and line.kind == "mainline"]
        return self.network.nodes[nodes[len(nodes) // 2]].tag

    def open(self, node: str, scfm: float, since_s: float) -> None:
        """Open a leak. Raises KeyError for a node that does not exist."""
        self.network.index[node]
        self.leaks[node] = (scfm, since_s)

    def close(self, node: str) -> None:
        """Mend it."""
        self.leaks.pop(node, None)

    def series(self, seconds: np.ndarray, rng: np.random.Generator, *, noise: bool = True) -> dict[str, np.ndarray]:
        """Readings of every gauge in Pa below the atmosphere, NaN where nothing was sent. `seconds` since ORIGIN."""
        sap = np.asarray(self.weather.at("sap", seconds))
        size = np.zeros((len(seconds), len(self.network)))
        for node, (scfm, since) in self.leaks.items():
            size[:, self.network.index[node]] = np.where(seconds >= since, scfm, 0.0)
        vacuum_pa = np.empty(size.shape)
        pressure = np.asarray(self.weather.at("pressure", seconds))
        for rows in np.array_split(np.arange(len(seconds)), max(1, len(seconds) // 400)):
            state = vacuum.steady(self.network, size[rows], sap[rows, None], background_scfm_per_tap=self.background)
            vacuum_pa[rows] = pressure[rows, None] - state.pressure_pa
        found = {}
        for tag, place in self.sensors.items():
            values = vacuum_pa[:, place].copy()
            if noise:
                values += _autocorrelated(rng, len(seconds)) * NOISE_PA
            values = self._troubles(tag, seconds, values)
            values = np.round(values / RESOLUTION_PA) * RESOLUTION_PA
            found[tag] = np.where(rng.random(len(seconds)) < 0.004, np.nan, values) if noise else values
        return found

    def _troubles(self, tag: str, seconds: np.ndarray, values: np.ndarray) -> np.ndarray:
        if self.place.drifting and tag == self.place.drifting[0]:
            start = (START - ORIGIN).total_seconds() - 10 * DAY_S
            values = values + self.place.drifting[1] * PA_PER_INHG * np.maximum(seconds - start, 0.0) / DAY_S
        if self.place.thawed and tag == f"{self.place.thawed}E":
            # its far end freezes at night and comes back when the sun reaches it
            since_thaw = seconds - THAW_AT_S
            frozen = (since_thaw > -11 * 3600) & (since_thaw < 0)
            values = np.where(frozen, values - 9.0 * PA_PER_INHG * np.minimum((since_thaw + 11 * 3600) / 14_400.0, 1.0), values)
            values = np.where(since_thaw >= 0, values - 9.0 * PA_PER_INHG * np.exp(-np.maximum(since_thaw, 0) / 900.0), values)
        for main, behind_min in self.place.shaded:
            if tag == f"{main}E":
                values = values - 9.0 * PA_PER_INHG * self._sleep(seconds, behind_min)
        return values

    def _sleep(self, seconds: np.ndarray, behind_min: float) -> np.ndarray:
        """1 while a shaded line sleeps, 0 when it is awake: after each frosty night until some days before the demo's start,
        from four in the morning until the sun has come to it."""
        asleep = np.zeros(len(seconds))
        today = START.replace(hour=0)
        for days in SLEPT_DAYS:
            midnight = (today - timedelta(days=days) + timedelta(hours=4) - ORIGIN).total_seconds()  # theirs, by the clock
            night = np.asarray(self.weather.at("temp_c", midnight + 3600.0 * np.arange(2, 8)))
            if night.min() > -1.0:
                continue
            wakes = midnight + 8.6 * 3600 + 60 * (behind_min + 11 * np.sin(days * 1.7))
            rising = np.clip((seconds - wakes + 900) / 900, 0, 1)
            asleep = np.maximum(asleep, np.where((seconds > midnight + 4 * 3600) & (seconds < wakes), 1 - rising, 0.0))
        return asleep


def _autocorrelated(rng: np.random.Generator, count: int) -> np.ndarray:
    """Unit noise, a third of whose variance carries over to the next reading."""
    white = rng.normal(0, 1, count)
    carried = np.empty(count)
    carried[0] = white[0]
    for i in range(1, count):
        carried[i] = 0.33 * carried[i - 1] + np.sqrt(1 - 0.33**2) * white[i]
    return carried


def seconds_of(moment: datetime) -> float:
    """Seconds since the weather's origin."""
    return (moment - ORIGIN).total_seconds()
