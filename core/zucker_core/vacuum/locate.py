"""Where is the leak: probability along the lines from how far each gauge has fallen below its usual."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..errors import CoreError, NetworkError
from .network import Network
from .signatures import Conditions, Falls, ModelError, Signatures, signatures, weight_of

MOST_LEAKS = 3
CREDIBLE = 0.90
ANOTHER_LEAK = 5.0
"""Natural logarithm by which the readings must favour one leak more before it is believed."""
FIRST_GUESSES = 8
TRIED_FURTHER = 3
COARSER = 4
"""The search for a further leak looks at every fourth size."""
PLAUSIBLE = 12.0
"""Hypotheses worse than the best by more than this (natural logarithm) are not solved again."""


@dataclass(frozen=True)
class LeakFound:
    """One leak: probability (C, Z) over the candidates and sizes of `signatures`."""

    signatures: Signatures
    probability: np.ndarray

    @cached_property
    def by_node(self) -> np.ndarray:
        """(C,) probability of each candidate."""
        return self.probability.sum(axis=1)

    @property
    def nodes(self) -> dict[str, float]:
        """Probability by node tag, mains and conductors, the likeliest first."""
        return self._summed([self.signatures.network.nodes[i].tag for i in self.signatures.candidates])

    @property
    def branches(self) -> dict[str, float]:
        """By mainline ("" for the conductors), the likeliest first."""
        return self._summed(self.signatures.branch)

    @property
    def stretches(self) -> dict[str, float]:
        """By stretch between junctions, named by its upstream end, the likeliest first."""
        return self._summed(self.signatures.stretch)

    def _summed(self, names: Sequence[str] | np.ndarray) -> dict[str, float]:
        total: dict[str, float] = {}
        for name, share in zip(names, self.by_node, strict=True):
            total[name] = total.get(name, 0.0) + float(share)
        return dict(sorted(total.items(), key=lambda item: -item[1]))

    def size_scfm(self, share: float = 0.5) -> float:
        """Size below which `share` of the probability lies: 0.5 is the median."""
        cumulated = np.concatenate([[0.0], np.cumsum(self.probability.sum(axis=0))])
        sizes = self.signatures.sizes_scfm
        edges = np.concatenate([[sizes[0]], np.sqrt(sizes[1:] * sizes[:-1]), [sizes[-1]]])
        return float(np.exp(np.interp(share, cumulated / cumulated[-1], np.log(edges))))

    def credible(self, share: float = CREDIBLE) -> list[str]:
        """The smallest set of nodes that holds `share` of the probability, the likeliest first."""
        order = np.argsort(-self.by_node, kind="stable")
        enough = int(np.searchsorted(np.cumsum(self.by_node[order]), share * self.by_node.sum())) + 1
        return [self.signatures.network.nodes[self.signatures.candidates[c]].tag for c in order[:enough]]

    def credible_m(self, share: float = CREDIBLE) -> float:
        """Length of main pipe that belongs to the nodes of `credible`, m: half of each piece that meets there."""
        network = self.signatures.network
        chosen = {network.index[tag] for tag in self.credible(share)}
        return float(sum(
            network.length_m[i] / 2 * ((i in chosen) + (int(network.parent[i]) in chosen))
            for i in self.signatures.candidates if i > 0))


@dataclass(frozen=True)
class Location:
    """What the readings say.

    leaks : each given the others, the one found first leading
    evidence : natural logarithm of how much likelier the readings are with one leak than with none; at or below
        zero nothing has fallen that asks for one
    steps : the same for each further leak over one fewer
    """

    leaks: tuple[LeakFound, ...]
    evidence: float
    steps: tuple[float, ...]


class Readings:
    """Falls of some gauges with their noise, and how well hypotheses of a table explain them."""

    def __init__(self, table: Signatures, drops: Mapping[str, float], noise: float | Mapping[str, float]) -> None:
        unknown = [tag for tag in drops if tag not in table.sensors]
        if unknown:
            raise NetworkError(unknown[0], "is not one of the sensors in use")
        if not drops:
            raise CoreError("no reading to locate a leak from")
        self.table = table
        self.gauges = np.array([i for i, tag in enumerate(table.sensors) if tag in drops])
        self.tags = [table.sensors[i] for i in self.gauges]
        self.drop = np.array([drops[tag] for tag in self.tags], dtype=float)
        own = np.array([noise[tag] if isinstance(noise, Mapping) else noise for tag in self.tags], dtype=float)
        if not np.isfinite(self.drop).all() or not (own > 0).all():
            raise CoreError("every fall must be a finite number and every noise above zero, Pa")
        self.noise = np.hypot(own, table.bench.error.drift_pa)

    def log_likelihood(self, falls: Falls, beside: Falls | None = None, precision: type = np.float64) -> np.ndarray:
        """(H,) of the hypotheses, up to a constant; `falls` at these gauges, `beside` a leak more, (1, …)."""
        fall, shared = falls.fall, falls.shared
        covariance = falls.pipes
        if beside is not None:
            fall, shared, covariance = fall + beside.fall, shared + beside.shared, covariance + beside.pipes
        covariance = (covariance + shared @ np.swapaxes(shared, -1, -2)).astype(precision, copy=False)
        index = np.arange(len(self.noise))
        covariance[..., index, index] += np.square(self.noise)
        root = np.linalg.cholesky(covariance)
        rest = self.drop - fall
        total = np.zeros(len(rest))
        white = np.empty(rest.shape)
        for i in range(rest.shape[-1]):  # forward substitution, all hypotheses at once
            white[:, i] = (rest[:, i] - np.einsum("hj,hj->h", root[:, i, :i], white[:, :i])) / root[:, i, i]
            total += 0.5 * white[:, i] ** 2 + np.log(root[:, i, i])
        return -total

    def misfit(self, row: int) -> float:
        """Squared distance of the readings from one hypothesis of the table, in standard deviations; about the
        number of gauges when it is true."""
        half, _ = _whiten(self.falls[[row]], self.noise)
        return float(np.square(half[0] @ (self.drop - self.falls.fall[row])).sum())

    def by_table(self) -> np.ndarray:
        """(H,) of the table's own hypotheses; their covariances are factored once for each set of gauges and noise."""
        key = (*self.tags, *np.round(self.noise, 3))
        if key not in self.table.ready:
            self.table.ready.clear()
            self.table.ready[key] = _whiten(self.falls, self.noise)
        half, log_root = self.table.ready[key]
        return _score(half, log_root, self.drop - self.falls.fall)

    @cached_property
    def falls(self) -> Falls:
        """The table's, at these gauges."""
        falls = self.table.falls
        return falls if len(self.gauges) == len(self.table.sensors) else falls.at(self.gauges)

    @cached_property
    def coarse(self) -> tuple[np.ndarray, Falls]:
        """Rows of the table for the search of further leaks, and their falls."""
        places, sizes = len(self.table.candidates), len(self.table.sizes_scfm)
        rows = np.arange(places * sizes).reshape(places, sizes)[:, ::COARSER].ravel()
        return rows, self.falls[rows]

    def without_leak(self) -> float:
        """Log likelihood of no leak at all."""
        shift = np.full((1, len(self.drop), 1), self.table.bench.error.shift_pa)
        nothing = Falls(np.zeros((1, len(self.drop))), shift, np.zeros((1, len(self.drop), len(self.drop))))
        return float(self.log_likelihood(nothing)[0])


def _whiten(falls: Falls, noise: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    root = np.linalg.cholesky(falls.covariance(noise).astype(float))
    log_root = np.log(np.diagonal(root, axis1=-2, axis2=-1)).sum(axis=-1)
    return np.linalg.inv(root).astype(np.float32), log_root


def _score(half: np.ndarray, log_root: np.ndarray, rest: np.ndarray) -> np.ndarray:
    white = np.einsum("hij,hj->hi", half, rest.astype(np.float32))
    return -0.5 * np.einsum("hi,hi->h", white, white).astype(float) - log_root


def locate(
    network: Network, drops: Mapping[str, float], noise: float | Mapping[str, float], *,
    prior: Mapping[str, float] | None = None, table: Signatures | None = None, conditions: Conditions | None = None,
    error: ModelError | None = None, most: int = MOST_LEAKS,
) -> Location:
    """Where it leaks, by Bayes over every place and size.

    Parameters
    ----------
    drops : fall of each gauge below its usual, Pa, by sensor tag (ten-minute means); gauges may be missing
    noise : one standard deviation of those means, Pa, for all or by sensor tag
    prior : factor on how likely a node is (age, soft wood noted when tapping, past leaks), by node tag
    table : from `signatures`, to be kept for a network; otherwise made here from `conditions` and `error`
    most : leaks to look for, one added at a time while the readings ask for it

    Raises NetworkError for an unknown tag, CoreError when there is nothing to go by.
    Method (docs: models, section 2): Gaussian likelihood with the model's own errors in its covariance; prior by
    length of pipe and number of taps.
    """
    table = table or signatures(network, list(drops), conditions, error)
    readings = Readings(table, drops, noise)
    log_prior = _log_prior(table, prior)
    likelihood = readings.by_table()
    alone = likelihood + log_prior
    evidence = _log_sum(alone) - readings.without_leak()
    found = [_normalised(alone)]
    steps: list[float] = []
    hypotheses = [int(np.argmax(alone))]
    while len(found) < most:
        better = _one_more(readings, log_prior, hypotheses)
        if better is None:
            break
        posteriors, hypotheses, gain = better
        if gain < ANOTHER_LEAK:
            break
        found = posteriors
        steps.append(gain)
    shape = len(table.candidates), len(table.sizes_scfm)
    return Location(tuple(LeakFound(table, p.reshape(shape)) for p in found), evidence, tuple(steps))


def _log_prior(table: Signatures, prior: Mapping[str, float] | None) -> np.ndarray:
    weight = weight_of(table.network)
    for tag, factor in (prior or {}).items():
        at = np.flatnonzero(table.candidates == table.network.index.get(tag, -1))
        if not len(at) or not factor > 0:
            raise NetworkError(tag, f"cannot carry the prior factor {factor:g}: it must lie on a main, the factor above 0")
        weight[at] *= factor
    share = np.repeat(weight / weight.sum(), len(table.sizes_scfm)) / len(table.sizes_scfm)
    return np.log(share)


def _log_sum(values: np.ndarray) -> float:
    top = float(values.max())
    return top + float(np.log(np.exp(values - top).sum()))


def _normalised(log_weight: np.ndarray) -> np.ndarray:
    share = np.exp(log_weight - log_weight.max())
    return share / share.sum()


def _one_more(
    readings: Readings, log_prior: np.ndarray, known: list[int]
) -> tuple[list[np.ndarray], list[int], float] | None:
    """One leak more than `known` (rows of the table): posterior of each leak given the others, their best rows, and
    the logarithm of the evidence gained. The search adds leaks as if they did not touch one another; the answer is
    solved exactly."""
    count = len(readings.drop)
    if len(known) == 1 and readings.misfit(known[0]) < count + np.sqrt(2 * count):
        return None  # one leak explains the readings as well as the truth would
    rows, falls = readings.coarse

    def best_beside(rest: list[int]) -> tuple[float, int]:
        weight = _beside_rows(readings, falls, rest) + log_prior[rows] + log_prior[rest].sum()
        return float(weight.max()), int(rows[np.argmax(weight)])

    begun = []
    for start in _starts(readings, log_prior, known):
        score, row = best_beside(start)
        begun.append((score, [*start, row]))
    begun.sort(key=lambda item: -item[0])
    best = begun[0]
    for score, leaks in begun[:TRIED_FURTHER]:
        for turn in (*range(len(leaks)), *range(len(leaks) - 1)):  # each in turn anew beside the others
            rest = leaks[:turn] + leaks[turn + 1 :]
            new, row = best_beside(rest)
            if new > score:
                score, leaks = new, [*rest[:turn], row, *rest[turn:]]
        best = max(best, (score, leaks), key=lambda item: item[0])
    return _refine(readings, log_prior, best[1], _exact_best(readings, known))


def _beside_rows(readings: Readings, falls: Falls, rest: list[int]) -> np.ndarray:
    """Log likelihood of hypotheses, each beside the leaks of `rest` (rows of the table), to single precision."""
    beside = readings.falls[rest[:1]]
    for row in rest[1:]:
        beside = beside.plus(readings.falls[[row]])
    return readings.log_likelihood(falls, beside, np.float32)


def _starts(readings: Readings, log_prior: np.ndarray, known: list[int]) -> list[list[int]]:
    """Where to begin the search: what is known, and for one known leak the best row of other branches too."""
    if len(known) > 1:
        return [known]
    alone = readings.by_table() + log_prior
    branch = np.repeat(readings.table.branch, len(readings.table.sizes_scfm))
    rows = [int(np.flatnonzero(branch == name)[np.argmax(alone[branch == name])]) for name in dict.fromkeys(branch)]
    rows.sort(key=lambda row: -alone[row])
    return [[row] for row in dict.fromkeys([*known, *rows[:FIRST_GUESSES]])]


def _place(table: Signatures, row: int) -> tuple[int, float]:
    candidate, size = divmod(row, len(table.sizes_scfm))
    return int(table.candidates[candidate]), float(table.sizes_scfm[size])


def _beside(table: Signatures, rows: list[int]) -> dict[int, float]:
    others: dict[int, float] = {}
    for row in rows:
        node, size = _place(table, row)
        others[node] = others.get(node, 0.0) + size
    return others


def _exact(readings: Readings, rows: np.ndarray, others: list[int]) -> np.ndarray:
    table = readings.table
    places = [_place(table, int(row)) for row in rows]
    falls = table.bench.falls(np.array([p for p, _ in places]), np.array([s for _, s in places]), _beside(table, others))
    return readings.log_likelihood(falls.at(readings.gauges))


def _exact_best(readings: Readings, rows: list[int]) -> float:
    return float(_exact(readings, np.array(rows[-1:]), rows[:-1])[0])


def _refine(
    readings: Readings, log_prior: np.ndarray, rows: list[int], before: float
) -> tuple[list[np.ndarray], list[int], float]:
    """Exact posterior of each leak given the others at their best."""
    rows = list(rows)
    posteriors: list[np.ndarray] = [np.zeros(0)] * len(rows)
    gain = -np.inf
    coarse, falls = readings.coarse
    for turn in reversed(range(len(rows))):
        rest = rows[:turn] + rows[turn + 1 :]
        rough = _beside_rows(readings, falls, rest) + log_prior[coarse]
        near = (coarse[rough > rough.max() - 2 * PLAUSIBLE] + np.arange(-COARSER, COARSER)[:, None]).ravel()
        near = np.unique(near[(near >= 0) & (near < len(log_prior))])
        rough = _beside_rows(readings, readings.falls[near], rest) + log_prior[near]
        worth = near[rough > rough.max() - PLAUSIBLE]
        weight = np.full(len(log_prior), -np.inf)
        weight[worth] = _exact(readings, worth, rest) + log_prior[worth]
        rows[turn] = int(np.argmax(weight))
        posteriors[turn] = _normalised(weight)
        gain = max(gain, _log_sum(weight) - before)
    return posteriors, rows, gain
