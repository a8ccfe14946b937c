"""Vacuum pumps: which inlet pressure goes with which throughput of air.

Throughput is `ṁ R T` in watts (Pa·m³/s): at a given temperature it is mass flow in another unit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import ArrayLike
from scipy.interpolate import PchipInterpolator

from ..errors import Inconsistent
from ..units import ATMOSPHERE_PA, M3_S_PER_CFM, PA_PER_INHG


class Pump(Protocol):
    """Anything that says its inlet pressure (Pa) for a throughput (W)."""

    def pressure_for(self, throughput_w: ArrayLike) -> np.ndarray: ...


@dataclass(frozen=True)
class CurvePump:
    """Two-parameter pump: `ṁ R T = S0 (p − p_ult)`.

    ultimate_pa : lowest inlet pressure, absolute
    rated_m3_s : volume flow at the inlet, at the inlet's pressure
    rated_pa : inlet pressure of that rating, absolute
    """

    ultimate_pa: float
    rated_m3_s: float
    rated_pa: float

    def __post_init__(self) -> None:
        if not 0 < self.ultimate_pa < self.rated_pa < 1.2e5:
            raise Inconsistent("at_inhg", "the pump must be rated at less vacuum than its ultimate vacuum")
        if not 0 < self.rated_m3_s < 10:
            raise Inconsistent("flow_cfm", f"a pump of {self.rated_m3_s / M3_S_PER_CFM:g} CFM cannot be right")

    @property
    def speed_m3_s(self) -> float:
        """S0, m³/s."""
        return self.rated_m3_s * self.rated_pa / (self.rated_pa - self.ultimate_pa)

    def pressure_for(self, throughput_w: ArrayLike) -> np.ndarray:
        return self.ultimate_pa + np.asarray(throughput_w, float) / self.speed_m3_s


class TablePump:
    """Pump by a table of inlet pressure (Pa, rising) and volume flow at the inlet (m³/s, 0 or more)."""

    def __init__(self, pressure_pa: ArrayLike, flow_m3_s: ArrayLike) -> None:
        p, flow = np.asarray(pressure_pa, float), np.asarray(flow_m3_s, float)
        throughput = p * flow
        if p.ndim != 1 or p.size < 2 or p.shape != flow.shape or (np.diff(p) <= 0).any() or (flow < 0).any():
            raise Inconsistent("table", "a pump table needs two rows or more with rising inlet pressure")
        if (np.diff(throughput) <= 0).any():
            raise Inconsistent("table", "a pump must move more air at a higher inlet pressure; look at the table's order")
        self.pressure_pa, self.flow_m3_s = p, flow
        self._inverse = PchipInterpolator(throughput, p)
        self._ends = throughput[[0, -1]], p[[0, -1]], self._inverse.derivative()(throughput[[0, -1]])

    def pressure_for(self, throughput_w: ArrayLike) -> np.ndarray:
        q = np.asarray(throughput_w, float)
        (q0, q1), (p0, p1), (s0, s1) = self._ends
        beyond = np.where(q < q0, p0 + s0 * (q - q0), p1 + s1 * (q - q1))
        return np.where((q < q0) | (q > q1), np.maximum(beyond, 100.0), self._inverse(np.clip(q, q0, q1)))


@dataclass(frozen=True)
class HeldPressure:
    """An inlet whose pressure is known, by a gauge for instance, whatever flows."""

    pressure_pa: float

    def pressure_for(self, throughput_w: ArrayLike) -> np.ndarray:
        return np.full(np.shape(throughput_w), self.pressure_pa, dtype=float)


def pump_from_properties(properties: Mapping[str, Any]) -> Pump:
    """The pump described on a GeoJSON feature: `ultimate_inhg`, `flow_cfm`, `at_inhg`, or `table`
    as a list of [inHg, CFM]. Raises Inconsistent."""
    table = properties.get("table")
    if table:
        rows = np.array(sorted(table, key=lambda row: -row[0]), dtype=float)
        return TablePump(ATMOSPHERE_PA - rows[:, 0] * PA_PER_INHG, rows[:, 1] * M3_S_PER_CFM)
    missing = [key for key in ("ultimate_inhg", "flow_cfm", "at_inhg") if not properties.get(key)]
    if missing:
        raise Inconsistent(missing[0], f"the pump has no {', '.join(missing)} and no table")
    return CurvePump(
        ATMOSPHERE_PA - float(properties["ultimate_inhg"]) * PA_PER_INHG,
        float(properties["flow_cfm"]) * M3_S_PER_CFM,
        ATMOSPHERE_PA - float(properties["at_inhg"]) * PA_PER_INHG,
    )


def properties_of(pump: Pump | None) -> dict[str, Any]:
    """What `pump_from_properties` reads back to this pump; nothing for one that is not described by its own curve."""
    if isinstance(pump, CurvePump):
        return {
            "ultimate_inhg": round((ATMOSPHERE_PA - pump.ultimate_pa) / PA_PER_INHG, 9),
            "flow_cfm": round(pump.rated_m3_s / M3_S_PER_CFM, 9),
            "at_inhg": round((ATMOSPHERE_PA - pump.rated_pa) / PA_PER_INHG, 9)}
    if isinstance(pump, TablePump):
        rows = zip((ATMOSPHERE_PA - pump.pressure_pa) / PA_PER_INHG, pump.flow_m3_s / M3_S_PER_CFM, strict=True)
        return {"table": [[round(float(p), 9), round(float(q), 9)] for p, q in rows]}
    return {}
