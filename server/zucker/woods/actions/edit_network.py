"""Change some features of a bush's network: set properties, remove, add. The whole is checked before anything is kept."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from zucker_core import vacuum

from ...config.errors import Refused
from ..models import Bush
from ..networks import network_of
from .survey_network import survey_network

SHAPE = {"point": "Point", "line": "LineString"}


@transaction.atomic
def edit_network(bush: Bush, changes: list[dict[str, Any]]) -> vacuum.Network:
    """Each change is {"what": "point" or "line", "tag"} with "set": {…} or "remove": true; a set to None takes a property away.

    A lateral and its end may carry one tag, which is why a change says what it is about. A renamed feature takes the lines
    at it along. Raises Refused or NetworkError naming the feature; nothing is changed then.
    """
    bush = Bush.objects.select_for_update().get(pk=bush.pk)
    whole = network_of(bush).to_geojson()
    features: list[dict[str, Any]] = whole["features"]
    for change in changes:
        tag = change["tag"]
        feature = next(
            (f for f in features if f["properties"]["tag"] == tag and f["geometry"]["type"] == SHAPE[change["what"]]), None
        )
        if feature is None:
            raise Refused("tag", f"there is no {change['what']} {tag!r} in {bush.name}", value=tag)
        if change.get("remove"):
            features.remove(feature)
            continue
        properties = feature["properties"]
        for name, value in change.get("set", {}).items():
            if value is None:
                properties.pop(name, None)
            else:
                properties[name] = value
        if properties["tag"] != tag and feature["geometry"]["type"] == "Point":
            for other in features:
                for end in ("from", "to"):
                    if other["properties"].get(end) == tag:
                        other["properties"][end] = properties["tag"]
    return survey_network(bush, whole, schematic=bush.schematic)
