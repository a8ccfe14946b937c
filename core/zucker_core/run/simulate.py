"""The evening minute by minute, for many policies at once.

Every tank is kept as a mass of sugar and a mass of water, so both are conserved to rounding; volumes follow
from the density of the solution. All state is an array with one element a policy.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np

from .. import sugar, water
from ..errors import Inconsistent
from ..evaporator import pan_sugar
from ..evaporator.heat import BOILING_C, boil_heat
from ..membrane import clean_permeate_flow, sugar_lost_share, volume_ratio, wash_need
from ..membrane.machine import power
from ..sugar.density import apparent_volume
from .scenario import Scenario
from .spoil import hold_time_h

STEP_S = 60.0
EMPTY_M3 = 1e-6

LIMITS = (
    "target not above the sap's own Brix",
    "concentrate above the machine's limit",
    "osmotic pressure beyond the machine's pump",
    "feed below the machine's least flow",
    "head tank below its reserve with the fire lit",
    "sap tank over its brim",
    "head tank over its brim",
    "permeate short for the wash",
    "sap kept too long",
    "concentrate kept too long",
    "not finished in time",
)
NEVER = -1


@dataclass(frozen=True)
class Policies:
    """Candidate policies, 1-d arrays of one length.

    target_brix : of the concentrate; 0 boils the sap as it is
    ro_start_min, light_min : minutes from now
    """

    target_brix: np.ndarray
    ro_start_min: np.ndarray
    light_min: np.ndarray

    def __post_init__(self) -> None:
        for name in ("target_brix", "ro_start_min", "light_min"):
            object.__setattr__(self, name, np.asarray(getattr(self, name), float))
        if not self.target_brix.shape == self.ro_start_min.shape == self.light_min.shape:
            raise Inconsistent("policies", "target, start and light-up must have one length")

    def __len__(self) -> int:
        return len(self.target_brix)


@dataclass(frozen=True)
class Outcome:
    """What came of each policy: arrays of length n, traces of shape (minutes, n).

    breach : index into LIMITS of the first limit broken, or −1; breach_min : when
    finish_min : everything done, the wash included (horizon where not finished)
    ro_min, boil_min, fire_min : running times; washes : number of washes
    ro_end_min, boil_end_min, light_min : on the clock
    concentrate_m3, permeate_m3, permeate_left_m3, syrup_m3, syrup_kg
    fuel (SI units of the fuel), power_j, labour_s, sugar_lost_kg
    cost and its parts: fuel_cost, power_cost, labour_cost, wash_cost, lost_cost
    sap_trace, head_trace, permeate_trace, syrup_trace : m³; ro_trace, wash_trace, fire_trace : share 0..1
    sugar_audit, water_audit : kg everywhere, less what came in; constant when conserved, zero unless asked for
    """

    breach: np.ndarray
    breach_min: np.ndarray
    finish_min: np.ndarray
    ro_min: np.ndarray
    boil_min: np.ndarray
    fire_min: np.ndarray
    washes: np.ndarray
    ro_end_min: np.ndarray
    boil_end_min: np.ndarray
    concentrate_m3: np.ndarray
    permeate_m3: np.ndarray
    permeate_left_m3: np.ndarray
    syrup_m3: np.ndarray
    syrup_kg: np.ndarray
    fuel: np.ndarray
    power_j: np.ndarray
    labour_s: np.ndarray
    sugar_lost_kg: np.ndarray
    fuel_cost: np.ndarray
    power_cost: np.ndarray
    labour_cost: np.ndarray
    wash_cost: np.ndarray
    lost_cost: np.ndarray
    sap_trace: np.ndarray
    head_trace: np.ndarray
    permeate_trace: np.ndarray
    syrup_trace: np.ndarray
    ro_trace: np.ndarray
    wash_trace: np.ndarray
    fire_trace: np.ndarray
    sugar_audit: np.ndarray
    water_audit: np.ndarray

    @property
    def cost(self) -> np.ndarray:
        return self.fuel_cost + self.power_cost + self.labour_cost + self.wash_cost + self.lost_cost

    def row(self, index: int) -> dict[str, np.ndarray]:
        """One policy's part of every field."""
        return {f.name: getattr(self, f.name)[..., index] for f in fields(self)}


class _Evening:
    """Mutable state of a simulation: masses in kg, one element a policy."""

    def __init__(self, scenario: Scenario, policies: Policies) -> None:
        self.scenario, self.policies = scenario, policies
        n = len(policies)
        self.n = n
        sap, head, evaporator = scenario.sap, scenario.head, scenario.evaporator
        self.raw = policies.target_brix <= 0
        self.target = np.where(self.raw, sap.brix, policies.target_brix)
        self.breach = np.full(n, NEVER)
        self.breach_min = np.zeros(n)

        self.sap_w_vol = 1.0 / float(water.density(sap.temp_c))
        self.sap_s_vol = float(apparent_volume(sap.brix, sap.temp_c))
        self.sap_s, self.sap_w = (np.full(n, kg) for kg in _masses(sap.volume_m3, sap.brix, sap.temp_c))
        # concentrate is as cold as the sap it came from; its sugar takes up the room it has at the target
        head_brix = self.target if head.volume_m3 <= EMPTY_M3 else np.maximum(self.target, head.brix)
        self.head_w_vol = 1.0 / float(water.density(head.temp_c))
        self.head_s_vol = np.asarray(apparent_volume(head_brix, head.temp_c))
        self.head_s, self.head_w = (np.full(n, kg) for kg in _masses(head.volume_m3, head.brix, head.temp_c))
        self.permeate_w = np.full(n, scenario.permeate_m3 / self.sap_w_vol)
        self.permeate_s = np.zeros(n)
        self.drained_w = np.zeros(n)
        self.vapour = np.zeros(n)
        self.syrup_s, self.syrup_w = np.zeros(n), np.zeros(n)

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
        self.ro_done = self.raw.copy()
        self.boil_done = np.zeros(n, bool)
        self.since_wash = np.full(n, scenario.membrane.permeate_since_wash_m3)
        self.wash_left = np.zeros(n)
        self.ro_s, self.boil_s, self.fire_s = np.zeros(n), np.zeros(n), np.zeros(n)
        self.washes, self.power_j, self.fuel = np.zeros(n), np.zeros(n), np.zeros(n)
        self.labour_s = np.zeros(n)
        self.concentrate_m3, self.permeate_made_m3 = np.zeros(n), np.zeros(n)
        self.ro_end, self.boil_end, self.wash_end = np.zeros(n), np.zeros(n), np.zeros(n)
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
        self.lost_share = np.asarray(sugar_lost_share(np.maximum(self.ratio[:, 0], 1.0), machine.passage))
        self.fouling = machine.fouling_per_m3 / machine.elements
        need = wash_need(machine)
        self.wash_min = need.duration_s / STEP_S
        self.wash_water = need.permeate_m3 / self.sap_w_vol
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
        raw_kg = self.sap_s + self.sap_w + self.head_s + self.head_w
        boil_min = raw_kg * (1.0 - self.target / evaporator.syrup_brix) / rate
        late = self.policies.light_min + self.start_min + boil_min + self.shut_min > limit
        self.break_limit(self.raw & late, 10, limit)
        self.raw_rows = np.nonzero(self.raw & (self.breach == NEVER))[0]

    def break_limit(self, rows: np.ndarray, limit: int, minute: float) -> None:
        """Note the first limit that each of `rows` breaks."""
        fresh = rows & (self.breach == NEVER)
        if fresh.any():
            self.breach[fresh] = limit
            self.breach_min[fresh] = minute

    def receive_sap(self, minute: int) -> None:
        flow = self.scenario.inflow_at(minute)
        if flow > 0:
            s, w = _masses(flow * STEP_S, self.scenario.inflow_brix, self.scenario.sap.temp_c)
            mass = self.sap_s + self.sap_w
            self.sap_age *= mass / (mass + s + w)
            self.sap_s += s
            self.sap_w += w
            self.break_limit(self.sap_volume() > self.scenario.sap.capacity_m3 * (1 + 1e-9), 5, minute)

    def sap_volume(self) -> np.ndarray:
        return self.sap_w * self.sap_w_vol + self.sap_s * self.sap_s_vol

    def head_volume(self) -> np.ndarray:
        return self.head_w * self.head_w_vol + self.head_s * self.head_s_vol

    def concentrate(self, minute: int, coming: bool) -> tuple[np.ndarray, np.ndarray]:
        """Run the membrane for one step; returns the shares of the minute that it ran and that it washed."""
        washing = self.wash_left > 0
        if self.raw_rows.size:
            self._pump_raw()
        machine = self.scenario.machine
        if machine is None:
            return np.zeros(self.n), np.zeros(self.n)
        volume = self.sap_volume()
        wanted = ~self.ro_done & ~washing & (minute >= self.policies.ro_start_min)
        feed = np.zeros(self.n)
        if wanted.any():
            intake, ratio = self.clean_intake[:, 0], self.ratio[:, 0]
            if len(self.grid) > 1:
                brix = 100.0 * self.sap_s / np.maximum(self.sap_s + self.sap_w, 1e-12)
                intake, ratio = _along(self.grid, self.clean_intake, brix), _along(self.grid, self.ratio, brix)
            possible = intake * STEP_S * np.exp(-self.fouling * self.since_wash)
            room = np.maximum(self.scenario.head.capacity_m3 - self.head_volume(), 0.0) * ratio
            feed = np.where(wanted, np.minimum(np.minimum(possible, volume), room), 0.0)
            share = feed / np.maximum(volume, 1e-12)
            fed_s, fed_w = self.sap_s * share, self.sap_w * share
            lost = fed_s * self.lost_share
            kept = fed_s - lost
            # a sweeter tank can hold less water than the target asks for: then nothing is taken out
            kept_w = np.minimum(kept * self.water_for_sugar, fed_w)
            out_w = fed_w - kept_w
            mass = self.head_s + self.head_w
            self.head_age *= mass / np.maximum(mass + kept + kept_w, 1e-12)
            self.sap_s -= fed_s
            self.sap_w -= fed_w
            self.head_s += kept
            self.head_w += kept_w
            self.permeate_w += out_w
            self.permeate_s += lost
            permeate = out_w * self.sap_w_vol
            self.since_wash += permeate
            self.permeate_made_m3 += permeate
            self.concentrate_m3 += kept_w * self.head_w_vol + kept * self.head_s_vol
            ran = feed / np.maximum(possible, 1e-30)
            self.ro_s += ran * STEP_S
            self.power_j += np.where(feed > 0, power(machine, feed / STEP_S, machine.pressure_pa), 0.0) * STEP_S
            spill = np.maximum(self.permeate_w - self.scenario.permeate_capacity_m3 / self.sap_w_vol, 0.0)
            self.permeate_w -= spill
            self.drained_w += spill
            self._start_washes(minute, coming, wanted, volume - feed)
        else:
            ran = feed
        self.wash_left = np.maximum(self.wash_left - washing, 0.0)
        self.wash_end = np.where(washing, minute + 1, self.wash_end)
        return ran, washing.astype(float)

    def _pump_raw(self) -> None:
        """Without a membrane the head tank is simply filled with sap."""
        r = self.raw_rows
        volume = self.sap_w[r] * self.sap_w_vol + self.sap_s[r] * self.sap_s_vol
        share = np.minimum(np.maximum(self.scenario.head.capacity_m3 - self.head_volume()[r], 0.0), volume) / np.maximum(
            volume, 1e-12)
        for tank, source in ((self.head_s, self.sap_s), (self.head_w, self.sap_w)):
            moved = source[r] * share
            source[r] -= moved
            tank[r] += moved

    def _start_washes(self, minute: int, coming: bool, wanted: np.ndarray, left: np.ndarray) -> None:
        machine = self.scenario.machine
        assert machine is not None
        finished = wanted & (left <= EMPTY_M3) & (not coming)
        fouled = wanted & ~finished & (np.exp(-self.fouling * self.since_wash) < machine.wash_below)
        begin = finished | fouled
        if begin.any():
            self.ro_done |= finished
            self.ro_end = np.where(finished, minute + 1, self.ro_end)
            self.break_limit(begin & (self.permeate_w < self.wash_water), 7, minute + 1)
            used = np.where(begin, np.minimum(self.permeate_w, self.wash_water), 0.0)
            self.permeate_w -= used
            self.drained_w += used
            self.since_wash = np.where(begin, 0.0, self.since_wash)
            self.wash_left = np.where(begin, self.wash_min, self.wash_left)
            self.washes += begin

    def boil(self, minute: int, coming: bool) -> np.ndarray:
        """Run the pans for one step; returns the fire's share of full fuel."""
        lit = minute - self.policies.light_min
        burning = lit >= 0
        if not burning.any():
            return np.zeros(self.n)
        starting = burning & (lit < self.start_min)
        boiling = burning & ~starting & ~self.boil_done
        to_come = ~self.ro_done | (self.raw & (self.sap_volume() > EMPTY_M3)) | coming
        volume = self.head_volume()
        self.break_limit((starting | boiling) & to_come & (volume < self.scenario.head.reserve_m3 - 1e-9), 4, minute)
        mass = self.head_s + self.head_w
        self._follow_feed(self.head_s / np.maximum(mass, 1e-12))
        share, over = self.feed_share, self.pan_s - self.full
        while_drawing = (self.driven_off_m3 + over * self.syrup_room) / self.feed_room
        draws = while_drawing * share + over > 0
        feed = np.where(draws, while_drawing, self.level_feed)
        part = np.where(boiling & (mass > 1e-9), np.minimum(1.0, mass / np.maximum(feed, 1e-12)), 0.0)
        feed = feed * part
        fed_s = feed * share
        syrup = np.where(draws & (part > 0), np.maximum(over + fed_s, 0.0), 0.0)
        syrup_w = syrup * self.water_in_syrup
        off = self.rate * part
        fed_w = feed - fed_s
        self.head_s -= fed_s
        self.head_w -= fed_w
        self.pan_s += fed_s - syrup
        self.pan_w += fed_w - syrup_w - off
        self.vapour += off
        self.syrup_s += syrup
        self.syrup_w += syrup_w
        self.boil_s += part * STEP_S
        ended = boiling & ~to_come & (part < 1.0)
        self.boil_end = np.where(ended, minute + 1, self.boil_end)
        self.boil_done |= ended
        evaporator = self.scenario.evaporator
        dying = self.boil_done & ~ended & (minute - self.boil_end < self.shut_min)
        fire = np.where(starting, evaporator.start_up_fire, 0.0) + np.where(boiling, 1.0, 0.0)
        fire += np.where(dying, evaporator.shut_down_fire, 0.0)
        self.fuel += fire * STEP_S * evaporator.fuel_rate
        lit_now = starting | boiling | dying
        self.fire_s += lit_now * STEP_S
        self.power_j += lit_now * evaporator.power_w * STEP_S
        return fire

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
        """Let sap and concentrate age, once in ten minutes."""
        if minute % every:
            return
        hours = every * STEP_S / 3600.0
        self.sap_age += hours / self.sap_keeps_h
        self.head_age += hours / self.head_keeps_h
        self.break_limit((self.sap_age > 1) & (self.sap_volume() > 1e-3) & ~self.ro_done, 8, minute)
        self.break_limit((self.head_age > 1) & (self.head_volume() > 1e-3) & ~self.boil_done & ~self.raw, 9, minute)

    def finished(self, minute: int) -> np.ndarray:
        cold = self.boil_done & (minute + 1 - self.boil_end >= self.shut_min)
        return cold & self.ro_done & (self.wash_left <= 0)

    def audit(self) -> tuple[np.ndarray, np.ndarray]:
        s = self.sap_s + self.head_s + self.permeate_s + self.pan_s + self.syrup_s
        w = self.sap_w + self.head_w + self.permeate_w + self.drained_w + self.pan_w + self.syrup_w + self.vapour
        return s, w


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
    names = ("sap", "head", "permeate", "syrup", "ro", "wash", "fire", "sugar", "water")
    trace = {name: np.zeros((horizon + 1, n)) for name in names}
    syrup_volume = 1.0 / (float(sugar.density(scenario.evaporator.syrup_brix, 20.0)) * evening.syrup_share)
    came_s = came_w = 0.0

    def note(row: int) -> None:
        trace["sap"][row], trace["head"][row] = evening.sap_volume(), evening.head_volume()
        trace["permeate"][row] = evening.permeate_w * evening.sap_w_vol
        trace["syrup"][row] = evening.syrup_s * syrup_volume
        if audit:
            held_s, held_w = evening.audit()
            trace["sugar"][row], trace["water"][row] = held_s - came_s, held_w - came_w

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
        trace["ro"][minute], trace["wash"][minute] = evening.concentrate(minute, coming)
        trace["fire"][minute] = evening.boil(minute, coming)
        evening.grow_old(minute)
        note(minute + 1)
        newly = evening.finished(minute) & ~done
        finish[newly] = minute + 1
        done |= newly
        if (done | (evening.breach != NEVER)).all():
            break
    last = minute + 2
    limit = horizon if scenario.finish_by_min is None else scenario.finish_by_min
    evening.break_limit(~done | (finish > limit), 10, limit)
    return _outcome(scenario, evening, finish, {name: values[:last] for name, values in trace.items()}, syrup_volume)


def _outcome(
    scenario: Scenario, evening: _Evening, finish: np.ndarray, trace: dict[str, np.ndarray], syrup_volume: float
) -> Outcome:
    people, prices = scenario.people, scenario.prices
    wash_s = evening.washes * (scenario.machine.wash_s if scenario.machine else 0.0)
    labour = people.membrane * (evening.ro_s + wash_s) + people.fire * evening.fire_s
    return Outcome(
        breach=evening.breach, breach_min=evening.breach_min, finish_min=finish, ro_min=evening.ro_s / 60,
        boil_min=evening.boil_s / 60, fire_min=evening.fire_s / 60, washes=evening.washes,
        ro_end_min=evening.ro_end, boil_end_min=evening.boil_end, concentrate_m3=evening.concentrate_m3,
        permeate_m3=evening.permeate_made_m3, permeate_left_m3=evening.permeate_w * evening.sap_w_vol,
        syrup_m3=evening.syrup_s * syrup_volume, syrup_kg=evening.syrup_s + evening.syrup_w, fuel=evening.fuel,
        power_j=evening.power_j, labour_s=labour, sugar_lost_kg=evening.permeate_s,
        fuel_cost=evening.fuel * prices.fuel, power_cost=evening.power_j * prices.power_j,
        labour_cost=labour * prices.labour_s, wash_cost=evening.washes * prices.wash,
        lost_cost=evening.permeate_s * syrup_volume * prices.syrup_m3,
        sap_trace=trace["sap"], head_trace=trace["head"], permeate_trace=trace["permeate"],
        syrup_trace=trace["syrup"], ro_trace=trace["ro"], wash_trace=trace["wash"], fire_trace=trace["fire"],
        sugar_audit=trace["sugar"], water_audit=trace["water"],
    )
