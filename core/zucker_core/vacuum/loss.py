"""What a shortfall of vacuum costs, in sap, syrup and money."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from ..sap.vacuum_yield import GAIN_PER_INHG
from ..sugar import sap_per_syrup
from ..units import PA_PER_INHG


@dataclass(frozen=True)
class Loss:
    """Loss by line: sap m³/s, syrup m³/s, money a second (arrays or floats)."""

    sap_m3_s: Number
    syrup_m3_s: Number
    money_s: Number


def loss(
    taps: ArrayLike,
    rate_m3_s: ArrayLike,
    shortfall_pa: ArrayLike,
    *,
    sap_brix: float,
    syrup_price_m3: float,
    syrup_brix: float = 66.9,
    gain_per_inhg: float = GAIN_PER_INHG,
) -> Loss:
    """Sap and money that lines lose now against their usual vacuum.

    Parameters
    ----------
    taps : behind each shortfall
    rate_m3_s : sap of one tap with no vacuum at all, m³/s
    shortfall_pa : usual minus actual vacuum, Pa; below zero counts as none
    sap_brix, syrup_brix : °Brix, to turn sap into syrup
    syrup_price_m3 : money for a m³ of syrup

    `taps · rate · 0.06 · Δv`, v in inHg (docs: models, section 6): 500 taps at 0.10 gal/h, 5 inHg short,
    lose 15 gal/h.
    """
    taps = checked("taps", taps, 0, 1e6)
    rate = checked("rate_m3_s", rate_m3_s, 0.0, 1e-3, "m³/s")
    short = np.maximum(checked("shortfall_pa", shortfall_pa, -2e5, 2e5, "Pa"), 0.0) / PA_PER_INHG
    sap = taps * rate * gain_per_inhg * short
    syrup = sap / sap_per_syrup(sap_brix, syrup_brix)
    return Loss(plain(sap), plain(syrup), plain(syrup * syrup_price_m3))
