"""Conversions at the edge: nothing else in the core knows a unit that is not SI.

Sources: NIST Special Publication 811 (2008), appendix B; inch of mercury at 0 °C.
"""

from __future__ import annotations

from .errors import CoreError

PA_PER_INHG = 3386.389
PA_PER_PSI = 6894.757
PA_PER_BAR = 1e5
M3_PER_GALLON = 3.785411784e-3
M_PER_FOOT = 0.3048
M3_S_PER_CFM = 4.719474e-4
J_PER_BTU = 1055.056
KG_PER_POUND = 0.45359237
ATMOSPHERE_PA = 101_325.0
SCFM_KG_S = 5.683e-4
"""Mass flow of one standard cubic foot of air a minute (20 °C, 101,325 Pa)."""

# dimension -> unit -> (factor, offset) with SI = value * factor + offset
UNITS: dict[str, dict[str, tuple[float, float]]] = {
    "pressure": {
        "Pa": (1.0, 0.0), "kPa": (1e3, 0.0), "hPa": (1e2, 0.0), "bar": (PA_PER_BAR, 0.0),
        "inHg": (PA_PER_INHG, 0.0), "psi": (PA_PER_PSI, 0.0),
    },
    "temperature": {"°C": (1.0, 0.0), "C": (1.0, 0.0), "°F": (5 / 9, -160 / 9), "F": (5 / 9, -160 / 9)},
    "volume": {"m³": (1.0, 0.0), "m3": (1.0, 0.0), "L": (1e-3, 0.0), "gal": (M3_PER_GALLON, 0.0)},
    "length": {"m": (1.0, 0.0), "cm": (1e-2, 0.0), "mm": (1e-3, 0.0), "ft": (M_PER_FOOT, 0.0), "in": (0.0254, 0.0)},
    "flow": {
        "m³/s": (1.0, 0.0), "m3/s": (1.0, 0.0), "L/h": (1e-3 / 3600, 0.0), "L/min": (1e-3 / 60, 0.0),
        "gph": (M3_PER_GALLON / 3600, 0.0), "gpm": (M3_PER_GALLON / 60, 0.0), "cfm": (M3_S_PER_CFM, 0.0),
    },
    "brix": {"°Bx": (1.0, 0.0), "Bx": (1.0, 0.0), "%": (1.0, 0.0)},
    "speed": {"m/s": (1.0, 0.0), "mph": (0.44704, 0.0), "km/h": (1 / 3.6, 0.0)},
    "count": {"": (1.0, 0.0), "1": (1.0, 0.0)},
}


class UnknownUnit(CoreError):
    """A unit that this dimension does not have."""

    def __init__(self, unit: str, dimension: str) -> None:
        self.unit, self.dimension = unit, dimension
        known = ", ".join(name for name in UNITS[dimension] if name) or "none"
        super().__init__(f"unit {unit!r} is not one for {dimension}; known: {known}")


def to_si(value: float, unit: str, dimension: str) -> float:
    """`value` in SI (Pa, °C, m³, m, m³/s, °Brix). Raises UnknownUnit."""
    try:
        factor, offset = UNITS[dimension][unit]
    except KeyError:
        raise UnknownUnit(unit, dimension) from None
    return value * factor + offset


def from_si(value: float, unit: str, dimension: str) -> float:
    """The inverse of `to_si`. Raises UnknownUnit."""
    try:
        factor, offset = UNITS[dimension][unit]
    except KeyError:
        raise UnknownUnit(unit, dimension) from None
    return (value - offset) / factor


def f_to_c(temp_f: float) -> float:
    """°F to °C."""
    return (temp_f - 32.0) / 1.8


def c_to_f(temp_c: float) -> float:
    """°C to °F."""
    return temp_c * 1.8 + 32.0
