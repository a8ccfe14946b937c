"""Fuels as named data: gross heating values and the efficiency range of evaporators that burn them."""

from __future__ import annotations

from dataclasses import dataclass

from ..arrays import checked
from ..units import J_PER_BTU, KG_PER_POUND, M3_PER_GALLON


@dataclass(frozen=True)
class Fuel:
    """A fuel. `heat_j` is gross heat of one SI unit (`si_unit`: m³, kg, J, or a cord); `trade_unit` is how it is
    bought and `trade_size` how many SI units that is."""

    name: str
    si_unit: str
    heat_j: float
    trade_unit: str
    trade_size: float
    efficiency: tuple[float, float]


DRY_CORD_BTU = 24e6
FUELS = {
    fuel.name: fuel
    for fuel in (
        Fuel("oil", "m³", 138_500 * J_PER_BTU / M3_PER_GALLON, "gal", M3_PER_GALLON, (0.60, 0.80)),
        Fuel("propane", "m³", 91_500 * J_PER_BTU / M3_PER_GALLON, "gal", M3_PER_GALLON, (0.65, 0.82)),
        Fuel("natural gas", "J", 1.0, "therm", 100_000 * J_PER_BTU, (0.65, 0.82)),
        Fuel("wood", "cord", DRY_CORD_BTU * J_PER_BTU, "cord", 1.0, (0.35, 0.70)),
        Fuel("pellets", "kg", 8_200 * J_PER_BTU / KG_PER_POUND, "lb", KG_PER_POUND, (0.60, 0.80)),
        Fuel("electricity", "J", 1.0, "kWh", 3.6e6, (0.90, 0.99)),
    )
}
"""Source: gross heating values in common use by extension services (No. 2 oil 138,500 Btu/gal and so on)."""


def wood_heat_per_cord(moisture: float) -> float:
    """Heat in J of a cord of hardwood that holds `moisture` (share of its dry weight, 0..1).

    The dry cord's 24 million Btu less the heat that evaporates its water (1,050 Btu/lb, dry wood
    taken as 8,600 Btu/lb). Source: Ince (1979), Forest Products Laboratory GTR FPL-29.
    """
    m = float(checked("moisture", moisture, 0.0, 1.0))
    dry_pounds = DRY_CORD_BTU / 8_600
    return dry_pounds * (8_600 - 1_050 * m) * J_PER_BTU
