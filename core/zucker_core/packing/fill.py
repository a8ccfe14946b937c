"""Hot syrup into containers: shrinkage on cooling, and how many of each a batch fills."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from .. import sugar
from ..arrays import Number, checked, plain
from ..errors import Inconsistent

PACK_FROM_C, PACK_TO_C = 82.2, 87.8
"""180 to 190 °F: hot enough to keep, not so hot that new sugar sand falls."""
SAND_ABOVE_C = 90.6
"""195 °F."""


def shrinkage(brix: ArrayLike, fill_c: ArrayLike, to_c: ArrayLike = 20.0) -> Number:
    """Share of its volume that syrup loses on cooling: `1 − ρ(fill)/ρ(to)`; 66.9 °Brix from 185 °F to 68 °F loses 0.0278.

    brix : 0..80; fill_c, to_c : 0..107 °C, to_c not above fill_c. Source: `sugar.density`; the container's own change is left
    out (glass: 0.0017 over the same range).
    """
    hot, cold = checked("fill_c", fill_c, 0.0, 107.0, "°C"), checked("to_c", to_c, 0.0, 107.0, "°C")
    if (cold > hot).any():
        raise Inconsistent("to_c", "syrup is filled hotter than it is kept")
    return plain(1.0 - np.asarray(sugar.density(brix, hot)) / np.asarray(sugar.density(brix, cold)))


@dataclass(frozen=True)
class Fill:
    """A container to fill: its name, what it holds (m³), and how many are wanted (None: as many as the batch fills)."""

    name: str
    volume_m3: float
    count: int | None = None


@dataclass(frozen=True)
class Filled:
    """How many of one container were filled, and with how much of the hot batch, m³. short : how many of those wanted it
    did not reach for"""

    name: str
    count: int
    used_m3: float
    short: int


def fill_batch(volume_m3: float, wanted: Sequence[Fill]) -> tuple[list[Filled], float]:
    """What a batch fills, in the order in which containers are named, and what is left of it (m³).

    volume_m3 : of the batch at the temperature at which it is filled, 0..100; containers are filled to the brim, because
    what shrinks on cooling leaves room enough
    """
    left = float(checked("volume_m3", volume_m3, 0.0, 100.0, "m³"))
    done = []
    for one in wanted:
        size = float(checked(one.name, one.volume_m3, 1e-6, 2.0, "m³"))
        if one.count is not None and one.count < 0:
            raise Inconsistent(one.name, f"{one.count} containers cannot be filled")
        fits = int(left / size + 1e-9)
        count = fits if one.count is None else min(fits, one.count)
        left = max(left - count * size, 0.0)
        done.append(Filled(one.name, count, count * size, 0 if one.count is None else one.count - count))
    return done, left
