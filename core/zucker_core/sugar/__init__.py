"""Sugar in water: density, instruments, boiling, balances, grade."""

from .boiling import (
    SetPoint,
    boiling_elevation,
    brix_from_boiling,
    drawoff_correction,
    drawoff_temperature,
    station_from_sea_level,
    station_pressure,
    water_boiling_c,
)
from .colour import Grade, blend_transmittance, grade, transmittance_at_10mm
from .density import baume, brix_from_density, density, specific_gravity
from .instruments import (
    hydrometer_expected_reading,
    hydrometer_true_brix,
    hydrometer_uncertainty,
    refractometer_true_brix,
)
from .mixing import (
    Thickened,
    blend,
    mean_pan_brix,
    overdensity_cost,
    rule_of_86,
    rule_of_88,
    sap_per_syrup,
    sugar_mass,
    thicken,
    thin,
)
from .verdict import Verdict, verdict

__all__ = [
    "Grade", "SetPoint", "Thickened", "Verdict", "baume", "blend", "blend_transmittance", "boiling_elevation",
    "brix_from_boiling", "brix_from_density", "density", "drawoff_correction", "drawoff_temperature", "grade",
    "hydrometer_expected_reading", "hydrometer_true_brix", "hydrometer_uncertainty", "mean_pan_brix", "overdensity_cost",
    "refractometer_true_brix", "rule_of_86", "rule_of_88", "sap_per_syrup", "specific_gravity",
    "station_from_sea_level", "station_pressure", "sugar_mass", "thicken", "thin", "transmittance_at_10mm",
    "verdict", "water_boiling_c",
]
