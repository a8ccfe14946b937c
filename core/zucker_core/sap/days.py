"""Temperature through a day, from what people know of it: how warm, how cold, and when."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent


def day_curve(
    hour: ArrayLike, coldest_c: float, warmest_c: float, coldest_hour: float = 6.0, warmest_hour: float = 15.0
) -> Number:
    """Air temperature in °C at hours of the day (any number; 30 is six in the morning of the next day).

    coldest_c, warmest_c : −60..50 °C; coldest_hour, warmest_hour : 0..24. Half a sine wave up from the coldest hour to
    the warmest, another down to the next coldest. Raises Inconsistent when the coldest is warmer or at the same hour.
    Source: sine method for daily temperatures (Allen, J. C., Environmental Entomology 5, 1976, 388-396).
    """
    low = float(checked("coldest_c", coldest_c, -60.0, 50.0, "°C"))
    high = float(checked("warmest_c", warmest_c, -60.0, 50.0, "°C"))
    start = float(checked("coldest_hour", coldest_hour, 0.0, 24.0, "h"))
    rise = (float(checked("warmest_hour", warmest_hour, 0.0, 24.0, "h")) - start) % 24.0
    if low > high:
        raise Inconsistent("coldest_c", f"the coldest, {low:g} °C, is warmer than the warmest, {high:g} °C")
    if rise == 0:
        raise Inconsistent("coldest_hour", "the coldest and the warmest hour are the same")
    since = (np.asarray(hour, float) - start) % 24.0
    way = np.where(since < rise, since / rise, 1.0 + (since - rise) / (24.0 - rise))
    return plain((low + high) / 2 - (high - low) / 2 * np.cos(np.pi * way))
