"""A bush's gauges by the minute beside their usual: what learning, watching and locating start from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from zucker_core import vacuum
from zucker_core.sugar import station_pressure

from ..telemetry.models import Kind, Reading, Rollup, Sensor
from ..telemetry.queries import latest_of, sensors_by_part
from .models import Bush, GaugeState
from .networks import network_of

MINUTE = timedelta(minutes=1)
BLOCK = 10
"""Minutes for which one usual is computed: sap and barometer do not move faster."""


@dataclass(frozen=True)
class Minutes:
    """T minutes of a bush's S gauges. falls_pa : usual by the pump's own curve less actual (T, S), NaN where
    nothing came; model_pa : the model's pressures (T, S) before anything learned; read_pa : absolute (T, S);
    outside_pa : the atmosphere's (T,)."""

    bush: Bush
    network: vacuum.Network
    at: list[datetime]
    tags: tuple[str, ...]
    falls_pa: np.ndarray
    model_pa: np.ndarray
    read_pa: np.ndarray
    dead_head_pa: float
    sap_m3_s: np.ndarray
    air_c: np.ndarray
    outside_pa: np.ndarray

    @property
    def rate(self) -> float:
        """Sap of one tap lately, m³/s."""
        return float(np.nanmean(self.sap_m3_s[-BLOCK:])) / max(float(self.network.taps.sum()), 1.0)


def learned_of(sensors: Mapping[str, Sensor]) -> dict[str, vacuum.Learned]:
    """What these gauges have taught, by tag."""
    rows = GaugeState.objects.filter(sensor__in=list(sensors.values())).select_related("sensor")
    return {row.sensor.tag: vacuum.Learned.from_json(row.learned) for row in rows if row.learned}


def minutes_of(bush: Bush, since: datetime, until: datetime, *, dials: bool = False) -> Minutes | None:
    """Readings of (since, until] by the minute; None where the bush has no gauges. `dials`: those read by hand too."""
    network = network_of(bush)
    operation = bush.operation
    sensors = {s.tag: s for s in Sensor.objects.of(operation).filter(tag__in=list(network.sensors))
               if dials or not s.by_hand}
    tags = tuple(tag for tag in network.sensors if tag in sensors)
    count = int((until - since) / MINUTE)
    if not tags or count <= 0:
        return None
    parts = sensors_by_part(operation)
    others = {
        "sap": parts.get((f"releaser {bush.slug}", Kind.FLOW)), "air": parts.get(("outdoors", Kind.TEMPERATURE)),
        "atmosphere": parts.get(("barometer", Kind.PRESSURE)),
    }
    columns = [sensors[tag] for tag in tags] + [s for s in others.values() if s is not None]
    grid = _grid([s.pk for s in columns], since, count)
    around = {}
    left = len(tags)
    for name, fallback in (("sap", 0.0), ("air", 3.0), ("atmosphere", float(station_pressure(operation.elevation_m)))):
        sensor = others[name]
        if sensor is None:
            around[name] = np.full(count, fallback)
            continue
        known = latest_of(sensor)
        around[name] = _filled(grid[:, left], known.value if known else fallback)
        left += 1
    read = around["atmosphere"][:, None] - grid[:, : len(tags)]
    model, dead_head = _model(network, tags, np.maximum(around["sap"], 0.0))
    usual = _learned(network, tags, model, dead_head, learned_of(sensors))
    at = [since + MINUTE * (i + 1) for i in range(count)]
    return Minutes(
        bush, network, at, tags, read - usual, model, read, dead_head, around["sap"], around["air"], around["atmosphere"])


def recent_means(falls_pa: np.ndarray) -> np.ndarray:
    """(S,) means of the last ten minutes in which anything came, NaN where nothing did."""
    heard = np.flatnonzero(np.isfinite(falls_pa).any(axis=1))
    end = int(heard[-1]) + 1 if len(heard) else len(falls_pa)
    last = falls_pa[max(end - BLOCK, 0) : end]
    seen = np.isfinite(last)
    count = seen.sum(axis=0)
    return np.where(count > 0, np.where(seen, last, 0.0).sum(axis=0) / np.maximum(count, 1), np.nan)


ROUND_LASTS = timedelta(hours=4)
"""For so long what was read on a gauge round says how things are."""


@dataclass(frozen=True)
class DialReading:
    """What a dial showed on the last round: when, Pa below the atmosphere, and its fall below what was usual then."""

    at: datetime
    vacuum_pa: float
    fall_pa: float


def dials_of(bush: Bush, now: datetime) -> dict[str, DialReading]:
    """The last round's dials, by tag. Each is compared with the usual of the minute in which it was read, so that a round
    of an hour under changing sap is worth as much as one at a glance."""
    tags = set(Sensor.objects.of(bush.operation).filter(nodes__bush=bush, by_hand=True, last_at__gt=now - ROUND_LASTS)
               .values_list("tag", flat=True))
    if not tags:
        return {}
    minutes = minutes_of(bush, now - ROUND_LASTS, now, dials=True)
    if minutes is None:
        return {}
    found = {}
    for column, tag in enumerate(minutes.tags):
        read = np.flatnonzero(np.isfinite(minutes.falls_pa[:, column]))
        if tag in tags and len(read):
            row = int(read[-1])
            vacuum_pa = float(minutes.outside_pa[row] - minutes.read_pa[row, column])
            found[tag] = DialReading(minutes.at[row], vacuum_pa, float(minutes.falls_pa[row, column]))
    return found


def hourly_of(minutes: Minutes, days: float) -> np.ndarray:
    """(H, S) falls by the hour over the last days, from rollups; NaN where there are none."""
    count = int(days * 24)
    since = minutes.at[-1].replace(minute=0, second=0, microsecond=0) - timedelta(hours=count)
    return means_of(minutes.bush, minutes.network, minutes.tags, since, count, timedelta(hours=1))


def means_of(
    bush: Bush, network: vacuum.Network, tags: tuple[str, ...], since: datetime, count: int, width: timedelta
) -> np.ndarray:
    """(T, S) falls as means over ten minutes or hours from `since` on, from rollups; NaN where there are none."""
    sensors = {s.tag: s for s in Sensor.objects.of(bush.operation).filter(tag__in=tags)}
    parts = sensors_by_part(bush.operation)
    flow, barometer = parts.get((f"releaser {bush.slug}", Kind.FLOW)), parts.get(("barometer", Kind.PRESSURE))
    column = {s.pk: i for i, s in enumerate([*(sensors[tag] for tag in tags), *(s for s in (flow, barometer) if s)])}
    grid = np.full((count, len(tags) + 2), np.nan)
    rows = Rollup.objects.filter(
        sensor_id__in=column, width_s=int(width.total_seconds()), start__gte=since, start__lt=since + width * count)
    for pk, start, mean in rows.values_list("sensor_id", "start", "mean"):
        step = int((start - since) / width)
        if 0 <= step < count:
            grid[step, column[pk]] = mean
    sap = _filled(grid[:, column[flow.pk]], 0.0) if flow else np.zeros(count)
    standard = float(station_pressure(bush.operation.elevation_m))
    outside = _filled(grid[:, column[barometer.pk]], standard) if barometer else np.full(count, standard)
    model, dead_head = _model(network, tags, np.maximum(np.repeat(sap, BLOCK), 0.0))
    usual = _learned(network, tags, model[::BLOCK], dead_head, learned_of(sensors))
    return outside[:, None] - grid[:, : len(tags)] - usual


def _grid(sensor_ids: list[int], since: datetime, count: int) -> np.ndarray:
    """(T, S) last value of each minute, NaN where there is none."""
    column = {pk: i for i, pk in enumerate(sensor_ids)}
    grid = np.full((count, len(sensor_ids)), np.nan)
    rows = Reading.objects.filter(sensor_id__in=sensor_ids, at__gt=since, at__lte=since + MINUTE * count).order_by("at")
    for pk, at, value in rows.values_list("sensor_id", "at", "value"):
        minute = min(int(-(-(at - since) // MINUTE)) - 1, count - 1)
        grid[minute, column[pk]] = value
    return grid


def _filled(values: np.ndarray, fallback: float) -> np.ndarray:
    """Gaps take the last value before them."""
    seen = np.isfinite(values)
    if not seen.any():
        return np.full(len(values), fallback)
    last = np.maximum.accumulate(np.where(seen, np.arange(len(values)), -1))
    return np.where(last >= 0, values[np.maximum(last, 0)], values[seen][0])


def _model(network: vacuum.Network, tags: tuple[str, ...], sap_m3_s: np.ndarray) -> tuple[np.ndarray, float]:
    """The model's absolute pressures at the gauges (T, S), and the pump's with nothing to pull."""
    blocks = np.arange(len(sap_m3_s)) // BLOCK
    rates = np.bincount(blocks, weights=sap_m3_s) / np.bincount(blocks) / max(float(network.taps.sum()), 1.0)
    state = vacuum.steady(network, None, rates[:, None] * np.ones(len(network)))
    pressure = np.atleast_2d(state.pressure_pa)[:, [network.sensors[tag] for tag in tags]]
    pump = network.pump
    assert pump is not None
    return pressure[blocks], float(pump.pressure_for(0.0))


def _learned(
    network: vacuum.Network, tags: tuple[str, ...], model: np.ndarray, dead_head: float, learned: Mapping[str, vacuum.Learned]
) -> np.ndarray:
    """The usual pressures: the model's, corrected by what each gauge has taught; drops add to the pump's own."""
    pump_tag = network.nodes[0].sensor or ""
    pump = model[:, tags.index(pump_tag)] if pump_tag in tags else None
    usual = model.copy()
    known = learned.get(pump_tag)
    if pump is not None and known is not None and known.weight >= vacuum.ENOUGH_HOURS:
        usual[:, tags.index(pump_tag)] = dead_head + known.drop_pa(pump - dead_head)[0]
    start = pump if pump is not None else model.min(axis=1)
    base = usual[:, tags.index(pump_tag)] if pump is not None else start
    for i, tag in enumerate(tags):
        if tag == pump_tag:
            continue
        known = learned.get(tag)
        drop = model[:, i] - start
        if known is not None and known.weight >= vacuum.ENOUGH_HOURS:
            drop = known.drop_pa(drop)[0]
        usual[:, i] = base + drop
    return usual
