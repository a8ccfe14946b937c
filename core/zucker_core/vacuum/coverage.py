"""Which stretches the gauges cannot tell apart, and where one more would help most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .gauge import MEAN_NOISE_PA
from .network import Network
from .signatures import Conditions, ModelError, Signatures, signatures, stretches_of, weight_of

TRIAL_SCFM = np.append(np.delete(np.geomspace(0.4, 2.5, 13), 6), 1.0)
"""Sizes that a leak elsewhere may have to look like one of 1 SCFM here; the last is that one."""
ALIKE = 2.0
"""Two leaks whose readings differ by fewer standard deviations than this cannot be told apart."""


@dataclass(frozen=True)
class Coverage:
    """How well leaks of 1 SCFM can be told apart.

    groups : stretches (by their upstream end) that look alike, larger groups first, only those of two or more
    blurred_m : length of main in which a leak stays, on average over where it may be
    """

    groups: tuple[tuple[str, ...], ...]
    blurred_m: float


@dataclass(frozen=True)
class NextSensor:
    """A place for one more gauge: its node, and the length of main in which a leak would then stay, on average."""

    node: str
    blurred_m: float


def _distances(table: Signatures, noise_pa: float) -> np.ndarray:
    """(C, C) standard deviations between a leak of the last size at each place and one at each other, the size of
    the other being whatever fits best."""
    places, sizes, gauges = len(table.candidates), len(table.sizes_scfm), len(table.sensors)
    shape = places, sizes
    falls = table.falls.fall.reshape(*shape, gauges)
    noise = np.full(gauges, np.hypot(noise_pa, table.bench.error.drift_pa))
    root = np.linalg.cholesky(table.falls.covariance(noise).reshape(*shape, gauges, gauges)[:, -1].astype(float))
    half = np.linalg.inv(root)
    best = np.full((places, places), np.inf)
    for size in range(sizes):
        apart = np.einsum("cij,ckj->cki", half, falls[None, :, size] - falls[:, None, -1])
        best = np.minimum(best, np.square(apart).sum(axis=-1))
    return np.sqrt(best)


def _blurred(apart: np.ndarray, weight: np.ndarray, length_m: np.ndarray) -> float:
    """Mean length of main that looks like the place of a leak."""
    alike = np.exp(-0.5 * apart**2)
    return float((weight * (alike * length_m).sum(axis=1)).sum() / weight.sum())


def _length_at(network: Network, candidates: np.ndarray) -> np.ndarray:
    length = np.zeros(len(network))
    for i in candidates[1:]:
        length[i] += network.length_m[i] / 2
        length[network.parent[i]] += network.length_m[i] / 2
    return length[candidates]


def coverage(
    network: Network, sensors: Sequence[str] | None = None, conditions: Conditions | None = None,
    error: ModelError | None = None, noise_pa: float = MEAN_NOISE_PA,
) -> Coverage:
    """What the present gauges cannot tell apart, for leaks of 1 SCFM judged by ten-minute means."""
    table = signatures(network, sensors, conditions, error, TRIAL_SCFM)
    apart = _distances(table, noise_pa)
    names = stretches_of(network)[table.candidates]
    order = list(dict.fromkeys(names))
    # two stretches look alike when their middles do; groups are what hangs together by that
    middle = [int(np.flatnonzero(names == name)[len(np.flatnonzero(names == name)) // 2]) for name in order]
    alike = np.minimum(apart, apart.T)[np.ix_(middle, middle)] < ALIKE
    group = list(range(len(order)))
    for i in range(len(order)):
        for j in range(i):
            if alike[i, j] and group[i] != group[j]:
                old, new = group[i], group[j]
                group = [new if g == old else g for g in group]
    groups = [tuple(order[i] for i in range(len(order)) if group[i] == g) for g in dict.fromkeys(group)]
    groups.sort(key=len, reverse=True)
    blurred = _blurred(apart, weight_of(network), _length_at(network, table.candidates))
    return Coverage(tuple(g for g in groups if len(g) > 1), blurred)


def next_sensors(
    network: Network, conditions: Conditions | None = None, error: ModelError | None = None, *, noise_pa: float = MEAN_NOISE_PA,
    most: int = 5,
) -> list[NextSensor]:
    """Where the next gauge would help most, the best first: each junction, valve and end of a main is tried."""
    taken = set(network.sensors.values())
    main_ends = {int(c) for c in _main_ends(network)}
    places = [
        i for i, node in enumerate(network.nodes)
        if i not in taken and (i in main_ends or (node.kind in ("junction", "valve") and _on_main(network, i)))
    ]
    extended = _with_gauges(network, places)
    table = signatures(extended, None, conditions, error, TRIAL_SCFM)
    weight, length = weight_of(network), _length_at(network, table.candidates)
    present = [tag for tag in table.sensors if tag in network.sensors]
    tried = []
    for place in places:
        gauges = np.array([table.sensors.index(tag) for tag in (*present, f"new {network.nodes[place].tag}")])
        some = Signatures(extended, tuple(table.sensors[g] for g in gauges), table.candidates, table.sizes_scfm,
                          table.falls.at(gauges), table.bench)
        tried.append(NextSensor(network.nodes[place].tag, _blurred(_distances(some, noise_pa), weight, length)))
    return sorted(tried, key=lambda trial: trial.blurred_m)[:most]


def _on_main(network: Network, node: int) -> bool:
    line = network.lines[node]
    return line is None or line.kind != "lateral"


def _main_ends(network: Network) -> np.ndarray:
    mains = np.array([_on_main(network, i) for i in range(len(network))])
    onward = np.bincount(network.parent[1:][mains[1:]], minlength=len(network))
    return np.flatnonzero(mains & (onward == 0))


def _with_gauges(network: Network, places: list[int]) -> Network:
    nodes = [replace(node, sensor=f"new {node.tag}") if i in set(places) else node for i, node in enumerate(network.nodes)]
    return Network(nodes, [line for line in network.lines if line is not None])
