"""Sap: when it runs, what vacuum brings, what each line gives, and how much is in the tank."""

from .days import day_curve
from .flow import PastRun, SeasonEnd, Sign, Yield, hourly_index, learn_yield, run_index, season_end
from .ice import ICE_BRIX, ICE_KG_M3, WithoutIce, take_ice
from .lines import lags, share_out
from .tanks import TankShape, tank_depth, tank_volume
from .vacuum_yield import bare_rate, yield_factor

__all__ = [
    "ICE_BRIX", "ICE_KG_M3", "PastRun", "SeasonEnd", "Sign", "TankShape", "WithoutIce", "Yield", "bare_rate", "day_curve",
    "hourly_index", "lags", "learn_yield", "run_index", "season_end", "share_out", "take_ice", "tank_depth",
    "tank_volume", "yield_factor",
]
