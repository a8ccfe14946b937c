"""A made-up hillside: valleys that run together at the sugarhouse, with its contour lines."""

from __future__ import annotations

import math
from typing import Any

import contourpy
import numpy as np
from pyproj import Proj

from .places import Place, Valley

MERGE_M = 12.0


def along(valley: Valley, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distance up the valley's axis and to its side (m) of points east and north of the sugarhouse."""
    angle = math.radians(valley.azimuth_deg)
    dx, dy = x - valley.x, y - valley.y
    return dx * math.sin(angle) + dy * math.cos(angle), dx * math.cos(angle) - dy * math.sin(angle)


def point(valley: Valley, s: float, t: float) -> tuple[float, float]:
    """The inverse of `along`, for one point."""
    angle = math.radians(valley.azimuth_deg)
    return (valley.x + s * math.sin(angle) + t * math.cos(angle), valley.y + s * math.cos(angle) - t * math.sin(angle))


def elevation(place: Place, x: np.ndarray | float, y: np.ndarray | float) -> np.ndarray:
    """Metres above the sea: each valley rises up its axis and to both sides; the lower one wins, smoothly."""
    x, y = np.asarray(x, float), np.asarray(y, float)
    heights = []
    for valley in place.valleys:
        s, t = along(valley, x, y)
        knolls = 1.5 * np.sin(s / 130.0) * np.cos(t / 170.0)
        up_the_axis = np.where(s >= 0, 0.085 * s, -0.3 * s)  # behind its pump a valley is closed
        heights.append(up_the_axis + 0.105 * (np.sqrt(t**2 + 60.0**2) - 60.0) + knolls + 6.0)
    stacked = np.stack(heights)
    merged = -MERGE_M * np.log(np.exp(-stacked / MERGE_M).sum(axis=0))
    return place.elevation_m + merged


def projection(place: Place) -> Proj:
    """Metres east and north of the sugarhouse."""
    return Proj(proj="aeqd", lat_0=place.lat, lon_0=place.lon, ellps="WGS84")


def contours(place: Place, low: tuple[float, float], high: tuple[float, float], step_m: float = 10.0) -> list[dict[str, Any]]:
    """Contour lines every `step_m` over a rectangle, in degrees."""
    x, y = np.linspace(low[0], high[0], 110), np.linspace(low[1], high[1], 110)
    grid = elevation(place, *np.meshgrid(x, y))
    generator = contourpy.contour_generator(x, y, grid)
    flat, found = projection(place), []
    for level in np.arange(math.ceil(grid.min() / step_m) * step_m, grid.max(), step_m):
        for line in map(np.asarray, generator.lines(level)):
            if len(line) > 8:
                lon, lat = flat(line[::2, 0], line[::2, 1], inverse=True)
                found.append({"elevation_m": float(level), "points": [
                    [round(float(a), 6), round(float(b), 6)] for a, b in zip(lon, lat, strict=True)]})
    return found
