"""What is known before the evening starts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from .. import sugar
from ..arrays import checked
from ..errors import Inconsistent
from ..evaporator import Evaporator
from ..membrane import Machine, MembraneState

EVENTS = ("power cut", "hard frost")
PANS_LEFT = ("held", "chased", "drained")


@dataclass(frozen=True)
class Stock:
    """What a tank holds: volume m³, °Brix, °C, capacity m³; `reserve_m3` must stay in it while it feeds a fire;
    `hold_used` is the share of its keeping time that has already gone."""

    volume_m3: float
    brix: float
    temp_c: float
    capacity_m3: float
    reserve_m3: float = 0.0
    hold_used: float = 0.0

    def __post_init__(self) -> None:
        checked("capacity_m3", self.capacity_m3, 0.001, 10_000.0, "m³")
        checked("volume_m3", self.volume_m3, 0.0, self.capacity_m3 * (1 + 1e-9), "m³")
        checked("brix", self.brix, 0.1, 45.0, "°Brix")
        checked("temp_c", self.temp_c, 0.0, 40.0, "°C")
        checked("reserve_m3", self.reserve_m3, 0.0, self.capacity_m3, "m³")
        checked("hold_used", self.hold_used, 0.0, 10.0)


def pooled(stocks: Sequence[Stock]) -> Stock:
    """Several tanks of one kind worked as one: volumes, capacities and reserves added, sugar, heat and age mixed.

    Raises Inconsistent when there is none.
    """
    if not stocks:
        raise Inconsistent("stocks", "there is no tank to pool")
    volume = np.array([s.volume_m3 for s in stocks])
    share = volume / volume.sum() if volume.sum() > 0 else np.full(len(stocks), 1.0 / len(stocks))
    mass = share * np.array([float(sugar.density(s.brix, s.temp_c)) for s in stocks])

    def mean(name: str) -> float:
        return float((mass * [getattr(s, name) for s in stocks]).sum() / mass.sum())

    return Stock(float(volume.sum()), mean("brix"), mean("temp_c"), sum(s.capacity_m3 for s in stocks),
                 sum(s.reserve_m3 for s in stocks), mean("hold_used"))


@dataclass(frozen=True)
class Load:
    """Sap that a truck brings: minute from now, m³, °Brix, minutes that pumping it over takes."""

    at_min: float
    volume_m3: float
    brix: float
    unload_min: float = 20.0

    def __post_init__(self) -> None:
        checked("at_min", self.at_min, 0.0, 4320.0, "min")
        checked("volume_m3", self.volume_m3, 0.0, 100.0, "m³")
        checked("brix", self.brix, 0.1, 20.0, "°Brix")
        checked("unload_min", self.unload_min, 1.0, 600.0, "min")


@dataclass(frozen=True)
class Event:
    """Something on the way, minutes from now. In a "power cut" membranes, and fires that need power, stand still;
    before a "hard frost" every membrane must be washed and drained."""

    kind: str
    start_min: float
    end_min: float

    def __post_init__(self) -> None:
        if self.kind not in EVENTS:
            raise Inconsistent("kind", f"kind is {self.kind!r}; it must be one of {', '.join(EVENTS)}")
        checked("start_min", self.start_min, 0.0, 4320.0, "min")
        checked("end_min", self.end_min, self.start_min, 8640.0, "min")


@dataclass(frozen=True)
class Prices:
    """Money for an SI unit of the evaporator's fuel, a J of power, a s of one person's time, a wash's
    chemicals, a m³ of syrup. `power_hours` : price of a J in each hour from now, when it changes by the
    hour (the last one holds on); empty takes `power_j` always."""

    fuel: float = 0.0
    power_j: float = 0.0
    labour_s: float = 0.0
    wash: float = 0.0
    syrup_m3: float = 0.0
    power_hours: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        for name in ("fuel", "power_j", "labour_s", "wash", "syrup_m3", "power_hours"):
            checked(name, getattr(self, name), 0.0, 1e7)

    def power_at(self, minutes: int) -> np.ndarray:
        """Price of a J by minute, 1-d."""
        if not self.power_hours:
            return np.full(minutes, self.power_j)
        hour = np.minimum(np.arange(minutes) // 60, len(self.power_hours) - 1)
        return np.asarray(self.power_hours, float)[hour]


@dataclass(frozen=True)
class People:
    """How many people the membranes and the fires keep busy; a part of a person is a look now and then.
    `hours` : minutes from now, (from, until), in which somebody is there at all; empty means always."""

    membrane: float = 0.5
    fire: float = 1.0
    hours: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        checked("membrane", self.membrane, 0.0, 20.0)
        checked("fire", self.fire, 0.0, 20.0)
        for start, end in self.hours:
            if not 0 <= start < end:
                raise Inconsistent("hours", f"people's hours run from {start:g} to {end:g} min: they must end after they begin")

    def there(self, minutes: int) -> np.ndarray:
        """Somebody is there, by minute, 1-d bool."""
        if not self.hours:
            return np.ones(minutes, bool)
        t = np.arange(minutes)
        return np.any([(t >= start) & (t < end) for start, end in self.hours], axis=0)

    def busy(self, membranes: np.ndarray, fires: np.ndarray) -> np.ndarray:
        """How many people are kept busy, for shares of running (any shape) of the membranes, washes too, and of the fires."""
        return self.membrane * (np.asarray(membranes) > 0) + self.fire * (np.asarray(fires) > 0)


@dataclass(frozen=True)
class Scenario:
    """Everything that a plan depends on; minutes count from now.

    sap, head : raw sap, and concentrate at the head tank that feeds the pans (several tanks: `pooled`)
    evaporator, machine, membrane : the equipment; machine None boils the sap as it is
    more_evaporators : further ones, fed from the same head tank
    more_machines : further membranes with their states, from the same sap tank to the same head tank
    permeate_m3, permeate_capacity_m3 : in the permeate tank
    inflow_m3_s : sap still to come, by minute (1-d, may be empty), at `inflow_brix`
    loads : sap that comes by truck
    between_m3 : capacity of a tank between two passes; 0 when there is none
    pans_sugar_kg : sugar in the pans now; None means they stand as they will be left
    pans_left : how the pans are left: "held", "chased" with permeate, or "drained"
    fire_lit : the fires burn and the pans boil already
    events : power cuts and frosts on the way
    finish_by_min : everything, the wash included, must be done by then
    horizon_min : how far to look
    """

    sap: Stock
    head: Stock
    evaporator: Evaporator
    machine: Machine | None = None
    membrane: MembraneState = field(default_factory=MembraneState)
    permeate_m3: float = 0.0
    permeate_capacity_m3: float = 1e3
    prices: Prices = field(default_factory=Prices)
    people: People = field(default_factory=People)
    inflow_m3_s: np.ndarray = field(default_factory=lambda: np.zeros(0))
    inflow_brix: float = 2.0
    pans_sugar_kg: float | None = None
    finish_by_min: float | None = None
    horizon_min: int = 1440
    more_evaporators: tuple[Evaporator, ...] = ()
    more_machines: tuple[tuple[Machine, MembraneState], ...] = ()
    loads: tuple[Load, ...] = ()
    between_m3: float = 0.0
    pans_left: str = "held"
    fire_lit: bool = False
    events: tuple[Event, ...] = ()

    def __post_init__(self) -> None:
        checked("horizon_min", self.horizon_min, 10, 4320, "min")
        checked("inflow_brix", self.inflow_brix, 0.1, 20.0, "°Brix")
        checked("permeate_m3", self.permeate_m3, 0.0, 10_000.0, "m³")
        checked("between_m3", self.between_m3, 0.0, 10_000.0, "m³")
        checked("inflow_m3_s", self.inflow_m3_s, 0.0, 0.1, "m³/s")
        if np.ndim(self.inflow_m3_s) != 1:
            raise Inconsistent("inflow_m3_s", "the inflow must be a list with one value a minute")
        if self.pans_sugar_kg is not None:
            checked("pans_sugar_kg", self.pans_sugar_kg, 0.0, 1e4, "kg")
        if self.pans_left not in PANS_LEFT:
            raise Inconsistent("pans_left", f"pans_left is {self.pans_left!r}; it must be one of {', '.join(PANS_LEFT)}")
        if self.more_machines and self.machine is None:
            raise Inconsistent("more_machines", "there are further membranes but no first one")
        if {e.fuel for e in self.more_evaporators} - {self.evaporator.fuel}:
            raise Inconsistent("more_evaporators", "evaporators that burn different fuels cannot share one fuel price")
        if {e.syrup_brix for e in self.more_evaporators} - {self.evaporator.syrup_brix}:
            raise Inconsistent("more_evaporators", "all evaporators must draw the same density")

    @property
    def machines(self) -> tuple[tuple[Machine, MembraneState], ...]:
        """All membranes with their states."""
        return () if self.machine is None else ((self.machine, self.membrane), *self.more_machines)

    @property
    def evaporators(self) -> tuple[Evaporator, ...]:
        """All evaporators."""
        return (self.evaporator, *self.more_evaporators)

    @property
    def coming_brix(self) -> tuple[float, float]:
        """Least and greatest °Brix of all sap there is and comes."""
        values = [self.sap.brix, *([self.inflow_brix] if len(self.inflow_m3_s) else []), *(load.brix for load in self.loads)]
        return min(values), max(values)

    @property
    def coming_m3(self) -> float:
        """Sap still to come, m³."""
        return float(self.inflow_m3_s.sum()) * 60.0 + sum(load.volume_m3 for load in self.loads)

    @property
    def coming_ends_min(self) -> int:
        """First minute after which no more sap comes."""
        flowing = np.nonzero(self.inflow_m3_s)[0]
        ends = [int(flowing[-1]) + 1] if flowing.size else []
        ends += [int(np.ceil(load.at_min + load.unload_min)) for load in self.loads if load.volume_m3 > 0]
        return max(ends, default=0)

    def arrivals(self, step_s: float = 60.0) -> np.ndarray:
        """Sugar and water that come in each minute, kg, shape (2, horizon); `step_s` : s in a minute of a slower clock."""
        came = np.zeros((2, self.horizon_min))
        lines = min(len(self.inflow_m3_s), self.horizon_min)
        came[:, :lines] += np.outer(masses(1.0, self.inflow_brix, self.sap.temp_c), self.inflow_m3_s[:lines] * step_s)
        for load in self.loads:
            first = int(load.at_min)
            last = min(int(np.ceil(load.at_min + load.unload_min)), self.horizon_min)
            if last > first:
                per_minute = np.array(masses(load.volume_m3, load.brix, self.sap.temp_c)) / (last - first)
                came[:, first:last] += per_minute[:, None]
        return came


def masses(volume_m3: float, brix: float, temp_c: float) -> tuple[float, float]:
    """Sugar and water in a volume, kg."""
    mass = volume_m3 * float(sugar.density(brix, temp_c))
    return mass * brix / 100.0, mass * (1.0 - brix / 100.0)
