"""The one thing to do now beside the pans: one order for everything that may ask for a hand."""

from __future__ import annotations

from dataclasses import dataclass

HOT_BELOW_K = 8.0
"""Pans within so many kelvin of water's boiling point are being heated."""
HEAVY_K = 0.6
"""A pan so far past the draw-off holds syrup two or three °Brix too heavy, and it scorches soon."""
MOVED_K = 0.15
"""A boiling point measured before is measured again once the barometer has moved it so far: 0.7 °Brix."""
CUP_TEST_EVERY_MIN = 45.0
MEAN_FIRE_SHARE = 0.75
"""A wood fire is fed when its mean since the last firing has come down to this share of its peak."""


@dataclass(frozen=True)
class Head:
    """The head tank's level: minutes since it was read, whether that is too old to trust, minutes of concentrate left (None
    when nobody knows or it does not fall)."""

    age_min: float
    stale: bool
    minutes_left: float | None


@dataclass(frozen=True)
class Beside:
    """What is known beside the pans. Minutes, kelvin; None for what nobody knows.

    running : a run is open
    head : the head tank, None where there is no level
    low : the concentrate runs low (`Balance.warn`); sap_in : then it is the end of the boil
    change : the balance asks for a change
    past_k : how far a hot pan, freshly read, stands past its draw-off
    hot : the pans are hot
    firing_every_min, fired_min : of a wood fire: between two firings, since the last one
    boiling_measured : water's boiling point was measured in this run; moved_k : and how far the air has moved it since
    sampled_min : since the last draw or cup test, None before the first
    """

    running: bool
    head: Head | None = None
    low: bool = False
    sap_in: bool = False
    change: bool = False
    past_k: float | None = None
    hot: bool = False
    firing_every_min: float | None = None
    fired_min: float | None = None
    boiling_measured: bool = False
    moved_k: float = 0.0
    sampled_min: float | None = None


@dataclass(frozen=True)
class Action:
    """key : start, boil-ends, concentrate-low, draw, level-lost, fire, boiling-point, weather-moved, change, cup-test,
    wait-fire or steady; `minutes` how long there is, or how long it has been; `urgent` when it cannot wait."""

    key: str
    minutes: float | None = None
    urgent: bool = False


def next_action(now: Beside) -> Action:
    """What to do first. A pan about to run dry comes before everything, then syrup that scorches, then what cannot be seen,
    then the fire; what only makes the boil better comes last."""
    if not now.running:
        return Action("start")
    left = now.head.minutes_left if now.head else None
    if now.low:
        return Action("boil-ends", left) if now.sap_in else Action("concentrate-low", left, True)
    if now.past_k is not None and now.past_k >= 0:
        return Action("draw", None, now.past_k >= HEAVY_K)
    if now.head is not None and now.head.stale:
        return Action("level-lost", now.head.age_min, now.hot)
    wood = now.firing_every_min
    if wood is not None and (now.fired_min is None or now.fired_min >= wood):
        return Action("fire", 0.0)
    if not now.boiling_measured:
        return Action("boiling-point")
    if abs(now.moved_k) >= MOVED_K:
        return Action("weather-moved")
    if now.change:
        return Action("change", left)
    if now.sampled_min is not None and now.sampled_min > CUP_TEST_EVERY_MIN:
        return Action("cup-test", now.sampled_min)
    if wood is not None and now.fired_min is not None:
        return Action("wait-fire", wood - now.fired_min)
    return Action("steady", left)


def pans_hot(pan_c: float, water_boiling_c: float) -> bool:
    """Whether pans at `pan_c` °C are being heated, by water's boiling point of the day, °C."""
    return pan_c > water_boiling_c - HOT_BELOW_K
