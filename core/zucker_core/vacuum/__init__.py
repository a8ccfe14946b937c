"""Vacuum in the tubing: the network, the air in it, what each gauge should show, what a shortfall costs."""

from .airflow import choked_flow, hole_size, leak_size, subsonic_factor
from .loss import Loss, loss
from .network import Line, Network, Node
from .pump import CurvePump, HeldPressure, Pump, TablePump, pump_from_properties
from .steady import BACKGROUND_SCFM_PER_TAP, Steady, steady
from .usual import Usual, spread_of, usual

__all__ = [
    "BACKGROUND_SCFM_PER_TAP", "CurvePump", "HeldPressure",
    "Line", "Loss", "Network", "Node", "Pump", "Steady", "TablePump", "Usual", "choked_flow", "hole_size",
    "leak_size", "loss", "pump_from_properties", "spread_of", "steady", "subsonic_factor", "usual",
]
