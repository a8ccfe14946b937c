"""What is where: the tree of lines from the pump to the taps, read from and written as GeoJSON."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np

from ..errors import CoreError, NetworkError
from .pump import Pump, properties_of, pump_from_properties

NODE_KINDS = ("pump", "releaser", "junction", "saddle", "valve", "end", "tank")
LINE_KINDS = ("conductor", "mainline", "lateral")


@dataclass(frozen=True)
class Node:
    """A point of the network. `sensor` is the tag of a sensor mounted there; `pump` only on kind pump."""

    tag: str
    kind: str
    lon: float = 0.0
    lat: float = 0.0
    elevation_m: float | None = None
    sensor: str | None = None
    pump: Pump | None = None
    properties: Mapping[str, Any] = field(default_factory=dict, compare=False)


@dataclass(frozen=True)
class Line:
    """A pipe from its downstream node (`from_tag`, towards the pump) to its upstream node (`to_tag`).

    `main` names the mainline that it is part of, laterals included; empty on conductors. installed, drops_installed :
    years of the pipe and of the drops on it.
    """

    tag: str
    kind: str
    from_tag: str
    to_tag: str
    inner_diameter_m: float
    length_m: float
    taps: int = 0
    installed: int | None = None
    wet_dry: str | None = None
    main: str = ""
    drops_installed: int | None = None
    coordinates: tuple[tuple[float, float], ...] = ()


def path_length(coordinates: Sequence[Sequence[float]]) -> float:
    """Length in m of a line of [lon, lat] points on WGS 84, by the radii of curvature at each
    piece's middle latitude (Bowring, 1981): under 1 mm off for pieces up to a kilometre."""
    total = 0.0
    for (lon1, lat1, *_), (lon2, lat2, *_) in pairwise(coordinates):
        middle = math.radians(0.5 * (lat1 + lat2))
        w = 1.0 - 0.0066943799901 * math.sin(middle) ** 2
        north = math.radians(lat2 - lat1) * 6378137.0 * (1.0 - 0.0066943799901) / w**1.5
        east = math.radians(lon2 - lon1) * 6378137.0 / math.sqrt(w) * math.cos(middle)
        total += math.hypot(north, east)
    return total


class Network:
    """A tree of lines with its nodes in preorder from the pump, ready for sums over subtrees and paths.

    Arrays have one element a node; those that describe a line hold, at node i, the line that joins i to
    its parent (the root's are zero or empty). Raises NetworkError, naming the feature, for a loop, two pumps,
    no pump, a line without a node, a node that nothing reaches, a diameter or a length that is not positive.

    nodes, lines : in preorder; `lines[i]` belongs to node i and `lines[0]` is None
    parent, last : index of the parent (−1 at the root); one past the last node of the subtree
    length_m, diameter_m, slope, elevation_m, taps
    warnings : what is odd but can be computed (uphill lines)
    """

    def __init__(self, nodes: Iterable[Node], lines: Iterable[Line]) -> None:
        by_tag: dict[str, Node] = {}
        for node in nodes:
            if node.tag in by_tag:
                raise NetworkError(node.tag, "two points carry this tag")
            by_tag[node.tag] = node
        pumps = [node for node in by_tag.values() if node.kind == "pump"]
        if len(pumps) != 1:
            if not pumps:
                raise NetworkError("network", "there is no pump")
            raise NetworkError(pumps[1].tag, f"there are {len(pumps)} pumps; a network has one")
        upstream: dict[str, list[Line]] = defaultdict(list)
        seen: set[str] = set()
        for line in lines:
            self._check_line(line, by_tag, seen)
            seen.add(line.tag)
            upstream[line.from_tag].append(line)
        self._order(pumps[0], by_tag, upstream)
        self._measure()

    @staticmethod
    def _check_line(line: Line, by_tag: Mapping[str, Node], seen: set[str]) -> None:
        if line.tag in seen:
            raise NetworkError(line.tag, "two lines carry this tag")
        for end in (line.from_tag, line.to_tag):
            if end not in by_tag:
                raise NetworkError(line.tag, f"there is no point {end!r} at its end")
        if line.kind not in LINE_KINDS:
            raise NetworkError(line.tag, f"kind {line.kind!r} is not one of {', '.join(LINE_KINDS)}")
        if not 0.002 <= line.inner_diameter_m <= 0.3:
            raise NetworkError(line.tag, f"inner_diameter_mm is {line.inner_diameter_m * 1e3:g}; 2 to 300 mm is possible")
        if not 0.0 < line.length_m <= 20_000:
            raise NetworkError(line.tag, f"length_m is {line.length_m:g}; it must be above 0 and at most 20,000 m")
        if not 0 <= line.taps <= 5000:
            raise NetworkError(line.tag, f"taps is {line.taps}; it must be 0 to 5,000")

    def _order(self, pump: Node, by_tag: Mapping[str, Node], upstream: Mapping[str, list[Line]]) -> None:
        self.nodes: list[Node] = []
        self.lines: list[Line | None] = []
        self.index: dict[str, int] = {}
        parents: list[int] = []
        stack: list[tuple[str, int, Line | None]] = [(pump.tag, -1, None)]
        while stack:
            tag, parent, line = stack.pop()
            if tag in self.index:
                assert line is not None
                raise NetworkError(line.tag, f"closes a loop at {tag}")
            here = self.index[tag] = len(self.nodes)
            self.nodes.append(by_tag[tag])
            self.lines.append(line)
            parents.append(parent)
            stack.extend((next_line.to_tag, here, next_line) for next_line in reversed(upstream.get(tag, [])))
        for tag in by_tag:
            if tag not in self.index:
                raise NetworkError(tag, "no line leads here from the pump (a loop, or the wrong end first?)")
        self.parent = np.array(parents)
        size = np.ones(len(parents), dtype=int)
        for i in range(len(parents) - 1, 0, -1):
            size[parents[i]] += size[i]
        self.last = np.arange(len(parents)) + size
        self._by_last = np.argsort(self.last, kind="stable")
        self._ended = np.searchsorted(self.last[self._by_last], np.arange(len(parents)), side="right")

    def _measure(self) -> None:
        lines = self.lines[1:]
        self.length_m = np.array([0.0, *(line.length_m for line in lines if line)], dtype=float)
        self.diameter_m = np.array([1.0, *(line.inner_diameter_m for line in lines if line)], dtype=float)
        self.taps = np.array([0.0, *(line.taps for line in lines if line)], dtype=float)
        # a point without an elevation lies level with its parent
        heights: list[float] = []
        for node, parent in zip(self.nodes, self.parent, strict=True):
            level = heights[parent] if parent >= 0 else 0.0
            heights.append(level if node.elevation_m is None else node.elevation_m)
        self.elevation_m = np.array(heights, dtype=float)
        rise = self.elevation_m - self.elevation_m[np.maximum(self.parent, 0)]
        self.slope = np.divide(rise, self.length_m, out=np.zeros_like(rise), where=self.length_m > 0)
        self.warnings = [
            f"{line.tag}: runs uphill on the way to the pump, {-100 * slope:.1f} % over {line.length_m:.0f} m"
            for line, slope in zip(self.lines, self.slope, strict=True)
            if line and line.kind != "lateral" and slope < -0.001
        ]

    def __len__(self) -> int:
        return len(self.nodes)

    @property
    def pump(self) -> Pump | None:
        return self.nodes[0].pump

    @cached_property
    def sensors(self) -> dict[str, int]:
        """Sensor tag to node index."""
        return {node.sensor: i for i, node in enumerate(self.nodes) if node.sensor}

    def subtree_sum(self, values: np.ndarray) -> np.ndarray:
        """For each node the sum over itself and all upstream of it. `values` (..., n)."""
        total = np.zeros((*values.shape[:-1], values.shape[-1] + 1))
        np.cumsum(values, axis=-1, out=total[..., 1:])
        return total[..., self.last] - total[..., :-1]

    def path_sum(self, values: np.ndarray) -> np.ndarray:
        """For each node the sum over the path from the pump to it, itself included. `values` (..., n)."""
        begun = np.cumsum(values, axis=-1)
        ended = np.zeros((*values.shape[:-1], values.shape[-1] + 1))
        np.cumsum(values[..., self._by_last], axis=-1, out=ended[..., 1:])
        return begun - ended[..., self._ended]

    @cached_property
    def depths(self) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
        """For each depth of the tree below the pump: its nodes, brothers side by side; where each family begins
        among them; the parent of each family."""
        depth = self.path_sum(np.ones(len(self))).astype(int)
        layers = []
        for level in range(2, int(depth.max()) + 1):
            at = np.flatnonzero(depth == level)
            at = at[np.argsort(self.parent[at], kind="stable")]
            below, groups = np.unique(self.parent[at], return_index=True)
            layers.append((at, groups, below))
        return layers

    @cached_property
    def mains(self) -> dict[str, list[int]]:
        """Nodes of each mainline with its laterals, by name, in preorder. Lines without a name are counted to
        the first unnamed mainline below them, under its tag."""
        names = [""] * len(self)
        grouped: dict[str, list[int]] = {}
        for i, line in enumerate(self.lines):
            if line is None:
                continue
            names[i] = line.main or (names[self.parent[i]] if line.kind != "conductor" else "")
            if not names[i] and line.kind != "conductor":
                names[i] = line.tag
            if names[i]:
                grouped.setdefault(names[i], []).append(i)
        return grouped

    @cached_property
    def distance_m(self) -> np.ndarray:
        """Length of pipe from the pump to each node, m."""
        return self.path_sum(self.length_m)

    @cached_property
    def taps_behind(self) -> np.ndarray:
        """Taps at each node and upstream of it."""
        return self.subtree_sum(self.taps)

    @classmethod
    def from_geojson(cls, obj: Mapping[str, Any]) -> Network:
        """The network of a FeatureCollection; the properties are listed in docs/formats.md.

        Raises NetworkError naming the feature and what is wrong with it.
        """
        nodes, lines, faults = read_features(obj)
        if faults:
            raise faults[0]
        return cls(nodes, lines)

    def to_geojson(self) -> dict[str, Any]:
        """The FeatureCollection that `from_geojson` reads back to an equal network."""
        features = []
        for node in self.nodes:
            properties = {**properties_of(node.pump), **node.properties, "kind": node.kind, "tag": node.tag}
            if node.elevation_m is not None:
                properties["elevation_m"] = node.elevation_m
            if node.sensor:
                properties["sensor"] = node.sensor
            features.append(_feature("Point", [node.lon, node.lat], properties))
        for line in self.lines[1:]:
            assert line is not None
            properties = {
                "kind": line.kind, "tag": line.tag, "from": line.from_tag, "to": line.to_tag,
                "inner_diameter_mm": line.inner_diameter_m * 1e3, "length_m": line.length_m, "taps": line.taps,
                "installed": line.installed, "wet_dry": line.wet_dry, "main": line.main or None,
                "drops_installed": line.drops_installed,
            }
            coordinates = [list(point) for point in line.coordinates]
            features.append(_feature("LineString", coordinates, {k: v for k, v in properties.items() if v is not None}))
        return {"type": "FeatureCollection", "features": features}


def read_features(obj: Mapping[str, Any]) -> tuple[list[Node], list[Line], list[NetworkError]]:
    """Points and lines of a FeatureCollection, and what is wrong with any of them, feature by feature."""
    if obj.get("type") != "FeatureCollection" or not isinstance(obj.get("features"), list):
        return [], [], [NetworkError("file", "is not a GeoJSON FeatureCollection")]
    nodes: list[Node] = []
    lines: list[Line] = []
    faults: list[NetworkError] = []
    for number, feature in enumerate(obj["features"], start=1):
        name = f"feature {number}"
        try:
            properties = feature.get("properties") or {}
            geometry = feature.get("geometry") or {}
            name = str(properties.get("tag") or name)
            if geometry.get("type") == "Point":
                nodes.append(_node(name, properties, geometry["coordinates"]))
            elif geometry.get("type") == "LineString":
                lines.append(_line(name, properties, geometry["coordinates"]))
            else:
                faults.append(NetworkError(name, f"geometry {geometry.get('type')!r} is not Point or LineString"))
        except NetworkError as error:
            faults.append(error)
        except CoreError as error:
            faults.append(NetworkError(name, str(error)))
        except KeyError as error:
            faults.append(NetworkError(name, f"has no {error.args[0]}"))
        except (TypeError, ValueError, IndexError, AttributeError) as error:
            faults.append(NetworkError(name, f"cannot be read: {error}"))
    return nodes, lines, faults


def faults_of(nodes: list[Node], lines: list[Line]) -> list[NetworkError]:
    """Everything that keeps these from being a network: each line by itself, then the tree as a whole."""
    by_tag = {node.tag: node for node in nodes}
    faults: list[NetworkError] = []
    seen: set[str] = set()
    for line in lines:
        try:
            Network._check_line(line, by_tag, seen)
        except NetworkError as error:
            faults.append(error)
        seen.add(line.tag)
    if faults:
        return faults
    try:
        Network(nodes, lines)
    except NetworkError as error:
        return [error]
    return []


def _feature(kind: str, coordinates: list[Any], properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": coordinates}, "properties": properties}


def _finite(name: str, value: Any) -> float:
    number = float(value)
    if not math.isfinite(number):
        raise ValueError(f"{name} is {value!r}, not a finite number")
    return number


def _year(name: str, value: Any) -> int | None:
    if value is None or value == "":
        return None
    year = int(value)
    if not 1950 <= year <= 2100:
        raise ValueError(f"{name} is {value!r}; a year from 1950 to 2100 is possible")
    return year


def _node(tag: str, properties: Mapping[str, Any], coordinates: Sequence[Any]) -> Node:
    kind = properties["kind"]
    if kind not in NODE_KINDS:
        raise NetworkError(tag, f"kind {kind!r} is not one of {', '.join(NODE_KINDS)}")
    elevation = properties.get("elevation_m")
    return Node(
        tag=tag, kind=kind, lon=_finite("longitude", coordinates[0]), lat=_finite("latitude", coordinates[1]),
        elevation_m=None if elevation is None else _finite("elevation_m", elevation),
        sensor=properties.get("sensor") or None,
        pump=pump_from_properties(properties) if kind == "pump" else None, properties=dict(properties),
    )


def _line(tag: str, properties: Mapping[str, Any], coordinates: Sequence[Any]) -> Line:
    points = tuple((_finite("longitude", p[0]), _finite("latitude", p[1])) for p in coordinates)
    length = properties.get("length_m")
    return Line(
        tag=tag, kind=properties["kind"], from_tag=str(properties["from"]), to_tag=str(properties["to"]),
        inner_diameter_m=_finite("inner_diameter_mm", properties["inner_diameter_mm"]) / 1e3,
        length_m=path_length(points) if length is None else _finite("length_m", length),
        taps=int(properties.get("taps") or 0), installed=_year("installed", properties.get("installed")),
        wet_dry=properties.get("wet_dry"), main=str(properties.get("main") or ""), coordinates=points,
        drops_installed=_year("drops_installed", properties.get("drops_installed")),
    )
