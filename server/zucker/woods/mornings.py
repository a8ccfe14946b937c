"""Reads of the day's course: which lines have woken, what each has given."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from zucker_core import sap, vacuum
from zucker_core.units import PA_PER_INHG

from ..people.models import Operation
from ..season.models import WeatherHour
from ..telemetry.models import Kind, Rollup, Sensor
from ..telemetry.queries import sensors_by_part
from .gauging import MINUTE, means_of, minutes_of
from .models import Bush
from .networks import network_of

STEP = 10 * MINUTE
DAYS_BACK = 12
BEGINS_HOUR = 0
ENDS_HOUR = 15
COLD_FOR = timedelta(hours=1)


def waking_of(operation: Operation, now: datetime) -> list[dict[str, Any]]:
    """Each mainline this morning: slept, asleep, or awake since when; and when it usually wakes behind the first."""
    zone = ZoneInfo(operation.zone)
    today = now.astimezone(zone).replace(hour=BEGINS_HOUR, minute=0, second=0, microsecond=0)
    rows = []
    for bush in Bush.objects.of(operation).filter(hauled=False, survey__gt=0).order_by("pk"):
        far = far_gauges(bush)
        if far:
            rows += _waking(operation, bush, far, today, now)
    order = {"asleep": 0, "awake": 1, "never slept": 2}
    return sorted(rows, key=lambda r: (order[r["state"]], -(r["woke_at"] or now).timestamp(), r["main"]))


def far_gauges(bush: Bush) -> dict[str, str]:
    """The farthest gauge of each mainline that sends by itself."""
    network = network_of(bush)
    live = set(
        Sensor.objects.of(bush.operation).filter(tag__in=list(network.sensors), by_hand=False).values_list("tag", flat=True)
    )
    found = {}
    for main, nodes in network.mains.items():
        here = [i for i in nodes if network.nodes[i].sensor in live]
        if here:
            found[main] = network.nodes[max(here, key=lambda i: network.distance_m[i])].sensor or ""
    return found


def _waking(operation: Operation, bush: Bush, far: dict[str, str], today: datetime, now: datetime) -> list[dict[str, Any]]:
    network, tags = network_of(bush), tuple(far.values())
    length = int(timedelta(hours=ENDS_HOUR - BEGINS_HOUR) / STEP)
    begun = today - timedelta(days=DAYS_BACK)
    count = int((now - begun) / STEP)
    falls = means_of(bush, network, tags, begun, count, STEP)
    # readings of the last minutes are not rolled up yet
    fresh = minutes_of(bush, now - 6 * STEP, now)
    if fresh is not None:
        columns = [fresh.tags.index(tag) for tag in tags]
        late = fresh.falls_pa[:, columns].reshape(6, 10, len(tags))
        seen = np.isfinite(late)
        means = np.where(seen.any(axis=1), np.where(seen, late, 0.0).sum(axis=1) / np.maximum(seen.sum(axis=1), 1), np.nan)
        falls[-6:] = np.where(np.isfinite(falls[-6:]), falls[-6:], means[-len(falls[-6:]) :])
    cold = _cold(operation, begun, count)
    a_day = int(timedelta(days=1) / STEP)
    mornings = [
        vacuum.woke_at(falls[d * a_day : d * a_day + length], cold[d * a_day : d * a_day + length]) for d in range(DAYS_BACK)
    ]
    usual = vacuum.usual_order(np.where(np.array(mornings) >= 0, np.array(mornings), np.nan) * (STEP / MINUTE))
    this = vacuum.woke_at(falls[DAYS_BACK * a_day :], cold[DAYS_BACK * a_day :])
    rows = []
    for column, (main, tag) in enumerate(far.items()):
        state = "never slept" if np.isnan(this[column]) else "asleep" if this[column] < 0 else "awake"
        known = usual.get(column)
        rows.append(
            {
                "main": main,
                "bush": bush.slug,
                "sensor": tag,
                "state": state,
                "woke_at": today + STEP * float(this[column]) if state == "awake" else None,
                "usual_order": known.order if known else None,
                "usual_after_min": known.after_min if known else None,
                "mornings": known.mornings if known else 0,
            }
        )
    return rows


def _cold(operation: Operation, begun: datetime, count: int) -> np.ndarray:
    """Whether the air is, or within the last hour was, under 0 °C, at each step."""
    hours = WeatherHour.objects.of(operation).filter(at__gte=begun - COLD_FOR, at__lt=begun + STEP * count)
    cold = np.zeros(count, bool)
    outdoors = sensors_by_part(operation).get(("outdoors", Kind.TEMPERATURE))
    told = list(hours.values_list("at", "temp_c"))
    if outdoors is not None:
        told += list(
            Rollup.objects.filter(sensor=outdoors, width_s=3600, start__gte=begun - COLD_FOR).values_list("start", "low")
        )
    for at, temp in told:
        if temp < 0:
            first = int((at - begun) / STEP)
            cold[max(first, 0) : max(first + int((COLD_FOR + timedelta(hours=1)) / STEP), 0)] = True
    return cold


def sap_by_line(operation: Operation, now: datetime, days: int) -> list[dict[str, Any]]:
    """What each mainline gave a tap and day over the last days: by its own meter where it has one (part "line <name>"),
    otherwise its share of the releaser's by taps and vacuum; and which lag behind what they should give."""
    parts = sensors_by_part(operation)
    rows = []
    for bush in Bush.objects.of(operation).filter(hauled=False, survey__gt=0).order_by("pk"):
        network, far = network_of(bush), far_gauges(bush)
        mains = list(network.mains)
        hung = np.array([network.taps[network.mains[m]].sum() for m in mains], float)
        total = _volume(parts.get((f"releaser {bush.slug}", Kind.FLOW)), now, days)
        held = np.array([_mean(operation, far.get(m), now, days) for m in mains]) / PA_PER_INHG
        middle = float(np.nanmedian(held)) if np.isfinite(held).any() else 0.0
        held = np.clip(np.where(np.isfinite(held), held, middle), 0.0, 30.0)
        expected = sap.share_out(total, hung, held) if total is not None else np.full(len(mains), np.nan)
        metered = np.array([_volume(parts.get((f"line {m}", Kind.FLOW)), now, days) or np.nan for m in mains])
        lagging = sap.lags(metered, expected)
        for k, main in enumerate(mains):
            given = metered[k] if np.isfinite(metered[k]) else expected[k]
            known = bool(np.isfinite(given)) and hung[k] > 0
            rows.append(
                {
                    "main": main,
                    "bush": bush.slug,
                    "taps": int(hung[k]),
                    "metered": bool(np.isfinite(metered[k])),
                    "tap_day_m3": float(given) / hung[k] / days if known else None,
                    "expected_tap_day_m3": float(expected[k]) / hung[k] / days if np.isfinite(expected[k]) and hung[k] else None,
                    "vacuum_pa": float(held[k]) * PA_PER_INHG,
                    "lags": bool(lagging[k]),
                }
            )
    return sorted(rows, key=lambda r: (not r["lags"], r["tap_day_m3"] if r["tap_day_m3"] is not None else np.inf))


def _volume(sensor: Sensor | None, now: datetime, days: int) -> float | None:
    """m³ over the last days by a flow meter's hourly means; None where there is no meter or nothing of it."""
    if sensor is None:
        return None
    means = list(
        Rollup.objects.filter(sensor=sensor, width_s=3600, start__gte=now - timedelta(days=days)).values_list("mean", flat=True)
    )
    return float(sum(max(mean, 0.0) for mean in means)) * 3600 if means else None


def _mean(operation: Operation, tag: str | None, now: datetime, days: int) -> float:
    """Mean vacuum of a gauge over the last days, Pa; NaN where there is none."""
    means = list(
        Rollup.objects.filter(
            sensor__operation=operation, sensor__tag=tag or "", width_s=3600, start__gte=now - timedelta(days=days)
        ).values_list("mean", flat=True)
    )
    return float(np.mean(means)) if means else float("nan")
