"""The woods' rows, a module for each part of the work."""

from .crew import Tapping, Walk
from .drills import Drill
from .hunting import CaseStep, LeakCase, Photo
from .network import Bush, Line, Node
from .notices import Contact, Notice
from .stations import Station, StationRequest
from .watching import Alarm, GaugeState

__all__ = [
    "Alarm", "Bush", "CaseStep", "Contact", "Drill", "GaugeState", "LeakCase", "Line", "Node", "Notice", "Photo", "Station",
    "StationRequest", "Tapping", "Walk",
]
