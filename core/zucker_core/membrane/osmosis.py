"""Osmotic pressure of sap and concentrate."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from .. import water
from ..arrays import Number, checked, plain
from ..sugar.boiling import SUCROSE_G_MOL

GAS_CONSTANT = 8.314462618


def pressure_of(brix: np.ndarray, temp_c: np.ndarray) -> np.ndarray:
    """`osmotic_pressure` without its range checks, for use inside solvers."""
    molal = 10.0 * brix / (SUCROSE_G_MOL / 100.0) / (100.0 - brix)
    phi = 1.0 + molal * (0.0760568 + molal * (0.0151938 - 0.0028582 * molal))
    return phi * molal * np.asarray(water.density(temp_c)) * GAS_CONSTANT * (temp_c + 273.15)


def osmotic_pressure(brix: ArrayLike, temp_c: ArrayLike) -> Number:
    """Osmotic pressure in Pa of a sucrose solution: `π = φ m ρ_w R T`.

    brix : 0..50 (molality up to 3); temp_c : 0..60 °C. Raises OutOfRange.
    Source: osmotic coefficient of Robinson and Stokes (1961).
    """
    b = checked("brix", brix, 0.0, 50.0, "°Brix")
    t = checked("temp_c", temp_c, 0.0, 60.0, "°C")
    return plain(pressure_of(b, t))
