"""Let each gauge teach its offset and its way's resistance, from hours in which all was sound."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
import structlog
from django.db import transaction
from zucker_core import vacuum
from zucker_core.sugar import station_pressure
from zucker_core.units import PA_PER_INHG

from ...telemetry.models import Kind, Rollup, Sensor
from ...telemetry.queries import sensors_by_part
from ..models import Alarm, Bush, GaugeState
from ..networks import network_of

log = structlog.get_logger()
HOUR_S = 3600
PUMPING_PA = 10.0 * PA_PER_INHG
BACK = timedelta(days=14)
SETTLES = timedelta(hours=2)
"""Before an alarm and after it, what the gauges showed teaches nothing."""


@transaction.atomic
def learn_bush(bush: Bush, until: datetime) -> int:
    """Take in the hours (from rollups) since each gauge last learned, at most two weeks; returns how many.

    Hours with the pump off, and gauges under an alarm, are passed over.
    """
    network = network_of(bush)
    sensors = {s.tag: s for s in Sensor.objects.of(bush.operation).filter(tag__in=list(network.sensors))}
    pump_tag = network.nodes[0].sensor or ""
    if pump_tag not in sensors or network.pump is None:
        return 0
    states = {s.sensor_id: s for s in GaugeState.objects.select_for_update().filter(sensor__in=list(sensors.values()))}
    for sensor in sensors.values():
        states.setdefault(sensor.pk, GaugeState(sensor=sensor))
    since = max(min((s.learned_to or until - BACK for s in states.values()), default=until), until - BACK)
    parts = sensors_by_part(bush.operation)
    flow, barometer = parts.get((f"releaser {bush.slug}", Kind.FLOW)), parts.get(("barometer", Kind.PRESSURE))
    wanted = [*sensors.values(), *(s for s in (flow, barometer) if s)]
    hours: dict[datetime, dict[int, float]] = {}
    rows = Rollup.objects.filter(sensor__in=wanted, width_s=HOUR_S, start__gte=since, start__lt=until - timedelta(seconds=HOUR_S))
    for pk, start, mean in rows.order_by("start").values_list("sensor_id", "start", "mean"):
        hours.setdefault(start, {})[pk] = mean
    if not hours:
        return 0
    starts = list(hours)
    taps = max(float(network.taps.sum()), 1.0)
    rates = np.array([max(hours[t].get(flow.pk if flow else -1, 0.0), 0.0) / taps for t in starts])
    state = vacuum.steady(network, None, rates[:, None] * np.ones(len(network)))
    dead_head = float(network.pump.pressure_for(0.0))
    standard = float(station_pressure(bush.operation.elevation_m))
    troubled = _troubled(bush, since)
    known = {tag: _known(states[s.pk]) for tag, s in sensors.items()}
    for row, start in enumerate(starts):
        values = hours[start]
        outside = values.get(barometer.pk if barometer else -1, standard)
        pump_read = values.get(sensors[pump_tag].pk)
        if pump_read is None or pump_read < PUMPING_PA:
            continue
        for tag, sensor in sensors.items():
            read = values.get(sensor.pk)
            done = states[sensor.pk].learned_to
            if read is None or (done and start < done):
                continue
            node = network.sensors[tag]
            if tag == pump_tag:
                x, y = float(state.pressure_pa[row, 0]) - dead_head, outside - read - dead_head
            else:
                x, y = float(state.pressure_pa[row, node] - state.pressure_pa[row, 0]), pump_read - read
            known[tag] = vacuum.learn(known[tag], x, y, 60.0, healthy=not _under(troubled, tag, start))
    for tag, sensor in sensors.items():
        gauge = states[sensor.pk]
        gauge.learned = known[tag].to_json()
        gauge.learned_to = starts[-1] + timedelta(seconds=HOUR_S)
        gauge.save()
    log.info("gauges learned", bush=bush.pk, hours=len(hours))
    return len(hours)


def _known(state: GaugeState) -> vacuum.Learned:
    return vacuum.Learned.from_json(state.learned) if state.learned else vacuum.Learned()


def _troubled(bush: Bush, since: datetime) -> list[tuple[set[str], datetime, datetime | None]]:
    alarms = Alarm.objects.filter(bush=bush).exclude(closed_at__lt=since)
    return [(set(a.gauges), a.opened_at - SETTLES, a.closed_at and a.closed_at + SETTLES) for a in alarms]


def _under(troubled: list[tuple[set[str], datetime, datetime | None]], tag: str, at: datetime) -> bool:
    return any(tag in gauges and since <= at and (until is None or at <= until) for gauges, since, until in troubled)
