"""Tubing for a made-up valley, as a surveyor would hand it over: GeoJSON with elevations."""

from __future__ import annotations

from typing import Any

import numpy as np

from . import landscape
from .places import SEED, Place, Valley

SPACING_M = 100.0
SADDLE_M = 18.0
INCH = 25.4


class _Survey:
    """Collects features; points are given in metres up and beside the valley."""

    def __init__(self, place: Place, valley: Valley) -> None:
        self.place, self.valley = place, valley
        self.flat = landscape.projection(place)
        self.features: list[dict[str, Any]] = []
        self.at: dict[str, tuple[float, float]] = {}

    def node(self, tag: str, kind: str, s: float, t: float, **more: Any) -> str:
        x, y = landscape.point(self.valley, s, t)
        lon, lat = self.flat(x, y, inverse=True)
        self.at[tag] = (round(float(lon), 7), round(float(lat), 7))
        properties = {"kind": kind, "tag": tag, "elevation_m": round(float(landscape.elevation(self.place, x, y)), 2), **more}
        self.features.append(_feature("Point", list(self.at[tag]), properties))
        return tag

    def line(self, tag: str, kind: str, downstream: str, upstream: str, mm: float, **more: Any) -> None:
        properties = {"kind": kind, "tag": tag, "from": downstream, "to": upstream, "inner_diameter_mm": mm, **more}
        self.features.append(_feature("LineString", [list(self.at[downstream]), list(self.at[upstream])], properties))


def _feature(kind: str, coordinates: list[Any], properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": coordinates}, "properties": properties}


def survey(place: Place, valley: Valley) -> dict[str, Any]:
    """The valley's network: a conductor up its axis, mainlines to both sides, laterals off each saddle."""
    rng = np.random.default_rng([SEED, valley.mains, valley.saddles])
    made = _Survey(place, valley)
    ultimate, cfm, at = valley.pump
    prefix = valley.prefix
    below = made.node(f"{prefix}-P", "pump", 0, 0, sensor=f"{prefix}-P", ultimate_inhg=ultimate, flow_cfm=cfm, at_inhg=at)
    number = 0
    for junction in range((valley.mains + 1) // 2):
        s = 60.0 + SPACING_M * junction
        tag = made.node(f"{prefix}-J{junction + 1}", "junction", s, rng.normal(0, 4))
        made.line(f"{prefix}-C{junction + 1}", "conductor", below, tag, 2.5 * INCH, installed=2019)
        below = tag
        for side in (-1, 1):
            if number < valley.mains:
                number += 1
                _mainline(made, rng, f"{prefix}-{number:02d}", tag, s, side)
    return {"type": "FeatureCollection", "features": made.features}


def _mainline(made: _Survey, rng: np.random.Generator, main: str, junction: str, s: float, side: int) -> None:
    saddles = made.valley.saddles + int(rng.integers(-3, 4))
    installed = int(rng.integers(2012, 2025))
    below = made.node(f"{main}V", "valve", s + 2, 8 * side)
    made.line(f"{main}/0", "mainline", junction, below, 1.0 * INCH, main=main, installed=installed)
    s_now, t_now = s + 2.0, 8.0
    for k in range(1, saddles + 1):
        t_now += SADDLE_M * 0.96
        s_now += SADDLE_M * (0.22 + 0.10 * np.sin(k / 4.0 + s))
        last = k == saddles
        middle = k == saddles // 2 and main[-1] in "369"
        sensor = f"{main}E" if last else f"{main}M" if middle else None
        tag = made.node(f"{main}.{k}", "end" if last else "saddle", s_now, t_now * side, **({"sensor": sensor} if sensor else {}))
        width = 1.0 * INCH if k <= saddles * 0.6 else 0.75 * INCH
        made.line(f"{main}/{k}", "mainline", below, tag, width, main=main, installed=installed)
        below = tag
        for letter, ds, dt in (("a", 36.0, 8.0), ("b", -16.0, 30.0)):
            stretch = rng.uniform(0.8, 1.15)
            end = made.node(f"{main}.{k}{letter}", "end", s_now + ds * stretch, (t_now + dt * stretch) * side)
            made.line(f"{main}.{k}{letter}", "lateral", tag, end, 0.305 * INCH, main=main, taps=int(rng.choice([6, 7, 8, 9, 9])),
                      installed=int(rng.integers(2015, 2026)))
