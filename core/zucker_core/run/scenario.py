"""What is known before the evening starts."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from ..evaporator import Evaporator
from ..membrane import Machine, MembraneState


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


@dataclass(frozen=True)
class Prices:
    """Money for an SI unit of the evaporator's fuel, a J of power, a s of one person's time, a wash's
    chemicals, a m³ of syrup."""

    fuel: float = 0.0
    power_j: float = 0.0
    labour_s: float = 0.0
    wash: float = 0.0
    syrup_m3: float = 0.0

    def __post_init__(self) -> None:
        for name in ("fuel", "power_j", "labour_s", "wash", "syrup_m3"):
            checked(name, getattr(self, name), 0.0, 1e7)


@dataclass(frozen=True)
class People:
    """How many people the membrane machine and the fire keep busy; a part of a person is a look now and then."""

    membrane: float = 0.5
    fire: float = 1.0

    def __post_init__(self) -> None:
        checked("membrane", self.membrane, 0.0, 20.0)
        checked("fire", self.fire, 0.0, 20.0)


@dataclass(frozen=True)
class Scenario:
    """Everything that a plan depends on; minutes count from now.

    sap, head : raw sap, and concentrate at the head tank that feeds the pans
    evaporator, machine, membrane : the equipment; machine None boils the sap as it is
    permeate_m3, permeate_capacity_m3 : in the permeate tank
    inflow_m3_s : sap still to come, by minute (1-d, may be empty), at `inflow_brix`
    pans_sugar_kg : sugar in the pans now; None means they stand as they will be left
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

    def __post_init__(self) -> None:
        checked("horizon_min", self.horizon_min, 10, 4320, "min")
        checked("inflow_brix", self.inflow_brix, 0.1, 20.0, "°Brix")
        checked("permeate_m3", self.permeate_m3, 0.0, 10_000.0, "m³")
        checked("inflow_m3_s", self.inflow_m3_s, 0.0, 0.1, "m³/s")
        if np.ndim(self.inflow_m3_s) != 1:
            raise Inconsistent("inflow_m3_s", "the inflow must be a list with one value a minute")
        if self.pans_sugar_kg is not None:
            checked("pans_sugar_kg", self.pans_sugar_kg, 0.0, 1e4, "kg")

    def inflow_at(self, minute: int) -> float:
        """Sap coming in, m³/s."""
        return float(self.inflow_m3_s[minute]) if minute < len(self.inflow_m3_s) else 0.0

    @property
    def inflow_ends_min(self) -> int:
        """First minute after which no more sap comes."""
        coming = np.nonzero(self.inflow_m3_s)[0]
        return int(coming[-1]) + 1 if coming.size else 0
