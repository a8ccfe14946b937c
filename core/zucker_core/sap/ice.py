"""Ice in a tank is nearly pure water."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent
from ..sugar.density import density

ICE_KG_M3 = 917.0
ICE_BRIX = 0.2
"""Sugar that ice lifted out of a tank takes with it, as °Brix of its melt: what clings to it."""


@dataclass(frozen=True)
class WithoutIce:
    """What is left: volume m³, °Brix, and the sugar that went with the ice, kg."""

    volume_m3: Number
    brix: Number
    sugar_lost_kg: Number


def take_ice(
    volume_m3: ArrayLike, brix: ArrayLike, ice_m3: ArrayLike, temp_c: float = 0.0, ice_brix: float = ICE_BRIX
) -> WithoutIce:
    """Sap left after `ice_m3` of ice is thrown out of what was `volume_m3` of sap before it froze.

    Mass of water and sugar are balanced. Raises Inconsistent when more ice is taken than there is sap.
    """
    volume = checked("volume_m3", volume_m3, 0.0, 1e4, "m³")
    b = checked("brix", brix, 0.1, 20.0, "°Brix")
    ice = checked("ice_m3", ice_m3, 0.0, 1e4, "m³") * ICE_KG_M3
    lost = ice * float(checked("ice_brix", ice_brix, 0.0, 5.0, "°Brix")) / 100.0
    mass = volume * np.asarray(density(b, temp_c))
    left, sugar = mass - ice, mass * b / 100.0 - lost
    if np.any(left <= 0) or np.any(sugar <= 0) or np.any(sugar / left > 0.45):
        raise Inconsistent("ice_m3", "more ice is taken out than there is sap to freeze")
    after = 100.0 * sugar / left
    return WithoutIce(plain(left / np.asarray(density(after, temp_c))), plain(after), plain(lost))
