"""Evaporator: heat, fuel, firing and what the pans hold."""

from .fit import LEAST_RUNS, Fit, Record, fit
from .fuels import FUELS, Fuel, wood_heat_per_cord
from .heat import Evaporator, boil_heat, fuel_burnt, fuel_per_syrup, specific_heat, syrup_rate, water_off, water_rate
from .pans import ShutDown, pan_sugar, shut_down, time_to_first_draw
from .wood import firing_interval, mean_over_peak

__all__ = [
    "FUELS",
    "LEAST_RUNS",
    "Evaporator",
    "Fit",
    "Fuel",
    "Record",
    "ShutDown",
    "boil_heat",
    "firing_interval",
    "fit",
    "fuel_burnt",
    "fuel_per_syrup",
    "mean_over_peak",
    "pan_sugar",
    "shut_down",
    "specific_heat",
    "syrup_rate",
    "time_to_first_draw",
    "water_off",
    "water_rate",
    "wood_heat_per_cord",
]
