"""Equipment rows as the core's objects, with what runs have taught put in, and what the tanks hold now."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from zucker_core import run
from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine
from zucker_core.sap import TankShape, tank_volume

from ..people.models import Operation
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import Latest, latest_of, recent
from .models import EvaporatorUnit, Lesson, MembraneMachine, Tank

TANK_PART = {"sap": "sap tank", "between": "tank between", "head": "head tank", "permeate": "permeate tank"}


@dataclass(frozen=True)
class House:
    """The machines of an operation: rows, the maker's figures, and what is known now (learned where runs have taught)."""

    machine_rows: list[MembraneMachine]
    evaporator_rows: list[EvaporatorUnit]
    maker_machines: list[Machine]
    maker_evaporators: list[Evaporator]
    machines: list[Machine]
    evaporators: list[Evaporator]
    lesson: Lesson | None

    @property
    def machine(self) -> Machine | None:
        """The first membrane."""
        return self.machines[0] if self.machines else None

    @property
    def evaporator(self) -> Evaporator | None:
        """The first evaporator."""
        return self.evaporators[0] if self.evaporators else None

    @property
    def doubt(self) -> run.Doubt:
        """How well the machines are known."""
        facts = self.lesson.facts.get("doubt") if self.lesson else None
        return run.Doubt(**facts) if facts else run.DEFAULT_DOUBT


def house_of(operation: Operation) -> House:
    """The operation's machines."""
    machines = list(MembraneMachine.objects.of(operation).order_by("pk"))
    evaporators = list(EvaporatorUnit.objects.of(operation).order_by("pk"))
    lesson = Lesson.objects.of(operation).first()
    return House(
        machines,
        evaporators,
        [Machine(**row.parameters) for row in machines],
        [Evaporator(**row.parameters) for row in evaporators],
        [Machine(**{**row.parameters, **(lesson.machines.get(str(row.pk), {}) if lesson else {})}) for row in machines],
        [Evaporator(**{**row.parameters, **(lesson.evaporators.get(str(row.pk), {}) if lesson else {})}) for row in evaporators],
        lesson,
    )


def evaporator_of(operation: Operation) -> Evaporator | None:
    """The first evaporator, or None."""
    return house_of(operation).evaporator


def shape_of(tank: Tank) -> TankShape:
    """The tank's shape."""
    facts = dict(tank.shape)
    facts["table"] = tuple(tuple(row) for row in facts.get("table", ()))
    return TankShape(**facts)


def part_of(tank: Tank, first: bool) -> str:
    """What sensors of a tank are mounted on: the role for the first of its kind, role and name for others."""
    return TANK_PART[tank.role] if first else f"{TANK_PART[tank.role]} {tank.name}"


@dataclass(frozen=True)
class OneTank:
    """One tank with its shape and level sensor."""

    tank: Tank
    shape: TankShape
    sensor: Sensor | None
    volume_m3: float | None


@dataclass(frozen=True)
class TankNow:
    """The tanks of one role, worked as one: volume by their levels (m³, None while any has no reading), capacity and
    reserve; level (the oldest), Brix and °C of the first."""

    volume_m3: float | None
    capacity_m3: float
    reserve_m3: float
    level: Latest | None
    brix: Latest | None
    temp: Latest | None
    each: list[OneTank] = field(default_factory=list)

    @property
    def tank(self) -> Tank:
        """The first of them."""
        return self.each[0].tank


def tanks_now(operation: Operation, parts: dict[tuple[str, str], Sensor]) -> dict[str, TankNow]:
    """Tanks by role."""
    by_role: dict[str, list[Tank]] = {}
    for tank in Tank.objects.of(operation).order_by("pk"):
        by_role.setdefault(tank.role, []).append(tank)
    found = {}
    for role, tanks in by_role.items():
        each, levels = [], []
        for place, tank in enumerate(tanks):
            shape, sensor = shape_of(tank), parts.get((part_of(tank, place == 0), Kind.LEVEL))
            level = latest_of(sensor)
            levels.append(level)
            each.append(OneTank(tank, shape, sensor, None if level is None else volume_at(shape, level.value)))
        known = [level for level in levels if level is not None]
        whole = len(known) == len(levels)
        part = TANK_PART[role]
        found[role] = TankNow(
            sum(one.volume_m3 or 0.0 for one in each) if whole else None,
            sum(one.shape.capacity_m3 for one in each),
            sum(tank.reserve_m3 for tank in tanks),
            max(known, key=lambda level: level.age_s) if whole else None,
            latest_of(parts.get((part, Kind.BRIX))),
            latest_of(parts.get((part, Kind.TEMPERATURE))),
            each,
        )
    return found


def volumes_lately(tank: TankNow, minutes: float) -> tuple[np.ndarray, np.ndarray]:
    """Seconds and m³ of the last minutes, all tanks of the role together, at the times of the first one's readings."""
    seconds, total = np.zeros(0), np.zeros(0)
    for place, one in enumerate(tank.each):
        rows = recent(one.sensor, minutes) if one.sensor is not None else []
        if not rows:
            return np.zeros(0), np.zeros(0)
        at = np.array([moment.timestamp() for moment, _ in rows])
        volume = np.array([volume_at(one.shape, value) for _, value in rows])
        if place == 0:
            seconds, total = at, volume
        else:
            total = total + np.interp(seconds, at, volume)
    return seconds, total


def volume_at(shape: TankShape, level_m: float) -> float:
    """Volume at a level as a sensor gives it: waves carry it a little below empty or above full."""
    return float(tank_volume(shape, min(max(level_m, 0.0), shape.full_depth_m)))
