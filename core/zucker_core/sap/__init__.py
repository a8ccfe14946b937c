"""Sap: what vacuum brings, what each line gives, and how much is in the tank."""

from .lines import lags, share_out
from .tanks import TankShape, tank_depth, tank_volume
from .vacuum_yield import bare_rate, yield_factor

__all__ = ["TankShape", "bare_rate", "lags", "share_out", "tank_depth", "tank_volume", "yield_factor"]
