"""The drawn map: lines, nodes and contours in metres east and north of the first pump."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from pyproj import Proj

from ..people.models import Operation
from .models import Bush
from .networks import network_of


def map_of(operation: Operation) -> dict[str, Any]:
    """Geometry only: it changes with the survey, not with the readings."""
    bushes = list(Bush.objects.of(operation).filter(hauled=False, survey__gt=0).order_by("pk"))
    return _draw(tuple((bush.pk, bush.survey) for bush in bushes))


@lru_cache(maxsize=8)
def _draw(surveys: tuple[tuple[int, int], ...]) -> dict[str, Any]:
    bushes = [Bush.objects.get(pk=pk) for pk, _ in surveys]
    if not bushes:
        return {"lines": [], "laterals": [], "points": [], "contours": []}
    origin = network_of(bushes[0]).nodes[0]
    flat = Proj(proj="aeqd", lat_0=origin.lat, lon_0=origin.lon, ellps="WGS84")

    def metres(points: Any) -> list[list[float]]:
        array = np.asarray(points, float)
        x, y = flat(array[:, 0], array[:, 1])
        return [[round(float(a), 1), round(float(b), 1)] for a, b in zip(x, y, strict=True)]

    lines, laterals, marks, contours = [], [], [], []
    for bush in bushes:
        network = network_of(bush)
        for line in network.lines[1:]:
            assert line is not None
            points = metres(line.coordinates)
            if line.kind == "lateral":
                laterals.append({"bush": bush.slug, "main": line.main, "taps": line.taps, "points": points})
            else:
                lines.append({"bush": bush.slug, "main": line.main, "kind": line.kind, "diameter_m": line.inner_diameter_m,
                              "points": points})
        for node in network.nodes:
            if node.kind in ("pump", "valve") or node.sensor:
                x, y = metres([[node.lon, node.lat]])[0]
                marks.append({"tag": node.tag, "kind": node.kind, "sensor": node.sensor, "bush": bush.slug, "x": x, "y": y})
        contours += [{"elevation_m": c["elevation_m"], "points": metres(c["points"])} for c in bush.contours]
    return {"lines": lines, "laterals": laterals, "points": marks, "contours": contours}
