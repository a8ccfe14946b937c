"""What a machine does with the sap at hand: flows, power, or the reason why not."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import checked
from .flux import clean_permeate_flow, fouling_ratio
from .machine import Machine, MembraneState, volume_ratio


@dataclass(frozen=True)
class Flows:
    """Volume flows, m³/s, and electric power, W."""

    feed_m3_s: float
    concentrate_m3_s: float
    permeate_m3_s: float
    power_w: float


def power(machine: Machine, feed_m3_s: float | np.ndarray, pressure_pa: float) -> float | np.ndarray:
    """Electric power in W: `ΔP·V/(recovery·η)`, which is pressure times feed over η, plus recirculation."""
    return pressure_pa * feed_m3_s / machine.pump_efficiency + machine.recirculation_w


def run_rate(
    machine: Machine, state: MembraneState, feed_brix: float, target_brix: float, temp_c: float,
    pressure_pa: float | None = None,
) -> tuple[Flows | None, str]:
    """What flows when the machine takes sap of `feed_brix` to `target_brix`.

    Parameters
    ----------
    state : fouling since the last wash
    feed_brix, target_brix : °Brix, target above feed
    temp_c : of the sap, 0..45 °C
    pressure_pa : over the membrane; the machine's own when None

    Returns (flows, "") or (None, the reason why the target is out of reach). Raises OutOfRange for values
    that no sap has.
    """
    feed = float(checked("feed_brix", feed_brix, 0.2, 45.0, "°Brix"))
    target = float(checked("target_brix", target_brix, 0.2, 45.0, "°Brix"))
    temp = float(checked("temp_c", temp_c, 0.0, 45.0, "°C"))
    pressure = float(checked("pressure_pa", machine.pressure_pa if pressure_pa is None else pressure_pa, 1e5, 1e7, "Pa"))
    if target <= feed:
        return None, f"{target:g} °Brix is not above the sap's own {feed:g}"
    if target > machine.max_brix:
        return None, f"{target:g} °Brix is above this machine's limit of {machine.max_brix:g}"
    if pressure > machine.pressure_pa * (1 + 1e-9):
        return None, f"{pressure / 1e5:.1f} bar is above this machine's {machine.pressure_pa / 1e5:.1f} bar"
    permeate = float(clean_permeate_flow(machine, feed, target, temp, pressure))
    permeate *= float(fouling_ratio(machine, state.permeate_since_wash_m3))
    if permeate <= 0:
        return None, f"osmotic pressure at {target:g} °Brix is more than {pressure / 1e5:.1f} bar can overcome"
    ratio = volume_ratio(feed, target, temp, machine.passage)
    intake = permeate * ratio / (ratio - 1.0)
    if intake > machine.feed_max_m3_s:
        permeate, intake = permeate * machine.feed_max_m3_s / intake, machine.feed_max_m3_s
    if intake < machine.feed_min_m3_s:
        return None, (
            f"the feed would be {intake * 6e4:.2g} L/min, below the {machine.feed_min_m3_s * 6e4:.2g} that keeps "
            "the membrane swept"
        )
    return Flows(intake, intake - permeate, permeate, float(power(machine, intake, pressure))), ""
