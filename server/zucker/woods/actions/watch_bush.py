"""Look at a bush's new readings: has a gauge fallen, what is wrong, has a repair held?"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
import structlog
from django.db import transaction
from zucker_core import sap, vacuum
from zucker_core.units import ATMOSPHERE_PA, PA_PER_INHG

from ...season.models import WeatherHour
from ...sugarhouse.prices import prices_of
from ...telemetry.models import Kind, Reading, Rollup, Sensor
from ...telemetry.queries import latest_of, sensors_by_part
from ..gauging import MINUTE, Minutes, hourly_of, minutes_of, recent_means
from ..models import Alarm, Bush, GaugeState
from ..tables import table_of
from .prove_repair import prove_repairs

log = structlog.get_logger()
WINDOW = timedelta(hours=2)
FIRST_LOOK = timedelta(hours=72)
OVER_AFTER = timedelta(minutes=20)
COLD_HOURS = 8
DAYS_BACK = 6.0
DUMP_DAYS = 6
LOSES_NOTHING = ("sensor", "silence", "none")
ANSWERS_ITSELF = ("none",)
ITS_OWN_PA = 0.35 * PA_PER_INHG
"""A gauge that stands this much lower than the bush's middle has a fall of its own."""


@dataclass(frozen=True)
class _Watched:
    """Where the sequential test stands: per gauge fallen or not, and since when (index of the minute)."""

    fallen: np.ndarray
    since: np.ndarray


@transaction.atomic
def watch_bush(bush: Bush, until: datetime) -> list[Alarm]:
    """Take in all minutes up to `until`; returns the alarms that are now open.

    One transaction: a process that dies in it leaves everything as it was, and the next run does it again. Readings
    that came late are seen at the next run if they are not older than the last minute watched.
    """
    bush = Bush.objects.select_for_update().select_related("operation").get(pk=bush.pk)
    sensors = {s.tag: s for s in Sensor.objects.of(bush.operation).filter(kind=Kind.VACUUM, nodes__bush=bush)}
    states = {s.sensor.tag: s for s in GaugeState.objects.select_for_update(of=("self",)).select_related("sensor").filter(
        sensor__in=list(sensors.values()))}
    for tag, sensor in sensors.items():
        states.setdefault(tag, GaugeState(sensor=sensor))
    seen_to = max((s.watched_to for s in states.values() if s.watched_to), default=until - FIRST_LOOK)
    seen_to = max(seen_to, until - FIRST_LOOK)
    start = min(seen_to, until - WINDOW)
    minutes = minutes_of(bush, start, until)
    if minutes is None or until - seen_to < MINUTE:
        return list(Alarm.objects.filter(bush=bush, closed_at__isnull=True))
    fresh = int((seen_to - start) / MINUTE)
    watched = _run(minutes, fresh, states)
    for tag, state in states.items():
        if tag in minutes.tags:
            state.watched_to = minutes.at[-1]
            state.save()
    alarms = _reconcile(bush, minutes, watched, fresh)
    prove_repairs(bush, minutes)
    return alarms


def _run(minutes: Minutes, fresh: int, states: dict[str, GaugeState]) -> _Watched:
    rows = [states[tag] for tag in minutes.tags]
    long_run = np.array([r.long_run_pa2 or np.nan for r in rows])
    if not np.isfinite(long_run).all():
        quiet = vacuum.long_run_variance(minutes.falls_pa[: max(fresh, len(minutes.at) // 2)])
        long_run = np.where(np.isfinite(long_run), long_run, quiet)
    watch = vacuum.Watch(*(np.array([getattr(r, name) for r in rows]) for name in ("total_pa", "base_pa", "rising_min")))
    fallen = np.array([r.fallen for r in rows])
    since = np.where(fallen, 0, -1)
    for minute in range(fresh, len(minutes.at)):
        watch, alarm = vacuum.detect(watch, minutes.falls_pa[minute], long_run)
        since = np.where(alarm & ~fallen, minute, since)
        # once fallen, a gauge has recovered only when its sum is used up
        fallen = alarm | (fallen & (watch.total_pa > 0))
    for i, row in enumerate(rows):
        row.total_pa, row.base_pa, row.rising_min = (float(a[i]) for a in (watch.total_pa, watch.base_pa, watch.rising_min))
        row.long_run_pa2, row.fallen = float(long_run[i]), bool(fallen[i])
    return _Watched(fallen, since)


def _groups(minutes: Minutes, watched: _Watched) -> dict[str, np.ndarray]:
    """Gauges that fell, by the mainline on which they fell more than the bush does; "" when all do alike."""
    network = minutes.network
    names = vacuum.branches_of(network)
    last = recent_means(minutes.falls_pa)
    middle = float(np.nanmedian(last)) if np.isfinite(last).any() else 0.0
    groups: dict[str, np.ndarray] = {}
    for i, tag in enumerate(minutes.tags):
        branch = str(names[network.sensors[tag]])
        own = np.isfinite(last[i]) and abs(last[i] - middle) > ITS_OWN_PA
        if branch and watched.fallen[i] and own:
            groups.setdefault(branch, np.zeros(len(minutes.tags), bool))[i] = True
    if not groups and watched.fallen.sum() > 0.5 * len(minutes.tags):
        groups[""] = watched.fallen.copy()
    return groups


def _reconcile(bush: Bush, minutes: Minutes, watched: _Watched, fresh: int) -> list[Alarm]:
    groups = _groups(minutes, watched)
    open_ones = {a.place: a for a in Alarm.objects.filter(bush=bush, closed_at__isnull=True)}
    for place, alarm in open_ones.items():
        if place not in groups:
            if minutes.at[-1] - alarm.seen_at >= OVER_AFTER:
                alarm.closed_at = minutes.at[-1]
                alarm.save()
                log.info("alarm over", alarm=alarm.pk, place=place)
            continue
    if not groups:
        return [a for a in open_ones.values() if a.closed_at is None]
    found = diagnose(bush, minutes, groups)
    kept = []
    for place, diagnosis in found.items():
        known = open_ones.get(place)
        if known is None and diagnosis.cause in ANSWERS_ITSELF:
            continue
        begun = watched.since[groups[place]]
        at = minutes.at[int(begun[begun >= 0].min())] if (begun >= 0).any() else minutes.at[-1]
        alarm = known or Alarm(operation=bush.operation, bush=bush, place=place, opened_at=at)
        _describe(alarm, minutes, groups[place], diagnosis)
        _count_cost(alarm, minutes, groups[place], fresh)
        alarm.seen_at = minutes.at[-1]
        alarm.save()
        if known is None:
            log.info("alarm", alarm=alarm.pk, place=place, cause=diagnosis.cause)
        kept.append(alarm)
    return kept


def diagnose(bush: Bush, minutes: Minutes, groups: dict[str, np.ndarray]) -> dict[str, vacuum.Diagnosis]:
    """The cause of each group's fall. Where several stand open, the one most like a leak is explained first, and what
    it does to the others' gauges is taken off before they are judged."""
    table = table_of(bush, minutes.rate)
    order = [minutes.tags.index(tag) if tag in minutes.tags else -1 for tag in table.sensors]
    falls = np.where(np.array(order) >= 0, minutes.falls_pa[:, order], np.nan)[-int(WINDOW / MINUTE):]
    around = _surroundings(bush, minutes, order)
    masks = {place: mask[order] for place, mask in groups.items()}

    def judged(place: str, series: np.ndarray) -> vacuum.Diagnosis:
        others = np.any([m for name, m in masks.items() if name != place] or [np.zeros(len(order), bool)], axis=0)
        found = vacuum.watch(table, np.where(others, np.nan, series), vacuum.NOISE_PA, around)
        hidden = {tag for tag, other in zip(table.sensors, others, strict=True) if other}
        said = tuple(f for f in found.facts if not (f.name == "gauges_silent" and set(f.gauges) <= hidden))
        return replace(found, facts=said)

    first = {place: judged(place, falls) for place in masks}
    if len(masks) == 1:
        return first
    done: dict[str, vacuum.Diagnosis] = {}
    rest = falls
    for place in sorted(first, key=lambda name: -first[name].causes.get("leak", 0.0)):
        diagnosis = judged(place, rest)
        done[place] = diagnosis
        if diagnosis.cause == "leak":
            others = np.any([m for name, m in masks.items() if name != place], axis=0)
            rest = rest - _share_of_leak(table, np.where(others, np.nan, rest))
    return done


def _share_of_leak(table: vacuum.Signatures, falls: np.ndarray) -> np.ndarray:
    """What the likeliest leak does to every gauge, Pa."""
    drops = {tag: float(fall) for tag, fall in zip(table.sensors, recent_means(falls), strict=True) if np.isfinite(fall)}
    leak = vacuum.locate(table.network, drops, vacuum.MEAN_NOISE_PA, table=table, most=1).leaks[0]
    return table.falls.fall[int(np.argmax(leak.probability))]


def _surroundings(bush: Bush, minutes: Minutes, order: list[int]) -> vacuum.Surroundings:
    until = minutes.at[-1]
    coldest = WeatherHour.objects.of(bush.operation).filter(
        at__gt=until - timedelta(hours=COLD_HOURS), at__lte=until).order_by("temp_c").values_list("temp_c", flat=True).first()
    count = int(WINDOW / MINUTE)
    dumps, usual = dumps_of(bush, until)
    return vacuum.Surroundings(air_c=minutes.air_c[-count:], before_c=coldest, sap_m3_s=minutes.sap_m3_s[-count:],
                               dumps_h=dumps, usual_dumps_h=usual, hourly_pa=hourly_of(minutes, DAYS_BACK)[:, order])


def dumps_of(bush: Bush, until: datetime) -> tuple[float | None, float | None]:
    """Dumps an hour of the bush's releaser over the last half hour, and what its own last days at this hour lead one to
    expect (the middle of at least three). None where nothing counts them."""
    meter = sensors_by_part(bush.operation).get((f"releaser {bush.slug}", Kind.FLOW))
    if meter is None or not meter.dump_m3:
        return None, None
    half_hour = Reading.objects.filter(sensor=meter, at__gt=until - timedelta(minutes=30), at__lte=until)
    recent = half_hour.values_list("value", flat=True)
    hours = [until.replace(minute=0, second=0, microsecond=0) - timedelta(days=day) for day in range(1, DUMP_DAYS + 1)]
    before = Rollup.objects.filter(sensor=meter, width_s=3600, start__in=hours, mean__gt=0).values_list("mean", flat=True)
    an_hour = 3600 / meter.dump_m3
    usual = float(np.median(list(before))) * an_hour if len(before) >= 3 else None
    return float(np.mean(list(recent))) * an_hour if recent else None, usual


def _describe(alarm: Alarm, minutes: Minutes, chosen: np.ndarray, diagnosis: vacuum.Diagnosis) -> None:
    alarm.cause = diagnosis.cause
    alarm.causes = {name: round(share, 4) for name, share in diagnosis.causes.items() if share >= 0.001}
    alarm.facts = [_fact(fact) for fact in diagnosis.facts]
    alarm.gauges = [tag for tag, inside in zip(minutes.tags, chosen, strict=True) if inside]
    alarm.point = diagnosis.where
    recent = minutes.falls_pa[-10:, chosen]
    alarm.fall_pa = float(np.nanmean(recent)) if np.isfinite(recent).any() else 0.0


def _fact(fact: vacuum.Fact) -> dict[str, Any]:
    return {"name": fact.name, "value": fact.value, "favours": list(fact.favours), "gauges": list(fact.gauges)}


def _count_cost(alarm: Alarm, minutes: Minutes, chosen: np.ndarray, fresh: int) -> None:
    """Sap and money lost in the new minutes of the alarm; a gauge that is wrong by itself loses none."""
    if alarm.cause in LOSES_NOTHING:
        return
    prices = prices_of(alarm.operation)
    brix = latest_of(sensors_by_part(alarm.operation).get(("sap tank", Kind.BRIX)))
    names = vacuum.branches_of(minutes.network)
    taps = float(minutes.network.taps[names == alarm.place].sum() if alarm.place else minutes.network.taps.sum())
    begun = max(fresh, int((alarm.opened_at - minutes.at[0]) / MINUTE))
    falls = minutes.falls_pa[begun:, chosen]
    if not taps or not np.isfinite(falls).any():
        return
    seen = np.isfinite(falls)
    mean = np.where(seen, falls, 0.0).sum(axis=1) / np.maximum(seen.sum(axis=1), 1)
    pump = np.clip((ATMOSPHERE_PA - float(np.nanmean(minutes.model_pa))) / PA_PER_INHG, 0, 30)
    each = np.clip(minutes.sap_m3_s[begun:] / max(float(minutes.network.taps.sum()), 1.0), 0, 1e-3)
    bare = sap.bare_rate(each, pump)
    lost = vacuum.loss(taps, bare, np.clip(mean, -1e5, 1e5), sap_brix=brix.value if brix else 2.0, syrup_price_m3=prices.syrup_m3)
    alarm.sap_lost_m3 += float(np.sum(lost.sap_m3_s)) * 60
    alarm.money_lost += Decimal(str(round(float(np.sum(lost.money_s)) * 60, 2)))
