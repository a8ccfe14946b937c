"""A membrane machine and what it does with the sap at hand."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from .. import sugar
from ..arrays import Number, checked, plain
from ..errors import Inconsistent

ARRANGEMENTS = ("mixed loop", "stages", "batch")


@dataclass(frozen=True)
class Machine:
    """A membrane machine.

    elements : number of membrane elements
    area_m2 : membrane area of one element
    permeability : a, m³/s of permeate per m² and Pa of net pressure at 25 °C, clean
    sigma : what the effective osmotic pressure is above the sugar's own (minerals, polarization)
    fouling_per_m3 : k, falling of the flux per m³ of permeate through one element since the wash
    arrangement : "mixed loop" (recirculation: all membrane sees the concentrate), "stages" (plug flow through
        `stages` in series) or "batch" (over a tank, `passes` times)
    pressure_pa : working pressure over the membrane, which is also its limit
    max_brix : highest concentrate that the maker allows
    feed_min_m3_s, feed_max_m3_s : flow limits of the feed
    pump_efficiency, recirculation_w : for the power
    passage : share s of sugar that passes, as in `B_c/B_f = (Q_f/Q_c)^(1−s)`
    hold_up_m3 : liquid held by housings and pipes
    rinse_before, wash_fill, rinse_after : permeate of a wash in hold-ups
    wash_s : time that a wash takes
    wash_below : fouled over clean flow under which a wash is due
    """

    elements: int
    area_m2: float = 37.16
    permeability: float = 3.3e-3 / 3600 / 1e5
    sigma: float = 1.2
    fouling_per_m3: float = 0.03 / (1000 * 3.785411784e-3)
    arrangement: str = "mixed loop"
    stages: int = 1
    passes: int = 1
    pressure_pa: float = 450 * 6894.757
    max_brix: float = 22.0
    feed_min_m3_s: float = 0.0
    feed_max_m3_s: float = 1.0
    pump_efficiency: float = 0.6
    recirculation_w: float = 0.0
    passage: float = 0.0
    hold_up_m3: float = 0.15
    rinse_before: float = 5.0
    wash_fill: float = 1.0
    rinse_after: float = 9.0
    wash_s: float = 5400.0
    wash_below: float = 0.85

    def __post_init__(self) -> None:
        checked("elements", self.elements, 1, 500)
        checked("area_m2", self.area_m2, 0.1, 100.0, "m²")
        checked("permeability", self.permeability, 1e-13, 1e-9, "m/s/Pa")
        checked("sigma", self.sigma, 0.8, 3.0)
        checked("fouling_per_m3", self.fouling_per_m3, 0.0, 1.0, "1/m³")
        checked("pressure_pa", self.pressure_pa, 1e5, 1e7, "Pa")
        checked("max_brix", self.max_brix, 2.0, 45.0, "°Brix")
        checked("pump_efficiency", self.pump_efficiency, 0.1, 0.95)
        checked("passage", self.passage, 0.0, 0.2)
        checked("stages", self.stages, 1, 12)
        checked("passes", self.passes, 1, 50)
        if self.arrangement not in ARRANGEMENTS:
            raise Inconsistent("arrangement", f"arrangement {self.arrangement!r} is not one of {', '.join(ARRANGEMENTS)}")
        if self.feed_min_m3_s > self.feed_max_m3_s:
            raise Inconsistent("feed_min_m3_s", "the least feed flow is above the greatest")

    @property
    def series(self) -> int:
        """Steps that the sap goes through one after another: stages, or passes over the tank."""
        return {"mixed loop": 1, "stages": self.stages, "batch": self.passes}[self.arrangement]


@dataclass(frozen=True)
class MembraneState:
    """Permeate since the last wash, m³, through the whole machine."""

    permeate_since_wash_m3: float = 0.0


def volume_ratio(feed_brix: ArrayLike, target_brix: ArrayLike, temp_c: ArrayLike, passage: float = 0.0) -> Number:
    """Feed volume for one volume of concentrate, by mass of sugar: `(c_c/c_f)^(1/(1−s))`. Broadcasts."""
    sugar_in = np.asarray(sugar.density(feed_brix, temp_c)) * np.asarray(feed_brix, float)
    sugar_out = np.asarray(sugar.density(target_brix, temp_c)) * np.asarray(target_brix, float)
    return plain((sugar_out / sugar_in) ** (1.0 / (1.0 - passage)))
