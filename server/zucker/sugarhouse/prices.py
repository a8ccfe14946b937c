"""The operation's prices as the core wants them."""

from __future__ import annotations

from zucker_core.evaporator import FUELS
from zucker_core.run import Prices

from ..people.models import Operation
from .equipment import evaporator_of
from .models import PriceList


def prices_of(operation: Operation) -> Prices:
    """Prices by SI unit; zero where none is set."""
    row = PriceList.objects.of(operation).first()
    evaporator = evaporator_of(operation)
    if row is None:
        return Prices()
    size = FUELS[evaporator.fuel].trade_size if evaporator else 1.0
    return Prices(
        fuel=float(row.fuel) / size, power_j=float(row.power_kwh) / 3.6e6, labour_s=float(row.labour_hour) / 3600.0,
        wash=float(row.wash), syrup_m3=float(row.syrup_m3),
    )
