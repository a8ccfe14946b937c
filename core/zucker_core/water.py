"""Pure water: density, saturation line, heat of evaporation."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from .arrays import Number, checked, plain

# IAPWS-IF97, region 4, table 34
_N = (
    0.11670521452767e4, -0.72421316703206e6, -0.17073846940092e2, 0.12020824702470e5, -0.32325550322333e7,
    0.14915108613530e2, -0.48232657361591e4, 0.40511340542057e6, -0.23855557567849, 0.65017534844798e3,
)


def density(temp_c: ArrayLike) -> Number:
    """Density of air-free water at one atmosphere, kg/m³, 0..110 °C.

    Source: Kell (1975), J. Chem. Eng. Data 20, 97.
    """
    t = checked("temp_c", temp_c, 0.0, 110.0, "°C")
    top = 999.83952 + t * (
        16.945176 + t * (-7.9870401e-3 + t * (-46.170461e-6 + t * (105.56302e-9 - 280.54253e-12 * t)))
    )
    return plain(top / (1.0 + 16.879850e-3 * t))


def saturation_pressure(temp_c: ArrayLike) -> Number:
    """Vapour pressure in Pa at `temp_c`, 0..150 °C. Source: IAPWS-IF97 (2007), equation 30."""
    kelvin = checked("temp_c", temp_c, 0.0, 150.0, "°C") + 273.15
    theta = kelvin + _N[8] / (kelvin - _N[9])
    a = theta * theta + _N[0] * theta + _N[1]
    b = _N[2] * theta * theta + _N[3] * theta + _N[4]
    c = _N[5] * theta * theta + _N[6] * theta + _N[7]
    return plain(1e6 * (2.0 * c / (-b + np.sqrt(b * b - 4.0 * a * c))) ** 4)


def saturation_temperature(pressure_pa: ArrayLike) -> Number:
    """Boiling point in °C at `pressure_pa`, 1 kPa to 400 kPa. Source: IAPWS-IF97 (2007), equation 31."""
    beta = (checked("pressure_pa", pressure_pa, 1e3, 4e5, "Pa") / 1e6) ** 0.25
    e = beta * beta + _N[2] * beta + _N[5]
    f = _N[0] * beta * beta + _N[3] * beta + _N[6]
    g = _N[1] * beta * beta + _N[4] * beta + _N[7]
    d = 2.0 * g / (-f - np.sqrt(f * f - 4.0 * e * g))
    total = _N[9] + d
    return plain(0.5 * (total - np.sqrt(total * total - 4.0 * (_N[8] + _N[9] * d))) - 273.15)


def latent_heat(temp_c: ArrayLike) -> Number:
    """Heat of evaporation in J/kg, 0..150 °C: 2256.5 kJ/kg at 100 °C.

    Source: Watson (1943) scaling from the value at 100 °C, critical temperature 647.096 K, exponent fitted;
    within 0.1 % of the steam tables from 60 to 120 °C.
    """
    kelvin = checked("temp_c", temp_c, 0.0, 150.0, "°C") + 273.15
    return plain(2.2565e6 * ((647.096 - kelvin) / (647.096 - 373.15)) ** 0.323)
