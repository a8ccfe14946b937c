"""Closing a run: sugar in against sugar out, with what measurement can and cannot explain."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .. import sugar
from ..arrays import checked
from ..errors import Inconsistent

SIDES = ("in", "out", "held before", "held after")


@dataclass(frozen=True)
class Measured:
    """One measured volume of sap, concentrate or syrup.

    name : for people; side : "in" (came), "out" (left as syrup or known loss), "held before" and "held after"
        (stood in tanks and pans at the start and at the end)
    volume_m3, brix, temp_c : as measured; the _sd are one standard deviation each
    """

    name: str
    side: str
    volume_m3: float
    volume_sd_m3: float
    brix: float
    brix_sd: float
    temp_c: float = 20.0

    def __post_init__(self) -> None:
        if self.side not in SIDES:
            raise Inconsistent("side", f"side is {self.side!r}; it must be one of {', '.join(SIDES)}")
        checked("volume_m3", self.volume_m3, 0.0, 1e5, "m³")
        checked("volume_sd_m3", self.volume_sd_m3, 0.0, 1e5, "m³")
        checked("brix", self.brix, 0.0, 80.0, "°Brix")
        checked("brix_sd", self.brix_sd, 0.0, 40.0, "°Brix")

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
class Ledger:
    """The run's sugar.

    sugar_in_kg, sugar_out_kg : what was there or came, what left or still stands there
    unaccounted_kg, sd_kg : their difference and its standard deviation
    closure : out over in (0 when nothing came in)
    explained : the difference is within two standard deviations, so it need not mean anything
    largest : name of the measurement with the greatest share of the uncertainty
    """

    sugar_in_kg: float
    sugar_out_kg: float
    unaccounted_kg: float
    sd_kg: float
    closure: float
    explained: bool
    largest: str


def ledger(measurements: Sequence[Measured]) -> Ledger:
    """The plain sugar balance of a run with propagated uncertainty (independent errors).

    Raises Inconsistent when there is nothing to balance.
    """
    if not measurements:
        raise Inconsistent("measurements", "there is nothing to balance: no measurement")
    came = sum(m.sugar_kg for m in measurements if m.side in ("in", "held before"))
    went = sum(m.sugar_kg for m in measurements if m.side in ("out", "held after"))
    sd = float(np.sqrt(sum(m.sugar_sd_kg**2 for m in measurements)))
    missing = came - went
    largest = max(measurements, key=lambda m: m.sugar_sd_kg).name
    return Ledger(came, went, missing, sd, went / came if came > 0 else 0.0, abs(missing) <= 2 * sd, largest)
