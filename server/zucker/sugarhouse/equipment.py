"""Equipment rows as the core's objects, and what the tanks hold now."""

from __future__ import annotations

from dataclasses import dataclass

from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine
from zucker_core.sap import TankShape, tank_volume

from ..people.models import Operation
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import Latest, latest_of
from .models import EvaporatorUnit, MembraneMachine, Tank

TANK_PART = {"sap": "sap tank", "head": "head tank", "permeate": "permeate tank"}


def machine_of(operation: Operation) -> Machine | None:
    """The membrane machine, or None."""
    row = MembraneMachine.objects.of(operation).first()
    return Machine(**row.parameters) if row else None


def evaporator_of(operation: Operation) -> Evaporator | None:
    """The evaporator, or None."""
    row = EvaporatorUnit.objects.of(operation).first()
    return Evaporator(**row.parameters) if row else None


def shape_of(tank: Tank) -> TankShape:
    """The tank's shape."""
    facts = dict(tank.shape)
    facts["table"] = tuple(tuple(row) for row in facts.get("table", ()))
    return TankShape(**facts)


@dataclass(frozen=True)
class TankNow:
    """A tank's volume by its level (m³, None without a reading), capacity, reserve; readings of Brix and °C."""

    tank: Tank
    shape: TankShape
    volume_m3: float | None
    level: Latest | None
    brix: Latest | None
    temp: Latest | None


def tanks_now(operation: Operation, parts: dict[tuple[str, str], Sensor]) -> dict[str, TankNow]:
    """Tanks by role."""
    found = {}
    for tank in Tank.objects.of(operation).order_by("pk"):
        shape, part = shape_of(tank), TANK_PART[tank.role]
        level = latest_of(parts.get((part, Kind.LEVEL)))
        volume = None if level is None else volume_at(shape, level.value)
        found[tank.role] = TankNow(tank, shape, volume, level, latest_of(parts.get((part, Kind.BRIX))),
                                   latest_of(parts.get((part, Kind.TEMPERATURE))))
    return found


def volume_at(shape: TankShape, level_m: float) -> float:
    """Volume at a level as a sensor gives it: waves carry it a little below empty or above full."""
    return float(tank_volume(shape, min(max(level_m, 0.0), shape.full_depth_m)))
