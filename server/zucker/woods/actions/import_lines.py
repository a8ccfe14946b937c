"""Read a file of lines into a bush: say what is wrong with each feature and what would change; keep it when asked."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from zucker_core import vacuum
from zucker_core.errors import NetworkError

from ...config.errors import Refused
from ..formats import FORMATS
from ..models import Bush
from ..networks import network_of
from .survey_network import survey_network

MOST_TOLD = 100


@transaction.atomic
def import_lines(bush: Bush, form: str, text: str, sizes: vacuum.Sizes, *, apply: bool) -> dict[str, Any]:
    """The report (see ImportOut). Raises Refused where the file cannot be read at all."""
    if bush.hauled:
        raise Refused("bush", f"{bush.name} comes by truck; it has no lines", 409)
    whole, faults = vacuum.complete(FORMATS[form].read(text), sizes)
    nodes, lines, more = vacuum.read_features(whole)
    known = {fault.feature for fault in faults}
    faults += [fault for fault in more if fault.feature not in known]
    if not faults:
        faults = vacuum.faults_of(nodes, lines)
    report: dict[str, Any] = {
        "applied": False,
        "faults": [{"feature": f.feature, "message": str(f)} for f in faults[:MOST_TOLD]],
        "warnings": [],
        "points": len(nodes),
        "lines": len(lines),
        "taps": sum(line.taps for line in lines),
        "added": [],
        "changed": [],
        "removed": [],
    }
    if faults:
        return report
    network = vacuum.Network(nodes, lines)
    report |= {"warnings": network.warnings[:MOST_TOLD], **_differences(bush, network)}
    if apply:
        try:
            survey_network(bush, whole)
        except NetworkError as error:
            return report | {"faults": [{"feature": error.feature, "message": str(error)}]}
        report["applied"] = True
    return report


def _differences(bush: Bush, network: vacuum.Network) -> dict[str, list[str]]:
    """Tags that are new, told otherwise, or gone."""
    try:
        before = _by_name(network_of(bush))
    except NetworkError:
        before = {}
    after = _by_name(network)
    return {
        "added": [name[1] for name in after if name not in before],
        "removed": [name[1] for name in before if name not in after],
        "changed": [name[1] for name, feature in after.items() if name in before and feature != before[name]],
    }


def _by_name(network: vacuum.Network) -> dict[tuple[str, str], Any]:
    """Features by shape and tag: a lateral and its end may carry one tag."""
    return {(f["geometry"]["type"], f["properties"]["tag"]): f for f in network.to_geojson()["features"]}
