"""What the pans hold: an inventory that the books must know."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from .. import sugar
from ..arrays import Number, checked
from ..errors import Inconsistent
from .heat import Evaporator, water_rate

HOT_C = 100.0


def pan_sugar(hold_up_m3: ArrayLike, feed_brix: ArrayLike, syrup_brix: ArrayLike = 66.9) -> Number:
    """Sugar in kg in pans that boil steadily from feed to syrup, at the mean Brix of even evaporation."""
    volume = checked("hold_up_m3", hold_up_m3, 0.0, 20.0, "m³")
    return sugar.sugar_mass(volume, sugar.mean_pan_brix(feed_brix, syrup_brix), HOT_C)


def time_to_first_draw(evaporator: Evaporator, sugar_now_kg: float, feed_brix: float, feed_temp_c: float) -> float:
    """Seconds at full fire until the pans are sweet enough to draw. The level is kept: feed replaces, by
    volume, the water driven off."""
    missing = float(pan_sugar(evaporator.hold_up_m3, feed_brix, evaporator.syrup_brix)) - float(
        checked("sugar_now_kg", sugar_now_kg, 0.0, 1e5, "kg")
    )
    driven_off = float(water_rate(evaporator, feed_brix, feed_temp_c)) / float(sugar.density(0.0, HOT_C))
    sugar_in = driven_off * float(sugar.density(feed_brix, HOT_C)) * feed_brix / 100.0
    return max(missing, 0.0) / sugar_in


@dataclass(frozen=True)
class ShutDown:
    """How the pans are left: sugar kept in them (kg), sugar drawn or drained out (kg), permeate used (m³)."""

    kept_kg: float
    out_kg: float
    permeate_m3: float


def shut_down(evaporator: Evaporator, sugar_now_kg: float, way: str, chase_left: float = 0.1) -> ShutDown:
    """Where the pans' sugar goes at the end of a run.

    way : "held" (stays for the next run), "chased" (permeate pushes it to the draw-off until a share
        `chase_left` of it remains, well mixed: hold-up · ln(1/left)), "drained" (all into a barrel)
    """
    kg = float(checked("sugar_now_kg", sugar_now_kg, 0.0, 1e5, "kg"))
    if way == "held":
        return ShutDown(kg, 0.0, 0.0)
    if way == "chased":
        left = float(checked("chase_left", chase_left, 0.001, 1.0))
        return ShutDown(kg * left, kg * (1 - left), float(evaporator.hold_up_m3 * np.log(1.0 / left)))
    if way == "drained":
        return ShutDown(0.0, kg, 0.0)
    raise Inconsistent("way", f"way is {way!r}; it must be held, chased or drained")
