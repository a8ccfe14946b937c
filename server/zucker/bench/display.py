"""Numbers in a person's units, for the working that the Bench shows."""

from __future__ import annotations

from dataclasses import dataclass

from zucker_core.units import from_si

US = {
    "length": ("ft", 0), "temperature": ("°F", 1), "volume": ("gal", 2),
    "vacuum": ("inHg", 2), "pressure": ("psi", 1), "mass": ("lb", 2), "density": ("lb/gal", 3),
}
METRIC = {
    "length": ("m", 0), "temperature": ("°C", 1), "volume": ("L", 1),
    "vacuum": ("kPa", 2), "pressure": ("bar", 2), "mass": ("kg", 2), "density": ("kg/m³", 1),
}
KG_PER_POUND, KG_M3_PER_LB_GAL = 0.45359237, 119.826427


@dataclass(frozen=True)
class Display:
    """Formats SI values as text in US or metric units."""

    metric: bool

    def text(self, value: float, dimension: str, digits: int | None = None) -> str:
        """`value` (SI) with its unit."""
        unit, usual = (METRIC if self.metric else US)[dimension]
        if dimension == "mass":
            shown = value if self.metric else value / KG_PER_POUND
        elif dimension == "density":
            shown = value if self.metric else value / KG_M3_PER_LB_GAL
        else:
            shown = from_si(value, unit, "pressure" if dimension == "vacuum" else dimension)
        return f"{shown:,.{usual if digits is None else digits}f} {unit}"

    def difference(self, kelvin: float, digits: int = 2) -> str:
        """A difference of temperatures."""
        return f"{kelvin:.{digits}f} °C" if self.metric else f"{kelvin * 1.8:.{digits}f} °F"

    def flow(self, m3_s: float, digits: int = 0) -> str:
        """A volume flow by the hour."""
        return f"{m3_s * 3.6e6:.{digits}f} L/h" if self.metric else f"{from_si(m3_s, 'gph', 'flow'):.{digits}f} gal/h"
