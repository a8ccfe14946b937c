"""Vacuum in the tubing: the network, the air in it, what each gauge should show, what is wrong and where, what it costs."""

from .ageing import CYCLES_YEARS, Due, due
from .airflow import choked_flow, hole_size, leak_size, subsonic_factor
from .coverage import Coverage, NextSensor, coverage, next_sensors
from .detect import Watch, detect, long_run_variance
from .drill import Field, Trouble
from .gauge import HAND_NOISE_PA, MEAN_NOISE_PA, NOISE_PA
from .hunt import Advice, Ground, Outcome, Pace, Search, hunt
from .learn import Learned, learn
from .locate import LeakFound, Location, locate
from .loss import Loss, loss
from .network import Line, Network, Node, faults_of, read_features
from .prior import prior
from .pump import CurvePump, HeldPressure, Pump, TablePump, pump_from_properties
from .schematic import MainSketch, schematic
from .signatures import Conditions, Falls, ModelError, Signatures, branches_of, candidates_of, signatures, stretches_of
from .sizing import Cut, MainSize, Remark, cut_list, main_size, remarks
from .steady import BACKGROUND_SCFM_PER_TAP, Steady, steady
from .survey import Sizes, complete
from .usual import ENOUGH_HOURS, Usual, spread_of, usual
from .waking import Waking, usual_order, woke_at
from .watch import Diagnosis, Fact, Surroundings, watch

__all__ = [
    "BACKGROUND_SCFM_PER_TAP",
    "CYCLES_YEARS",
    "ENOUGH_HOURS",
    "HAND_NOISE_PA",
    "MEAN_NOISE_PA",
    "NOISE_PA",
    "Advice",
    "Conditions",
    "Coverage",
    "CurvePump",
    "Cut",
    "Diagnosis",
    "Due",
    "Fact",
    "Falls",
    "Field",
    "Ground",
    "HeldPressure",
    "LeakFound",
    "Learned",
    "Line",
    "Location",
    "Loss",
    "MainSize",
    "MainSketch",
    "ModelError",
    "Network",
    "NextSensor",
    "Node",
    "Outcome",
    "Pace",
    "Pump",
    "Remark",
    "Search",
    "Signatures",
    "Sizes",
    "Steady",
    "Surroundings",
    "TablePump",
    "Trouble",
    "Usual",
    "Waking",
    "Watch",
    "branches_of",
    "candidates_of",
    "choked_flow",
    "complete",
    "coverage",
    "cut_list",
    "detect",
    "due",
    "faults_of",
    "hole_size",
    "hunt",
    "leak_size",
    "learn",
    "locate",
    "long_run_variance",
    "loss",
    "main_size",
    "next_sensors",
    "prior",
    "pump_from_properties",
    "read_features",
    "remarks",
    "schematic",
    "signatures",
    "spread_of",
    "steady",
    "stretches_of",
    "subsonic_factor",
    "usual",
    "usual_order",
    "watch",
    "woke_at",
]
