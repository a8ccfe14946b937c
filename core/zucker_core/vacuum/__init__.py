"""Vacuum in the tubing: the network, the air in it, what each gauge should show, what is wrong and where, what it costs."""

from .airflow import choked_flow, hole_size, leak_size, subsonic_factor
from .coverage import Coverage, NextSensor, coverage, next_sensors
from .detect import Watch, detect, long_run_variance
from .gauge import MEAN_NOISE_PA, NOISE_PA
from .hunt import Advice, Ground, Outcome, Pace, Search, hunt
from .learn import Learned, learn
from .locate import LeakFound, Location, locate
from .loss import Loss, loss
from .network import Line, Network, Node
from .pump import CurvePump, HeldPressure, Pump, TablePump, pump_from_properties
from .signatures import Conditions, ModelError, Signatures, branches_of, candidates_of, signatures, stretches_of
from .sizing import Cut, MainSize, Remark, cut_list, main_size, remarks
from .steady import BACKGROUND_SCFM_PER_TAP, Steady, steady
from .usual import ENOUGH_HOURS, Usual, spread_of, usual
from .watch import Diagnosis, Fact, Surroundings, watch

__all__ = [
    "BACKGROUND_SCFM_PER_TAP", "ENOUGH_HOURS", "MEAN_NOISE_PA", "NOISE_PA", "Advice", "Conditions", "Coverage",
    "CurvePump", "Cut", "Diagnosis", "Fact", "Ground", "HeldPressure", "LeakFound", "Learned", "Line", "Location",
    "Loss", "MainSize", "ModelError", "Network", "NextSensor", "Node", "Outcome", "Pace", "Pump", "Remark", "Search",
    "Signatures", "Steady", "Surroundings", "TablePump", "Usual", "Watch", "branches_of", "candidates_of",
    "choked_flow", "coverage", "cut_list", "detect", "hole_size", "hunt", "leak_size", "learn", "locate",
    "long_run_variance", "loss", "main_size", "next_sensors", "pump_from_properties", "remarks", "signatures",
    "spread_of", "steady", "stretches_of", "subsonic_factor", "usual", "watch",
]
