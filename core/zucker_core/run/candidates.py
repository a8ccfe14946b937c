"""The ways of an evening that are worth simulating."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from ..evaporator import water_rate
from ..membrane import clean_permeate_flow, fouling_ratio, volume_ratio
from ..sugar import density
from .outcome import LIMITS, NEVER, NOT_LIT, Policies
from .scenario import Scenario

LIGHT_OFFSETS_MIN = (-20.0, 0.0, 12.0, 30.0, 60.0, 110.0)
"""Light-up times tried, about the one at which membrane and fire would end together."""
FINER_MIN = (-12.0, -6.0, 6.0)
IDLE_EARLIER_MIN = (0.0, -60.0, -150.0, -300.0)
SAFER_MIN = (30.0, 60.0, 100.0, 150.0, 220.0)
TOO_SLOW = {"sap tank over its brim", "not finished in time", "sap kept too long"}
LATER_STARTS_MIN = (60.0, 120.0, 180.0, 300.0, 420.0)


@dataclass(frozen=True)
class Candidate:
    """One way to do the evening: the fields of `Policies` for one row; `lights` by evaporator, `machines_on` by membrane."""

    target_brix: float
    lights: tuple[float, ...]
    ro_start_min: float = 0.0
    at_pace: bool = False
    two_passes: bool = False
    idle: bool = False
    wash_below: float | None = None
    machines_on: tuple[bool, ...] = ()


def policies_of(candidates: Sequence[Candidate]) -> Policies:
    """Candidates as rows of policies."""
    def column(name: str) -> np.ndarray:
        return np.array([getattr(c, name) for c in candidates])

    return Policies(
        column("target_brix"), column("ro_start_min"), np.array([c.lights for c in candidates]), at_pace=column("at_pace"),
        two_passes=column("two_passes"), idle=column("idle"),
        wash_below=np.array([np.nan if c.wash_below is None else c.wash_below for c in candidates]),
        machines_on=np.array([c.machines_on for c in candidates]).reshape(len(candidates), -1))


def first_candidates(scenario: Scenario, targets: Sequence[float]) -> list[Candidate]:
    """Every target with all machines and all fires, at light-up times about the one where both end together; where a fire
    can idle, also turned down while the head tank is low, washed on the way or at the end."""
    on, fires = (True,) * len(scenario.machines), (True,) * len(scenario.evaporators)
    idles = any(e.idle_fire > 0 for e in scenario.evaporators)
    found = []
    for target in targets:
        ways = _at_times(scenario, Candidate(target, (), machines_on=on), fires, LIGHT_OFFSETS_MIN)
        found += ways
        if idles and target > 0:
            way = ways[min(1, len(ways) - 1)]
            found += [replace(way, idle=True), replace(way, idle=True, wash_below=0.0)]
    return found


def variants(scenario: Scenario, found: Sequence[tuple[Candidate, int]]) -> list[Candidate]:
    """Further ways for candidates already found worth it, each with the limit that it breaks or NEVER."""
    return [further for one, limit in found for further in _ways_of(scenario, one, limit)]


def _ways_of(scenario: Scenario, one: Candidate, limit: int) -> Iterator[Candidate]:
    """What may help: for a way that fails by too much sap or too little time only what gets more done."""
    if limit != NEVER and LIMITS[limit] in TOO_SLOW and one.target_brix > 0:
        yield replace(one, wash_below=0.0)
        yield from _with_idling(scenario, one)
        yield from _in_two_passes(scenario, one)
        yield from _fewer_machines(scenario, one)
    else:
        yield from _variants(scenario, one)


def _variants(scenario: Scenario, one: Candidate) -> Iterator[Candidate]:
    for minutes in FINER_MIN:
        yield _shifted(one, minutes)
    if one.target_brix <= 0:
        yield from _fewer_machines(scenario, one)
        return
    soonest = _together(scenario, one.target_brix, one.machines_on, _lit(one))[1]
    yield replace(one, at_pace=True, lights=tuple(soonest if np.isfinite(x) else x for x in one.lights))
    yield replace(one, at_pace=True)
    yield replace(one, wash_below=0.0)
    if any(m.fouling_per_m3 > 0 for m, _ in scenario.machines):
        yield replace(one, wash_below=0.93)
    yield from _with_idling(scenario, one)
    yield from _in_two_passes(scenario, one)
    if scenario.prices.power_hours or scenario.coming_m3 > 0 or scenario.events or scenario.people.hours:
        for start in LATER_STARTS_MIN:
            yield replace(_shifted(one, start), ro_start_min=start)
            yield replace(one, ro_start_min=start)
    yield from _fewer_machines(scenario, one)


def _with_idling(scenario: Scenario, one: Candidate) -> Iterator[Candidate]:
    """The fire turned down while the head tank is low, lit ever earlier."""
    if any(e.idle_fire > 0 for e in scenario.evaporators):
        soonest = _together(scenario, one.target_brix, one.machines_on, _lit(one))[1]
        yield replace(one, idle=True, lights=tuple(soonest if np.isfinite(x) else x for x in one.lights))
        for minutes in IDLE_EARLIER_MIN:
            yield replace(_shifted(one, minutes), idle=True)


def _in_two_passes(scenario: Scenario, one: Candidate) -> Iterator[Candidate]:
    """Over the tank between, lit ever later."""
    if scenario.between_m3 > 0:
        for minutes in (0.0, 30.0, 60.0, 120.0):
            yield replace(_shifted(one, minutes), two_passes=True)


def _fewer_machines(scenario: Scenario, one: Candidate) -> Iterator[Candidate]:
    """Leave out membranes, or fires, or light them one after another."""
    evaporators, machines = len(scenario.evaporators), len(scenario.machines)
    subsets = [on for on in _subsets(machines) if one.target_brix > 0] or [one.machines_on]
    for on in subsets:
        for lit in _subsets(evaporators):
            if (on, lit) != (one.machines_on, _lit(one)):
                yield from _at_times(scenario, replace(one, machines_on=on), lit, (0.0, 12.0, 30.0, 60.0))
    for first in range(evaporators if evaporators > 1 else 0):
        for later in (30.0, 60.0, 120.0):
            yield replace(one, lights=tuple(x if k == first else x + later for k, x in enumerate(one.lights)))


def lit_later(one: Candidate) -> list[Candidate]:
    """The candidate with its fires lit ever later, so that more concentrate is in hand."""
    return [_shifted(one, minutes) for minutes in SAFER_MIN]


def _subsets(count: int) -> list[tuple[bool, ...]]:
    """Every choice of at least one of `count`."""
    chosen = [c for size in range(1, count + 1) for c in combinations(range(count), size)]
    return [tuple(k in some for k in range(count)) for some in chosen]


def _lit(one: Candidate) -> tuple[bool, ...]:
    return tuple(bool(np.isfinite(x)) for x in one.lights)


def _shifted(one: Candidate, minutes: float) -> Candidate:
    return replace(one, lights=tuple(max(0.0, x + minutes) for x in one.lights))


def _at_times(scenario: Scenario, one: Candidate, lit: tuple[bool, ...], offsets: Sequence[float]) -> list[Candidate]:
    """The candidate lit at each offset from the time at which membrane and fire would end together."""
    # without a membrane nothing is gained by waiting; a fire that burns is not lit again
    times = {0.0}
    if one.target_brix > 0 and not scenario.fire_lit:
        together, _ = _together(scenario, one.target_brix, one.machines_on, lit)
        times = {float(round(max(0.0, together + offset))) for offset in offsets}
    return [replace(one, lights=tuple(t if on else NOT_LIT for on in lit)) for t in sorted(times)]


def _together(scenario: Scenario, target: float, on: tuple[bool, ...], lit: tuple[bool, ...]) -> tuple[float, float]:
    """Minutes until light-up at which membrane and fire would end together, and until the head tank has its reserve."""
    sap, head = scenario.sap, scenario.head
    feed, ratio = 0.0, 1.0
    for used, (machine, state) in zip(on, scenario.machines, strict=True):
        flow = float(clean_permeate_flow(machine, sap.brix, min(target, 45.0), sap.temp_c))
        if not used or flow <= 0:
            continue
        flow *= float(fouling_ratio(machine, state.permeate_since_wash_m3))
        ratio = volume_ratio(sap.brix, target, sap.temp_c, machine.passage)
        feed += min(flow * ratio / (ratio - 1.0), machine.feed_max_m3_s)
    if feed <= 0:
        return 0.0, 0.0
    fires = [e for burns, e in zip(lit, scenario.evaporators, strict=True) if burns]
    volume = sap.volume_m3 + scenario.coming_m3
    ro_s = max(volume / feed, scenario.coming_ends_min * 60.0)
    mass = (volume / ratio + head.volume_m3) * float(density(target, head.temp_c))
    boil_s = mass * (1.0 - target / fires[0].syrup_brix) / sum(float(water_rate(e, target, head.temp_c)) for e in fires)
    fill_s = max(head.reserve_m3 - head.volume_m3, 0.0) / (feed / ratio)
    soonest = float(np.ceil(fill_s / 60.0) + 1.0) if fill_s > 0 else 0.0
    return max(ro_s - boil_s - max(e.start_up_s for e in fires), fill_s) / 60.0, soonest
