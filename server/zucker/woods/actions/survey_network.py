"""Put a checked network in place of the one there was, feature by feature, so that each keeps its history."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import structlog
from django.db import transaction
from simple_history.utils import bulk_create_with_history
from zucker_core import vacuum
from zucker_core.errors import NetworkError

from ... import clock
from ...people.models import Operation
from ...telemetry.models import Kind, Sensor
from ..models import Bush, Line, Node

log = structlog.get_logger()
FIRST = "first survey"
BY_HAND = "hand"
"""What the property `gauge` of a point says when its gauge is a dial that somebody reads."""


@transaction.atomic
def survey_network(bush: Bush, geojson: Mapping[str, Any], *, schematic: bool = False) -> vacuum.Network:
    """Check the whole network, then make the bush's rows say the same; new sensor tags become vacuum sensors.

    Features that stay as they are are not touched. Raises NetworkError naming the feature; nothing is changed then.
    """
    network = vacuum.Network.from_geojson(geojson)
    bush = Bush.objects.select_for_update().get(pk=bush.pk)
    sensors = _sensors(bush.operation, network)
    nodes = {row.tag: row for row in Node.objects.filter(bush=bush)}
    lines = {row.tag: row for row in Line.objects.filter(bush=bush)}
    first = not nodes
    for tag in set(lines) - {line.tag for line in network.lines[1:] if line}:
        _dated(lines.pop(tag)).delete()
    new: list[Any] = []
    for n in network.nodes:
        new += _put(nodes.pop(n.tag, None), Node, bush, {
            "tag": n.tag, "kind": n.kind, "lon": n.lon, "lat": n.lat, "elevation_m": n.elevation_m,
            "sensor_id": sensors[n.sensor].pk if n.sensor else None, "properties": dict(n.properties)})
    _keep(Node, new, first)
    by_tag = dict(Node.objects.filter(bush=bush).values_list("tag", "pk"))
    new = []
    for line in network.lines[1:]:
        assert line is not None
        new += _put(lines.get(line.tag), Line, bush, {
            "tag": line.tag, "kind": line.kind, "main": line.main, "downstream_id": by_tag[line.from_tag],
            "upstream_id": by_tag[line.to_tag], "inner_diameter_m": line.inner_diameter_m, "length_m": line.length_m,
            "taps": line.taps, "installed": line.installed, "drops_installed": line.drops_installed,
            "wet_dry": line.wet_dry or "", "coordinates": [list(p) for p in line.coordinates]})
    _keep(Line, new, first)
    for row in nodes.values():  # what is left has no line any more
        _dated(row).delete()
    bush.taps = int(network.taps.sum())
    bush.survey += 1
    bush.schematic = schematic
    bush.save(update_fields=["taps", "survey", "schematic"])
    log.info("network surveyed", bush=bush.pk, nodes=len(network), taps=bush.taps)
    return network


def _put(row: Any, model: Any, bush: Bush, values: dict[str, Any]) -> list[Any]:
    """Save what differs; a feature that is not there yet is returned."""
    if row is None:
        return [model(bush=bush, **values)]
    if any(getattr(row, name) != value for name, value in values.items()):
        for name, value in values.items():
            setattr(row, name, value)
        _dated(row).save()
    return []


def _keep(model: Any, rows: list[Any], first: bool) -> None:
    """Save new features; those of the first survey are the beginning of their history, not a change."""
    if first:
        bulk_create_with_history(rows, model, default_change_reason=FIRST, default_date=clock.now())
    else:
        for row in rows:
            _dated(row).save()


def _dated(row: Any) -> Any:
    """History follows the one source of time."""
    row._history_date = clock.now()
    return row


def _sensors(operation: Operation, network: vacuum.Network) -> dict[str, Sensor]:
    """The sensors that the points name, made where there are none; a tag that measures something else is refused."""
    named = {n.sensor: n for n in network.nodes if n.sensor}
    known = Sensor.objects.of(operation).filter(tag__in=list(named))
    for sensor in known:
        if sensor.kind != Kind.VACUUM:
            raise NetworkError(named[sensor.tag].tag, f"sensor {sensor.tag} measures {sensor.kind}, not vacuum")
    Sensor.objects.bulk_create(
        [Sensor(operation=operation, tag=tag, kind=Kind.VACUUM) for tag in named], ignore_conflicts=True)
    found = {sensor.tag: sensor for sensor in Sensor.objects.of(operation).filter(tag__in=list(named))}
    for tag, node in named.items():
        by_hand = node.properties.get("gauge") == BY_HAND
        if found[tag].by_hand != by_hand:
            found[tag].by_hand = by_hand
            found[tag].save(update_fields=["by_hand"])
    return found
