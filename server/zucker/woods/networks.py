"""A bush's rows as the core's network. Kept in the process until the survey changes."""

from __future__ import annotations

from functools import lru_cache

from zucker_core import vacuum

from .models import Bush, Line, Node


def network_of(bush: Bush) -> vacuum.Network:
    """The network as now surveyed. Raises NetworkError for rows that make none."""
    return _load(bush.pk, bush.survey)


@lru_cache(maxsize=32)
def _load(bush_id: int, survey: int) -> vacuum.Network:
    nodes = [
        vacuum.Node(
            tag=n.tag, kind=n.kind, lon=n.lon, lat=n.lat, elevation_m=n.elevation_m, sensor=n.sensor.tag if n.sensor else None,
            pump=vacuum.pump_from_properties(n.properties) if n.kind == "pump" else None, properties=n.properties,
        )
        for n in Node.objects.filter(bush_id=bush_id).select_related("sensor").order_by("pk")
    ]
    lines = [
        vacuum.Line(
            tag=line.tag, kind=line.kind, from_tag=line.downstream.tag, to_tag=line.upstream.tag,
            inner_diameter_m=line.inner_diameter_m, length_m=line.length_m, taps=line.taps,
            installed=line.installed, drops_installed=line.drops_installed,
            wet_dry=line.wet_dry or None, coordinates=tuple(tuple(p) for p in line.coordinates), main=line.main,
        )
        for line in Line.objects.filter(bush_id=bush_id).select_related("downstream", "upstream").order_by("pk")
    ]
    return vacuum.Network(nodes, lines)
