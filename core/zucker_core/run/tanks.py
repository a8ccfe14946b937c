"""The tanks through an evening, for many policies at once.

Every tank is kept as a mass of sugar and a mass of water, so both are conserved to rounding; volumes follow
from the density of the solution. All state is an array with one element a policy.
"""

from __future__ import annotations

import numpy as np

from .. import water
from ..sugar.density import apparent_volume
from .outcome import NEVER, Policies
from .scenario import Scenario, masses
from .spoil import hold_time_h

MINUTE_S = 60.0
EMPTY_M3 = 1e-6
AGE_EVERY_MIN = 10
WAITS_M3 = 1e-3
"""Less sap or concentrate than this does not wait for anything."""
SUGAR, WATER = 0, 1

some = np.count_nonzero  # ten times as quick as any() on arrays this small


class Tanks:
    """Sap, concentrate, permeate and what has left them: masses in kg, rows SUGAR and WATER, one column a policy.

    The loop runs a thousand times over a few hundred policies, so it is the number of array operations that
    counts: what can be derived afterwards (fuel, power, drained permeate) is not carried along.
    """

    def __init__(self, scenario: Scenario, policies: Policies, step_s: float = MINUTE_S) -> None:
        self.scenario, self.policies, self.step_s = scenario, policies, step_s
        self.n = n = len(policies)
        sap, head = scenario.sap, scenario.head
        self.raw = policies.target_brix <= 0
        self.target = np.where(self.raw, sap.brix, policies.target_brix)
        self.any_raw, self.to_sap = bool(some(self.raw)), (~self.raw).astype(float)
        self.nothing = np.zeros(n)
        self.breach, self.breach_min = np.full(n, NEVER), np.zeros(n)
        self.arrivals = scenario.arrivals(step_s)
        self.arrives = (self.arrivals[WATER] > 0).tolist()
        self.coming_ends = scenario.coming_ends_min
        self.arrived = np.zeros(2)

        self.sap_w_vol = 1.0 / float(water.density(sap.temp_c))
        self.sap_s_vol = float(apparent_volume(sap.brix, sap.temp_c))
        self.sap = np.repeat([[kg] for kg in masses(sap.volume_m3, sap.brix, sap.temp_c)], n, axis=1)
        # concentrate is as cold as the sap it came from; its sugar takes up the room it has at the target
        head_brix = self.target if head.volume_m3 <= EMPTY_M3 else np.maximum(self.target, head.brix)
        self.head_w_vol = 1.0 / float(water.density(head.temp_c))
        self.head_s_vol = np.asarray(apparent_volume(head_brix, head.temp_c))
        self.head = np.repeat([[kg] for kg in masses(head.volume_m3, head.brix, head.temp_c)], n, axis=1)
        # without a membrane sap and head tank are one: a pump keeps the head full
        self.head += np.where(self.raw, self.sap, 0.0)
        self.sap = np.where(self.raw, 0.0, self.sap)
        self.between = np.zeros((2, n))
        self.made = np.zeros((2, n))
        self.permeate_w = np.full(n, scenario.permeate_m3 / self.sap_w_vol)
        self.permeate_most = scenario.permeate_capacity_m3 / self.sap_w_vol
        self.permeate_out = np.zeros((2, n))
        self.permeate_put_back = np.zeros(n)

        self.sap_age, self.head_age = np.full(n, sap.hold_used), np.full(n, head.hold_used)
        self.sap_keeps_h, self.head_keeps_h = hold_time_h(sap.temp_c, "sap"), hold_time_h(head.temp_c, "concentrate")
        self.made_when_aged = np.zeros((2, n))
        self.age_every = max(round(AGE_EVERY_MIN * MINUTE_S / step_s), 1)
        self.hours_a_look = self.age_every * step_s / 3600.0

    def break_limit(self, rows: np.ndarray, limit: int, minute: float | np.ndarray) -> None:
        """Note the first limit that each of `rows` breaks, in one minute or each in its own."""
        fresh = rows & (self.breach == NEVER)
        if some(fresh):
            self.breach[fresh] = limit
            self.breach_min[fresh] = minute[fresh] if isinstance(minute, np.ndarray) else minute

    def coming(self, minute: int) -> bool:
        """More sap comes in this minute or later."""
        return minute < self.coming_ends

    def receive_sap(self, minute: int) -> None:
        """What lines and trucks bring in this minute."""
        if not self.arrives[minute]:
            return
        came = self.arrivals[:, minute]
        mass = self.sap[SUGAR] + self.sap[WATER]
        self.sap_age *= mass / (mass + (came[SUGAR] + came[WATER]))
        self.sap += self.to_sap * came[:, None]
        self.arrived += came
        brim = self.scenario.sap.capacity_m3 * (1 + 1e-9)
        self.break_limit(self.sap_volume() > brim, 5, minute)
        if self.any_raw:
            self.head += self.raw * came[:, None]
            self.break_limit(self.raw & (self.head_volume() > brim + self.scenario.head.capacity_m3), 5, minute)

    def sap_volume(self) -> np.ndarray:
        """m³."""
        return self.volume(self.sap)

    def volume(self, kg: np.ndarray) -> np.ndarray:
        """Volume of sap-cold masses (2, n), m³."""
        return kg[WATER] * self.sap_w_vol + kg[SUGAR] * self.sap_s_vol

    def head_volume(self) -> np.ndarray:
        """m³."""
        return self.head[WATER] * self.head_w_vol + self.head[SUGAR] * self.head_s_vol

    def keep_permeate(self, out: np.ndarray) -> None:
        """Permeate of this minute, kg of water; what the tank cannot hold runs to the drain."""
        self.permeate_out[WATER] += out
        self.permeate_w = np.minimum(self.permeate_w + out, self.permeate_most)

    def grow_old(self, minute: int, waiting: np.ndarray, boiling: np.ndarray) -> None:
        """Let sap and concentrate age, every ten minutes; fresh concentrate brings the mean age down.

        waiting, boiling : sap still waits for the membrane; concentrate still waits for the fire
        """
        if minute % self.age_every:
            return
        fresh = (self.made - self.made_when_aged).sum(axis=0)
        mass = np.maximum(self.head[SUGAR] + self.head[WATER], 1e-12)
        self.head_age *= np.clip(1.0 - fresh / mass, 0.0, 1.0)
        self.made_when_aged = self.made.copy()
        self.sap_age += self.hours_a_look / self.sap_keeps_h
        self.head_age += self.hours_a_look / self.head_keeps_h
        if self.sap_age.max() > 1:
            self.break_limit((self.sap_age > 1) & (self.sap_volume() > WAITS_M3) & waiting, 8, minute)
        if self.head_age.max() > 1:
            self.break_limit((self.head_age > 1) & (self.head_volume() > WAITS_M3) & boiling & ~self.raw, 9, minute)
