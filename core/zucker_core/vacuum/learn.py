"""What each gauge teaches about itself and its branch while all is sound: offset, resistance, scatter."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import checked
from ..units import PA_PER_INHG
from .gauge import NOISE_PA

FORGET_DAYS = 14.0
PRIOR_OFFSET_PA = 0.15 * PA_PER_INHG
PRIOR_RESISTANCE = 0.25
HUBER = 1.5
"""Standard deviations beyond which a reading pulls no harder than at them."""
NO_LESSON = 8.0
"""Standard deviations beyond which a reading is a fault (a line asleep in the frost, say) and teaches nothing."""
RUNS_TOGETHER_MIN = 60.0
"""Model errors last: readings within an hour are worth about one."""


@dataclass(frozen=True)
class Learned:
    """Weighted sums for one gauge, of x, the model's drop from the pump to it (Pa), and y, the drop read (Pa).

    For the pump's own gauge x and y are its height above the dead-head pressure, so that its `resistance` is the
    share of the background (and of the pump's slope) instead.
    """

    weight: float = 0.0
    x: float = 0.0
    xx: float = 0.0
    y: float = 0.0
    xy: float = 0.0
    rest: float = 0.0

    @cached_property
    def _solved(self) -> tuple[np.ndarray, np.ndarray]:
        noise = NOISE_PA**2
        normal = np.array([[self.weight / noise + 1 / PRIOR_OFFSET_PA**2, self.x / noise],
                           [self.x / noise, self.xx / noise + 1 / PRIOR_RESISTANCE**2]])
        right = np.array([self.y / noise, self.xy / noise + 1 / PRIOR_RESISTANCE**2])
        inverse = np.linalg.inv(normal)
        return inverse @ right, inverse

    @property
    def offset_pa(self) -> float:
        """What the gauge shows above the model, Pa of vacuum."""
        return -float(self._solved[0][0])

    @property
    def resistance(self) -> float:
        """Factor on the model's drop."""
        return float(self._solved[0][1])

    @property
    def scatter_pa(self) -> float:
        """One standard deviation of readings about what was learned; the usual noise until there is enough."""
        return float(np.sqrt((self.rest + 5 * NOISE_PA**2) / (self.weight + 5)))

    def drop_pa(self, drop_pa: ArrayLike) -> tuple[np.ndarray, np.ndarray]:
        """Expected drop and one standard deviation of it, for the model's drop."""
        x = np.asarray(drop_pa, float)
        (offset, factor), cov = self._solved
        spread = np.sqrt(np.maximum(cov[0, 0] + 2 * x * cov[0, 1] + x**2 * cov[1, 1], 0.0) + self.scatter_pa**2)
        return offset + factor * x, spread

    def to_json(self) -> dict[str, float]:
        """For storage."""
        return asdict(self)

    @classmethod
    def from_json(cls, stored: dict[str, Any]) -> Learned:
        """What `to_json` gave."""
        return cls(**{name: float(stored[name]) for name in cls.__dataclass_fields__})


def learn(known: Learned, model_drop_pa: float, read_drop_pa: float, minutes: float, *, healthy: bool) -> Learned:
    """Take one more reading (a mean over `minutes`) into what is known of a gauge.

    Nothing is learned while a fault is suspected (`healthy` false), but the old fades all the same: it is forgotten
    over about two weeks. Robust: a reading beyond 1.5 standard deviations pulls no harder than one there
    (Huber, 1964), one beyond 8 not at all; recursive least squares with exponential forgetting, and priors that keep one
    constant sap flow from being taken for a law.
    """
    minutes = float(checked("minutes", minutes, 0.0, 24 * 60.0, "min"))
    keep = float(np.exp(-minutes / (FORGET_DAYS * 1440)))
    sums = [getattr(known, name) * keep for name in ("weight", "x", "xx", "y", "xy", "rest")]
    if healthy:
        expected, spread = known.drop_pa(model_drop_pa)
        rest = read_drop_pa - float(expected)
        pull = min(1.0, HUBER * float(spread) / max(abs(rest), 1e-9)) if abs(rest) < NO_LESSON * float(spread) else 0.0
        share = pull * min(minutes / RUNS_TOGETHER_MIN, 1.0)
        x, y = model_drop_pa, read_drop_pa
        for i, value in enumerate((1.0, x, x * x, y, x * y, rest * rest)):
            sums[i] += share * value
    return Learned(*sums)
