"""Live advice beside the pans: how long the concentrate lasts, and the smallest change that puts it right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from ..estimate import Z
from ..evaporator import Evaporator, water_rate
from ..membrane import clean_permeate_flow, fouling_ratio, volume_ratio, wash_need
from ..sugar import density
from .glance import glance
from .outcome import LIMITS, NEVER, Outcome, Policies
from .scenario import Scenario
from .trend import LEAST_LEVELS, LEAST_SPAN_S, HeadTank, concentrate_left, recent_part

WARN_MIN = 30.0
"""A head tank that comes to its reserve within so many minutes is told."""
LOOK_AHEAD_MIN, STEP_MIN = 240, 2
"""The hours ahead are looked at in steps of two minutes: levels are read no better."""
LONGER = 1.5
"""A change that mends nothing is still worth it when it makes the concentrate last so many times as long."""
NO_SAP_M3 = 1e-3
MACHINES_SD = 0.12
"""What membranes give and pans take, learned or told, differs from the truth of the hour by so much (one standard deviation)."""


@dataclass(frozen=True)
class State:
    """How the line runs now.

    head_seconds, head_m3 : recent levels of the head tank, the last is now (a quarter of an hour is enough)
    target_brix : the membranes make it; membrane_on : they run
    switched_s_ago : when they were last started or stopped, or a wash begun or ended; None where nobody knows. Levels
        from before it say nothing of now
    concentrate_m3_s : measured flow to the head tank, None where nobody measures it
    fire_share, pressure_share : of full heat, of the machine's pressure
    wash_left_min : minutes that a wash under way still takes
    level_sd_m3 : waves on the head tank
    """

    head_seconds: ArrayLike
    head_m3: ArrayLike
    target_brix: float
    membrane_on: bool = True
    concentrate_m3_s: float | None = None
    fire_share: float = 1.0
    pressure_share: float = 1.0
    wash_left_min: float = 0.0
    level_sd_m3: float = 0.005
    switched_s_ago: float | None = None


@dataclass(frozen=True)
class Change:
    """Something to do: kind is "pressure" (share of the machine's), "target" (°Brix), "membrane" (1 on), "fire" (share of
    full) or "out" (put the fire out); `value` what to set it to; `minutes_left` what that leaves, None for beyond the
    hours looked at; `holds`: no limit breaks with it, otherwise it only gains time."""

    kind: str
    value: float
    minutes_left: float | None
    holds: bool = True


@dataclass(frozen=True)
class Balance:
    """head : the level and its trend; before there is one since the membrane was switched, by the machines' figures
    minutes_left : until the head tank is at its reserve as things go on, None if not within four hours; minutes_low,
        minutes_high its 90 % interval
    sap_in : the sap is all in by then: it is the end of the boil, not a fault
    minutes_to_brim : until the head tank or the sap tank runs over, None if not
    permeate_short_m3 : what the next wash lacks; 0 when there is enough
    warn : concentrate runs low within half an hour
    breach : name of the first limit that breaks as things go on, "" if none
    change : the smallest change that breaks none, tested; failing that the one that gains most time; None when none
        is needed
    """

    head: HeadTank
    minutes_left: float | None
    minutes_low: float | None
    minutes_high: float | None
    sap_in: bool
    minutes_to_brim: float | None
    permeate_short_m3: float
    warn: bool
    breach: str
    change: Change | None


def balance(state: State, forecast: Scenario) -> Balance:
    """Advice from measured levels and rates.

    forecast : the scenario from this minute, with the fires lit, stocks as measured and what still comes

    The trend of the head tank gives what the pans really take; the equipment is scaled to it, and the hours
    ahead are simulated as things go on and under each small change. Raises Inconsistent with too few levels.
    """
    head = _trend(state, forecast.head.reserve_m3)
    ahead, fall, fall_sd = _scaled(state, forecast, head)
    changes = _changes(state, ahead)
    out = glance(ahead, _rows(state, changes, ahead.horizon_min), STEP_MIN)
    left = _until(out.head_trace[:, 0], ahead.head.reserve_m3)
    # the trend's error grows with time; so do both ends of the interval
    t = np.arange(len(out.head_trace)) * 60.0
    reach = Z * np.hypot(head.volume_sd_m3, fall_sd * t)
    low = _until(out.head_trace[:, 0] - reach, ahead.head.reserve_m3)
    high = _until(out.head_trace[:, 0] + reach, ahead.head.reserve_m3)
    if np.isinf(head.fall_sd_m3_s):  # no trend yet: the machines' figures stand for it
        head = HeadTank(head.volume_m3, fall, left, low, high, head.volume_sd_m3, fall_sd)
    as_is = int(out.breach[0])
    brim = float(out.breach_min[0]) if as_is in (5, 6) else _brim(out.head_trace[:, 0], ahead.head.capacity_m3)
    short = _permeate_short(ahead, out.permeate_trace[:, 0])
    # once nothing more is to come an empty head tank is the end of the boil
    sap_in = left is not None and left >= ahead.coming_ends_min and float(out.sap_trace[int(left), 0]) <= NO_SAP_M3
    warn = left is not None and (left <= WARN_MIN or (low is not None and low <= 0.75 * WARN_MIN))
    change = None if as_is in (NEVER, 10) else _smallest(changes, out, ahead.head.reserve_m3, left)
    name = LIMITS[as_is] if as_is not in (NEVER, 10) else ""
    return Balance(head, left, low, high, sap_in, brim, short, warn, name, change)


def _smallest(changes: Sequence[Change], out: Outcome, reserve_m3: float, left: float | None) -> Change:
    """The first change under which nothing breaks, else the one that gains most time, else putting the fire out."""
    tried = [replace(one, minutes_left=_until(out.head_trace[:, k], reserve_m3), holds=bool(out.breach[k] in (NEVER, 10)))
             for k, one in enumerate(changes, start=1)]
    for one in tried:
        if one.holds:
            return one
    longest = max(tried, key=lambda one: one.minutes_left or 0.0, default=None)
    if longest is not None and (longest.minutes_left or 0.0) > LONGER * (left or 0.0):
        return longest
    return Change("out", 0.0, None)


def _trend(state: State, reserve_m3: float) -> HeadTank:
    """The level and its fall since things last changed; a fall of which nothing is known yet has an endless error."""
    seconds, levels = np.asarray(state.head_seconds, float), np.asarray(state.head_m3, float)
    whole = concentrate_left(seconds, levels, reserve_m3, level_sd_m3=state.level_sd_m3)
    if state.switched_s_ago is not None:
        since = seconds >= seconds[-1] - state.switched_s_ago
        seconds, levels = seconds[since], levels[since]
        if seconds.size < LEAST_LEVELS or np.ptp(seconds) < LEAST_SPAN_S:
            volume = float(np.mean(levels)) if levels.size else whole.volume_m3
            return replace(whole, volume_m3=volume, volume_sd_m3=state.level_sd_m3, fall_sd_m3_s=np.inf)
    start = recent_part(seconds, levels, state.level_sd_m3)
    return concentrate_left(seconds[start:], levels[start:], reserve_m3, level_sd_m3=state.level_sd_m3)


def _scaled(state: State, forecast: Scenario, head: HeadTank) -> tuple[Scenario, float, float]:
    """The forecast with membrane and fire scaled to what was measured, over the hours to look ahead; how fast the head
    tank then falls, and the standard deviation of that, m³/s.

    The machines' own figures and the trend are weighed by their variances; what the trend shows beyond them is shared
    between membrane and pans, unless a meter tells what the membrane gives.
    """
    gives = _concentrate_flow(state, forecast) if state.membrane_on and state.wash_left_min <= 0 else 0.0
    takes = sum(_pans_take(e, forecast.head.brix, forecast.head.temp_c) for e in forecast.evaporators) * state.fire_share
    takes = takes if forecast.fire_lit else 0.0
    metered = state.concentrate_m3_s if gives > 0 else None
    more = 1.0 if metered is None else metered / gives
    doubted = MACHINES_SD * np.array([takes, gives if metered is None else 0.0])
    before, trend = float(doubted @ doubted), head.fall_sd_m3_s**2
    gain = doubted**2 / (before + trend) if before > 0 else np.zeros(2)
    gap = 0.0 if np.isinf(trend) else takes - gives * more - head.fall_m3_s
    less = 1.0 - float(gain[0]) * gap / takes if takes > 0 else 1.0
    more += float(gain[1]) * gap / gives if gives > 0 else 0.0
    more, less = (float(np.clip(scale, 0.2, 3.0)) for scale in (more, less))
    left_sd = np.sqrt(before * (1.0 - gain.sum())) if np.isfinite(trend) else np.sqrt(before)
    machines = tuple((replace(m, permeability=m.permeability * more), s) for m, s in forecast.machines)
    evaporators = tuple(replace(e, heat_w=e.heat_w * less) for e in forecast.evaporators)
    volume = float(np.clip(head.volume_m3, 0.0, forecast.head.capacity_m3))
    ahead = replace(
        # whoever asks is there
        forecast, people=replace(forecast.people, hours=()),
        head=replace(forecast.head, volume_m3=volume), evaporator=evaporators[0], more_evaporators=evaporators[1:],
        machine=machines[0][0] if machines else None, more_machines=machines[1:], horizon_min=LOOK_AHEAD_MIN, finish_by_min=None)
    return ahead, takes * less - gives * more, float(left_sd)


def _concentrate_flow(state: State, forecast: Scenario) -> float:
    total = 0.0
    sap = forecast.sap
    for machine, fouled in forecast.machines:
        flow = float(clean_permeate_flow(machine, sap.brix, min(state.target_brix, 45.0), sap.temp_c,
                                         machine.pressure_pa * state.pressure_share))
        ratio = volume_ratio(sap.brix, max(state.target_brix, sap.brix + 1e-6), sap.temp_c, machine.passage)
        flow *= float(fouling_ratio(machine, fouled.permeate_since_wash_m3))
        total += min(flow / (ratio - 1.0), machine.feed_max_m3_s / ratio)
    return total


def _pans_take(evaporator: Evaporator, brix: float, temp_c: float) -> float:
    off = float(water_rate(evaporator, brix, temp_c))
    return off / (1.0 - brix / evaporator.syrup_brix) / float(density(brix, temp_c))


def _changes(state: State, ahead: Scenario) -> list[Change]:
    """What could be changed, the smallest first."""
    found = []
    if ahead.machine is not None and state.target_brix > 0:
        if not state.membrane_on and state.wash_left_min <= 0:
            found.append(Change("membrane", 1.0, None))
        if state.pressure_share < 1.0:
            found.append(Change("pressure", 1.0, None))
        found += [Change("target", state.target_brix - step, None) for step in (0.5, 1.0, 2.0, 3.0, 5.0)
                  if state.target_brix - step > ahead.coming_brix[1] + 1.0]
        found += [Change("target", state.target_brix + step, None) for step in (1.0, 2.0)
                  if state.target_brix + step <= ahead.machine.max_brix]
    found += [Change("fire", share, None) for share in (0.9, 0.8, 0.65, 0.5) if share < state.fire_share]
    return found


def _rows(state: State, changes: Sequence[Change], horizon: int) -> Policies:
    """As things go on, then each change."""
    n = len(changes) + 1
    start = state.wash_left_min if state.membrane_on or state.wash_left_min > 0 else float(horizon)
    columns = {"target": np.full(n, state.target_brix), "membrane": np.full(n, start),
               "pressure": np.full(n, state.pressure_share), "fire": np.ones(n)}
    for k, change in enumerate(changes, start=1):
        # the fire's heat has been scaled to what it gives now: shares are of that
        columns[change.kind][k] = {"membrane": 0.0, "fire": change.value / state.fire_share}.get(change.kind, change.value)
    return Policies(columns["target"], columns["membrane"], np.zeros(n), fire_share=np.clip(columns["fire"], 0.1, 1.2),
                    pressure_share=columns["pressure"])


def _until(trace: np.ndarray, level: float) -> float | None:
    """Minutes until a trace comes down to a level, None when it does not."""
    under = np.nonzero(trace <= level + 1e-9)[0]
    if not under.size:
        return None
    k = int(under[0])
    if k == 0:
        return 0.0
    return float(k - 1 + (trace[k - 1] - level) / max(trace[k - 1] - trace[k], 1e-12))


def _brim(trace: np.ndarray, capacity: float) -> float | None:
    """Minutes until the membranes have to slow down for a full head tank."""
    full = np.nonzero(trace >= capacity * (1 - 1e-6))[0]
    return float(full[0]) if full.size else None


def _permeate_short(ahead: Scenario, permeate: np.ndarray) -> float:
    if ahead.machine is None:
        return 0.0
    need = sum(wash_need(machine).permeate_m3 for machine, _ in ahead.machines)
    return max(need - float(permeate.max()), 0.0)
