"""How many taps a tree takes, and how far a new hole keeps from old ones. Schools differ; none is the right one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent

INCH_M = 0.0254


@dataclass(frozen=True)
class School:
    """A rule set. least_m : trunk diameters (m, rising) from which a tree takes one, two, ... taps.

    beside_m, along_m : stained wood to keep clear of, sideways from an old hole and above or below it, m;
    depth_m : of the hole, from and to
    """

    name: str
    least_m: tuple[float, ...]
    beside_m: float = 0.038
    along_m: float = 0.60
    depth_m: tuple[float, float] = (0.038, 0.050)


SCHOOLS = {
    "conservative": School("conservative", (12 * INCH_M, 18 * INCH_M)),
    "traditional": School("traditional", tuple(d * INCH_M for d in (10, 15, 20, 25))),
    "one-tap": School("one-tap", (12 * INCH_M,)),
}
"""Trade practice; a sugarmaker's own is made by `own_school`."""


def own_school(
    least_m: Sequence[float], beside_m: float = 0.038, along_m: float = 0.60, depth_m: tuple[float, float] = (0.038, 0.050),
) -> School:
    """A rule set of one's own. Raises OutOfRange or Inconsistent naming the field."""
    sizes = checked("least_m", list(least_m), 0.05, 2.0, "m")
    if not len(sizes) or (np.diff(sizes) <= 0).any():
        raise Inconsistent("least_m", "give at least one diameter, each larger than the one before")
    checked("beside_m", beside_m, 0.0, 0.5, "m")
    checked("along_m", along_m, 0.0, 2.0, "m")
    low, high = checked("depth_m", list(depth_m), 0.01, 0.1, "m")
    if low > high:
        raise Inconsistent("depth_m", f"the least depth {low:g} m is more than the greatest, {high:g} m")
    return School("own", tuple(float(s) for s in sizes), beside_m, along_m, (float(low), float(high)))


def taps_for(diameter_m: ArrayLike, school: School) -> Number:
    """Taps for trunks of this diameter at breast height, 0.05 to 3 m."""
    d = checked("diameter_m", diameter_m, 0.0, 3.0, "m")
    return plain(np.searchsorted(np.asarray(school.least_m) - 1e-9, d, side="right").astype(float))


def may_tap(around_m: float, height_m: float, girth_m: float, old_m: ArrayLike, school: School) -> bool:
    """Whether a hole at this place keeps clear of all old ones.

    around_m : position round the trunk; height_m : above ground; girth_m : of the trunk, so that the far side is near
    again; old_m : (K, 2) of the old holes' positions
    """
    girth = float(checked("girth_m", girth_m, 0.1, 10.0, "m"))
    old = np.asarray(old_m, float).reshape(-1, 2)
    sideways = np.abs(around_m - old[:, 0]) % girth
    sideways = np.minimum(sideways, girth - sideways)
    return bool(((sideways >= school.beside_m) | (np.abs(height_m - old[:, 1]) >= school.along_m)).all())
