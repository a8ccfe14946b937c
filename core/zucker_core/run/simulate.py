"""The evening minute by minute, for many policies at once.

Every tank is kept as a mass of sugar and a mass of water, so both are conserved to rounding; volumes follow
from the density of the solution. All state is an array with one element a policy.
"""

from __future__ import annotations

import numpy as np

from .. import sugar, water
from ..errors import Inconsistent
from ..evaporator import pan_sugar
from ..evaporator.heat import BOILING_C, boil_heat
from ..membrane import clean_permeate_flow, sugar_lost_share, volume_ratio, wash_need
from ..sugar.density import apparent_volume
from .outcome import NEVER, Outcome, Policies
from .scenario import Scenario
from .spoil import hold_time_h

STEP_S = 60.0
EMPTY_M3 = 1e-6

some = np.count_nonzero  # ten times as quick as any() on arrays this small
SUGAR, WATER = 0, 1


class _Evening:
    """Mutable state of a simulation: masses in kg, rows SUGAR and WATER, one column a policy.

    The loop runs a thousand times over a few hundred policies, so it is the number of array operations that
    counts: what can be derived afterwards (fuel, power, drained permeate) is not carried along.
    """

    def __init__(self, scenario: Scenario, policies: Policies) -> None:
        self.scenario, self.policies = scenario, policies
        self.n = n = len(policies)
        sap, head, evaporator = scenario.sap, scenario.head, scenario.evaporator
        self.raw = policies.target_brix <= 0
        self.target = np.where(self.raw, sap.brix, policies.target_brix)
        self.breach = np.full(n, NEVER)
        self.breach_min = np.zeros(n)

        self.sap_w_vol = 1.0 / float(water.density(sap.temp_c))
        self.sap_s_vol = float(apparent_volume(sap.brix, sap.temp_c))
        self.sap = np.repeat([[kg] for kg in _masses(sap.volume_m3, sap.brix, sap.temp_c)], n, axis=1)
        # concentrate is as cold as the sap it came from; its sugar takes up the room it has at the target
        head_brix = self.target if head.volume_m3 <= EMPTY_M3 else np.maximum(self.target, head.brix)
        self.head_w_vol = 1.0 / float(water.density(head.temp_c))
        self.head_s_vol = np.asarray(apparent_volume(head_brix, head.temp_c))
        self.head = np.repeat([[kg] for kg in _masses(head.volume_m3, head.brix, head.temp_c)], n, axis=1)
        # without a membrane sap and head tank are one: a pump keeps the head full
        self.head += np.where(self.raw, self.sap, 0.0)
        self.sap = np.where(self.raw, 0.0, self.sap)
        self.permeate_w = np.full(n, scenario.permeate_m3 / self.sap_w_vol)
        self.permeate_out = np.zeros((2, n))
        self.made = np.zeros((2, n))
        self.vapour = np.zeros(n)
        self.syrup_s = np.zeros(n)

        self.pan_w_vol = 1.0 / float(water.density(BOILING_C))
        self.pan_s_vol = float(apparent_volume(40.0, BOILING_C))
        self.syrup_share = evaporator.syrup_brix / 100.0
        start = pan_sugar(evaporator.hold_up_m3, self.target, evaporator.syrup_brix)
        if scenario.pans_sugar_kg is not None:
            start = np.full(n, scenario.pans_sugar_kg)
        self.pan_s = np.asarray(start, float).copy()
        self.pan_w = (evaporator.hold_up_m3 - self.pan_s * self.pan_s_vol) / self.pan_w_vol

        self.sap_age, self.head_age = np.full(n, sap.hold_used), np.full(n, head.hold_used)
        self.sap_keeps_h, self.head_keeps_h = hold_time_h(sap.temp_c, "sap"), hold_time_h(head.temp_c, "concentrate")
        self.made_when_aged = np.zeros(n)
        self.ro_left = ~self.raw
        self.boil_done = np.zeros(n, bool)
        self.since_wash = np.full(n, scenario.membrane.permeate_since_wash_m3)
        self.wash_left, self.washes = np.zeros(n), np.zeros(n)
        self.fed_m3 = np.zeros(n)
        self.ro_end, self.boil_end, self.wash_end = np.zeros(n), np.zeros(n), np.zeros(n)
        self.nothing = np.zeros(n)
        self._prepare_membrane()
        self._prepare_pans()

    def _prepare_membrane(self) -> None:
        machine, sap = self.scenario.machine, self.scenario.sap
        self.grid = np.array([sap.brix])
        if machine is None:
            if not self.raw.all():
                raise Inconsistent("target_brix", "there is no membrane machine to concentrate with")
            return
        if len(self.scenario.inflow_m3_s) and abs(self.scenario.inflow_brix - sap.brix) > 1e-9:
            low, high = sorted((sap.brix, self.scenario.inflow_brix))
            self.grid = np.linspace(low, high, 9)
        targets, self.of_target = np.unique(self.target, return_inverse=True)
        reachable = np.clip(targets, None, 45.0)
        clean = np.asarray(clean_permeate_flow(machine, self.grid[None, :], reachable[:, None], sap.temp_c))
        ratio = np.array([[volume_ratio(b, max(t, b + 1e-6), sap.temp_c, machine.passage) for b in self.grid]
                          for t in reachable])
        intake = clean * ratio / (ratio - 1.0)
        held_back = np.minimum(1.0, machine.feed_max_m3_s / np.maximum(intake, 1e-30))
        self.clean_intake, self.ratio = (intake * held_back)[self.of_target], ratio[self.of_target]
        self.clean_step, self.ratio_now = self.clean_intake[:, 0] * STEP_S, self.ratio[:, 0]
        self.lost_share = np.asarray(sugar_lost_share(np.maximum(self.ratio[:, 0], 1.0), machine.passage))
        self.fouling = machine.fouling_per_m3 / machine.elements
        need = wash_need(machine)
        self.wash_min = need.duration_s / STEP_S
        self.wash_water = need.permeate_m3 / self.sap_w_vol
        self.permeate_most = self.scenario.permeate_capacity_m3 / self.sap_w_vol
        self.passage = machine.passage > 0
        self.water_for_sugar = (100.0 - self.target) / self.target
        for bad, limit in (
            (self.target <= sap.brix, 0), (self.target > machine.max_brix, 1),
            (clean[self.of_target].min(axis=1) <= 0, 2),
            ((clean[self.of_target].min(axis=1) > 0) & (self.clean_intake.min(axis=1) < machine.feed_min_m3_s), 3),
        ):
            self.break_limit(bad & ~self.raw, limit, 0)

    def _prepare_pans(self) -> None:
        evaporator = self.scenario.evaporator
        # heat for a kg of water is latent + sensible/(1 − B/B_s): both parts taken at the feed's own Brix
        self.feed_temp = self.scenario.head.temp_c
        self.start_min = evaporator.start_up_s / STEP_S
        self.shut_min = evaporator.shut_down_s / STEP_S
        brix = np.linspace(0.5, 50.0, 100)
        self.brix_grid = brix
        self.water_grid = evaporator.heat_w / np.asarray(
            boil_heat(brix, self.feed_temp, evaporator.syrup_brix, evaporator.preheat_c))
        self.pan_grid = np.asarray(pan_sugar(evaporator.hold_up_m3, brix, evaporator.syrup_brix))
        self.water_in_syrup = (1.0 - self.syrup_share) / self.syrup_share
        self.syrup_room = self.pan_s_vol + self.pan_w_vol * self.water_in_syrup
        self.feed_share = np.full(self.n, -1.0)
        # without a membrane the least time is known beforehand: no need to simulate a night that cannot end
        limit = self.scenario.horizon_min if self.scenario.finish_by_min is None else self.scenario.finish_by_min
        rate = np.interp(self.target, brix, self.water_grid) * STEP_S
        raw_kg = self.sap.sum(axis=0) + self.head.sum(axis=0)
        boil_min = raw_kg * (1.0 - self.target / evaporator.syrup_brix) / rate
        late = self.policies.light_min + self.start_min + boil_min + self.shut_min > limit
        self.break_limit(self.raw & late, 10, limit)

    def break_limit(self, rows: np.ndarray, limit: int, minute: float) -> None:
        """Note the first limit that each of `rows` breaks."""
        fresh = rows & (self.breach == NEVER)
        if some(fresh):
            self.breach[fresh] = limit
            self.breach_min[fresh] = minute

    def receive_sap(self, minute: int) -> None:
        flow = self.scenario.inflow_at(minute)
        if flow > 0:
            s, w = _masses(flow * STEP_S, self.scenario.inflow_brix, self.scenario.sap.temp_c)
            mass = self.sap[SUGAR] + self.sap[WATER]
            self.sap_age *= mass / (mass + s + w)
            for row, kg in ((SUGAR, s), (WATER, w)):
                self.sap[row] += np.where(self.raw, 0.0, kg)
                self.head[row] += np.where(self.raw, kg, 0.0)
            brim = self.scenario.sap.capacity_m3 * (1 + 1e-9)
            self.break_limit(self.sap_volume() > brim, 5, minute)
            self.break_limit(self.raw & (self.head_volume() > brim + self.scenario.head.capacity_m3), 5, minute)

    def sap_volume(self) -> np.ndarray:
        return self.sap[WATER] * self.sap_w_vol + self.sap[SUGAR] * self.sap_s_vol

    def head_volume(self) -> np.ndarray:
        return self.head[WATER] * self.head_w_vol + self.head[SUGAR] * self.head_s_vol

    def concentrate(self, minute: int, coming: bool) -> tuple[np.ndarray, np.ndarray]:
        """Run the membrane for one step; returns the shares of the minute that it ran and that it washed."""
        washing: np.ndarray = self.nothing
        if some(self.wash_left):
            washing = (self.wash_left > 0).astype(float)
            self.wash_left -= washing
            self.wash_end[washing > 0] = minute + 1
        ready = self.ro_left & (self.policies.ro_start_min <= minute)
        if washing is not self.nothing:
            ready &= washing == 0
        if not some(ready):
            return self.nothing, washing
        if len(self.grid) > 1:
            brix = 100.0 * self.sap[SUGAR] / np.maximum(self.sap[SUGAR] + self.sap[WATER], 1e-12)
            self.clean_step = _along(self.grid, self.clean_intake, brix) * STEP_S
            self.ratio_now = _along(self.grid, self.ratio, brix)
        fouled = np.exp(-self.fouling * self.since_wash)
        possible = self.clean_step * fouled
        volume = self.sap_volume()
        room = (self.scenario.head.capacity_m3 - self.head_volume()) * self.ratio_now
        feed = np.where(ready, np.maximum(np.minimum(np.minimum(possible, volume), room), 0.0), 0.0)
        fed = self.sap * (feed / np.maximum(volume, 1e-12))
        self.sap -= fed
        if self.passage:
            lost = fed[SUGAR] * self.lost_share
            fed[SUGAR] -= lost
            self.permeate_out[SUGAR] += lost
        # a sweeter tank can hold less water than the target asks for: then nothing is taken out
        kept_w = np.minimum(fed[SUGAR] * self.water_for_sugar, fed[WATER])
        out = fed[WATER] - kept_w
        fed[WATER] = kept_w
        self.head += fed
        self.made += fed
        self.permeate_out[WATER] += out
        # what the permeate tank cannot hold runs to the drain
        self.permeate_w = np.minimum(self.permeate_w + out, self.permeate_most)
        self.since_wash += out * self.sap_w_vol
        self.fed_m3 += feed
        self._start_washes(minute, coming, ready, volume - feed, fouled)
        return feed / np.maximum(possible, 1e-30), washing

    def _start_washes(self, minute: int, coming: bool, ready: np.ndarray, left: np.ndarray, fouled: np.ndarray) -> None:
        machine = self.scenario.machine
        assert machine is not None
        finished = ready & (left <= EMPTY_M3) & (not coming)
        begin = finished | (ready & (fouled < machine.wash_below))
        if some(begin):
            self.ro_left &= ~finished
            self.ro_end[finished] = minute + 1
            self.break_limit(begin & (self.permeate_w < self.wash_water), 7, minute + 1)
            self.permeate_w[begin] = np.maximum(self.permeate_w[begin] - self.wash_water, 0.0)
            self.since_wash[begin] = 0.0
            self.wash_left[begin] = self.wash_min
            self.washes += begin

    def boil(self, minute: int, coming: bool) -> np.ndarray:
        """Run the pans for one step; returns the share of it that they boiled."""
        lit = self.policies.light_min
        boiling = (lit + self.start_min <= minute) & ~self.boil_done
        to_come = np.ones(self.n, bool) if coming else self.ro_left
        if some(to_come):
            low = self.head_volume() < self.scenario.head.reserve_m3 - 1e-9
            self.break_limit(low & to_come & (lit <= minute) & ~self.boil_done, 4, minute)
        if not some(boiling):
            return self.nothing
        mass = self.head[SUGAR] + self.head[WATER]
        self._follow_feed(self.head[SUGAR] / np.maximum(mass, 1e-12))
        share, over = self.feed_share, self.pan_s - self.full
        while_drawing = (self.driven_off_m3 + over * self.syrup_room) / self.feed_room
        draws = while_drawing * share + over > 0
        wanted = np.where(draws, while_drawing, self.level_feed)
        feed = np.where(boiling, np.minimum(mass, wanted), 0.0)
        part = feed / np.maximum(wanted, 1e-12)
        fed_s = feed * share
        syrup = np.where(draws & (part > 0), np.maximum(over + fed_s, 0.0), 0.0)
        off = self.rate * part
        fed_w = feed - fed_s
        self.head[SUGAR] -= fed_s
        self.head[WATER] -= fed_w
        self.pan_s += fed_s - syrup
        self.pan_w += fed_w - syrup * self.water_in_syrup - off
        self.vapour += off
        self.syrup_s += syrup
        ended = boiling & (part < 1.0) & ~to_come
        if some(ended):
            self.boil_end[ended] = minute + 1
            self.boil_done |= ended
        return part

    def _follow_feed(self, share: np.ndarray) -> None:
        """Heat and room in the pans for a feed with this share of sugar; worked out anew only when it changes."""
        if np.abs(share - self.feed_share).max() < 1e-9:
            return
        self.feed_share = share
        brix = 100.0 * share
        self.rate = np.interp(brix, self.brix_grid, self.water_grid) * STEP_S
        self.full = np.interp(brix, self.brix_grid, self.pan_grid)
        # the level is kept: feed takes the room of what is driven off and of what is drawn
        self.driven_off_m3 = self.rate * self.pan_w_vol
        self.level_feed = self.driven_off_m3 / ((1.0 - share) * self.pan_w_vol + share * self.pan_s_vol)
        self.feed_room = self.pan_w_vol * (1.0 - share / self.syrup_share)

    def grow_old(self, minute: int, every: int = 10) -> None:
        """Let sap and concentrate age, once in ten minutes; fresh concentrate brings the mean age down."""
        if minute % every:
            return
        hours = every * STEP_S / 3600.0
        made = self.made[SUGAR] + self.made[WATER]
        mass = np.maximum(self.head[SUGAR] + self.head[WATER], 1e-12)
        self.head_age *= np.clip(1.0 - (made - self.made_when_aged) / mass, 0.0, 1.0)
        self.made_when_aged = made
        self.sap_age += hours / self.sap_keeps_h
        self.head_age += hours / self.head_keeps_h
        if self.sap_age.max() > 1:
            self.break_limit((self.sap_age > 1) & (self.sap_volume() > 1e-3) & self.ro_left, 8, minute)
        if self.head_age.max() > 1:
            waits = (self.head_volume() > 1e-3) & ~self.boil_done & ~self.raw
            self.break_limit((self.head_age > 1) & waits, 9, minute)

    def finished(self, minute: int) -> np.ndarray:
        if not some(self.boil_done):
            return self.boil_done
        cold = self.boil_done & (self.boil_end + self.shut_min <= minute + 1)
        return cold & ~self.ro_left & (self.wash_left <= 0)

    def audit(self) -> tuple[np.ndarray, np.ndarray]:
        """Sugar and water everywhere: what left with permeate counts, whether it stands in the tank or was drained."""
        s = self.sap[SUGAR] + self.head[SUGAR] + self.permeate_out[SUGAR] + self.pan_s + self.syrup_s
        w = self.sap[WATER] + self.head[WATER] + self.permeate_out[WATER] + self.pan_w + self.vapour
        return s, w + self.syrup_s * self.water_in_syrup


def _masses(volume_m3: float, brix: float, temp_c: float) -> tuple[float, float]:
    mass = volume_m3 * float(sugar.density(brix, temp_c))
    return mass * brix / 100.0, mass * (1.0 - brix / 100.0)


def _along(grid: np.ndarray, table: np.ndarray, x: np.ndarray) -> np.ndarray:
    """Row-wise linear interpolation of `table` (n, len(grid)) at `x` (n)."""
    place = np.clip((x - grid[0]) / (grid[1] - grid[0]), 0.0, len(grid) - 1 - 1e-9)
    left = place.astype(int)
    rows = np.arange(len(x))
    part = place - left
    return table[rows, left] * (1.0 - part) + table[rows, left + 1] * part


def simulate(scenario: Scenario, policies: Policies, *, audit: bool = False) -> Outcome:
    """The evening under each policy.

    One-minute steps to the scenario's horizon, or until every policy has finished or broken a limit. The
    first limit broken and its minute are kept; figures of a policy that broke one are those so far.
    Sugar and water are conserved at every step to 1e-9: `audit` fills the traces that show it.
    Raises Inconsistent.
    """
    evening = _Evening(scenario, policies)
    n, horizon = len(policies), scenario.horizon_min
    stored = {name: np.zeros((horizon + 1, *shape)) for name, shape in (
        ("sap", (2, n)), ("head", (2, n)), ("permeate", (n,)), ("syrup", (n,)), ("ro", (n,)), ("wash", (n,)), ("boil", (n,)),
        ("sugar", (n,)), ("water", (n,)))}
    came_s = came_w = 0.0

    def note(row: int) -> None:
        stored["sap"][row], stored["head"][row] = evening.sap, evening.head
        stored["permeate"][row], stored["syrup"][row] = evening.permeate_w, evening.syrup_s
        if audit:
            held_s, held_w = evening.audit()
            stored["sugar"][row], stored["water"][row] = held_s - came_s, held_w - came_w

    note(0)
    done = np.zeros(n, bool)
    finish = np.full(n, float(horizon))
    minute = 0
    for minute in range(horizon):
        coming = minute < scenario.inflow_ends_min if len(scenario.inflow_m3_s) else False
        evening.receive_sap(minute)
        flow = scenario.inflow_at(minute)
        if flow > 0:
            s, w = _masses(flow * STEP_S, scenario.inflow_brix, scenario.sap.temp_c)
            came_s, came_w = came_s + s, came_w + w
        stored["ro"][minute], stored["wash"][minute] = evening.concentrate(minute, coming)
        stored["boil"][minute] = evening.boil(minute, coming)
        evening.grow_old(minute)
        note(minute + 1)
        newly = evening.finished(minute) & ~done
        if some(newly):
            finish[newly] = minute + 1
            done |= newly
        if some(done | (evening.breach != NEVER)) == n:
            break
    limit = horizon if scenario.finish_by_min is None else scenario.finish_by_min
    evening.break_limit(~done | (finish > limit), 10, limit)
    return _outcome(scenario, evening, finish, {name: values[: minute + 2] for name, values in stored.items()})


def _fire(evening: _Evening, minutes: int) -> np.ndarray:
    """Share of full fuel by minute (minutes, n): starting, boiling, dying."""
    evaporator, t = evening.scenario.evaporator, np.arange(minutes)[:, None]
    lit, end = evening.policies.light_min, np.where(evening.boil_done, evening.boil_end, minutes)
    hot = lit + evening.start_min
    starting = (t >= lit) & (t < hot)
    dying = (t >= end) & (t < end + evening.shut_min)
    return np.where(starting, evaporator.start_up_fire, 0.0) + ((t >= hot) & (t < end)) + np.where(
        dying, evaporator.shut_down_fire, 0.0)


def _outcome(scenario: Scenario, evening: _Evening, finish: np.ndarray, stored: dict[str, np.ndarray]) -> Outcome:
    people, prices, machine, evaporator = scenario.people, scenario.prices, scenario.machine, scenario.evaporator
    syrup_volume = 1.0 / (float(sugar.density(evaporator.syrup_brix, 20.0)) * evening.syrup_share)
    fire = _fire(evening, len(stored["ro"]))
    fuel = fire.sum(axis=0) * STEP_S * evaporator.fuel_rate
    fire_s, ro_s = (fire > 0).sum(axis=0) * STEP_S, stored["ro"].sum(axis=0) * STEP_S
    power_j = fire_s * evaporator.power_w
    wash_s = evening.washes * (machine.wash_s if machine else 0.0)
    if machine is not None:
        ran_s = (stored["ro"] > 0).sum(axis=0) * STEP_S
        power_j = power_j + machine.pressure_pa * evening.fed_m3 / machine.pump_efficiency + machine.recirculation_w * ran_s
    labour = people.membrane * (ro_s + wash_s) + people.fire * fire_s
    lost = evening.permeate_out[SUGAR]
    sap_m3 = stored["sap"][:, WATER] * evening.sap_w_vol + stored["sap"][:, SUGAR] * evening.sap_s_vol
    head_m3 = stored["head"][:, WATER] * evening.head_w_vol + stored["head"][:, SUGAR] * evening.head_s_vol
    over = np.where(evening.raw, np.maximum(head_m3 - scenario.head.capacity_m3, 0.0), 0.0)
    return Outcome(
        breach=evening.breach, breach_min=evening.breach_min, finish_min=finish, ro_min=ro_s / 60,
        boil_min=stored["boil"].sum(axis=0) * STEP_S / 60, fire_min=fire_s / 60, washes=evening.washes,
        ro_end_min=evening.ro_end, boil_end_min=evening.boil_end,
        concentrate_m3=evening.made[WATER] * evening.head_w_vol + evening.made[SUGAR] * evening.head_s_vol,
        permeate_m3=evening.permeate_out[WATER] * evening.sap_w_vol, permeate_left_m3=evening.permeate_w * evening.sap_w_vol,
        syrup_m3=evening.syrup_s * syrup_volume, syrup_kg=evening.syrup_s / evening.syrup_share, fuel=fuel, power_j=power_j,
        labour_s=labour, sugar_lost_kg=lost,
        fuel_cost=fuel * prices.fuel, power_cost=power_j * prices.power_j, labour_cost=labour * prices.labour_s,
        wash_cost=evening.washes * prices.wash, lost_cost=lost * syrup_volume * prices.syrup_m3,
        sap_trace=sap_m3 + over,
        head_trace=head_m3 - over,
        permeate_trace=stored["permeate"] * evening.sap_w_vol, syrup_trace=stored["syrup"] * syrup_volume,
        ro_trace=stored["ro"], wash_trace=stored["wash"], fire_trace=fire,
        sugar_audit=stored["sugar"], water_audit=stored["water"],
    )
