"""Learn an evaporator from its runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from ..estimate import Estimate, of_log, of_value, solve
from .fuels import FUELS
from .heat import Evaporator, boil_heat

WATER_SHARE, FUEL_SHARE = 0.03, 0.03
"""Noise of a run's figures, one standard deviation, unless it says otherwise."""
HEAT_SPREAD, EFFICIENCY_SPREAD, START_SPREAD = 0.35, 0.20, 0.10
LEAST_RUNS = 2


@dataclass(frozen=True)
class Record:
    """One run at the evaporator.

    water_kg : driven off; boil_s : time at full boil; feed_brix, feed_temp_c : what the pans were fed
    fuel : burnt, SI units of the fuel, None where nobody measured it; starts : times the fire was lit
    water_share, fuel_share : noise of the two, one standard deviation; weight : 1 now, less the older it is
    """

    water_kg: float
    boil_s: float
    feed_brix: float
    feed_temp_c: float
    fuel: float | None = None
    starts: int = 1
    water_share: float = WATER_SHARE
    fuel_share: float = FUEL_SHARE
    weight: float = 1.0

    def __post_init__(self) -> None:
        checked("water_kg", self.water_kg, 1.0, 1e7, "kg")
        checked("boil_s", self.boil_s, 60.0, 1e6, "s")
        checked("feed_brix", self.feed_brix, 0.2, 45.0, "°Brix")
        checked("feed_temp_c", self.feed_temp_c, 0.0, 100.0, "°C")
        checked("weight", self.weight, 1e-6, 1.0)
        if self.fuel is not None:
            checked("fuel", self.fuel, 1e-9, 1e15)


@dataclass(frozen=True)
class Fit:
    """heat_w : net heat into the liquid; efficiency : net over gross; start_up_fire : mean share of full fuel while
    starting and dying; evaporator : the one given with these put in."""

    heat_w: Estimate
    efficiency: Estimate
    start_up_fire: Estimate
    evaporator: Evaporator
    scatter: float


def fit(records: Sequence[Record], evaporator: Evaporator) -> Fit:
    """Learn net heat and efficiency, and the fuel of starting, from logged runs.

    `water·heat(feed)/time` is the heat of a run; fuel times its gross heat times efficiency is that heat over boil,
    start and end. Robust least squares on logarithms with the given evaporator as prior.
    Raises Inconsistent under 2 runs.
    """
    if len(records) < LEAST_RUNS:
        raise Inconsistent("records", f"{len(records)} runs are too few to learn from: {LEAST_RUNS} or more are needed")
    root = np.sqrt([r.weight for r in records])
    boil = np.array([r.boil_s for r in records])
    water = np.array([r.water_kg for r in records])
    heat = water * np.asarray(
        boil_heat(
            np.array([r.feed_brix for r in records]),
            np.array([r.feed_temp_c for r in records]),
            evaporator.syrup_brix,
            evaporator.preheat_c,
        )
    )
    rate = np.log(heat / boil)
    burnt = np.array([i for i, r in enumerate(records) if r.fuel is not None], int)
    gross = np.log([FUELS[evaporator.fuel].heat_j * (records[i].fuel or 1.0) for i in burnt])
    starting_s = np.array([records[i].starts for i in burnt]) * (evaporator.start_up_s + evaporator.shut_down_s)
    water_share = np.array([r.water_share for r in records])
    fuel_share = np.array([records[i].fuel_share for i in burnt])

    def residuals(theta: np.ndarray) -> np.ndarray:
        heat_off = root * (rate - theta[0]) / water_share
        fired = np.maximum(boil[burnt] + theta[2] * starting_s, 60.0)
        fuel_off = root[burnt] * (gross - theta[0] + theta[1] - np.log(fired)) / fuel_share
        return np.concatenate([heat_off, fuel_off])

    prior = np.array([np.log(evaporator.heat_w), np.log(evaporator.efficiency), evaporator.start_up_fire])
    spread = np.array([HEAT_SPREAD, EFFICIENCY_SPREAD, START_SPREAD])
    found = solve(residuals, prior, spread, len(records) + len(burnt))
    unknown = not len(burnt)
    heat_w, efficiency = of_log(found, 0), of_log(found, 1, unknown)
    start = of_value(found, 2, found.sd(2) > 0.8 * START_SPREAD, 0.0)
    share = min(start.value, 1.0)
    learned = replace(
        evaporator,
        heat_w=float(np.clip(heat_w.value, 1e3, 2e7)),
        efficiency=float(np.clip(efficiency.value, 0.1, 1.0)),
        start_up_fire=share,
        shut_down_fire=share,
    )
    return Fit(heat_w, efficiency, start, learned, found.scatter)
