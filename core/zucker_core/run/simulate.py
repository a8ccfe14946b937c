"""The evening minute by minute, for many policies at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .. import sugar
from ..errors import Inconsistent
from .boil_down import Rest, boil_down, settled
from .fires import Fire
from .membranes import Membrane
from .outcome import NEVER, Outcome, Policies
from .scenario import Scenario
from .tanks import MINUTE_S, SUGAR, WATER, Tanks, some

LOOK_EVERY_MIN = 30
"""So often the loop looks whether every policy has come to its end."""


class _Evening:
    """Tanks, membranes and fires of one scenario, stepped together."""

    def __init__(self, scenario: Scenario, policies: Policies, step_s: float) -> None:
        self.scenario = scenario
        self.tanks = tanks = Tanks(scenario, policies, step_s)
        if scenario.machine is None and not tanks.raw.all():
            raise Inconsistent("target_brix", "there is no membrane machine to concentrate with")
        used = policies.used(len(scenario.machines))
        self.membranes = [Membrane(tanks, machine, state, used[k]) for k, (machine, state) in enumerate(scenario.machines)]
        hold_up = sum(e.hold_up_m3 for e in scenario.evaporators)
        pans = scenario.pans_sugar_kg
        lights = policies.lights(len(scenario.evaporators))
        self.fires = [
            Fire(tanks, e, lights[k], None if pans is None else pans * e.hold_up_m3 / hold_up, scenario.pans_left)
            for k, e in enumerate(scenario.evaporators)]
        horizon = scenario.horizon_min
        self.power = np.ones(horizon, bool)
        self.frosts = []
        for event in scenario.events:
            if event.kind == "power cut":
                self.power[int(event.start_min): int(np.ceil(event.end_min))] = False
            else:
                self.frosts.append(int(event.start_min))
        self.nobody, self.everywhere = np.zeros(tanks.n, bool), np.ones(tanks.n, bool)
        self.there = scenario.people.there(horizon)
        self.always_there = bool(self.there.all())
        self._refuse_the_hopeless(lights)

    def _refuse_the_hopeless(self, lights: np.ndarray) -> None:
        """Without a membrane the least time is known beforehand: no need to simulate a night that cannot end."""
        tanks = self.tanks
        if not tanks.raw.any():
            return
        limit = self.scenario.horizon_min if self.scenario.finish_by_min is None else self.scenario.finish_by_min
        rate = np.sum([np.where(fire.used, fire.boil_rate, 0.0) for fire in self.fires], axis=0)
        raw_kg = tanks.sap.sum(axis=0) + tanks.head.sum(axis=0)
        boil_min = raw_kg * (1.0 - tanks.target / self.scenario.evaporator.syrup_brix) / np.maximum(rate, 1e-9)
        first = self.fires[0]
        to_heat = 0.0 if self.scenario.fire_lit else first.start_min
        late = lights.min(axis=0) + to_heat + boil_min + first.shut_min > limit
        tanks.break_limit(tanks.raw & late, 10, limit)

    def concentrate(self, minute: int) -> tuple[np.ndarray, np.ndarray, list[np.ndarray]]:
        """Run all membranes; returns the shares of the minute that the busiest ran and that any washed, and each one's feed."""
        ran = washed = self.tanks.nothing
        feeds = []
        power = bool(self.power[minute])
        for membrane in self.membranes:
            share, washing, feed = membrane.run(minute, power)
            ran = share if ran is self.tanks.nothing else np.maximum(ran, share)
            washed = washing if washed is self.tanks.nothing else np.maximum(washed, washing)
            feeds.append(feed)
        return ran, washed, feeds

    def boil(self, minute: int) -> np.ndarray:
        """Burn all fires; returns the share of the minute that any pans boiled."""
        tanks = self.tanks
        to_come: np.ndarray | None = self.everywhere
        if not tanks.coming(minute):
            to_come = self._left()
            if not some(to_come):
                to_come = None
        power = bool(self.power[minute])
        boiled = tanks.nothing
        for fire in self.fires:
            part = fire.burn(minute, power, to_come)
            boiled = part if boiled is tanks.nothing else np.maximum(boiled, part)
        return boiled

    def _left(self) -> np.ndarray:
        """Policies with sap still to be concentrated."""
        if not self.membranes:
            return self.nobody
        left = self.membranes[0].left
        for membrane in self.membranes[1:]:
            left = left | membrane.left
        return left

    def watch(self, minute: int, ran: np.ndarray, washed: np.ndarray) -> None:
        """Limits that concern the whole place: people and frost; sap and concentrate that wait too long."""
        tanks, people = self.tanks, self.scenario.people
        if not self.always_there and not self.there[minute]:
            busy = np.zeros(tanks.n, bool)
            if people.fire > 0:
                for fire in self.fires:
                    busy |= fire.burns(minute, bool(self.power[minute]))
            if people.membrane > 0:
                busy |= (ran > 0) | (washed > 0)
            tanks.break_limit(busy, 11, minute)
        if minute in self.frosts:
            for membrane in self.membranes:
                tanks.break_limit(membrane.working & ~tanks.raw, 12, minute)
        if minute % tanks.age_every == 0:
            burning = np.zeros(tanks.n, bool)
            for fire in self.fires:
                burning |= fire.used & ~np.isfinite(fire.end)
            tanks.grow_old(minute, self._left(), burning)

    def pace(self, minute: int) -> None:
        """Tell the membranes what the pans take, for those that run no faster."""
        if self.membranes and self.membranes[0].any_pace:
            takes = np.sum([np.where(fire.boils_at <= minute, fire.feed_m3, 0.0) for fire in self.fires], axis=0)
            for membrane in self.membranes:
                membrane.pans_take = takes / len(self.membranes)

    def finished_at(self) -> np.ndarray:
        """Minute at whose end everything is done, washes included; infinite while it is not, or where no fire was to be lit."""
        end: np.ndarray = np.max([fire.cold_at for fire in self.fires], axis=0)
        end[~np.any([fire.used for fire in self.fires], axis=0)] = np.inf
        for membrane in self.membranes:
            end = np.maximum(end, np.where(membrane.working, np.inf, np.maximum(membrane.end, membrane.wash_end)))
        return end

    def awaited(self, minute: int) -> np.ndarray:
        """Policies that by this minute have neither finished nor broken a limit."""
        return (self.tanks.breach == NEVER) & (self.finished_at() > minute)

    def rest(self, minute: int, awaited: np.ndarray) -> Rest | None:
        """What is left from this minute on in one step, None while there is more to it than boiling and washing."""
        if some(self._left() & awaited):
            return None
        quiet = self.power[minute:].all() and self.there[minute:].all() and not any(at >= minute for at in self.frosts)
        rows = settled(self.tanks, self.membranes, self.fires, minute)
        if not quiet or some(awaited & ~rows):
            return None
        return boil_down(self.tanks, self.membranes, self.fires, minute, self.scenario.horizon_min - minute, rows, awaited)

    def audit(self) -> tuple[np.ndarray, np.ndarray]:
        """Sugar and water everywhere, less what came in: permeate counts, whether it stands in the tank or was drained."""
        tanks = self.tanks
        held = tanks.sap + tanks.head + tanks.between + tanks.permeate_out - tanks.arrived[:, None]
        held[WATER] -= tanks.permeate_put_back
        for fire in self.fires:
            held += fire.drained
            held[SUGAR] += fire.pan_s + fire.syrup_s
            held[WATER] += fire.pan_w + fire.vapour + fire.syrup_s * fire.water_in_syrup
        return held[SUGAR], held[WATER]

    def syrup_s(self) -> np.ndarray:
        return np.sum([fire.syrup_s for fire in self.fires], axis=0) if len(self.fires) > 1 else self.fires[0].syrup_s


def simulate(scenario: Scenario, policies: Policies, *, audit: bool = False, step_s: float = MINUTE_S) -> Outcome:
    """The evening under each policy.

    One-minute steps to the scenario's horizon, or until every policy has finished or broken a limit. The
    first limit broken and its minute are kept; figures of a policy that broke one are those so far.
    Once nothing is left but to boil down what the head tank holds, the rest is worked out in one step (`boil_down`).
    Sugar and water are conserved at every step to 1e-9: `audit` steps through every minute and fills the traces that
    show it.
    step_s : length of a step; for other than a minute every minute of scenario and policies is told in steps (`glance`)
    Raises Inconsistent.
    """
    evening = _Evening(scenario, policies, step_s)
    tanks, n, horizon = evening.tanks, len(policies), scenario.horizon_min
    machines, look_every = len(evening.membranes), round(LOOK_EVERY_MIN * MINUTE_S / step_s)
    sap, head = np.zeros((2, horizon + 1, 2, n))
    permeate, syrup = np.zeros((2, horizon + 1, n))
    sugar_audit, water_audit = np.zeros((2, horizon + 1 if audit else 0, n))
    ro, wash, boiled = np.zeros((3, horizon + 1, n))
    feed = np.zeros((horizon + 1, machines, n))

    def note(row: int) -> None:
        sap[row], head[row] = tanks.sap, tanks.head
        permeate[row], syrup[row] = tanks.permeate_w, evening.syrup_s()
        if audit:
            sugar_audit[row], water_audit[row] = evening.audit()

    note(0)
    minute = 0
    for minute in range(horizon):
        tanks.receive_sap(minute)
        evening.pace(minute)
        ran, washed, feeds = evening.concentrate(minute)
        boiled[minute] = evening.boil(minute)
        evening.watch(minute, ran, washed)
        if ran is not tanks.nothing:
            ro[minute] = ran
            for k, one in enumerate(feeds):
                feed[minute, k] = one
        if washed is not tanks.nothing:
            wash[minute] = washed
        note(minute + 1)
        if minute % look_every == look_every - 1:
            awaited = evening.awaited(minute + 1)
            if not some(awaited):
                break
            rest = None if audit or minute + 1 == horizon else evening.rest(minute + 1, awaited)
            if rest is not None:
                end = minute + 1 + rest.minutes
                boiled[minute + 1 : end], wash[minute + 1 : end] = rest.boiled, rest.wash
                after = slice(minute + 2, end + 1)
                sap[after], head[after], permeate[after], syrup[after] = tanks.sap, rest.head, rest.permeate, rest.syrup
                minute = end - 1
                break
    finish = evening.finished_at()
    limit = horizon if scenario.finish_by_min is None else scenario.finish_by_min
    tanks.break_limit(finish > min(limit, horizon), 10, limit)
    finish = np.minimum(finish, horizon)
    # what was looked at beyond the last policy's end is cut off
    ends = np.where(tanks.breach == NEVER, finish, tanks.breach_min + 1)
    last = int(np.clip(np.ceil(ends.max()), 1, minute + 1)) + 1
    traces = _Traces(*(x[:last] for x in (sap, head, permeate, syrup, sugar_audit, water_audit, ro, wash, boiled, feed)))
    return _outcome(scenario, evening, finish, traces)


@dataclass(frozen=True)
class _Traces:
    """By minute: masses (minutes, 2, n), permeate and syrup kg, audits, shares of running, feeds (minutes, machines, n)."""

    sap: np.ndarray
    head: np.ndarray
    permeate: np.ndarray
    syrup: np.ndarray
    sugar: np.ndarray
    water: np.ndarray
    ro: np.ndarray
    wash: np.ndarray
    boiled: np.ndarray
    feed: np.ndarray


def _power(scenario: Scenario, evening: _Evening, traces: _Traces, fires: Sequence[np.ndarray]) -> np.ndarray:
    """Electric energy by minute, J, (minutes, n)."""
    share, step_s = evening.tanks.policies.pressure_share, evening.tanks.step_s
    used = np.zeros(traces.ro.shape)
    for k, (machine, _) in enumerate(scenario.machines):
        feed = traces.feed[:, k]
        used += machine.pressure_pa * share * feed / machine.pump_efficiency + machine.recirculation_w * (feed > 0) * step_s
    for evaporator, fire in zip(scenario.evaporators, fires, strict=True):
        if evaporator.power_w:
            used += evaporator.power_w * (fire > 0) * step_s
    return used


def _outcome(scenario: Scenario, evening: _Evening, finish: np.ndarray, traces: _Traces) -> Outcome:
    people, tanks, nothing = scenario.people, evening.tanks, evening.tanks.nothing
    first, minutes, step_s = evening.fires[0], len(traces.ro), tanks.step_s
    syrup_volume = 1.0 / (float(sugar.density(scenario.evaporator.syrup_brix, 20.0)) * first.syrup_share)
    # the last row of a trace is the state at the end: nothing runs in it any more
    fires = [fire.shares(minutes, evening.power) for fire in evening.fires]
    fuel = sum(e.fuel_rate * fire.sum(axis=0) for e, fire in zip(scenario.evaporators, fires, strict=True)) * step_s
    fire = fires[0] if len(fires) == 1 else np.sum(fires, axis=0)
    fire_s, ro_s = np.count_nonzero(fire, axis=0) * step_s, traces.ro.sum(axis=0) * step_s
    power = _power(scenario, evening, traces, fires)
    wash_s = np.count_nonzero(traces.wash, axis=0) * step_s
    washes = sum((m.washes for m in evening.membranes), np.zeros(tanks.n))
    labour = people.membrane * (ro_s + wash_s) + people.fire * fire_s
    lost = tanks.permeate_out[SUGAR]
    syrup = evening.syrup_s()
    sap_m3 = traces.sap[:, WATER] * tanks.sap_w_vol + traces.sap[:, SUGAR] * tanks.sap_s_vol
    head_m3 = traces.head[:, WATER] * tanks.head_w_vol + traces.head[:, SUGAR] * tanks.head_s_vol
    if tanks.any_raw:
        over = np.where(tanks.raw, np.maximum(head_m3 - scenario.head.capacity_m3, 0.0), 0.0)
        sap_m3, head_m3 = sap_m3 + over, head_m3 - over
    return Outcome(
        breach=tanks.breach, breach_min=tanks.breach_min, finish_min=finish, ro_min=ro_s / 60,
        boil_min=traces.boiled.sum(axis=0) * step_s / 60, fire_min=fire_s / 60, washes=washes,
        ro_end_min=_latest([m.end for m in evening.membranes], tanks.nothing),
        boil_end_min=_latest([np.where(np.isfinite(f.end), f.end, 0.0) for f in evening.fires], tanks.nothing),
        concentrate_m3=tanks.made[WATER] * tanks.head_w_vol + tanks.made[SUGAR] * tanks.head_s_vol,
        permeate_m3=tanks.permeate_out[WATER] * tanks.sap_w_vol, permeate_left_m3=tanks.permeate_w * tanks.sap_w_vol,
        syrup_m3=syrup * syrup_volume, syrup_kg=syrup / first.syrup_share, fuel=fuel, power_j=power.sum(axis=0),
        labour_s=labour, sugar_lost_kg=lost, lost_m3=lost * syrup_volume,
        fuel_cost=nothing, power_cost=nothing, labour_cost=nothing, wash_cost=nothing, lost_cost=nothing,
        sap_trace=sap_m3, head_trace=head_m3,
        permeate_trace=traces.permeate * tanks.sap_w_vol, syrup_trace=traces.syrup * syrup_volume,
        ro_trace=traces.ro, wash_trace=traces.wash, fire_trace=fire / len(evening.fires), power_trace=power,
        sugar_audit=traces.sugar, water_audit=traces.water,
    ).priced(scenario.prices)


def _latest(ends: list[np.ndarray], nothing: np.ndarray) -> np.ndarray:
    return np.max(ends, axis=0) if ends else nothing.copy()
