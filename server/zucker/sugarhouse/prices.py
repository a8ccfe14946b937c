"""The operation's prices as the core wants them."""

from __future__ import annotations

from zucker_core.evaporator import FUELS
from zucker_core.run import Prices

from ..people.models import Operation
from .models import EvaporatorUnit, PriceList


def prices_of(operation: Operation) -> Prices:
    """Prices by SI unit; zero where none is set."""
    row = PriceList.objects.of(operation).first()
    unit = EvaporatorUnit.objects.of(operation).first()
    if row is None:
        return Prices()
    size = FUELS[unit.parameters["fuel"]].trade_size if unit else 1.0
    return Prices(
        fuel=float(row.fuel) / size, power_j=float(row.power_kwh) / 3.6e6, labour_s=float(row.labour_hour) / 3600.0,
        wash=float(row.wash), syrup_m3=float(row.syrup_m3),
    )
