"""Taps: how many a tree takes and where, by the school that the sugarmaker chooses; how far the tapping has come."""

from .progress import Progress, progress
from .rules import SCHOOLS, School, may_tap, own_school, taps_for

__all__ = ["SCHOOLS", "Progress", "School", "may_tap", "own_school", "progress", "taps_for"]
