"""What the Woods room shows: each mainline beside its usual, and what the difference costs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from zucker_core import sap, vacuum
from zucker_core.errors import NetworkError
from zucker_core.sugar import station_pressure
from zucker_core.units import PA_PER_INHG

from .. import clock
from ..people.models import Operation
from ..sugarhouse.prices import prices_of
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import Latest, latest_of, sensors_by_part
from .gauging import DialReading, dials_of, learned_of
from .models import Alarm, Bush, LeakCase
from .networks import network_of
from .tables import warm

SLIPPING_SPREADS = 2.5
LOSING_PA = 1.0 * PA_PER_INHG
DEFAULT_TEMP_C = 3.0
DEFAULT_BRIX = 2.0


@dataclass(frozen=True)
class Conditions:
    """What the usual depends on besides the pump: atmosphere (Pa), air (°C), sap (°Brix, m³/s over the bush)."""

    atmosphere_pa: float
    temp_c: float
    brix: float
    sap_m3_s: float
    sap_known: bool


def conditions_of(operation: Operation, bush: Bush, parts: dict[tuple[str, str], Sensor]) -> Conditions:
    """From the latest readings; where there is none, the standard atmosphere, 3 °C and 2 °Brix."""

    def value(part: str, kind: Kind, fallback: float) -> float:
        latest = latest_of(parts.get((part, kind)))
        return fallback if latest is None else latest.value

    flow = latest_of(parts.get((f"releaser {bush.slug}", Kind.FLOW)))
    return Conditions(
        value("barometer", Kind.PRESSURE, float(station_pressure(operation.elevation_m))),
        min(max(value("outdoors", Kind.TEMPERATURE, DEFAULT_TEMP_C), -30.0), 35.0),
        min(max(value("sap tank", Kind.BRIX, DEFAULT_BRIX), 0.5), 10.0), max(flow.value, 0.0) if flow else 0.0,
        flow is not None and not flow.stale,
    )


@dataclass(frozen=True)
class BushNow:
    """A bush's model beside its readings."""

    bush: Bush
    network: vacuum.Network
    sensors: dict[str, Sensor]
    conditions: Conditions
    pump: Latest | None
    usual: vacuum.Usual
    own_usual: vacuum.Usual
    dials: dict[str, DialReading]

    @property
    def sap_rate(self) -> float:
        """Sap of one tap, m³/s."""
        return self.conditions.sap_m3_s / max(float(self.network.taps.sum()), 1.0)


def bush_now(
    operation: Operation, bush: Bush, parts: dict[tuple[str, str], Sensor], *, sensors: dict[str, Sensor] | None = None,
    learned: dict[str, vacuum.Learned] | None = None,
) -> BushNow | None:
    """The model under present conditions; None for a bush that has no network yet. Whoever asks for many bushes brings
    the sensors, and what they have taught, along."""
    try:
        network = network_of(bush)
    except NetworkError:
        return None
    if sensors is None:
        sensors = {s.tag: s for s in Sensor.objects.of(operation).filter(tag__in=list(network.sensors))}
    else:
        sensors = {tag: sensors[tag] for tag in network.sensors if tag in sensors}
    conditions = conditions_of(operation, bush, parts)
    pump = latest_of(sensors.get(network.nodes[0].sensor or ""))
    rate = conditions.sap_m3_s / max(float(network.taps.sum()), 1.0)
    learned = learned_of(sensors) if learned is None else learned

    def expected(pump_vacuum_pa: float | None, tags: set[str] | None = None) -> vacuum.Usual:
        return vacuum.usual(network, pump_vacuum_pa, rate, conditions.temp_c, learned=learned, tags=tags,
                            atmosphere_pa=conditions.atmosphere_pa)

    # the pump's gauge is judged by its own curve, all others by what that gauge shows
    own = expected(None, {network.nodes[0].sensor or ""} if pump else None)
    usual = own if pump is None else expected(pump.value)
    dials = dials_of(bush, clock.now()) if any(s.by_hand for s in sensors.values()) else {}
    return BushNow(bush, network, sensors, conditions, pump, usual, own, dials)


def state_of(shortfall: float, spread: float) -> str:
    """How a gauge that was heard stands, by its shortfall and the spread of its usual (Pa)."""
    if shortfall < SLIPPING_SPREADS * spread:
        return "holding"
    return "slipping" if shortfall < LOSING_PA else "losing"


def gauge(now: BushNow, tag: str, usual: vacuum.Usual) -> dict[str, Any]:
    """One sensor: its reading beside its usual, Pa below the atmosphere."""
    sensor = now.sensors.get(tag)
    latest = latest_of(sensor)
    expected, spread = usual.vacuum_pa[tag], usual.spread_pa[tag]
    shortfall = expected - latest.value if latest else 0.0
    stale = latest is None or latest.stale
    if sensor is not None and sensor.by_hand:
        # a dial is compared with what was usual when it was read
        read, stale = now.dials.get(tag), tag not in now.dials
        shortfall = read.fall_pa if read else 0.0
        expected = read.vacuum_pa + read.fall_pa if read else expected
        spread = float(np.hypot(spread, vacuum.HAND_NOISE_PA))
    return {
        "sensor": tag, "vacuum_pa": latest.value if latest else None, "usual_pa": expected, "spread_pa": spread,
        "shortfall_pa": shortfall, "age_s": latest.age_s if latest else None, "by_hand": bool(sensor and sensor.by_hand),
        "state": "silent" if stale else state_of(shortfall, spread),
    }


def _losses(now: BushNow, taps: list[float], shortfalls_pa: list[float], prices: Any) -> list[dict[str, float]]:
    # sap of one tap without vacuum, from what flows now under the vacuum there is
    vacuum_inhg = min(max((now.pump.value if now.pump else 0.0) / PA_PER_INHG, 0.0), 30.0)
    bare = sap.bare_rate(min(now.sap_rate, 1e-3), vacuum_inhg)
    lost = vacuum.loss(np.array(taps), bare, np.clip(shortfalls_pa, -1e5, 1e5), sap_brix=now.conditions.brix,
                       syrup_price_m3=prices.syrup_m3)
    return [{"sap_m3_s": float(s), "money_s": float(m)} for s, m in zip(lost.sap_m3_s, lost.money_s, strict=True)]


def _short(row: dict[str, Any]) -> float:
    return float(row["shortfall_pa"]) if row["state"] in ("slipping", "losing") else 0.0


def mains_of(now: BushNow, prices: Any) -> list[dict[str, Any]]:
    """Each mainline by its farthest gauge, the greatest loss first."""
    rows = []
    for name, nodes in now.network.mains.items():
        here = [i for i in nodes if now.network.nodes[i].sensor]
        if not here:
            continue
        far = max(here, key=lambda i: now.network.distance_m[i])
        taps = int(now.network.taps[nodes].sum())
        tag = now.network.nodes[far].sensor or ""
        row = gauge(now, tag, now.usual)
        length = float(_main_length(now.network, nodes))
        rows.append({"main": name, "bush": now.bush.slug, "taps": taps, "length_m": length, **row})
    for row, lost in zip(rows, _losses(now, [r["taps"] for r in rows], [_short(r) for r in rows], prices), strict=True):
        row |= lost
    return sorted(rows, key=lambda row: (-row["money_s"], -row["shortfall_pa"]))


def _main_length(network: vacuum.Network, nodes: list[int]) -> float:
    return float(sum(network.length_m[i] for i in nodes if (line := network.lines[i]) and line.kind == "mainline"))


def woods_now(operation: Operation) -> dict[str, Any]:
    """Everything that the Woods room redraws every ten seconds."""
    parts, prices = sensors_by_part(operation), prices_of(operation)
    gauges = {s.tag: s for s in Sensor.objects.of(operation).filter(kind=Kind.VACUUM)}
    learned = learned_of(gauges)
    bushes, mains = [], []
    for bush in Bush.objects.of(operation).order_by("pk"):
        now = None if bush.hauled else bush_now(operation, bush, parts, sensors=gauges, learned=learned)
        if now is None:
            bushes.append({"slug": bush.slug, "name": bush.name, "hauled": bush.hauled, "taps": bush.taps})
            continue
        warm(bush, now.sap_rate)
        rows = mains_of(now, prices)
        mains += rows
        pump_tag = now.network.nodes[0].sensor
        pump = gauge(now, pump_tag, now.own_usual) if pump_tag else None
        if pump is not None:
            pump |= _losses(now, [float(now.network.taps.sum())], [_short(pump)], prices)[0]
        bushes.append({
            "slug": bush.slug, "name": bush.name, "hauled": False, "taps": bush.taps, "pump": pump,
            "sap_m3_s": now.conditions.sap_m3_s, "sap_known": now.conditions.sap_known, "temp_c": now.conditions.temp_c,
        })
    _say_causes(operation, mains)
    mains.sort(key=lambda row: (-row["money_s"], -row["shortfall_pa"]))
    losing = [row for row in mains if row["money_s"] > 0]
    walk = [row for row in losing if row["alarm"] is None or row["alarm"]["cause"] == "leak"]
    return {
        "bushes": bushes, "mains": mains,
        "sap_lost_m3_s": sum(r["sap_m3_s"] for r in losing), "money_lost_s": sum(r["money_s"] for r in losing),
        "walk_first": walk[0]["main"] if walk else None,
    }


def _say_causes(operation: Operation, mains: list[dict[str, Any]]) -> None:
    """What each line's open alarm says of its cause; a gauge that is wrong by itself loses no sap."""
    alarms = {a.place: a for a in Alarm.objects.of(operation).filter(closed_at__isnull=True, place__gt="")}
    cases = dict(LeakCase.objects.filter(alarm__in=alarms.values()).exclude(state__in=["proven", "dropped"])
                 .values_list("alarm_id", "number"))
    for row in mains:
        alarm = alarms.get(row["main"])
        row["alarm"] = None if alarm is None else {
            "id": alarm.pk, "cause": alarm.cause, "chance": alarm.causes.get(alarm.cause, 0.0), "since": alarm.opened_at,
            "sap_lost_m3": alarm.sap_lost_m3, "money_lost": float(alarm.money_lost), "case": cases.get(alarm.pk)}
        if alarm is not None and alarm.cause in ("sensor", "silence"):
            row["sap_m3_s"] = row["money_s"] = 0.0


def profile(operation: Operation, main: str) -> dict[str, Any] | None:
    """The vacuum along the way from the pump to the far end of a mainline; None when there is no such line."""
    parts = sensors_by_part(operation)
    for bush in Bush.objects.of(operation).filter(hauled=False):
        now = bush_now(operation, bush, parts)
        if now is None or main not in now.network.mains:
            continue
        return _profile(now, main)
    return None


def _profile(now: BushNow, main: str) -> dict[str, Any]:
    network = now.network
    nodes = [i for i in network.mains[main] if network.lines[i] and network.lines[i].kind == "mainline"]  # type: ignore[union-attr]
    far = max(nodes, key=lambda i: network.distance_m[i])
    way = [far]
    while network.parent[way[-1]] >= 0:
        way.append(int(network.parent[way[-1]]))
    way.reverse()
    held = None if now.pump is None else vacuum.HeldPressure(max(now.conditions.atmosphere_pa - now.pump.value, 100.0))
    clean = vacuum.steady(network, None, now.sap_rate, pump=held, temp_k=273.15 + now.conditions.temp_c,
                          atmosphere_pa=now.conditions.atmosphere_pa).vacuum_pa
    spread = vacuum.spread_of(clean[0] - clean[way])
    points = [
        {"node": network.nodes[i].tag, "kind": network.nodes[i].kind, "distance_m": float(network.distance_m[i]),
         "elevation_m": float(network.elevation_m[i]), "usual_pa": float(clean[i]), "spread_pa": float(s)}
        for i, s in zip(way, spread, strict=True)
    ]
    readings = []
    for i in way:
        tag = network.nodes[i].sensor
        if tag:
            readings.append({"distance_m": float(network.distance_m[i]),
                             **gauge(now, tag, now.own_usual if i == 0 else now.usual)})
    return {"main": main, "bush": now.bush.slug, "taps": int(network.taps[network.mains[main]].sum()),
            "points": points, "readings": readings}
