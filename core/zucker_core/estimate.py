"""Parameters learned from noisy records: robust least squares with priors, answered with intervals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares
from scipy.stats import norm

LEVEL = 0.90
"""Chance that an interval is meant to hold the truth."""
HUBER = 2.0
"""Residuals beyond so many standard deviations count in proportion, not squared. Source: Huber (1964)."""
Z = float(norm.ppf(0.5 + LEVEL / 2))


@dataclass(frozen=True)
class Estimate:
    """A value with its 90 % interval and standard deviation; `from_prior` when the records said next to nothing."""

    value: float
    low: float
    high: float
    sd: float
    from_prior: bool = False


@dataclass(frozen=True)
class Solution:
    """Parameters (k), their covariance (k, k), and the scatter found over the scatter assumed."""

    values: np.ndarray
    covariance: np.ndarray
    scatter: float

    def sd(self, index: int) -> float:
        """Standard deviation of one parameter."""
        return float(np.sqrt(self.covariance[index, index]))


def solve(residuals: Callable[[np.ndarray], np.ndarray], prior_mean: np.ndarray, prior_sd: np.ndarray, count: int) -> Solution:
    """Parameters that make `residuals` (standardized, length `count`) small, pulled towards their prior.

    Huber's loss keeps outliers from ruling; the covariance is that of the linearized problem, with the
    scatter found when it is more than the scatter assumed. Source: Huber (1964); Seber and Wild (2003), ch. 2.
    """

    def all_of(theta: np.ndarray) -> np.ndarray:
        return np.concatenate([residuals(theta), (theta - prior_mean) / prior_sd])

    found = least_squares(all_of, prior_mean, loss="huber", f_scale=HUBER, x_scale=prior_sd)
    left = residuals(found.x)
    middle = 1.4826 * float(np.median(np.abs(left))) if count else 1.0
    free = max(count - len(prior_mean), 1)
    # with few records their own scatter says little: it is drawn to the one assumed
    scatter = float(np.sqrt((free * middle**2 + 8.0) / (free + 8.0)))
    scatter = min(max(scatter, 0.9), 6.0)
    jacobian = _jacobian(residuals, found.x, prior_sd)
    weight = np.minimum(1.0, HUBER / np.maximum(np.abs(left), 1e-12))
    information = (jacobian * weight[:, None]).T @ jacobian / scatter**2 + np.diag(prior_sd**-2.0)
    return Solution(found.x, np.linalg.inv(information), scatter)


def _jacobian(residuals: Callable[[np.ndarray], np.ndarray], at: np.ndarray, scale: np.ndarray) -> np.ndarray:
    columns = []
    for k, step in enumerate(1e-4 * scale):
        shift = np.zeros(len(at))
        shift[k] = step
        columns.append((residuals(at + shift) - residuals(at - shift)) / (2 * step))
    return np.column_stack(columns)


def of_log(solution: Solution, index: int, from_prior: bool = False) -> Estimate:
    """The estimate of a parameter that was fitted by its logarithm."""
    mean, sd = float(solution.values[index]), solution.sd(index)
    value = float(np.exp(mean))
    return Estimate(value, float(np.exp(mean - Z * sd)), float(np.exp(mean + Z * sd)), value * sd, from_prior)


def of_value(solution: Solution, index: int, from_prior: bool = False, least: float = -np.inf) -> Estimate:
    """The estimate of a parameter fitted as it is; nothing of it lies under `least`."""
    mean, sd = float(solution.values[index]), solution.sd(index)
    return Estimate(max(mean, least), max(mean - Z * sd, least), max(mean + Z * sd, least), sd, from_prior)
