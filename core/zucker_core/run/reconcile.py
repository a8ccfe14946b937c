"""Data reconciliation: measured volumes and Brix made to agree with the balances of sugar and water.

Source: Crowe, Garcia Campos and Hrymak (1983), AIChE J. 29:881 (projecting out what is not measured);
Mah and Tamhane (1982), AIChE J. 28:828, and Crowe (1989), AIChE J. 35:563 (measurement test of greatest power).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.linalg import null_space
from scipy.stats import norm

from .. import sugar
from .measured import OUTSIDE, Measured, Unmeasured

FALSE_ALARM = 0.04
ALIKE = 0.98
"""Two measurements whose errors would show in the balances with at least this cosine count as one."""
SET_PROBABILITY = 0.95
QUANTITIES = ("volume", "Brix")
ROUNDS = 4


@dataclass(frozen=True)
class Suspect:
    """A reading that may be wrong: of which measurement, volume or Brix, its test statistic, and its share of
    the blame among all readings if just one is wrong."""

    name: str
    quantity: str
    statistic: float
    probability: float


@dataclass(frozen=True)
class Agreed:
    """One reading made to agree: volume m³ and °Brix with their standard deviations."""

    name: str
    volume_m3: float
    volume_sd_m3: float
    brix: float
    brix_sd: float


@dataclass(frozen=True)
class Reconciled:
    """values : the readings made to agree; misfit : weighted sum of squares of the balances, and balances : how many
    there are; suspects : the fewest readings that hold the wrong one with 95 %, empty when nothing is amiss;
    unchecked : readings that no balance checks, (name, quantity)."""

    values: tuple[Agreed, ...]
    misfit: float
    balances: int
    suspects: tuple[Suspect, ...]
    unchecked: tuple[tuple[str, str], ...]


def reconcile(measured: Sequence[Measured], unmeasured: Sequence[Unmeasured] = ()) -> Reconciled:
    """Weighted least squares on all balances of sugar and mass at every node.

    Readings that are exact (no standard deviation) are not adjusted. The gross-error test accuses with
    4 % chance when nothing is wrong (Šidák, over readings that can be told apart).
    """
    system = _System(measured, unmeasured)
    x0, variance = system.readings, system.variance
    x = x0.copy()
    for _ in range(ROUNDS):
        gap, slope = system.balances(x)
        # what is left of the balances once everything unmeasured is projected out
        covariance = slope @ (variance[:, None] * slope.T)
        if not len(gap):
            break
        offset = gap - slope @ (x - x0)
        x = x0 - variance * (slope.T @ _solve(covariance, offset))
    gap, slope = system.balances(x)
    if not len(gap):
        return Reconciled(system.agreed(x0, np.sqrt(variance)), 0.0, 0, (), tuple(system.labels))
    inverse = np.linalg.pinv(slope @ (variance[:, None] * slope.T), rcond=1e-12)
    offset = gap - slope @ (x - x0)
    # d = slopeᵀ·inverse·offset is the accused reading's own misfit in the direction of greatest power
    direction = slope.T @ inverse @ offset
    power = np.einsum("ij,ik,kj->j", slope, inverse, slope)
    scaled = power * variance
    checked_by = scaled > 1e-6
    with np.errstate(invalid="ignore", divide="ignore"):
        statistic = np.where(checked_by, np.abs(direction) / np.sqrt(np.where(checked_by, power, 1.0)), 0.0)
    after = np.sqrt(np.maximum(variance * (1.0 - scaled), 0.0))
    rank = int(np.linalg.matrix_rank(slope * np.sqrt(variance), tol=1e-9))
    return Reconciled(
        system.agreed(x, after),
        float(offset @ inverse @ offset),
        rank,
        _suspects(system.labels, statistic, checked_by, slope, inverse),
        tuple(label for label, seen, v in zip(system.labels, checked_by, variance, strict=True) if not seen and v > 0),
    )


def _solve(covariance: np.ndarray, offset: np.ndarray) -> np.ndarray:
    return np.linalg.lstsq(covariance, offset, rcond=1e-12)[0]


def _suspects(
    labels: Sequence[tuple[str, str]], statistic: np.ndarray, able: np.ndarray, slope: np.ndarray, inverse: np.ndarray
) -> tuple[Suspect, ...]:
    """The readings that may be to blame, if any is."""
    seen = np.nonzero(able)[0]
    if not len(seen):
        return ()
    products = slope[:, seen].T @ inverse @ slope[:, seen]
    norms = np.sqrt(np.diag(products))
    cosine = np.abs(products / np.outer(norms, norms))
    distinct = 0
    for i in range(len(seen)):
        distinct += not (cosine[i, :i] > ALIKE).any()
    critical = float(norm.ppf(1 - (1 - (1 - FALSE_ALARM) ** (1 / distinct)) / 2))
    if statistic[seen].max() <= critical:
        return ()
    weight = np.exp(0.5 * (statistic[seen] ** 2 - statistic[seen].max() ** 2))
    share = weight / weight.sum()
    order = np.argsort(-share)
    count = int(np.searchsorted(np.cumsum(share[order]), SET_PROBABILITY)) + 1
    named = set(order[:count].tolist())
    # what looks just the same as one of them belongs to them
    named |= {j for j in range(len(seen)) if (cosine[j, order[0]] > ALIKE)}
    return tuple(
        Suspect(labels[seen[j]][0], labels[seen[j]][1], float(statistic[seen[j]]), float(share[j]))
        for j in sorted(named, key=lambda j: -share[j])
    )


class _System:
    """The readings as one vector (volume and Brix of each measurement in turn) and the balances over them."""

    def __init__(self, measured: Sequence[Measured], unmeasured: Sequence[Unmeasured]) -> None:
        self.measured = measured
        self.readings = np.array([v for m in measured for v in (m.volume_m3, m.brix)])
        self.variance = np.array([v for m in measured for v in (m.volume_sd_m3**2, m.brix_sd**2)])
        self.labels = [(m.name, q) for m in measured for q in QUANTITIES]
        ends = [(m.source, m.sink) for m in measured] + [(u.source, u.sink) for u in unmeasured]
        nodes = sorted({node for pair in ends for node in pair} - {OUTSIDE})
        self.row = {node: 2 * k for k, node in enumerate(nodes)}
        self.size = 2 * len(nodes)
        free = []
        for stream in unmeasured:
            free.append(self._column(stream.source, stream.sink, 0.0, 1.0))
            if stream.carries == "solution":
                free.append(self._column(stream.source, stream.sink, 1.0, 1.0))
        self.keep = np.eye(self.size) if not free else null_space(np.array(free)).T

    def _column(self, source: str, sink: str, sugar_kg: float, mass_kg: float) -> np.ndarray:
        column = np.zeros(self.size)
        for node, sign in ((source, -1.0), (sink, 1.0)):
            if node != OUTSIDE:
                column[self.row[node]] += sign * sugar_kg
                column[self.row[node] + 1] += sign * mass_kg
        return column

    def balances(self, x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """What each balance is off, kg, and its derivative by every reading, both without what is unmeasured."""
        total = np.zeros(self.size)
        slope = np.zeros((self.size, len(x)))
        for k, m in enumerate(self.measured):
            volume, brix = x[2 * k], float(np.clip(x[2 * k + 1], 0.0, 79.9))
            rho = float(sugar.density(brix, m.temp_c))
            rise = (float(sugar.density(brix + 0.1, m.temp_c)) - rho) / 0.1
            per = self._column(m.source, m.sink, rho * brix / 100.0, rho)
            total += volume * per
            slope[:, 2 * k] = per
            slope[:, 2 * k + 1] = volume * self._column(m.source, m.sink, (rho + rise * brix) / 100.0, rise)
        return self.keep @ total, self.keep @ slope

    def agreed(self, x: np.ndarray, sd: np.ndarray) -> tuple[Agreed, ...]:
        return tuple(
            Agreed(m.name, float(x[2 * k]), float(sd[2 * k]), float(x[2 * k + 1]), float(sd[2 * k + 1]))
            for k, m in enumerate(self.measured)
        )
