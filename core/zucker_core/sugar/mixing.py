"""Balances of sugar and water: sap to syrup, blends, thinning, thickening, money.

All balance mass and then give volumes, because volumes of sugar solutions do not add up.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent
from .density import density

SYRUP_BRIX = 66.9


def sugar_mass(volume_m3: ArrayLike, brix: ArrayLike, temp_c: ArrayLike = 20.0) -> Number:
    """Sugar in kg held by `volume_m3` (m³, 0 or more) of a solution."""
    v = checked("volume_m3", volume_m3, 0.0, 1e6, "m³")
    return plain(v * density(brix, temp_c) * np.asarray(brix, float) / 100.0)


def sap_per_syrup(sap_brix: ArrayLike, syrup_brix: ArrayLike = SYRUP_BRIX, temp_c: ArrayLike = 20.0) -> Number:
    """Volumes of sap for one volume of syrup, both at `temp_c`: `ρ_s B_s / (ρ_f B_f)`, no losses.

    sap_brix 0.1..66, syrup_brix above it, to 80. 2 °Brix sap makes 66.9 °Brix syrup 44.16 to 1.
    """
    sap = checked("sap_brix", sap_brix, 0.1, 66.0, "°Brix")
    syrup = checked("syrup_brix", syrup_brix, 0.2, 80.0, "°Brix")
    if np.any(syrup <= sap):
        raise Inconsistent("syrup_brix", "syrup_brix must be above sap_brix")
    return plain(density(syrup, temp_c) * syrup / (density(sap, temp_c) * sap))


def rule_of_86(sap_brix: ArrayLike) -> Number:
    """The old rule of thumb, 86/B gallons of sap a gallon of syrup."""
    return plain(86.0 / checked("sap_brix", sap_brix, 0.1, 66.0, "°Brix"))


def rule_of_88(sap_brix: ArrayLike) -> Number:
    """Its refinement for concentrate, 88.2/B − 0.32."""
    return plain(88.2 / checked("sap_brix", sap_brix, 0.1, 66.0, "°Brix") - 0.32)


def blend(volumes_m3: ArrayLike, brix: ArrayLike, temp_c: float = 20.0) -> tuple[float, float]:
    """Volume (m³) and °Brix of several batches mixed at one temperature; 1-d arrays of equal length."""
    v = np.atleast_1d(checked("volumes_m3", volumes_m3, 0.0, 1e6, "m³"))
    b = np.atleast_1d(checked("brix", brix, 0.0, 80.0, "°Brix"))
    if v.shape != b.shape:
        raise Inconsistent("brix", f"{v.size} volumes but {b.size} values of Brix")
    mass = v * density(b, temp_c)
    if mass.sum() <= 0:
        raise Inconsistent("volumes_m3", "nothing to blend: every volume is zero")
    mixed = float((mass * b).sum() / mass.sum())
    return float(mass.sum() / density(mixed, temp_c)), mixed


def thin(
    volume_m3: ArrayLike, brix: ArrayLike, target_brix: ArrayLike, with_brix: ArrayLike = 0.0, temp_c: float = 20.0
) -> Number:
    """Volume (m³) of water, or of sap of `with_brix`, that brings a batch down to `target_brix`.

    100 gal at 68 down to 66.9 takes 2.199 gal of water. Raises Inconsistent unless
    with_brix < target_brix <= brix.
    """
    v = checked("volume_m3", volume_m3, 0.0, 1e6, "m³")
    b = checked("brix", brix, 0.0, 80.0, "°Brix")
    target = checked("target_brix", target_brix, 0.0, 80.0, "°Brix")
    added = checked("with_brix", with_brix, 0.0, 80.0, "°Brix")
    if np.any(target > b) or np.any(added >= target):
        raise Inconsistent("target_brix", "target_brix must lie between with_brix and brix: thinning only goes down")
    mass = v * density(b, temp_c) * (b - target) / (target - added)
    return plain(mass / density(added, temp_c))


@dataclass(frozen=True)
class Thickened:
    """Water to boil off (kg) and the volume that is left (m³)."""

    water_kg: float
    volume_m3: float


def thicken(volume_m3: float, brix: float, target_brix: float, temp_c: float = 20.0) -> Thickened:
    """What boiling a batch up to `target_brix` takes: 100 gal of 65 to 66.9 loses 31.20 lb, leaves 96.31 gal."""
    v = checked("volume_m3", volume_m3, 0.0, 1e6, "m³")
    b = checked("brix", brix, 0.1, 80.0, "°Brix")
    target = checked("target_brix", target_brix, 0.1, 80.0, "°Brix")
    if np.any(target < b):
        raise Inconsistent("target_brix", "target_brix must be above brix: thickening only goes up")
    mass = v * density(b, temp_c)
    left = mass * b / target
    return Thickened(plain(mass - left), plain(left / density(target, temp_c)))


def overdensity_cost(
    volume_m3: float, brix: float, target_brix: float, price: float, sold_by: str = "volume", temp_c: float = 20.0
) -> float:
    """Money given away by packing `volume_m3` at `brix` rather than at `target_brix`.

    price : money for a m³ (sold_by "volume") or for a kg (sold_by "weight"). Negative when the
    syrup is light, which is not a gain but a risk. The sugar packed would have filled that much more.
    """
    v = float(checked("volume_m3", volume_m3, 0.0, 1e6, "m³"))
    mass = v * density(brix, temp_c)
    at_target = mass * brix / float(checked("target_brix", target_brix, 0.1, 80.0, "°Brix"))
    if sold_by == "volume":
        return (at_target / density(target_brix, temp_c) - v) * price
    if sold_by == "weight":
        return (at_target - mass) * price
    raise Inconsistent("sold_by", f"sold_by is {sold_by!r}; it must be 'volume' or 'weight'")


def mean_pan_brix(feed_brix: ArrayLike, syrup_brix: ArrayLike = SYRUP_BRIX) -> Number:
    """Mean °Brix over pans that evaporate evenly from feed to syrup: `B_f·ln(B_s/B_f)/(1 − B_f/B_s)`."""
    f = checked("feed_brix", feed_brix, 0.1, 66.0, "°Brix")
    s = checked("syrup_brix", syrup_brix, 0.2, 80.0, "°Brix")
    if np.any(s <= f):
        raise Inconsistent("syrup_brix", "syrup_brix must be above feed_brix")
    return plain(f * np.log(s / f) / (1.0 - f / s))
