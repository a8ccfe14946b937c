"""Vacuum in the tubing: the network, the air in it, what each gauge should show, what a shortfall costs."""

from .airflow import choked_flow, hole_size, leak_size, subsonic_factor
from .locate import LeakFound, Location, locate
from .loss import Loss, loss
from .network import Line, Network, Node
from .pump import CurvePump, HeldPressure, Pump, TablePump, pump_from_properties
from .signatures import Conditions, ModelError, Signatures, candidates_of, signatures
from .steady import BACKGROUND_SCFM_PER_TAP, Steady, steady
from .usual import Usual, spread_of, usual

__all__ = [
    "BACKGROUND_SCFM_PER_TAP", "Conditions", "CurvePump", "HeldPressure", "LeakFound", "Line", "Location", "Loss",
    "ModelError", "Network", "Node", "Pump", "Signatures", "Steady", "TablePump", "Usual", "candidates_of", "choked_flow",
    "hole_size", "leak_size", "locate", "loss", "pump_from_properties", "signatures", "spread_of", "steady",
    "subsonic_factor", "usual",
]
