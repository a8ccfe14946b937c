"""What was measured over a run, and what nobody measures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from .. import sugar
from ..arrays import checked
from ..errors import Inconsistent

SIDES = ("in", "out", "held before", "held after")
OUTSIDE = "outside"
LINE = "line"


@dataclass(frozen=True)
class Measured:
    """One measured volume of sap, concentrate or syrup.

    name : for people; side : "in" (came), "out" (left as syrup or known loss), "held before" and "held after"
        (stood in tanks and pans at the start and at the end), or "within" from one part of the line to another
    volume_m3, brix, temp_c : as measured; the _sd are one standard deviation each
    source, sink : parts of the line it goes from and to (sap, membrane, head, pans, syrup, …); left out, the
        whole line is one part and the side says the way
    """

    name: str
    side: str
    volume_m3: float
    volume_sd_m3: float
    brix: float
    brix_sd: float
    temp_c: float = 20.0
    source: str = ""
    sink: str = ""

    def __post_init__(self) -> None:
        if self.side not in (*SIDES, "within"):
            raise Inconsistent("side", f"side is {self.side!r}; it must be one of {', '.join(SIDES)} or within")
        checked("volume_m3", self.volume_m3, 0.0, 1e5, "m³")
        checked("volume_sd_m3", self.volume_sd_m3, 0.0, 1e5, "m³")
        checked("brix", self.brix, 0.0, 80.0, "°Brix")
        checked("brix_sd", self.brix_sd, 0.0, 40.0, "°Brix")
        comes = self.side in ("in", "held before")
        if self.side == "within" and not (self.source and self.sink):
            raise Inconsistent("source", f"{self.name}: what goes within the line needs the parts it goes from and to")
        object.__setattr__(self, "source", self.source or (OUTSIDE if comes else LINE))
        object.__setattr__(self, "sink", self.sink or (LINE if comes else OUTSIDE))
        if self.source == self.sink:
            raise Inconsistent("sink", f"{self.name} goes from {self.source} to {self.sink}: two different parts are needed")

    @property
    def sugar_kg(self) -> float:
        """Sugar, kg."""
        return float(sugar.sugar_mass(self.volume_m3, self.brix, self.temp_c))

    @property
    def sugar_sd_kg(self) -> float:
        """One standard deviation of it, kg: relative errors of volume and Brix added in squares (GUM 2008)."""
        per_volume = float(sugar.sugar_mass(1.0, self.brix, self.temp_c))
        step = 0.01
        above = min(self.brix + step, 80.0)
        below = max(self.brix - step, 0.0)
        per_brix = (float(sugar.sugar_mass(1.0, above, self.temp_c)) - float(sugar.sugar_mass(1.0, below, self.temp_c))) / (
            above - below
        )
        return float(np.hypot(per_volume * self.volume_sd_m3, self.volume_m3 * per_brix * self.brix_sd))


@dataclass(frozen=True)
class Unmeasured:
    """Something that flows but nobody measures: "water" alone (steam, permeate) or a "solution"."""

    name: str
    source: str
    sink: str
    carries: str = "water"

    def __post_init__(self) -> None:
        if self.carries not in ("water", "solution"):
            raise Inconsistent("carries", f"carries is {self.carries!r}; it must be water or solution")


def whole_line() -> tuple[Unmeasured, ...]:
    """With the whole line as one part, water leaves it unmeasured as permeate and steam."""
    return (Unmeasured("permeate and steam", LINE, OUTSIDE),)


WATER_BRIX = 0.5
"""What leaves with less sugar than this is permeate."""


def between_parts(measures: Sequence[Measured]) -> tuple[Unmeasured, ...]:
    """What flows between the parts named (sap, head, pans, syrup) without being among the measures.

    Steam always does. Permeate does unless something nearly without sugar was measured leaving; what still stands in a tank
    leaves its part too, and must not be taken for either.
    """
    parts = {part for m in measures for part in (m.source, m.sink)}
    within = {(m.source, m.sink) for m in measures if m.side == "within"}
    order = [part for part in ("sap", "membrane", "head", "pans", "syrup") if part in parts]
    flows = [Unmeasured(f"{a} to {b}", a, b, "solution") for a, b in pairwise(order) if (a, b) not in within]
    if "pans" in parts:
        flows.append(Unmeasured("steam", "pans", OUTSIDE))
    first = "membrane" if "membrane" in parts else "sap"
    permeate = any(m.side == "out" and m.source in ("sap", "membrane") and m.brix < WATER_BRIX for m in measures)
    if first in parts and not permeate:
        flows.append(Unmeasured("permeate", first, OUTSIDE))
    return tuple(flows)
