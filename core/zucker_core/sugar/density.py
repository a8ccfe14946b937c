"""Density of sucrose solutions and the scales made from it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from .. import water
from ..arrays import Number, bisect, checked, plain

BRIX_RANGE = (0.0, 80.0)
TEMP_RANGE = (0.0, 107.0)


def apparent_volume(brix: ArrayLike, temp_c: ArrayLike) -> Number:
    """Apparent specific volume of the dissolved sucrose, m³/kg (docs: models, section 1)."""
    w = np.asarray(brix, float) / 100.0
    d = np.asarray(temp_c, float) - 20.0
    return 1e-3 * (
        0.615064 + 0.0163051 * w - 0.000763861 * w**2 + 0.0145653 * w**3
        + d * (5.6222e-4 - 3.1405e-4 * w - 2.67955e-5 * w**2)
        + d**2 * (-5.47525e-6 + 6.39161e-6 * w)
    )


def density(brix: ArrayLike, temp_c: ArrayLike) -> Number:
    """Density of a sucrose solution in kg/m³.

    Parameters
    ----------
    brix : percent of sucrose by mass, 0..80
    temp_c : °C, 0..107
        The two broadcast against each other.

    Raises OutOfRange. Within 0.02 kg/m³ of the 20 °C sucrose tables, within 0.08 °Brix of the
    hydrometer temperature tables to 60 °C; above that an extrapolation, ±6 kg/m³ near boiling.
    Source: apparent volumes fitted to the ICUMSA sucrose tables, water by Kell (1975).
    """
    b = checked("brix", brix, *BRIX_RANGE, "°Brix")
    t = checked("temp_c", temp_c, *TEMP_RANGE, "°C")
    w = b / 100.0
    return plain(1.0 / ((1.0 - w) / water.density(t) + w * apparent_volume(b, t)))


def brix_from_density(density_kg_m3: ArrayLike, temp_c: ArrayLike) -> Number:
    """°Brix of the solution that has this density (kg/m³) at `temp_c` (°C): inverse of `density`."""
    t = checked("temp_c", temp_c, *TEMP_RANGE, "°C")
    lowest, highest = density(BRIX_RANGE[0], t), density(BRIX_RANGE[1], t)
    # a hair of room, so that the density of pure water itself is accepted
    target = checked("density", density_kg_m3, float(np.min(lowest)) - 1e-6, float(np.max(highest)) + 1e-6, "kg/m³")
    target, t = np.broadcast_arrays(target, t)
    return plain(bisect(lambda b: density(b, t) - target, np.full(target.shape, 0.0), np.full(target.shape, 80.0)))


def specific_gravity(brix: ArrayLike) -> Number:
    """Density at 20 °C over that of water at 20 °C (no unit)."""
    return plain(density(brix, 20.0) / water.density(20.0))


def baume(brix: ArrayLike) -> Number:
    """Degrees Baumé, `145 − 145/SG` with SG 20/20: 66.9 °Brix is 36.00."""
    return plain(145.0 - 145.0 / np.asarray(specific_gravity(brix)))
