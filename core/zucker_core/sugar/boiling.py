"""Boiling points of water and syrup, and the draw-off temperature made from them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from .. import water
from ..arrays import Number, bisect, checked, plain

PRESSURE_RANGE = (60_000.0, 120_000.0)
SUCROSE_G_MOL = 342.2965
WATER_G_MOL = 18.01528
LARGEST_STEP_K = 1.0 / 1.8
"""The draw-off set point never moves by more than 1 °F at a time."""


def water_boiling_c(pressure_pa: ArrayLike) -> Number:
    """Boiling point of water in °C at an absolute pressure of 60..120 kPa.

    Source: IAPWS-IF97 saturation line; ±0.01 °C.
    """
    return water.saturation_temperature(checked("pressure_pa", pressure_pa, *PRESSURE_RANGE, "Pa"))


def station_pressure(elevation_m: ArrayLike) -> Number:
    """Pressure in Pa of the standard atmosphere at an elevation of −400..4,000 m. Source: ISO 2533 (1975)."""
    z = checked("elevation_m", elevation_m, -400.0, 4000.0, "m")
    return plain(101_325.0 * (1.0 - 2.25577e-5 * z) ** 5.25588)


def station_from_sea_level(pressure_pa: ArrayLike, elevation_m: ArrayLike, temp_c: ArrayLike = 15.0) -> Number:
    """Pressure at the pan in Pa from a barometer report that was reduced to sea level.

    Parameters
    ----------
    pressure_pa : reported (sea level) pressure, 85..110 kPa
    elevation_m : −400..4,000 m
    temp_c : outdoor temperature at the station, −40..40 °C

    Source: hypsometric equation with the standard lapse rate of 6.5 K/km (WMO No. 8, 2018).
    """
    p = checked("pressure_pa", pressure_pa, 85_000.0, 110_000.0, "Pa")
    z = checked("elevation_m", elevation_m, -400.0, 4000.0, "m")
    kelvin = checked("temp_c", temp_c, -40.0, 40.0, "°C") + 273.15
    return plain(p * (1.0 - 0.0065 * z / (kelvin + 0.0065 * z)) ** 5.25588)


def water_activity(brix: ArrayLike) -> Number:
    """Activity of water in a sucrose solution, Norrish form with the constant −4.90 (Norrish, 1966)."""
    b = np.asarray(brix, float)
    sucrose = b / SUCROSE_G_MOL
    solvent = (100.0 - b) / WATER_G_MOL
    x_s = sucrose / (sucrose + solvent)
    return plain((1.0 - x_s) * np.exp(-4.90 * x_s**2))


def boiling_elevation(brix: ArrayLike, pressure_pa: ArrayLike = 101_325.0) -> Number:
    """How much hotter than water a solution boils at the same pressure, K.

    Parameters
    ----------
    brix : 0..80
    pressure_pa : 60..120 kPa

    Solves `p_sat(T)·a_w = P`. ±0.08 K (0.15 °F) above 60 °Brix.
    Source: Norrish (1966) for the activity, IAPWS-IF97 for the saturation line.
    """
    b = checked("brix", brix, 0.0, 80.0, "°Brix")
    p = checked("pressure_pa", pressure_pa, *PRESSURE_RANGE, "Pa")
    return plain(
        np.asarray(water.saturation_temperature(p / water_activity(b))) - water.saturation_temperature(p)
    )


def brix_from_boiling(temp_c: ArrayLike, pressure_pa: ArrayLike) -> Number:
    """°Brix of the solution that boils at `temp_c` under `pressure_pa`: inverse of `boiling_elevation`."""
    p = checked("pressure_pa", pressure_pa, *PRESSURE_RANGE, "Pa")
    lowest = np.asarray(water_boiling_c(p))
    highest = lowest + boiling_elevation(80.0, p)
    t = checked("temp_c", temp_c, float(lowest.min()) - 1e-9, float(highest.max()), "°C")
    t, p = np.broadcast_arrays(t, p)
    wanted = p / np.asarray(water.saturation_pressure(t))
    # activity falls as Brix rises, so its negative is increasing
    return plain(bisect(lambda b: wanted - water_activity(b), np.zeros(t.shape), np.full(t.shape, 80.0)))


def drawoff_temperature(target_brix: ArrayLike, water_boiling_c_measured: ArrayLike) -> Number:
    """Temperature in °C at which to draw syrup of `target_brix` on a day when water boils at
    `water_boiling_c_measured` (°C, 85..105), measured in the pan with the same thermometer."""
    boiling = checked("water_boiling_c_measured", water_boiling_c_measured, 85.95, 104.77, "°C")
    pressure = water.saturation_pressure(boiling)
    target = checked("target_brix", target_brix, 50.0, 75.0, "°Brix")
    return plain(boiling + boiling_elevation(target, pressure))


@dataclass(frozen=True)
class SetPoint:
    """Where to set the draw-off now.

    set_c : new set point, °C
    uncertainty_k : one standard deviation of where it should be, K
    wanted_c : where the cup tests say it should be, before the limit on one step
    limited : the step was cut to 1 °F
    """

    set_c: float
    uncertainty_k: float
    wanted_c: float
    limited: bool


def drawoff_correction(
    set_c: float,
    cup_brix: float,
    cup_uncertainty: float,
    target_brix: float,
    pressure_pa: float,
    earlier: Sequence[tuple[float, float, float]] = (),
) -> SetPoint:
    """The new draw-off set point from the cup results so far.

    Parameters
    ----------
    set_c : draw-off temperature in force when the last cup was taken, °C
    cup_brix : its true °Brix, 50..75
    cup_uncertainty : one standard deviation, °Brix, 0.01..5
    target_brix : 50..75
    pressure_pa : barometer at the pan, Pa
    earlier : (set_c, cup_brix, cup_uncertainty) of earlier draws of this boil

    Each cup tells how far the thermometer stands from the true boiling point of what was drawn;
    the offsets are averaged with weights 1/variance. At most 1 °F a step.
    """
    cups = [*earlier, (set_c, cup_brix, cup_uncertainty)]
    sets = checked("set_c", [c[0] for c in cups], 85.0, 125.0, "°C")
    brix = checked("cup_brix", [c[1] for c in cups], 50.0, 75.0, "°Brix")
    spread = checked("cup_uncertainty", [c[2] for c in cups], 0.01, 5.0, "°Brix")
    target = float(checked("target_brix", target_brix, 50.0, 75.0, "°Brix"))
    boiling = water_boiling_c(pressure_pa)
    slope = (boiling_elevation(brix + 0.05, pressure_pa) - boiling_elevation(brix - 0.05, pressure_pa)) / 0.1
    offsets = sets - (boiling + boiling_elevation(brix, pressure_pa))
    weights = 1.0 / (spread * slope) ** 2
    offset = float((weights * offsets).sum() / weights.sum())
    wanted = boiling + boiling_elevation(target, pressure_pa) + offset
    step = float(np.clip(wanted - set_c, -LARGEST_STEP_K, LARGEST_STEP_K))
    return SetPoint(set_c + step, float(weights.sum() ** -0.5), wanted, abs(wanted - set_c) > LARGEST_STEP_K)
