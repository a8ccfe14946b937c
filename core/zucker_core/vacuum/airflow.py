"""Air in one pipe that sap shares, and air through one hole."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..units import ATMOSPHERE_PA, SCFM_KG_S

GAS_CONSTANT = 287.05
"""Specific gas constant of air, J/kg/K."""
VISCOSITY = 1.73e-5
"""Of air at 3 °C, Pa·s."""
TEMPERATURE_K = 276.15
ROUGHNESS_M = 7e-6
FITTINGS = 1.10
"""Equivalent length over length: a tenth more for connectors and saddles."""
MANNING_N = 0.010
LEAST_SLOPE = 0.002
FLOODED_AT = 0.98
"""Share of the full-pipe sap flow above which the air has no way past."""
GAMMA = 1.4
CRITICAL_RATIO = (2.0 / (GAMMA + 1.0)) ** (GAMMA / (GAMMA - 1.0))
DISCHARGE = 0.62
GRAVITY = 9.80665
SAP_DENSITY = 1006.0


def friction_factor(reynolds: ArrayLike, relative_roughness: ArrayLike) -> Number:
    """Darcy friction factor for any regime. Source: Churchill (1977), Chem. Eng. 84(24), 91."""
    re = np.maximum(np.asarray(reynolds, float), 1e-6)
    a = (2.457 * np.log(1.0 / ((7.0 / re) ** 0.9 + 0.27 * np.asarray(relative_roughness, float)))) ** 16
    b = (37530.0 / re) ** 16
    return plain(8.0 * ((8.0 / re) ** 12 + (a + b) ** -1.5) ** (1.0 / 12.0))


@cache
def _fill_table() -> tuple[np.ndarray, np.ndarray]:
    """Share of the full-pipe flow against the fill angle (radians), on the rising branch."""
    angle = np.linspace(0.0, 1.5 * np.pi, 4096)
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = (angle - np.sin(angle)) ** (5 / 3) / (2.0 * np.pi * angle ** (2 / 3))
    ratio[0] = 0.0
    return ratio, angle


def full_pipe_flow(diameter_m: ArrayLike, slope: ArrayLike) -> Number:
    """Sap in m³/s that a pipe carries when just full, by Manning (1891), n 0.010, slope at least 0.2 %."""
    d = np.asarray(diameter_m, float)
    s = np.maximum(np.asarray(slope, float), LEAST_SLOPE)
    return plain(np.pi / 4 * d**2 / MANNING_N * (d / 4) ** (2 / 3) * np.sqrt(s))


def gas_space(sap_m3_s: ArrayLike, diameter_m: ArrayLike, slope: ArrayLike) -> tuple[Number, Number, Number]:
    """What the sap leaves free for air: area (m²), hydraulic diameter (m), share of full-pipe flow.

    Stratified flow, fill angle θ from `Q/Q_full = (θ − sin θ)^(5/3) / (2π θ^(2/3))`. Beyond 98 % of
    full flow the space is that at 98 %: there the caller treats the pipe as flooded.
    """
    d = np.asarray(diameter_m, float)
    share = np.asarray(sap_m3_s, float) / full_pipe_flow(d, slope)
    ratio, angle = _fill_table()
    theta = np.interp(np.minimum(share, FLOODED_AT), ratio, angle)
    area = d**2 / 8 * (2 * np.pi - theta + np.sin(theta))
    perimeter = d / 2 * (2 * np.pi - theta) + d * np.sin(theta / 2)
    return area, 4 * area / perimeter, share


def pressure_term(
    flow_kg_s: ArrayLike, length_m: ArrayLike, area_m2: ArrayLike, hydraulic_m: ArrayLike,
    temp_k: float = TEMPERATURE_K,
) -> Number:
    """Rise of p² along a level pipe against the flow, Pa²: `f·L_e/D_h · R T/A² · ṁ|ṁ|` (isothermal gas flow)."""
    m = np.asarray(flow_kg_s, float)
    reynolds = np.abs(m) * np.asarray(hydraulic_m, float) / (np.asarray(area_m2, float) * VISCOSITY)
    friction = friction_factor(reynolds, ROUGHNESS_M / np.asarray(hydraulic_m))
    along = friction * FITTINGS * np.asarray(length_m, float) / np.asarray(hydraulic_m, float)
    return plain(along * GAS_CONSTANT * temp_k / np.square(area_m2) * m * np.abs(m))


def trapped_head(length_m: ArrayLike, diameter_m: ArrayLike, slope: ArrayLike, share: ArrayLike) -> Number:
    """Pressure in Pa that air must overcome in a flooded pipe.

    One diameter of standing sap, and the head by which a flow beyond the full-pipe flow outruns the
    slope, `L·S·((Q/Q_full)² − 1)`. A convention: how sap bridges a sag is not measurable from outside.
    """
    s = np.maximum(np.asarray(slope, float), LEAST_SLOPE)
    surcharge = np.asarray(length_m) * s * np.maximum(np.square(share) - 1.0, 0.0)
    return plain(SAP_DENSITY * GRAVITY * (np.asarray(diameter_m) + surcharge))


def subsonic_factor(pressure_ratio: ArrayLike) -> Number:
    """Leak flow over its choked flow, for p/P_atm in 0..1: 1 up to 0.5283, then falling to 0.

    Isentropic orifice flow. Within 0.1 % of balance it is carried to zero on a straight line, because the
    true slope is infinite there.
    """
    r = np.clip(np.asarray(pressure_ratio, float), CRITICAL_RATIO, 1.0)
    edge = 0.999

    def shape(x: ArrayLike) -> np.ndarray:
        x = np.asarray(x, float)
        return np.sqrt(np.maximum(x ** (2 / GAMMA) - x ** ((GAMMA + 1) / GAMMA), 0.0))

    smooth = shape(np.minimum(r, edge)) / shape(CRITICAL_RATIO)
    return plain(np.where(r <= edge, smooth, smooth * (1.0 - r) / (1.0 - edge)))


def choked_flow(diameter_m: ArrayLike, atmosphere_pa: float = ATMOSPHERE_PA, temp_k: float = 293.15) -> Number:
    """Air through a round hole under choked flow, kg/s; it does not depend on the vacuum.

    `C_d A P_atm √(γ/(R T)) (2/(γ+1))^((γ+1)/(2(γ−1)))`, C_d 0.62.
    """
    d = checked("diameter_m", diameter_m, 0.0, 0.1, "m")
    critical = (2.0 / (GAMMA + 1.0)) ** ((GAMMA + 1.0) / (2.0 * (GAMMA - 1.0)))
    return plain(DISCHARGE * np.pi / 4 * d**2 * atmosphere_pa * np.sqrt(GAMMA / (GAS_CONSTANT * temp_k)) * critical)


def leak_size(diameter_m: ArrayLike) -> Number:
    """Size in SCFM (20 °C, 101,325 Pa) of a round hole."""
    return plain(np.asarray(choked_flow(diameter_m)) / SCFM_KG_S)


def hole_size(scfm: ArrayLike) -> Number:
    """Diameter in m of the round hole that leaks `scfm`: inverse of `leak_size`."""
    return plain(np.sqrt(checked("scfm", scfm, 0.0, 1e4, "SCFM") / leak_size(1e-3)) * 1e-3)
