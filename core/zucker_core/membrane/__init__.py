"""Reverse osmosis: what holds water back, how much permeate flows, what a wash takes."""

from .fit import BRIX_SD, LEAST_RECORDS, MARGIN_BRIX, Fit, Flow, Record, fit
from .flux import clean_permeate_flow, element_flux, fouling_ratio, linear_stage_area, temperature_factor
from .machine import ARRANGEMENTS, Machine, MembraneState, volume_ratio
from .osmosis import osmotic_pressure
from .rate import Flows, run_rate
from .wash import WashNeed, clean_water_test, needs_wash, rinse_volume, sugar_lost_share, wash_need

__all__ = [
    "ARRANGEMENTS",
    "BRIX_SD",
    "LEAST_RECORDS",
    "MARGIN_BRIX",
    "Fit",
    "Flow",
    "Flows",
    "Machine",
    "MembraneState",
    "Record",
    "WashNeed",
    "clean_permeate_flow",
    "clean_water_test",
    "element_flux",
    "fit",
    "fouling_ratio",
    "linear_stage_area",
    "needs_wash",
    "osmotic_pressure",
    "rinse_volume",
    "run_rate",
    "sugar_lost_share",
    "temperature_factor",
    "volume_ratio",
    "wash_need",
]
