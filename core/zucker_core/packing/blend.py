"""How much of each lot makes a blend of a wanted colour and density."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linprog

from .. import sugar
from ..arrays import checked
from ..errors import Inconsistent


@dataclass(frozen=True)
class Available:
    """A lot: m³ at 20 °C that are left of it, °Brix, transmittance %."""

    volume_m3: float
    brix: float
    transmittance: float


@dataclass(frozen=True)
class Recipe:
    """volumes_m3 : of each lot, in their order; volume_m3, brix, transmittance : of the blend; on_density : its Brix is
    what was wanted, within 0.05"""

    volumes_m3: tuple[float, ...]
    volume_m3: float
    brix: float
    transmittance: float
    on_density: bool


def blend_recipe(lots: Sequence[Available], transmittance: float, brix: float, volume_m3: float) -> Recipe:
    """Volumes of lots for `volume_m3` of a blend that lets at least `transmittance` % of light through and comes as near to
    `brix` as they allow, with no more light syrup than that takes.

    A linear programme: colour mixes by absorbance and volume, density by mass (volumes are taken as additive, within
    0.01 % for syrups). Raises Inconsistent when the lots are too dark or too few.
    """
    wanted = float(checked("volume_m3", volume_m3, 1e-6, 1e3, "m³"))
    light = float(checked("transmittance", transmittance, 0.1, 100.0, "%"))
    target = float(checked("brix", brix, 50.0, 80.0, "°Brix"))
    if not lots:
        raise Inconsistent("lots", "there is no lot to blend")
    left = checked("volume_m3", [lot.volume_m3 for lot in lots], 0.0, 1e4, "m³")
    sweet = checked("brix", [lot.brix for lot in lots], 0.0, 80.0, "°Brix")
    absorbance = -np.log10(checked("transmittance", [lot.transmittance for lot in lots], 0.1, 100.0, "%") / 100.0)
    most = -np.log10(light / 100.0)
    if left.sum() < wanted * (1 - 1e-9):
        raise Inconsistent("volume_m3", f"the lots hold {left.sum() * 1000:.1f} L, less than the {wanted * 1000:.1f} L wanted")
    n = len(lots)
    # unknowns: a volume of each lot, and how far the mass-weighted Brix is over and under
    off = np.asarray(sugar.density(sweet, 20.0)) * (sweet - target) / 1000.0
    # darkness breaks ties: as much of the dark as the colour bears
    cost = np.concatenate([-1e-3 * absorbance, [1.0, 1.0]])
    found = linprog(
        cost,
        A_ub=[[*absorbance, 0.0, 0.0]],
        b_ub=[most * wanted + 1e-12],
        A_eq=[[1.0] * n + [0.0, 0.0], [*off, -1.0, 1.0]],
        b_eq=[wanted, 0.0],
        bounds=[(0.0, float(v)) for v in left] + [(0.0, None)] * 2,
    )
    if not found.success:
        lightest = 100.0 * 10.0 ** -float(_lightest(absorbance, left, wanted))
        raise Inconsistent("transmittance", f"these lots reach {lightest:.1f} % at most; {light:.1f} % was wanted")
    volumes = np.where(found.x[:n] < 1e-9, 0.0, found.x[:n])
    volume, mixed = sugar.blend(volumes, sweet)
    return Recipe(
        tuple(float(v) for v in volumes),
        volume,
        mixed,
        sugar.blend_transmittance(volumes, 100.0 * 10.0**-absorbance),
        abs(mixed - target) <= 0.05,
    )


def _lightest(absorbance: np.ndarray, left: np.ndarray, wanted: float) -> float:
    """Least mean absorbance of `wanted` out of what there is."""
    order = np.argsort(absorbance)
    taken = np.minimum(np.maximum(wanted - np.concatenate([[0.0], np.cumsum(left[order])[:-1]]), 0.0), left[order])
    return float((taken * absorbance[order]).sum() / wanted)
