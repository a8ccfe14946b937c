"""One steady state of the air in a network: pressure and flow everywhere, for one scenario or for many."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..errors import CoreError, NetworkError
from ..units import ATMOSPHERE_PA, SCFM_KG_S
from . import airflow
from .airflow import CRITICAL_RATIO, FLOODED_AT, GAS_CONSTANT, GRAVITY, TEMPERATURE_K
from .network import Network
from .pump import Pump

BACKGROUND_SCFM_PER_TAP = 0.00164
"""What a sound tap leaks: 1 CFM at the inlet at 25 inHg for 100 taps is 0.164 SCFM."""
NEWTON_AT_ONCE = 120_000
"""Values solved in one go: more do not fit the processor's cache."""


@dataclass(frozen=True)
class Steady:
    """The state of every node; arrays (..., n) in the network's order.

    pressure_pa : absolute
    flow_kg_s : air in the line from the node towards the pump; at node 0, into the pump
    leak_kg_s : air entering at the node, background included
    flooded : the line's sap flow is beyond 98 % of what it carries full
    atmosphere_pa : outside pressure
    """

    pressure_pa: np.ndarray
    flow_kg_s: np.ndarray
    leak_kg_s: np.ndarray
    flooded: np.ndarray
    atmosphere_pa: float

    @property
    def vacuum_pa(self) -> np.ndarray:
        """Pressure below the atmosphere, Pa."""
        return self.atmosphere_pa - self.pressure_pa


@dataclass(frozen=True)
class _Pipes:
    """What the sap leaves of the pipes in one scenario or in all of them."""

    area_m2: np.ndarray
    hydraulic_m: np.ndarray
    head_pa: np.ndarray
    flooded: np.ndarray
    resistance: np.ndarray


def steady(
    network: Network,
    leaks: Mapping[str, float] | ArrayLike | None = None,
    sap_rate: ArrayLike = 0.0,
    closed: Iterable[str] = (),
    pump: Pump | None = None,
    *,
    background_scfm_per_tap: ArrayLike = BACKGROUND_SCFM_PER_TAP,
    resistance: ArrayLike = 1.0,
    temp_k: float = TEMPERATURE_K,
    atmosphere_pa: float = ATMOSPHERE_PA,
) -> Steady:
    """Pressure and air flow through the network.

    Parameters
    ----------
    network : of n nodes
    leaks : SCFM by node tag, or an array (..., n): rows are scenarios solved at once
    sap_rate : sap of one tap, m³/s; a number, or (..., n) by the lateral's end node
    closed : tags of valves that are shut; what lies behind goes to atmospheric pressure
    pump : instead of the network's own; `HeldPressure` where a gauge gives the pump's vacuum
    background_scfm_per_tap : a number, or (..., n) by node
    resistance : factor on the friction of each line; a number, or (..., n) by the line's upstream node
    temp_k, atmosphere_pa : of the air

    Raises NetworkError for an unknown tag or a missing pump, CoreError when Newton does not converge.

    Method (docs: models, section 2): while every leak is choked (p < 0.5283 P_atm) flows are subtree sums and
    squared pressures path sums, with nothing to iterate; otherwise Newton along the tree.
    """
    pump = pump or network.pump
    if pump is None:
        raise NetworkError("pump", "has no curve, and none was given")
    nominal = SCFM_KG_S * (_by_node(network, leaks) + np.asarray(background_scfm_per_tap) * network.taps)
    is_open = _open(network, closed)
    nominal = np.where(is_open, nominal, 0.0)
    pipes = _pipes(network, np.where(is_open, np.asarray(sap_rate) * network.taps, 0.0), np.asarray(resistance, float))
    lift = np.exp(2 * GRAVITY * (network.elevation_m - network.elevation_m[0]) / (GAS_CONSTANT * temp_k))
    pressure, flow = _choked(network, nominal, pipes, lift, pump, temp_k)
    leaking = nominal
    beyond = ((pressure > CRITICAL_RATIO * atmosphere_pa) & (nominal > 0)).any(axis=-1)
    if beyond.any():
        leaking = np.broadcast_to(nominal, pressure.shape).copy()
        rows = np.argwhere(beyond) if beyond.ndim else np.zeros((1, 0), int)
        for some in np.array_split(rows, -(-len(rows) * len(network) // NEWTON_AT_ONCE)):
            at = tuple(some.T)
            solved = _newton(network, _rows(nominal, at), _rows_of_pipes(pipes, at), lift, pump, temp_k, atmosphere_pa,
                             _rows(pressure, at))
            # one scenario alone has no axis of rows to write to
            pressure[at], flow[at], leaking[at] = (a if at else a[0] for a in solved)
    pressure = np.where(is_open, pressure, atmosphere_pa)
    return Steady(pressure, flow, leaking, np.broadcast_to(pipes.flooded, pressure.shape), atmosphere_pa)


def _by_node(network: Network, leaks: Mapping[str, float] | ArrayLike | None) -> np.ndarray:
    if leaks is None:
        return np.zeros(len(network))
    if not isinstance(leaks, Mapping):
        array = np.asarray(leaks, float)
        if array.shape[-1:] != (len(network),):
            raise NetworkError("leaks", f"has {array.shape[-1:]} columns for {len(network)} nodes")
        return array
    array = np.zeros(len(network))
    for tag, scfm in leaks.items():
        if tag not in network.index:
            raise NetworkError(tag, "is not a point of this network")
        array[network.index[tag]] += scfm
    return array


def _open(network: Network, closed: Iterable[str]) -> np.ndarray:
    shut = np.zeros(len(network))
    for tag in closed:
        if tag not in network.index or network.nodes[network.index[tag]].kind != "valve":
            raise NetworkError(tag, "is not a valve of this network")
        shut[network.index[tag]] = 1
    return network.path_sum(shut) == 0


def _pipes(network: Network, sap_m3_s: np.ndarray, resistance: np.ndarray) -> _Pipes:
    behind = network.subtree_sum(sap_m3_s)
    area, hydraulic, share = airflow.gas_space(behind, network.diameter_m, network.slope)
    flooded = share > FLOODED_AT
    flooded[..., 0] = False
    head = np.where(flooded, airflow.trapped_head(network.length_m, network.diameter_m, network.slope, share), 0.0)
    return _Pipes(area, hydraulic, head, flooded, np.broadcast_to(resistance, (*resistance.shape[:-1], len(network))))


def _rows(array: np.ndarray, at: tuple[np.ndarray, ...]) -> np.ndarray:
    """Some scenarios' rows of an array that may be common to all of them."""
    return array[at] if array.ndim > 1 else array[None]


def _rows_of_pipes(pipes: _Pipes, at: tuple[np.ndarray, ...]) -> _Pipes:
    return _Pipes(*(_rows(getattr(pipes, name), at) for name in ("area_m2", "hydraulic_m", "head_pa", "flooded", "resistance")))


def _rise(network: Network, flow: np.ndarray, pipes: _Pipes, lift: np.ndarray, temp_k: float) -> np.ndarray:
    """Rise of `u = p² · lift` along each line, Pa²; zero where the line is flooded."""
    middle = np.sqrt(lift * lift[np.maximum(network.parent, 0)])
    rise = middle * pipes.resistance * airflow.pressure_term(flow, network.length_m, pipes.area_m2, pipes.hydraulic_m, temp_k)
    return np.where(pipes.flooded, 0.0, rise)


def _choked(
    network: Network, leaking: np.ndarray, pipes: _Pipes, lift: np.ndarray, pump: Pump, temp_k: float
) -> tuple[np.ndarray, np.ndarray]:
    flow = network.subtree_sum(leaking)
    rise = _rise(network, flow, pipes, lift, temp_k)
    at_pump = pump.pressure_for(flow[..., 0] * GAS_CONSTANT * temp_k) ** 2
    pressure = np.sqrt((at_pump[..., None] + network.path_sum(rise)) / lift)
    if pipes.flooded.any():
        # a trapped head adds to p, not to p²: its share of u depends on the pressure below it
        for _ in range(30):
            below = pressure[..., np.maximum(network.parent, 0)]
            head = lift[np.maximum(network.parent, 0)] * ((below + pipes.head_pa) ** 2 - below**2)
            updated = np.sqrt((at_pump[..., None] + network.path_sum(rise + head)) / lift)
            settled = np.abs(updated - pressure).max() < 1e-6
            pressure = updated
            if settled:
                break
    return pressure, np.broadcast_to(flow, pressure.shape).copy()


def _newton(
    network: Network, nominal: np.ndarray, pipes: _Pipes, lift: np.ndarray, pump: Pump, temp_k: float,
    atmosphere_pa: float, guess: np.ndarray,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pressure, flow and leak (rows, n) of scenarios in which some leak is not choked.

    Newton on the pressures (in atmospheres); the flows follow as sums of the leaks. Its linear equations are
    solved exactly by elimination along the tree, a depth at a time: from the ends to the pump, then back.
    """
    parent = np.maximum(network.parent, 0)
    p_scale, u_scale = atmosphere_pa, atmosphere_pa**2
    cap = np.where(pipes.flooded, atmosphere_pa, np.inf)
    p = np.clip(guess, 100.0, 0.95 * atmosphere_pa)
    for _ in range(60):
        factor = airflow.subsonic_factor(p / atmosphere_pa)
        flow = network.subtree_sum(nominal * factor)
        below = p[:, parent]
        # a head that not even the atmosphere overcomes leaves the line behind it at the atmosphere's pressure
        over = np.minimum(below + pipes.head_pa, cap)
        rise = _rise(network, flow, pipes, lift, temp_k)
        error = (lift * p**2 - lift[parent] * over**2 - rise) / u_scale
        inlet = pump.pressure_for(flow[:, 0] * GAS_CONSTANT * temp_k)
        error[:, 0] = (p[:, 0] - inlet) / p_scale
        if np.abs(error).max() < 1e-12:
            break
        step = np.maximum(np.abs(flow) * 1e-6, 1e-12)
        d_rise = (_rise(network, flow + step, pipes, lift, temp_k) - rise) / step / u_scale
        d_rise[:, 0] = (pump.pressure_for((flow + step)[:, 0] * GAS_CONSTANT * temp_k) - inlet) / step[:, 0] / p_scale
        bump = 1e-6
        d_leak = nominal * (airflow.subsonic_factor(p / atmosphere_pa + bump) - factor) / bump
        d_own = 2 * lift * p * p_scale / u_scale
        d_own[:, 0] = 1.0
        d_below = np.where(over < below + pipes.head_pa, 0.0, 2 * lift[parent] * over) * p_scale / u_scale
        change = _eliminate(network, error.T, d_own.T, d_below.T, d_rise.T, d_leak.T).T
        share = np.minimum(1.0, 0.25 / np.maximum(np.abs(change).max(axis=-1, keepdims=True), 1e-30))
        p = np.clip(p + share * change * p_scale, 50.0, 1.2 * atmosphere_pa)
    else:
        raise CoreError("the air flow could not be solved: is the pump far too small for the leaks?")
    leaking = nominal * factor
    return p, flow, leaking


def _eliminate(
    network: Network, error: np.ndarray, d_own: np.ndarray, d_below: np.ndarray, d_rise: np.ndarray, d_leak: np.ndarray
) -> np.ndarray:
    """Changes of pressure (n, rows) that solve, at each node i with parent j,

    `error_i + d_own_i δp_i − d_below_i δp_j − d_rise_i δm_i = 0`, `δm_i = d_leak_i δp_i + Σ δm` of its children.
    """
    carried = np.zeros(error.shape)  # δm_i = carried_i + slope_i δp_i
    slope = np.ascontiguousarray(d_leak)
    error, d_own, d_below, d_rise = (np.ascontiguousarray(a) for a in (error, d_own, d_below, d_rise))
    change = np.empty(error.shape)
    for at, groups, below in reversed(network.depths):
        own = d_own[at] - d_rise[at] * slope[at]
        fixed = (d_rise[at] * carried[at] - error[at]) / own
        carried[below] += np.add.reduceat(carried[at] + slope[at] * fixed, groups, axis=0)
        slope[below] += np.add.reduceat(slope[at] * d_below[at] / own, groups, axis=0)
    change[0] = (d_rise[0] * carried[0] - error[0]) / (d_own[0] - d_rise[0] * slope[0])
    for at, _, _ in network.depths:
        behind = d_below[at] * change[network.parent[at]]
        change[at] = (behind + d_rise[at] * carried[at] - error[at]) / (d_own[at] - d_rise[at] * slope[at])
    return change
