"""Replace a bush's network by a surveyed one."""

from __future__ import annotations

from typing import Any

import structlog
from django.db import transaction
from zucker_core import vacuum

from ...people.models import Operation
from ...telemetry.models import Kind, Sensor
from ..models import Bush, Line, Node

log = structlog.get_logger()


@transaction.atomic
def survey_network(bush: Bush, geojson: dict[str, Any]) -> vacuum.Network:
    """Check the whole network, then put it in place of the old one; new sensor tags become vacuum sensors.

    Raises NetworkError naming the feature; nothing is changed then.
    """
    network = vacuum.Network.from_geojson(geojson)
    bush = Bush.objects.select_for_update().get(pk=bush.pk)
    Line.objects.filter(bush=bush).delete()
    Node.objects.filter(bush=bush).delete()
    sensors = _sensors(bush.operation, [n.sensor for n in network.nodes if n.sensor])
    rows = Node.objects.bulk_create([
        Node(bush=bush, tag=n.tag, kind=n.kind, lon=n.lon, lat=n.lat, elevation_m=n.elevation_m,
             sensor=sensors.get(n.sensor or ""), properties=dict(n.properties))
        for n in network.nodes
    ])
    by_tag = {row.tag: row for row in rows}
    Line.objects.bulk_create([
        Line(bush=bush, tag=line.tag, kind=line.kind, main=line.main, downstream=by_tag[line.from_tag],
             upstream=by_tag[line.to_tag], inner_diameter_m=line.inner_diameter_m, length_m=line.length_m, taps=line.taps,
             installed=line.installed, wet_dry=line.wet_dry or "", coordinates=[list(p) for p in line.coordinates])
        for line in network.lines[1:] if line is not None
    ])
    bush.taps = int(network.taps.sum())
    bush.survey += 1
    bush.save(update_fields=["taps", "survey"])
    log.info("network surveyed", bush=bush.pk, nodes=len(network), taps=bush.taps)
    return network


def _sensors(operation: Operation, tags: list[str]) -> dict[str, Sensor]:
    Sensor.objects.bulk_create(
        [Sensor(operation=operation, tag=tag, kind=Kind.VACUUM) for tag in tags], ignore_conflicts=True)
    return {sensor.tag: sensor for sensor in Sensor.objects.of(operation).filter(tag__in=tags)}
