"""Heat to bring sap to the boil and to drive its water off."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from .. import sugar, water
from ..arrays import Number, checked, plain
from ..errors import Inconsistent
from .fuels import FUELS, Fuel

BOILING_C = 100.0


@dataclass(frozen=True)
class Evaporator:
    """An evaporator.

    heat_w : net heat into the liquid, which is fuel burnt times efficiency
    fuel : a name of FUELS
    efficiency : net heat over gross heat of the fuel
    preheat_c : temperature to which a steam hood brings the feed without extra fuel, or None
    hold_up_m3 : liquid in the pans at working level, hot
    start_up_s, start_up_fire : time to the boil, and mean share of full fuel used in it
    shut_down_s, shut_down_fire : the same from the last concentrate to a dead fire
    idle_fire : share of full fuel while the fire is turned down and the pans only keep hot; 0 where it cannot be
    power_w : blowers, pumps, lights while the fire is lit
    syrup_brix : density drawn
    """

    heat_w: float
    fuel: str = "oil"
    efficiency: float = 0.75
    preheat_c: float | None = None
    hold_up_m3: float = 0.25
    start_up_s: float = 1800.0
    start_up_fire: float = 0.2
    shut_down_s: float = 1440.0
    shut_down_fire: float = 0.2
    power_w: float = 0.0
    syrup_brix: float = 66.9
    idle_fire: float = 0.0

    def __post_init__(self) -> None:
        checked("heat_w", self.heat_w, 1e3, 2e7, "W")
        checked("efficiency", self.efficiency, 0.1, 1.0)
        checked("hold_up_m3", self.hold_up_m3, 0.001, 20.0, "m³")
        checked("syrup_brix", self.syrup_brix, 50.0, 75.0, "°Brix")
        checked("start_up_s", self.start_up_s, 0.0, 36_000.0, "s")
        checked("shut_down_s", self.shut_down_s, 0.0, 36_000.0, "s")
        checked("idle_fire", self.idle_fire, 0.0, 1.0)
        if self.preheat_c is not None:
            checked("preheat_c", self.preheat_c, 0.0, 99.9, "°C")
        if self.fuel not in FUELS:
            raise Inconsistent("fuel", f"fuel {self.fuel!r} is not one of {', '.join(FUELS)}")

    @property
    def needs_power(self) -> bool:
        """A burner or a feeder stops in a power cut; a hand-fed wood fire does not."""
        return self.fuel != "wood"

    @property
    def fuel_rate(self) -> float:
        """Fuel burnt at full fire, SI units of the fuel a second."""
        return self.heat_w / self.efficiency / FUELS[self.fuel].heat_j


def fuel_burnt(evaporator: Evaporator, lit_s: float) -> float:
    """Fuel of a fire that has been lit for `lit_s`, SI units of the fuel: its start-up share first, then full fire."""
    lit = float(checked("lit_s", lit_s, 0.0, 1e7, "s"))
    starting = min(lit, evaporator.start_up_s)
    return evaporator.fuel_rate * (lit - starting + starting * evaporator.start_up_fire)


def water_off(syrup_kg: float, syrup_brix: float, feed_brix: float) -> float:
    """Water driven off to draw `syrup_kg` of `syrup_brix` from a feed, kg: `m (B_s/B_f − 1)`."""
    mass = float(checked("syrup_kg", syrup_kg, 0.0, 1e7, "kg"))
    feed = float(checked("feed_brix", feed_brix, 0.1, 66.0, "°Brix"))
    return mass * (float(checked("syrup_brix", syrup_brix, feed, 80.0, "°Brix")) / feed - 1.0)


def specific_heat(brix: ArrayLike, temp_c: ArrayLike) -> Number:
    """Heat capacity in J/kg/K of a pure sucrose solution: 2608 at 66.9 °Brix and 20 °C. Source: Bubník et al. (1995)."""
    b = np.asarray(brix, float)
    return plain(4186.8 - 29.7 * b + 4.6 * b + 0.075 * b * np.asarray(temp_c, float))


def boil_heat(
    feed_brix: ArrayLike, feed_temp_c: ArrayLike, syrup_brix: ArrayLike = 66.9, preheat_c: float | None = None
) -> Number:
    """Heat in J for each kg of water driven off, the heating of the feed included. Broadcasts.

    With a preheater the feed comes at `preheat_c` when that is the warmer.
    """
    b = checked("feed_brix", feed_brix, 0.1, 60.0, "°Brix")
    t = checked("feed_temp_c", feed_temp_c, 0.0, 105.0, "°C")
    enters = t if preheat_c is None else np.maximum(t, preheat_c)
    sensible = specific_heat(b, 0.5 * (enters + BOILING_C)) * np.maximum(BOILING_C - enters, 0.0)
    return plain(water.latent_heat(BOILING_C) + sensible / (1.0 - b / np.asarray(syrup_brix, float)))


def water_rate(evaporator: Evaporator, feed_brix: ArrayLike, feed_temp_c: ArrayLike) -> Number:
    """Water driven off in kg/s at full fire; falls with cold feed, rises with a preheater. Broadcasts."""
    return plain(
        evaporator.heat_w / np.asarray(boil_heat(feed_brix, feed_temp_c, evaporator.syrup_brix, evaporator.preheat_c))
    )


def syrup_rate(water_kg_s: ArrayLike, feed_brix: ArrayLike, syrup_brix: ArrayLike = 66.9) -> Number:
    """Syrup in kg/s from `water_kg_s` driven off: `water/(B_s/B_f − 1)`."""
    b = checked("feed_brix", feed_brix, 0.1, 66.0, "°Brix")
    return plain(np.asarray(water_kg_s, float) / (np.asarray(syrup_brix, float) / b - 1.0))


def fuel_per_syrup(
    feed_brix: ArrayLike, feed_temp_c: ArrayLike, fuel: Fuel, efficiency: float, syrup_brix: float = 66.9,
    preheat_c: float | None = None,
) -> Number:
    """Fuel for a m³ of syrup (at 20 °C), in SI units of the fuel.

    Oil at 75 % from 40 °F feed: 3.967 gal a gallon of syrup from 2 °Brix, 0.910 from 8. Raises OutOfRange.
    """
    share = checked("efficiency", efficiency, 0.1, 1.0)
    b = checked("feed_brix", feed_brix, 0.1, 60.0, "°Brix")
    evaporated = sugar.density(syrup_brix, 20.0) * (syrup_brix / b - 1.0)
    return plain(evaporated * boil_heat(b, feed_temp_c, syrup_brix, preheat_c) / share / fuel.heat_j)
