"""One evaporator through an evening, for many policies at once."""

from __future__ import annotations

import numpy as np

from .. import water
from ..evaporator import Evaporator, pan_sugar, shut_down
from ..evaporator.heat import BOILING_C, boil_heat
from ..sugar.density import apparent_volume
from .tanks import MINUTE_S, SUGAR, WATER, Tanks, some

EMPTY_KG = 1e-6
SHARE_STEP = 5e-5
"""Feeds are told apart by steps of 0.005 °Brix: what follows from the Brix is looked up anew only when it takes one."""
MOST_SHARE = 0.5
"""Sweetest feed of the table: stocks and targets end at 45 °Brix."""
IDLE_UNTIL_MIN = 30.0
"""A fire turned down burns up again when the head tank holds what the pans take in so many minutes."""


class Fire:
    """Boils what the head tank holds; its pans keep their level. All state is an array with one element a policy.

    The state of the fire itself is a matter of times: lit at `lit`, boiling from `boils_at` on, out at `end`; what it burnt
    follows from them and is worked out once, afterwards (`shares`).
    """

    def __init__(self, tanks: Tanks, evaporator: Evaporator, lit: np.ndarray, sugar_kg: float | None, left: str) -> None:
        self.tanks, self.evaporator, self.lit, self.pans_left = tanks, evaporator, lit, left
        n, policies = tanks.n, tanks.policies
        self.share = policies.fire_share
        self.any_idle = bool(some(policies.idle)) and evaporator.idle_fire > 0
        self.pan_w_vol = 1.0 / float(water.density(BOILING_C))
        self.pan_s_vol = float(apparent_volume(40.0, BOILING_C))
        self.syrup_share = evaporator.syrup_brix / 100.0
        ready = np.asarray(pan_sugar(evaporator.hold_up_m3, tanks.target, evaporator.syrup_brix), float)
        self.pan_s = ready.copy() if sugar_kg is None else np.full(n, sugar_kg)
        self.pan_w_given = (evaporator.hold_up_m3 - self.pan_s * self.pan_s_vol) / self.pan_w_vol
        self.fed_w, self.vapour, self.syrup_s, self.drained = np.zeros(n), np.zeros(n), np.zeros(n), np.zeros((2, n))
        self.start_min = evaporator.start_up_s / tanks.step_s
        self.shut_min = evaporator.shut_down_s / tanks.step_s
        # an evaporator that stays cold has nothing to do
        self.used = np.isfinite(lit)
        self.boils_at = np.ceil(lit) + (0.0 if tanks.scenario.fire_lit else np.ceil(self.start_min))
        self.end = np.full(n, np.inf)
        self.idling = np.zeros(n, bool)
        minutes = tanks.scenario.horizon_min
        self.boiled, self.idled = np.zeros((minutes, n), bool), np.zeros((minutes if self.any_idle else 0, n), bool)
        # room for the figures of one minute, so that nothing is laid out anew in each
        self.mass, self.over, self.wanted, self.feed, self.part, self.fed_s, self.syrup = np.zeros((7, n))
        self.has_feed = np.zeros(n, bool)
        self._tabulate()

    def _tabulate(self) -> None:
        evaporator, tanks = self.evaporator, self.tanks
        # heat for a kg of water is latent + sensible/(1 − B/B_s): both parts taken at the feed's own Brix
        grid = np.linspace(0.5, 50.0, 100)
        water_grid = evaporator.heat_w / np.asarray(
            boil_heat(grid, tanks.scenario.head.temp_c, evaporator.syrup_brix, evaporator.preheat_c))
        pan_grid = np.asarray(pan_sugar(evaporator.hold_up_m3, grid, evaporator.syrup_brix))
        self.water_in_syrup = (1.0 - self.syrup_share) / self.syrup_share
        syrup_room = self.pan_s_vol + self.pan_w_vol * self.water_in_syrup
        # by steps of the feed's share of sugar, at full heat, for a minute
        share = np.arange(0.0, MOST_SHARE, SHARE_STEP)
        rate = np.interp(100.0 * share, grid, water_grid) * tanks.step_s
        driven_off_m3 = rate * self.pan_w_vol
        level_feed = driven_off_m3 / ((1.0 - share) * self.pan_w_vol + share * self.pan_s_vol)
        # feed while drawing is linear in the sugar that the pans hold over what they hold when ready
        feed_room = self.pan_w_vol * (1.0 - share / self.syrup_share)
        feed_at_full, feed_a_kg_over = driven_off_m3 / feed_room, syrup_room / feed_room
        # drawn is what then exceeds the ready pans: over + feed·share > 0
        draws_over = -share * feed_at_full / (1.0 + share * feed_a_kg_over)
        self.as_it_is = np.array([np.interp(100.0 * share, grid, pan_grid), feed_a_kg_over])
        self.by_the_fire = np.array([rate, level_feed, feed_at_full, draws_over])
        self.share_now = tanks.target / 100.0
        self.feed_steps = np.full(tanks.n, -1)
        self.full, self.rate, self.feed_at_full = np.zeros((3, tanks.n))
        # at the target Brix: water driven off, kg a minute, and what the pans take at full boil, m³ a minute
        self.boil_rate = np.interp(tanks.target, grid, water_grid) * tanks.step_s * self.share
        self.feed_m3 = self.boil_rate * tanks.head_w_vol / np.maximum(1.0 - tanks.target / evaporator.syrup_brix, 0.05)
        reserve, capacity = tanks.scenario.head.reserve_m3, tanks.scenario.head.capacity_m3
        self.reserve = reserve - 1e-9
        steps = IDLE_UNTIL_MIN * MINUTE_S / tanks.step_s
        self.enough = np.minimum(reserve + steps * self.boil_rate * self.pan_w_vol, 0.9 * capacity)

    def burn(self, minute: int, power: bool, to_come: np.ndarray | None) -> np.ndarray:
        """One minute; returns its share that the pans boiled.

        to_come : sap is still to be concentrated or to arrive, so an empty head tank would be a dry pan; None when
            nothing is under any policy
        """
        tanks = self.tanks
        if not power and self.evaporator.needs_power:
            self.boils_at[self._alight(minute)] = minute + 1 + np.ceil(self.start_min)
            return tanks.nothing
        boiling = np.less_equal(self.boils_at, minute, out=self.boiled[minute])
        if to_come is not None:
            volume = tanks.head_volume()
            low = volume < self.reserve
            if self.any_idle:
                self._turn_down(minute, boiling, low, to_come, volume)
                low &= ~self.idling
            low &= to_come
            low &= self.lit <= minute
            if some(low):
                tanks.break_limit(low, 4, minute)
        if not some(boiling):
            return tanks.nothing
        part = self._boil(boiling)
        if to_come is None or not to_come.all():
            ended = boiling & (part < 1.0)
            if to_come is not None:
                ended &= ~to_come
            if some(ended):
                self.put_out(ended, np.full(tanks.n, minute + 1.0))
        return part

    def put_out(self, rows: np.ndarray, end: np.ndarray) -> None:
        """The boil of these policies is over at minute `end` (n,); their pans are left as the scenario says."""
        self.end[rows] = end[rows]
        self.boils_at[rows] = np.inf
        if self.pans_left != "held":
            self._clear_pans(rows, end)

    def _turn_down(
        self, minute: int, boiling: np.ndarray, low: np.ndarray, to_come: np.ndarray, volume: np.ndarray
    ) -> None:
        """Idle where the policy says so while the head tank is low; burn up again when it has recovered, or when nothing
        more is to come that it could wait for."""
        self.idling |= low & boiling & self.tanks.policies.idle
        self.idling &= to_come & (volume < self.enough)
        np.logical_and(self.idling, boiling, out=self.idled[minute])
        boiling &= ~self.idling

    def _boil(self, boiling: np.ndarray) -> np.ndarray:
        head, mass, over, part, fed_s, syrup = self.tanks.head, self.mass, self.over, self.part, self.fed_s, self.syrup
        np.add(head[SUGAR], head[WATER], out=mass)
        # a last trace has no Brix worth the name: rounding alone would rule it
        active = np.greater(mass, EMPTY_KG, out=self.has_feed)
        np.divide(head[SUGAR], mass, out=self.share_now, where=active)
        self._follow_feed()
        active &= boiling
        np.subtract(self.pan_s, self.full, out=over)
        drawing = over > self.draws_over
        # the level is kept: feed takes the room of what is driven off and of what is drawn
        wanted = np.multiply(over, self.feed_a_kg_over, out=self.wanted)
        wanted += self.feed_at_full
        wanted = np.where(drawing, wanted, self.level_feed)
        feed = np.minimum(mass, wanted, out=self.feed)
        feed *= active
        np.divide(feed, wanted, out=part)
        np.multiply(feed, self.share_now, out=fed_s)
        np.add(over, fed_s, out=syrup)
        np.maximum(syrup, 0.0, out=syrup)
        drawing &= active
        syrup *= drawing
        head[SUGAR] -= fed_s
        feed -= fed_s  # what is left of it is water
        head[WATER] -= feed
        self.fed_w += feed
        self.pan_s += fed_s
        self.pan_s -= syrup
        self.syrup_s += syrup
        self.vapour += self.rate * part
        return part

    def _follow_feed(self) -> None:
        """Heat and room in the pans for a feed with this share of sugar; looked up anew only when it changes."""
        # each policy by its own steps, so that it does the same whoever stands beside it
        steps = (self.share_now * (1.0 / SHARE_STEP) + 0.5).astype(int)
        if not some(steps != self.feed_steps):
            return
        self.feed_steps = steps
        self.full, self.feed_a_kg_over = self.as_it_is.take(steps, axis=1, mode="clip")
        by_the_fire = self.by_the_fire.take(steps, axis=1, mode="clip")
        by_the_fire *= self.share
        self.rate, self.level_feed, self.feed_at_full, self.draws_over = by_the_fire

    @property
    def pan_w(self) -> np.ndarray:
        """Water in the pans, kg."""
        held: np.ndarray = self.pan_w_given + self.fed_w - self.vapour - self.syrup_s * self.water_in_syrup
        return held

    def _clear_pans(self, rows: np.ndarray, end: np.ndarray) -> None:
        """Chase the pans with permeate into the last draw, or drain them into a barrel."""
        tanks = self.tanks
        if self.pans_left == "drained":
            self.drained += np.where(rows, np.array([self.pan_s, self.pan_w]), 0.0)
            self.pan_w_given -= np.where(rows, self.pan_w, 0.0)
            self.pan_s = np.where(rows, 0.0, self.pan_s)
            return
        way = shut_down(self.evaporator, 1.0, "chased")
        need = way.permeate_m3 / tanks.sap_w_vol
        tanks.break_limit(rows & (tanks.permeate_w < need), 13, end)
        used = np.where(rows, np.minimum(tanks.permeate_w, need), 0.0)
        tanks.permeate_w -= used
        tanks.permeate_put_back += used
        out = np.where(rows, self.pan_s * way.out_kg, 0.0)
        kept_s = self.pan_s - out
        kept_w = np.where(rows, (self.evaporator.hold_up_m3 - kept_s * self.pan_s_vol) / self.pan_w_vol, self.pan_w)
        # what was pushed out is finished to syrup; its water goes up the stack
        self.vapour += np.where(rows, self.pan_w + used - kept_w - out * self.water_in_syrup, 0.0)
        self.pan_w_given += used
        self.syrup_s += out
        self.pan_s = kept_s

    def _alight(self, minute: int) -> np.ndarray:
        """Lit and not out yet."""
        return (self.lit <= minute) & (minute < self.end)

    def burns(self, minute: int, power: bool) -> np.ndarray:
        """Burns fuel in this minute, dying down included."""
        dying = (minute >= self.end) & (minute < self.end + self.shut_min)
        return dying if not power and self.evaporator.needs_power else dying | self._alight(minute)

    def shares(self, minutes: int, power: np.ndarray) -> np.ndarray:
        """Share of full fuel burnt in each minute, (minutes, n): starting, boiling, turned down, dying down.

        The last row stands for the state at the end: nothing burns in it.
        """
        t = np.arange(minutes - 1)[:, None]
        boiled = self.boiled[: minutes - 1]
        on = (t >= self.lit) & (t < self.end)
        if self.evaporator.needs_power:
            on &= power[: minutes - 1, None]
        starting = on & ~boiled
        burnt = np.zeros((minutes, len(self.lit)))
        shares = burnt[:-1]
        np.multiply(boiled, self.share, out=shares)
        if self.any_idle:
            idled = self.idled[: minutes - 1]
            starting &= ~idled
            shares += idled * self.evaporator.idle_fire
        shares += starting * self.evaporator.start_up_fire
        shares += ((t >= self.end) & (t < self.end + self.shut_min)) * self.evaporator.shut_down_fire
        return burnt

    @property
    def cold_at(self) -> np.ndarray:
        """Minute from which the fire is out, 0 for one that was never to be lit, infinite for one that still burns."""
        return np.where(self.used, np.ceil(self.end + self.shut_min), 0.0)
