"""A network from a list: a pump, its mainlines with lengths, sizes and taps, a gauge at each end. No map is needed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..arrays import checked
from ..errors import Inconsistent

SADDLE_M = 20.0
LATERAL_M = 30.0
LATERAL_MM = 7.75
METRE_DEG = 1.0 / 111_320.0


@dataclass(frozen=True)
class MainSketch:
    """One mainline as its owner knows it. at_m : where it leaves the conductor, m from the pump; length_m, grade (rise over
    length), inner_diameter_mm; taps : on all its laterals; gauge : tag of the gauge at its far end, if there is one."""

    name: str
    length_m: float
    taps: int
    inner_diameter_mm: float = 25.4
    at_m: float = 30.0
    grade: float = 0.04
    gauge: str | None = None


def schematic(
    pump: Mapping[str, Any],
    mains: Sequence[MainSketch],
    *,
    gauge: str | None = None,
    conductor_mm: float = 50.8,
    origin: tuple[float, float] = (0.0, 0.0),
) -> dict[str, Any]:
    """The GeoJSON of a bush known only by its list of mainlines, to be read by `Network.from_geojson`.

    Parameters
    ----------
    pump : ultimate_inhg, flow_cfm and at_inhg of its curve
    mains : 1 to 60 of them; gauge : tag of the pump's own gauge
    conductor_mm : inner diameter of the pipe along which the mainlines leave
    origin : longitude and latitude at which the drawing is put

    Saddles stand every 20 m or so and share the taps evenly, a valve stands at the start of each mainline, heights follow
    the grade. Lengths are kept exactly, the drawing only shows them: mainlines leave to the left and right in turn.
    Raises OutOfRange or Inconsistent naming the mainline.
    """
    if not 1 <= len(mains) <= 60:
        raise Inconsistent("mains", f"there are {len(mains)} mainlines; 1 to 60 make a list")
    names = [main.name for main in mains]
    doubled = next((name for name in names if names.count(name) > 1), None)
    if doubled is not None:
        raise Inconsistent(doubled, "two mainlines carry this name")
    made = _Drawing(origin)
    made.point("P", "pump", 0, 0, 0.0, sensor=gauge, **pump)
    below, reached = "P", 0.0
    for number, main in enumerate(sorted(mains, key=lambda one: one.at_m), start=1):
        _check(main)
        if main.at_m - reached > 0.5 or below == "P":
            tag = f"J{number}"
            height = 0.02 * main.at_m
            made.point(tag, "junction", 0, main.at_m, height)
            made.line(f"C{number}", "conductor", below, tag, conductor_mm, max(main.at_m - reached, 0.5))
            below, reached = tag, main.at_m
        _main(made, main, below, -1 if number % 2 else 1)
    return {"type": "FeatureCollection", "features": made.features}


def _check(main: MainSketch) -> None:
    name = main.name
    checked(f"{name}.length_m", main.length_m, 10, 3000, "m")
    checked(f"{name}.taps", main.taps, 1, 2000)
    checked(f"{name}.inner_diameter_mm", main.inner_diameter_mm, 8, 80, "mm")
    checked(f"{name}.at_m", main.at_m, 0, 5000, "m")
    checked(f"{name}.grade", main.grade, 0.0, 0.5)


def _main(made: _Drawing, main: MainSketch, junction: str, side: int) -> None:
    count = max(2, round(main.length_m / SADDLE_M))
    step = main.length_m / (count + 0.25)
    base = 0.02 * main.at_m
    valve = f"{main.name}V"
    made.point(valve, "valve", side * step * 0.25, main.at_m, base + main.grade * step * 0.25)
    made.line(f"{main.name}/0", "mainline", junction, valve, main.inner_diameter_mm, step * 0.25, main=main.name)
    below, hung = valve, 0
    for k in range(1, count + 1):
        far = side * step * (k + 0.25)
        height = base + main.grade * abs(far)
        tag = f"{main.name}.{k}"
        last = k == count
        made.point(tag, "end" if last else "saddle", far, main.at_m, height, sensor=main.gauge if last else None)
        made.line(f"{main.name}/{k}", "mainline", below, tag, main.inner_diameter_mm, step, main=main.name)
        below = tag
        taps = round(main.taps * k / count) - hung
        hung += taps
        laterals = math.ceil(taps / 8) if taps else 0
        for number in range(laterals):
            share = taps // laterals + (1 if number < taps % laterals else 0)
            end = f"{tag}{chr(97 + number)}" if number < 26 else f"{tag}z{number}"
            away = LATERAL_M * 0.5 * (1 if number % 2 else -1)
            made.point(end, "end", far + side * 4 * number, main.at_m + away, height + 2.0)
            made.line(end, "lateral", tag, end, LATERAL_MM, LATERAL_M, main=main.name, taps=share)


class _Drawing:
    """Collects features; places are metres beside and along the conductor."""

    def __init__(self, origin: tuple[float, float]) -> None:
        self.origin = origin
        self.features: list[dict[str, Any]] = []
        self.at: dict[str, list[float]] = {}

    def point(self, tag: str, kind: str, x: float, y: float, elevation_m: float, **more: Any) -> None:
        lon, lat = self.origin
        self.at[tag] = [lon + x * METRE_DEG / max(math.cos(math.radians(lat)), 0.05), lat + y * METRE_DEG]
        properties = {
            "tag": tag,
            "kind": kind,
            "elevation_m": round(elevation_m, 2),
            **{name: value for name, value in more.items() if value is not None},
        }
        self.features.append(
            {"type": "Feature", "geometry": {"type": "Point", "coordinates": self.at[tag]}, "properties": properties}
        )

    def line(self, tag: str, kind: str, below: str, above: str, mm: float, length_m: float, **more: Any) -> None:
        properties = {"tag": tag, "kind": kind, "from": below, "to": above, "inner_diameter_mm": mm, "length_m": length_m, **more}
        geometry = {"type": "LineString", "coordinates": [self.at[below], self.at[above]]}
        self.features.append({"type": "Feature", "geometry": geometry, "properties": properties})
