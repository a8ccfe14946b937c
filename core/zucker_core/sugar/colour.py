"""Grade by the light that syrup lets through."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent


class Grade(StrEnum):
    """Colour classes, lightest first; processing takes every syrup with an off-flavour."""

    GOLDEN = "golden"
    AMBER = "amber"
    DARK = "dark"
    VERY_DARK = "very dark"
    PROCESSING = "processing"


def grade(transmittance_percent: float, off_flavour: str | None = None) -> Grade:
    """Class of a syrup from its transmittance at 560 nm through 10 mm (%, glycerol blank), cuts at 75, 50, 25."""
    light = float(checked("transmittance_percent", transmittance_percent, 0.0, 100.0, "%"))
    if off_flavour:
        return Grade.PROCESSING
    if light >= 75.0:
        return Grade.GOLDEN
    if light >= 50.0:
        return Grade.AMBER
    return Grade.DARK if light >= 25.0 else Grade.VERY_DARK


def blend_transmittance(volumes_m3: ArrayLike, transmittance_percent: ArrayLike) -> float:
    """Transmittance (%) of a blend: absorbances add up by volume (Beer-Lambert). 1-d arrays of equal length."""
    v = np.atleast_1d(checked("volumes_m3", volumes_m3, 0.0, 1e6, "m³"))
    light = np.atleast_1d(checked("transmittance_percent", transmittance_percent, 1e-6, 100.0, "%"))
    if v.shape != light.shape or v.sum() <= 0:
        raise Inconsistent("volumes_m3", "as many volumes as transmittances are needed, not all of them zero")
    return float(100.0 * 10 ** ((v * np.log10(light / 100.0)).sum() / v.sum()))


def transmittance_at_10mm(transmittance_percent: ArrayLike, path_mm: ArrayLike) -> Number:
    """Transmittance (%) brought from another path length to 10 mm: `T10 = T_L^(10/L)`."""
    light = checked("transmittance_percent", transmittance_percent, 1e-6, 100.0, "%")
    path = checked("path_mm", path_mm, 0.5, 200.0, "mm")
    return plain(100.0 * (light / 100.0) ** (10.0 / path))
