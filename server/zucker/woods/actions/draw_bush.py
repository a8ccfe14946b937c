"""Add a bush; give it lines from a list, without a map."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from zucker_core import vacuum

from ...config.errors import Refused
from ...people.models import Operation
from ..models import Bush, Node
from .survey_network import BY_HAND, survey_network

BESIDE_DEG = 0.012


@transaction.atomic
def add_bush(operation: Operation, slug: str, name: str, hauled: bool, taps: int) -> Bush:
    """Raises Refused when the slug is taken."""
    if Bush.objects.of(operation).filter(slug=slug).exists():
        raise Refused("slug", f"there is already a bush {slug!r}", 409, slug)
    return Bush.objects.create(operation=operation, slug=slug, name=name, hauled=hauled, taps=taps)


@transaction.atomic
def draw_bush(
    bush: Bush,
    pump: dict[str, Any],
    mains: list[vacuum.MainSketch],
    pump_gauge: str | None,
    conductor_mm: float,
    *,
    by_hand: bool,
) -> vacuum.Network:
    """Raises Refused for a bush that was surveyed (a list must not replace a map) or comes by truck; NetworkError, OutOfRange
    or Inconsistent naming the mainline."""
    if bush.hauled:
        raise Refused("bush", f"{bush.name} comes by truck; it has no lines", 409)
    if bush.survey and not bush.schematic:
        raise Refused("bush", f"{bush.name} has been surveyed; edit its lines or import a file", 409)
    drawn = vacuum.schematic(pump, mains, gauge=pump_gauge, conductor_mm=conductor_mm, origin=_beside(bush))
    for feature in drawn["features"]:
        if by_hand and feature["properties"].get("sensor"):
            feature["properties"]["gauge"] = BY_HAND
    return survey_network(bush, drawn, schematic=True)


def _beside(bush: Bush) -> tuple[float, float]:
    """Where a bush without a map is drawn: beside the others, so that one drawing shows all."""
    others = Bush.objects.filter(operation=bush.operation, survey__gt=0).exclude(pk=bush.pk).order_by("pk")
    pump = Node.objects.filter(bush=others.first(), kind="pump").first()
    return (pump.lon + BESIDE_DEG * len(others), pump.lat) if pump else (0.0, 0.0)
