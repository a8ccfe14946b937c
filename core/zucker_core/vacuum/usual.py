"""What each vacuum sensor should show now: the model under today's conditions."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, plain
from ..units import ATMOSPHERE_PA, PA_PER_INHG
from .gauge import NOISE_PA
from .learn import Learned
from .network import Network
from .pump import HeldPressure
from .steady import steady

RESISTANCE_SHARE = 0.20
"""How far the drop from pump to sensor may be off: pipes 15 %, branches 25 %, backgrounds 5 % (docs: models, section 2)."""
SHIFT_PA = 0.04 * PA_PER_INHG
ENOUGH_HOURS = 12.0
"""Hours of healthy readings before what a sensor taught is used."""


@dataclass(frozen=True)
class Usual:
    """Expected vacuum (Pa below the atmosphere) and one standard deviation, by sensor tag."""

    vacuum_pa: dict[str, float]
    spread_pa: dict[str, float]


def spread_of(drop_pa: ArrayLike, noise_pa: float = NOISE_PA) -> Number:
    """One standard deviation (Pa) of a reading about its usual, `drop_pa` below the pump's vacuum: the reading's
    noise, a common shift and what the pipes' resistance may be off by (docs: models, section 2)."""
    drop = np.asarray(drop_pa, float)
    return plain(np.sqrt(noise_pa**2 + SHIFT_PA**2 + (RESISTANCE_SHARE * drop) ** 2))


def usual(
    network: Network,
    pump_vacuum_pa: float | None = None,
    sap_rate: float = 0.0,
    temp_c: float = 3.0,
    *,
    learned: Mapping[str, Learned] | None = None,
    tags: Collection[str] | None = None,
    noise_pa: float = NOISE_PA,
    atmosphere_pa: float = ATMOSPHERE_PA,
) -> Usual:
    """The model's answer at each sensor of the network.

    Parameters
    ----------
    pump_vacuum_pa : the pump's present vacuum by its gauge, Pa below the atmosphere; None takes
        the pump's own curve, which is how the pump's gauge itself is judged
    sap_rate : sap of one tap, m³/s
    temp_c : of the air in the lines
    learned : what each sensor has taught of itself (`learn`): its offset, its way's resistance and its scatter
    tags : the sensors that are asked for; all of them, if none is named
    noise_pa : one standard deviation of a reading

    The spread is that of `spread_of` for a sensor that has taught nothing yet, otherwise that of what was learned.
    """
    held = None if pump_vacuum_pa is None else HeldPressure(max(atmosphere_pa - pump_vacuum_pa, 100.0))
    state = steady(network, None, sap_rate, pump=held, temp_k=273.15 + temp_c, atmosphere_pa=atmosphere_pa)
    vacuum = state.vacuum_pa
    dead_head = atmosphere_pa - float((held or network.pump or HeldPressure(0.0)).pressure_for(0.0))
    values, spreads = {}, {}
    for tag, node in network.sensors.items():
        if tags is not None and tag not in tags:
            continue
        known = (learned or {}).get(tag)
        start = dead_head if node == 0 else float(vacuum[0])
        drop = start - float(vacuum[node])
        if known is None or known.weight < ENOUGH_HOURS:
            values[tag], spreads[tag] = float(vacuum[node]), spread_of(drop if node else 0.0, noise_pa)
        else:
            expected, spread = known.drop_pa(drop)
            values[tag], spreads[tag] = start - float(expected), float(np.sqrt(float(spread) ** 2 + noise_pa**2 + SHIFT_PA**2))
    return Usual(values, spreads)
