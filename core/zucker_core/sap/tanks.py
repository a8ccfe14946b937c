"""Volume in a tank from the depth on the dipstick, and back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.interpolate import PchipInterpolator

from ..arrays import Number, bisect, checked, plain
from ..errors import Inconsistent

KINDS = ("upright cylinder", "rectangle", "oval", "horizontal cylinder", "strapping table")


@dataclass(frozen=True)
class TankShape:
    """Inside measures of a tank, in m.

    kind : one of "upright cylinder" (diameter, height), "rectangle" (length, width, height), "oval"
        (elliptic ends, lying: length, width, height), "horizontal cylinder" (diameter, length, dish),
        "strapping table" (table)
    dish_m : depth of each dished end of a horizontal cylinder (half an ellipsoid), 0 for flat ends
    table : (depth m, volume m³) rows, both rising from (0, 0)
    """

    kind: str
    diameter_m: float = 0.0
    length_m: float = 0.0
    width_m: float = 0.0
    height_m: float = 0.0
    dish_m: float = 0.0
    table: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        needs = {
            "upright cylinder": ("diameter_m", "height_m"), "rectangle": ("length_m", "width_m", "height_m"),
            "oval": ("length_m", "width_m", "height_m"), "horizontal cylinder": ("diameter_m", "length_m"),
            "strapping table": (),
        }
        if self.kind not in needs:
            raise Inconsistent("kind", f"tank kind {self.kind!r} is not one of {', '.join(KINDS)}")
        for name in needs[self.kind]:
            checked(name, getattr(self, name), 0.01, 50.0, "m")
        checked("dish_m", self.dish_m, 0.0, 5.0, "m")
        if self.kind == "strapping table":
            rows = np.array(self.table, float)
            if rows.ndim != 2 or len(rows) < 2 or (np.diff(rows, axis=0) <= 0).any() or (rows[0] != 0).any():
                raise Inconsistent("table", "a strapping table starts at (0, 0); depth and volume must both rise")

    @property
    def full_depth_m(self) -> float:
        """Depth at which the tank is full, m."""
        if self.kind == "strapping table":
            return self.table[-1][0]
        return self.diameter_m if self.kind == "horizontal cylinder" else self.height_m

    @property
    def capacity_m3(self) -> float:
        """Volume when full, m³."""
        return float(tank_volume(self, self.full_depth_m))


def _segment(depth: np.ndarray, height: float) -> np.ndarray:
    """Area of a unit-height circle filled to `depth`/`height`, as a share of the circle."""
    x = 1.0 - 2.0 * depth / height
    return (np.arccos(x) - x * np.sqrt(1.0 - x * x)) / np.pi


def tank_volume(shape: TankShape, depth: ArrayLike) -> Number:
    """Volume in m³ at a depth in m (0 to full). Raises OutOfRange.

    Circle and ellipse segments exactly; dished ends as half ellipsoids, `π d² (3R − d)/3` scaled by
    dish/R; strapping tables by monotone (PCHIP) interpolation.
    """
    d = checked("depth", depth, 0.0, shape.full_depth_m, "m")
    if shape.kind == "upright cylinder":
        return plain(np.pi / 4 * shape.diameter_m**2 * d)
    if shape.kind == "rectangle":
        return plain(shape.length_m * shape.width_m * d)
    if shape.kind == "oval":
        return plain(shape.length_m * np.pi / 4 * shape.width_m * shape.height_m * _segment(d, shape.height_m))
    if shape.kind == "horizontal cylinder":
        radius = shape.diameter_m / 2
        body = shape.length_m * np.pi * radius**2 * _segment(d, shape.diameter_m)
        return plain(body + np.pi * d**2 * (3 * radius - d) / 3 * shape.dish_m / radius)
    depths, volumes = np.array(shape.table, float).T
    return plain(PchipInterpolator(depths, volumes)(d))


def tank_depth(shape: TankShape, volume_m3: ArrayLike) -> Number:
    """Depth in m at which the tank holds a volume in m³: inverse of `tank_volume`."""
    v = checked("volume_m3", volume_m3, 0.0, shape.capacity_m3, "m³")
    return plain(bisect(lambda d: np.asarray(tank_volume(shape, d)) - v, np.zeros(v.shape),
                        np.full(v.shape, shape.full_depth_m)))
