"""More vacuum is more sap."""

from __future__ import annotations

from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain

GAIN_PER_INHG = 0.06
GAIN_RANGE = (0.05, 0.07)


def yield_factor(vacuum_inhg: ArrayLike, gain_per_inhg: float = GAIN_PER_INHG) -> Number:
    """Sap over what the same tap gives without vacuum: `1 + 0.06·v`, linear.

    vacuum_inhg : at the tap, 0..30; gain_per_inhg : 0.05 to 0.07 is the range seen in trials.
    """
    v = checked("vacuum_inhg", vacuum_inhg, 0.0, 30.0, "inHg")
    gain = checked("gain_per_inhg", gain_per_inhg, *GAIN_RANGE)
    return plain(1.0 + gain * v)


def bare_rate(rate_m3_s: ArrayLike, vacuum_inhg: ArrayLike, gain_per_inhg: float = GAIN_PER_INHG) -> Number:
    """Sap of one tap without any vacuum, m³/s, from what it gives under `vacuum_inhg`: `rate / yield_factor`.

    rate_m3_s : 0 to 1e-3; vacuum_inhg : at the tap, 0..30
    """
    rate = checked("rate_m3_s", rate_m3_s, 0.0, 1e-3, "m³/s")
    return plain(rate / yield_factor(vacuum_inhg, gain_per_inhg))
