"""What every possible leak would do to every gauge: computed once for a network, asked many times."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..errors import NetworkError
from ..units import ATMOSPHERE_PA, PA_PER_INHG, SCFM_KG_S
from . import airflow
from .airflow import GAS_CONSTANT, GRAVITY, TEMPERATURE_K
from .network import Network
from .pump import Pump
from .steady import BACKGROUND_SCFM_PER_TAP, Steady, steady

SIZES_SCFM = np.geomspace(0.05, 8.0, 60)
"""Sizes of leak that are told apart; a coarser grid ruins the credible sets."""
METRES_PER_TAP = 5.0
"""A tap is as likely a place for a leak as this much pipe."""
AT_ONCE = 300_000
"""Values in one block of work: about what the processor's cache holds."""


@dataclass(frozen=True)
class ModelError:
    """One standard deviation of what the model may be off by (docs: models, section 2).

    branch_resistance, pipe_resistance : of friction, common to a branch and of each pipe alone
    background, sap, pump_slope : relative
    shift_pa : a shift that all gauges share; drift_pa : of each gauge alone
    """

    branch_resistance: float = 0.25
    pipe_resistance: float = 0.15
    background: float = 0.05
    sap: float = 0.10
    pump_slope: float = 0.05
    shift_pa: float = 0.04 * PA_PER_INHG
    drift_pa: float = 0.03 * PA_PER_INHG


@dataclass(frozen=True)
class Conditions:
    """Under which the lines run: sap of one tap m³/s, the pump if not the network's own, air."""

    sap_rate: float = 0.0
    pump: Pump | None = None
    background_scfm_per_tap: float | np.ndarray = BACKGROUND_SCFM_PER_TAP
    resistance: float | np.ndarray = 1.0
    temp_k: float = TEMPERATURE_K
    atmosphere_pa: float = ATMOSPHERE_PA

    def solve(
        self, network: Network, leaks: Mapping[str, float] | np.ndarray | None = None, closed: Sequence[str] = ()
    ) -> Steady:
        """The steady state with these leaks (SCFM) and shut valves."""
        return steady(
            network, leaks, self.sap_rate, closed, self.pump, background_scfm_per_tap=self.background_scfm_per_tap,
            resistance=self.resistance, temp_k=self.temp_k, atmosphere_pa=self.atmosphere_pa)


def candidates_of(network: Network) -> np.ndarray:
    """Indices of the nodes where a leak is looked for: all on mains and conductors. A leak within a
    lateral looks the same from outside as one at its saddle."""
    return np.array([i for i, line in enumerate(network.lines) if line is None or line.kind != "lateral"])


def main_node_of(network: Network) -> np.ndarray:
    """For each node the nearest node towards the pump that lies on a main or conductor (itself if it does)."""
    found = np.arange(len(network))
    for i, line in enumerate(network.lines):
        if line is not None and line.kind == "lateral":
            found[i] = found[network.parent[i]]
    return found


def weight_of(network: Network) -> np.ndarray:
    """How much there is to leak at each candidate, m: half of each main that meets there, its laterals
    whole, and 5 m for each tap."""
    weight = np.zeros(len(network))
    at = main_node_of(network)
    weight[0] = METRES_PER_TAP
    for i, line in enumerate(network.lines):
        if line is None:
            continue
        if line.kind == "lateral":
            weight[at[i]] += line.length_m
        else:
            weight[i] += line.length_m / 2
            weight[network.parent[i]] += line.length_m / 2
        weight[at[i]] += METRES_PER_TAP * line.taps
    return weight[candidates_of(network)]


def branches_of(network: Network) -> np.ndarray:
    """Name of the branch of each node: its mainline, or "" on the conductors."""
    names = np.full(len(network), "", dtype=object)
    for main, nodes in network.mains.items():
        names[nodes] = main
    return names


def stretches_of(network: Network) -> np.ndarray:
    """Name of the stretch of each node: the run of main between two junctions, by the tag of its upstream end.
    A lateral belongs to the stretch of its saddle."""
    is_main = np.zeros(len(network), dtype=bool)
    is_main[candidates_of(network)] = True
    forks = np.bincount(network.parent[1:][is_main[1:]], minlength=len(network)) != 1
    forks |= np.array([node.kind == "junction" for node in network.nodes])
    names = np.full(len(network), "", dtype=object)
    for i in range(len(network) - 1, -1, -1):
        if is_main[i]:
            if forks[i] or not names[i]:
                names[i] = network.nodes[i].tag
            if i and not forks[network.parent[i]]:
                names[network.parent[i]] = names[i]
    for i in range(len(network)):
        if not is_main[i]:
            names[i] = names[network.parent[i]]
    return names


@dataclass(frozen=True)
class Falls:
    """Falls (Pa) of the S gauges for H states, and what the model may be off by.

    fall : (H, S); shared : (H, S, G) one standard deviation of each common cause; pipes : (H, S, S)
    covariance by the pipes' own resistances
    """

    fall: np.ndarray
    shared: np.ndarray
    pipes: np.ndarray

    def __getitem__(self, rows: np.ndarray | slice | list[int]) -> Falls:
        return Falls(self.fall[rows], self.shared[rows], self.pipes[rows])

    def at(self, gauges: np.ndarray) -> Falls:
        """Only some of the gauges."""
        return Falls(self.fall[..., gauges], self.shared[..., gauges, :], self.pipes[..., gauges[:, None], gauges])

    def plus(self, other: Falls) -> Falls:
        """Two leaks at once, as if neither changed what the other does: common causes add, the pipes'
        own errors add in square."""
        return Falls(self.fall + other.fall, self.shared + other.shared, self.pipes + other.pipes)

    def covariance(self, noise_pa: np.ndarray) -> np.ndarray:
        """(H, S, S) of the readings about the falls, `noise_pa` (S,) being each gauge's own."""
        total = self.shared @ np.swapaxes(self.shared, -1, -2) + self.pipes
        index = np.arange(len(noise_pa))
        total[..., index, index] += np.square(noise_pa)
        return total


class Bench:
    """Solves leaks of one network under one set of conditions into `Falls` at its gauges."""

    def __init__(self, network: Network, sensors: Sequence[str], conditions: Conditions, error: ModelError) -> None:
        unknown = [tag for tag in sensors if tag not in network.sensors]
        if unknown:
            raise NetworkError(unknown[0], "is not a sensor of this network")
        self.network, self.conditions, self.error = network, conditions, error
        self.at = np.array([network.sensors[tag] for tag in sensors], dtype=int)
        self.lift = np.exp(2 * GRAVITY * (network.elevation_m - network.elevation_m[0]) / (GAS_CONSTANT * conditions.temp_k))
        self.paths = self._paths()
        self.meets = self._meets()
        pump = conditions.pump or network.pump
        assert pump is not None
        self.dead_head_pa = float(pump.pressure_for(0.0))
        self.clean = conditions.solve(network)

    def _paths(self) -> np.ndarray:
        """(S, n): 1 where a line lies on the way from the pump to the gauge."""
        nodes = np.arange(len(self.network))
        return ((nodes <= self.at[:, None]) & (self.network.last > self.at[:, None]) & (nodes > 0)).astype(float)

    def _meets(self) -> tuple[np.ndarray, np.ndarray]:
        """The points where the ways to two gauges part: their nodes, and for each pair of gauges which of them."""
        common = self.paths[:, None, :] * self.paths[None, :, :]
        nodes = np.where(common.any(axis=-1), common.shape[-1] - 1 - np.argmax(common[..., ::-1], axis=-1), 0)
        unique, which = np.unique(nodes, return_inverse=True)
        return unique, which.reshape(nodes.shape)

    @cached_property
    def _branch_paths(self) -> np.ndarray:
        """(n, S·B): the ways again, split by branch."""
        names = branches_of(self.network)
        split = np.stack([self.paths * (names == name) for name in dict.fromkeys(names)], axis=1)
        return split.reshape(-1, len(self.network)).T

    @cached_property
    def _sap_weight(self) -> np.ndarray:
        """(n,): relative change of each pipe's friction for a relative change of the sap flow."""
        net, rate = self.network, self.conditions.sap_rate

        def friction(sap_rate: float) -> np.ndarray:
            area, hydraulic, _ = airflow.gas_space(net.subtree_sum(sap_rate * net.taps), net.diameter_m, net.slope)
            return np.log(airflow.pressure_term(1e-3, np.maximum(net.length_m, 1e-3), area, hydraulic))

        return (friction(1.05 * rate) - friction(0.95 * rate)) / 0.1

    def _causes(self, state: Steady) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Change of the gauges' pressure (H, S, G) for one standard deviation of each common cause; the squared
        share of single pipes up to each meeting point (H, M, with the rises (H, n))."""
        net, error = self.network, self.error
        pressure, flow = np.atleast_2d(state.pressure_pa), np.atleast_2d(state.flow_kg_s)
        u = self.lift * pressure**2
        rise = u - u[:, np.maximum(net.parent, 0)]
        scale = 0.5 / (self.lift[self.at] * pressure[:, self.at])
        count = len(pressure), len(self.at)
        branch = error.branch_resistance * (rise @ self._branch_paths).reshape(*count, -1) * scale[..., None]
        behind = net.subtree_sum(np.broadcast_to(self.conditions.background_scfm_per_tap * net.taps, (len(net),)))
        share = np.divide(behind * SCFM_KG_S, flow, out=np.zeros_like(flow), where=flow > 0)
        background = error.background * ((1.75 * rise * np.minimum(share, 1.0)) @ self.paths.T) * scale
        sap = error.sap * ((rise * self._sap_weight) @ self.paths.T) * scale if self.conditions.sap_rate else np.zeros(count)
        pump = error.pump_slope * 2 * (pressure[:, :1] * (pressure[:, :1] - self.dead_head_pa)) * scale
        return np.concatenate([branch, background[..., None], sap[..., None], pump[..., None]], axis=-1), rise, scale

    def falls(self, nodes: np.ndarray, sizes_scfm: np.ndarray, others: Mapping[int, float] | None = None) -> Falls:
        """Of one leak at each of `nodes` with each of `sizes_scfm` (H of both), besides `others` (SCFM by node).

        One after another in blocks that fit the cache.
        """
        blocks = []
        for rows in np.array_split(np.arange(len(nodes)), max(1, len(nodes) * len(self.network) // AT_ONCE)):
            leaks = np.zeros((len(rows), len(self.network)))
            for node, size in (others or {}).items():
                leaks[:, node] = size
            leaks[np.arange(len(rows)), nodes[rows]] += sizes_scfm[rows]
            blocks.append(self._block(leaks))
        return Falls(*(np.concatenate([getattr(b, name) for b in blocks]) for name in ("fall", "shared", "pipes")))

    def _block(self, leaks: np.ndarray) -> Falls:
        state = self.conditions.solve(self.network, leaks)
        fall = (state.pressure_pa - self.clean.pressure_pa)[:, self.at]
        causes, rise, scale = self._causes(state)
        clean, clean_rise, clean_scale = self._causes(self.clean)
        shift = np.full((*fall.shape, 1), self.error.shift_pa)
        # a pipe's error moves gauge i by scale_i·rise in the leaking state and by its clean values in the usual one
        meets, which = self.meets
        upto = ((np.arange(len(self.network)) <= meets[:, None]) & (self.network.last > meets[:, None])).astype(float).T
        own, mixed, still = (np.asarray(a @ upto)[:, which] for a in (rise**2, rise * clean_rise, clean_rise**2))
        pipes = (scale[:, :, None] * scale[:, None, :] * own + clean_scale[:, :, None] * clean_scale[:, None, :] * still
                 - (scale[:, :, None] * clean_scale[:, None, :] + clean_scale[:, :, None] * scale[:, None, :]) * mixed)
        shared = np.concatenate([causes - clean, shift], axis=-1)
        return Falls(fall, shared.astype(np.float32), (self.error.pipe_resistance**2 * pipes).astype(np.float32))


@dataclass(frozen=True)
class Signatures:
    """Falls for each candidate (C) and size (Z), H = C·Z with sizes side by side, ready for `locate`.

    sensors : tags, S of them; candidates : node indices; sizes_scfm
    """

    network: Network
    sensors: tuple[str, ...]
    candidates: np.ndarray
    sizes_scfm: np.ndarray
    falls: Falls
    bench: Bench
    ready: dict[tuple[object, ...], tuple[np.ndarray, np.ndarray]] = field(default_factory=dict, compare=False)

    @cached_property
    def branch(self) -> np.ndarray:
        """Branch name by candidate."""
        return branches_of(self.network)[self.candidates]

    @cached_property
    def stretch(self) -> np.ndarray:
        """Stretch name by candidate."""
        return stretches_of(self.network)[self.candidates]


def signatures(
    network: Network, sensors: Sequence[str] | None = None, conditions: Conditions | None = None,
    error: ModelError | None = None, sizes_scfm: np.ndarray = SIZES_SCFM, *, falls: Falls | None = None,
) -> Signatures:
    """Solve every candidate with every size: seconds for 460 nodes, to be kept until the network changes.

    falls : of a table that was made from the very same arguments and kept, so that nothing is solved anew
    """
    tags = tuple(network.sensors) if sensors is None else tuple(sensors)
    bench = Bench(network, tags, conditions or Conditions(), error or ModelError())
    candidates = candidates_of(network)
    if falls is None:
        falls = bench.falls(np.repeat(candidates, len(sizes_scfm)), np.tile(sizes_scfm, len(candidates)))
    return Signatures(network, tags, candidates, np.asarray(sizes_scfm), falls, bench)
