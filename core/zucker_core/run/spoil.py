"""How long sap and concentrate keep."""

from __future__ import annotations

from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..errors import Inconsistent

HOURS_AT_4C = {"sap": 48.0, "concentrate": 12.0}
PER_TEN_KELVIN = 3.5


def hold_time_h(temp_c: ArrayLike, what: str = "sap") -> Number:
    """Hours that "sap" or "concentrate" keeps at `temp_c` (0..40 °C): `t4·3.5^(−(T−4)/10)`.

    A convention of sugarhouses, ±50 %.
    """
    if what not in HOURS_AT_4C:
        raise Inconsistent("what", f"what is {what!r}; it must be one of {', '.join(HOURS_AT_4C)}")
    t = checked("temp_c", temp_c, 0.0, 40.0, "°C")
    return plain(HOURS_AT_4C[what] * PER_TEN_KELVIN ** (-(t - 4.0) / 10.0))
