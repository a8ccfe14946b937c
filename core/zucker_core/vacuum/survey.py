"""From a surveyor's or a phone's file to a network: ends matched, directions turned, sizes filled in."""

from __future__ import annotations

import copy
import math
from collections import defaultdict, deque
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import NetworkError

SNAP_M = 12.0
"""A line's end belongs to the nearest point within this distance: what a phone's position is worth under trees."""
EARTH_M = 6_371_008.8


@dataclass(frozen=True)
class Sizes:
    """What is taken where a file says nothing: inner diameters, mm. 1 in mains, 5/16 in laterals, 1 1/2 in conductors."""

    mainline_mm: float = 25.4
    lateral_mm: float = 7.75
    conductor_mm: float = 38.1

    def of(self, kind: str) -> float | None:
        """The diameter for a kind of line; None for no kind of ours."""
        return {"mainline": self.mainline_mm, "lateral": self.lateral_mm, "conductor": self.conductor_mm}.get(kind)


def complete(
    obj: Mapping[str, Any], sizes: Sizes | None = None, snap_m: float = SNAP_M
) -> tuple[dict[str, Any], list[NetworkError]]:
    """The FeatureCollection with what a plain track lacks, and what could not be filled in, by feature.

    Lines without `from` and `to` take the nearest points at their ends and are turned to lead away from the pump; lines
    without coordinates run straight between their points; a missing kind becomes junction or mainline (lateral where
    the line has taps), a missing diameter that of `sizes`. Nothing that the file says is changed.
    """
    sizes = sizes or Sizes()
    whole = copy.deepcopy(dict(obj))
    features = whole.get("features")
    if whole.get("type") != "FeatureCollection" or not isinstance(features, list):
        return whole, [NetworkError("file", "is not a GeoJSON FeatureCollection")]
    faults: list[NetworkError] = []
    places: dict[str, tuple[float, float]] = {}
    lines: list[dict[str, Any]] = []
    for number, feature in enumerate(features, start=1):
        if not isinstance(feature, dict):
            faults.append(NetworkError(f"feature {number}", "is not an object"))
            continue
        properties = feature["properties"] = dict(feature.get("properties") or {})
        geometry = feature.get("geometry") or {}
        properties.setdefault("tag", f"{'P' if geometry.get('type') == 'Point' else 'L'}{number}")
        if geometry.get("type") == "Point":
            properties.setdefault("kind", "junction")
            point = _point(geometry.get("coordinates"))
            if point is None:
                faults.append(NetworkError(str(properties["tag"]), "has no position"))
            else:
                places[str(properties["tag"])] = point
        elif geometry.get("type") == "LineString":
            properties.setdefault("kind", "lateral" if properties.get("taps") else "mainline")
            size = sizes.of(str(properties["kind"]))
            if size is not None:
                properties.setdefault("inner_diameter_mm", size)
            lines.append(feature)
    turned = [line for line in lines if not (line["properties"].get("from") and line["properties"].get("to"))]
    for line in turned:
        faults += _match(line, places, snap_m)
    _turn(lines, turned, features)
    for line in lines:
        properties = line["properties"]
        ends = [places.get(str(properties.get(end))) for end in ("from", "to")]
        if not (line.get("geometry") or {}).get("coordinates") and all(ends):
            line["geometry"] = {"type": "LineString", "coordinates": [list(end) for end in ends if end]}
    return whole, faults


def _point(coordinates: Any) -> tuple[float, float] | None:
    try:
        lon, lat = float(coordinates[0]), float(coordinates[1])
    except (TypeError, ValueError, IndexError):
        return None
    return (lon, lat) if math.isfinite(lon) and math.isfinite(lat) else None


def _match(line: dict[str, Any], places: Mapping[str, tuple[float, float]], snap_m: float) -> list[NetworkError]:
    """Give a line the points at its two ends."""
    properties, found = line["properties"], []
    name = str(properties["tag"])
    coordinates = (line.get("geometry") or {}).get("coordinates") or []
    ends = [_point(coordinates[i]) for i in (0, -1)] if len(coordinates) >= 2 else []
    if len(ends) < 2 or not all(ends):
        return [NetworkError(name, "has neither from and to nor a way with two ends")]
    if not places:
        return [NetworkError(name, "there are no points that it could join")]
    tags = list(places)
    at = np.radians(np.array([places[tag] for tag in tags]))
    for end, which in zip(ends, ("first", "last"), strict=True):
        assert end is not None
        lon, lat = np.radians(end)
        away = EARTH_M * np.hypot((at[:, 0] - lon) * math.cos(lat), at[:, 1] - lat)
        nearest = int(np.argmin(away))
        if away[nearest] > snap_m:
            return [
                NetworkError(
                    name,
                    f"its {which} end lies {away[nearest]:.0f} m from the nearest point, {tags[nearest]};"
                    f" at most {snap_m:.0f} m is taken as the same place",
                )
            ]
        found.append(tags[nearest])
    if found[0] == found[1]:
        return [NetworkError(name, f"both its ends lie at {found[0]}")]
    properties["from"], properties["to"] = found
    return []


def _turn(lines: list[dict[str, Any]], turned: list[dict[str, Any]], features: list[Any]) -> None:
    """Make matched lines lead away from the pump, by walking outwards from it."""
    pumps = [
        f["properties"]["tag"] for f in features if isinstance(f, dict) and (f.get("properties") or {}).get("kind") == "pump"
    ]
    may_turn = {id(line) for line in turned}
    at: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for line in lines:
        for end in ("from", "to"):
            at[str(line["properties"].get(end))].append(line)
    seen, walk = {str(pump) for pump in pumps}, deque(str(pump) for pump in pumps)
    used: set[int] = set()
    while walk:
        here = walk.popleft()
        for line in at[here]:
            if id(line) in used:
                continue
            used.add(id(line))
            properties = line["properties"]
            if str(properties.get("to")) == here and id(line) in may_turn:
                properties["from"], properties["to"] = properties["to"], properties["from"]
                line["geometry"]["coordinates"] = line["geometry"]["coordinates"][::-1]
            far = str(properties.get("to"))
            if str(properties.get("from")) == here and far not in seen:
                seen.add(far)
                walk.append(far)
