"""Sap: what vacuum brings, and how much is in the tank."""

from .tanks import TankShape, tank_depth, tank_volume
from .vacuum_yield import bare_rate, yield_factor

__all__ = ["TankShape", "bare_rate", "tank_depth", "tank_volume", "yield_factor"]
