"""One membrane machine through an evening, for many policies at once."""

from __future__ import annotations

import numpy as np

from ..errors import Inconsistent
from ..membrane import Machine, MembraneState, clean_permeate_flow, sugar_lost_share, volume_ratio, wash_need
from .tanks import EMPTY_M3, MINUTE_S, SUGAR, WATER, Tanks, some

GRID = 9
PACE_AHEAD_MIN = 5.0
"""A membrane slows down to the pans' pace once the head tank holds what they take in so many minutes, and its reserve."""


class Membrane:
    """Takes sap to concentrate, fouls, and is washed. All state is an array with one element a policy."""

    def __init__(self, tanks: Tanks, machine: Machine, state: MembraneState, used: np.ndarray) -> None:
        self.tanks, self.machine = tanks, machine
        policies, n = tanks.policies, tanks.n
        self.left = ~tanks.raw & used
        self.start = policies.ro_start_min
        self.last_start = float(self.start.max(initial=0.0))
        self.over = not some(self.left)
        self.since_wash = np.full(n, state.permeate_since_wash_m3)
        self.fouling = machine.fouling_per_m3 / machine.elements
        self.wash_below = np.where(np.isnan(policies.wash_below), machine.wash_below, policies.wash_below)
        need = wash_need(machine)
        self.wash_min = need.duration_s / tanks.step_s
        self.wash_water = need.permeate_m3 / tanks.sap_w_vol
        self.wash_left, self.washes = np.zeros(n), np.zeros(n)
        self.end, self.wash_end = np.zeros(n), np.zeros(n)
        self.two = policies.two_passes & self.left
        self.any_two, self.any_pace = bool(some(self.two)), bool(some(policies.at_pace))
        if self.any_two and tanks.scenario.between_m3 <= 0:
            raise Inconsistent("two_passes", "two passes need a tank between them")
        self.second = np.zeros(n, bool)
        self.pans_take, self.pace_ahead = np.zeros(n), PACE_AHEAD_MIN * MINUTE_S / tanks.step_s
        self._tabulate()

    def _tabulate(self) -> None:
        """Clean intake and volume ratio for every policy, over the Brix that the sap may have."""
        tanks, machine = self.tanks, self.machine
        low, high = tanks.scenario.coming_brix
        self.grid = np.array([low]) if high - low < 1e-9 else np.linspace(low, high, GRID)
        first_target = np.where(self.two, np.sqrt(tanks.target * tanks.scenario.sap.brix), tanks.target)
        self.intake, self.ratio, reachable = self._table(self.grid, first_target)
        self.intake_now, self.ratio_now = self.intake[:, 0] * tanks.step_s, self.ratio[:, 0]
        self.lost_share = np.asarray(sugar_lost_share(np.maximum(self.ratio[:, 0], 1.0), machine.passage))
        self.water_for_sugar = (100.0 - first_target) / first_target
        self.target_water = (100.0 - tanks.target) / tanks.target
        bad_second = np.zeros(tanks.n, bool)
        if self.any_two:
            self.intake_second, self.ratio_second, second_reachable = (
                x[:, 0] for x in self._table(first_target[:, None], tanks.target))
            bad_second = self.two & ~second_reachable
        ready, slow = self.left, self.intake.min(axis=1) < machine.feed_min_m3_s
        for bad, limit in (
            (tanks.target <= high, 0), (tanks.target > machine.max_brix, 1), (~reachable.all(axis=1) | bad_second, 2),
            (reachable.all(axis=1) & slow, 3),
        ):
            tanks.break_limit(bad & ready, limit, 0)

    def _table(self, feeds: np.ndarray, targets: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Intake m³/s, volume ratio and whether the target is reachable, (n, feeds) each.

        feeds : (feeds,) the same for all, or (n, 1) each policy's own; worked out once for policies alike
        """
        machine, temp = self.machine, self.tanks.scenario.sap.temp_c
        shares = self.tanks.policies.pressure_share
        own = np.broadcast_to(feeds, (len(targets), feeds.shape[-1]))
        rows, of_row = np.unique(np.round(np.column_stack([targets, shares, own]), 9), axis=0, return_inverse=True)
        target, pressure, feed = np.minimum(rows[:, :1], 45.0), machine.pressure_pa * rows[:, 1:2], rows[:, 2:]
        clean = np.asarray(clean_permeate_flow(machine, feed, target, temp, pressure))
        ratio = np.asarray(volume_ratio(feed, np.maximum(target, feed + 1e-6), temp, machine.passage))
        intake = np.minimum(clean * ratio / (ratio - 1.0), machine.feed_max_m3_s)
        of_row = of_row.ravel()
        return intake[of_row], ratio[of_row], (clean > 0)[of_row]

    def run(self, minute: int, power: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """One minute; returns its share that the membrane ran, its share that it washed, and the m³ it took in."""
        tanks = self.tanks
        if not power or self.over:
            return tanks.nothing, tanks.nothing, tanks.nothing
        washing, ready = tanks.nothing, self.left
        if minute < self.last_start:
            ready = ready & (self.start <= minute)
        if some(self.wash_left):
            busy = self.wash_left > 0
            washing = busy.astype(float)
            self.wash_left -= washing
            self.wash_end[busy] = minute + 1
            ready = ready & ~busy
        if not some(ready):
            self.over = not some(self.working)
            return tanks.nothing, washing, tanks.nothing
        source = self._source()
        possible, ratio = self.intake_now, self.ratio_now
        if len(self.grid) > 1:
            brix = 100.0 * source[SUGAR] / np.maximum(source[SUGAR] + source[WATER], 1e-12)
            possible = _along(self.grid, self.intake, brix) * tanks.step_s
            ratio = _along(self.grid, self.ratio, brix)
        if self.any_two:
            possible = np.where(self.second, self.intake_second * tanks.step_s, possible)
            ratio = np.where(self.second, self.ratio_second, ratio)
        fouled = np.exp(self.since_wash * -self.fouling)
        possible = possible * fouled
        volume = tanks.volume(source)
        room = (tanks.scenario.head.capacity_m3 - tanks.head_volume()) * ratio
        if self.any_two:
            first = self.two & ~self.second
            room = np.where(first, (tanks.scenario.between_m3 - tanks.volume(tanks.between)) * ratio, room)
        if self.any_pace:
            ahead = np.maximum(tanks.scenario.head.reserve_m3 * 1.5, self.pace_ahead * self.pans_take)
            slow = tanks.policies.at_pace & (tanks.head_volume() > ahead) & (self.pans_take > 0)
            room = np.where(slow, np.minimum(room, self.pans_take * ratio), room)
        feed = np.minimum(possible, volume)
        np.minimum(feed, room, out=feed)
        np.maximum(feed, 0.0, out=feed)
        feed *= ready
        self._pass(source, feed / np.maximum(volume, 1e-12))
        volume -= feed
        self._start_washes(minute, ready, fouled, volume)
        np.maximum(possible, 1e-30, out=possible)
        return feed / possible, washing, feed

    def _source(self) -> np.ndarray:
        """The tank that each policy takes from; a second pass begins when the sap is in or the tank between is full."""
        tanks = self.tanks
        if not self.any_two:
            return tanks.sap
        held = tanks.volume(tanks.between)
        full = held >= tanks.scenario.between_m3 * (1 - 1e-6)
        self.second |= self.two & (full | ((tanks.sap_volume() <= EMPTY_M3) & (held > EMPTY_M3)))
        self.second &= held > EMPTY_M3
        return np.where(self.second, tanks.between, tanks.sap)

    def _pass(self, source: np.ndarray, share: np.ndarray) -> None:
        """Send a share of the source through the membrane."""
        tanks = self.tanks
        fed = source * share
        if self.any_two:
            tanks.sap -= np.where(self.second, 0.0, fed)
            tanks.between -= np.where(self.second, fed, 0.0)
        else:
            tanks.sap -= fed
        if self.machine.passage > 0:
            lost = fed[SUGAR] * self.lost_share
            fed[SUGAR] -= lost
            tanks.permeate_out[SUGAR] += lost
        wanted = self.water_for_sugar
        if self.any_two:
            wanted = np.where(self.second, self.target_water, wanted)
        # a sweeter tank can hold less water than the target asks for: then nothing is taken out
        kept_w = np.minimum(fed[SUGAR] * wanted, fed[WATER])
        out = fed[WATER] - kept_w
        fed[WATER] = kept_w
        if self.any_two:
            first = self.two & ~self.second
            tanks.between += np.where(first, fed, 0.0)
            fed = np.where(first, 0.0, fed)
        tanks.head += fed
        tanks.made += fed
        tanks.keep_permeate(out)
        self.since_wash += out * tanks.sap_w_vol

    def _start_washes(self, minute: int, ready: np.ndarray, fouled: np.ndarray, left_m3: np.ndarray) -> None:
        """Wash what has fouled, and what has nothing left to take; `left_m3` of its source after this minute."""
        tanks = self.tanks
        begin = ready & (fouled < self.wash_below)
        if not tanks.coming(minute):
            empty = left_m3 <= EMPTY_M3
            if self.any_two:
                empty = (tanks.sap_volume() <= EMPTY_M3) & (tanks.volume(tanks.between) <= EMPTY_M3)
            finished = ready & empty
            if some(finished):
                self.left &= ~finished
                self.end[finished] = minute + 1
                begin |= finished
        if some(begin):
            tanks.break_limit(begin & (tanks.permeate_w < self.wash_water), 7, minute + 1)
            tanks.permeate_w[begin] = np.maximum(tanks.permeate_w[begin] - self.wash_water, 0.0)
            self.since_wash[begin] = 0.0
            self.wash_left[begin] = self.wash_min
            self.washes += begin

    @property
    def working(self) -> np.ndarray:
        """Sap or a wash is still to be done."""
        return self.left | (self.wash_left > 0)


def _along(grid: np.ndarray, table: np.ndarray, x: np.ndarray) -> np.ndarray:
    """Row-wise linear interpolation of `table` (n, len(grid)) at `x` (n)."""
    place = np.clip((x - grid[0]) / (grid[1] - grid[0]), 0.0, len(grid) - 1 - 1e-9)
    left = place.astype(int)
    rows = np.arange(len(x))
    part = place - left
    return table[rows, left] * (1.0 - part) + table[rows, left + 1] * part
