"""Rinse, wash and the clean-water test; sugar lost with permeate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, checked, plain
from .flux import fouling_ratio, temperature_factor
from .machine import Machine


@dataclass(frozen=True)
class WashNeed:
    """Permeate (m³) and time (s) that one wash takes."""

    permeate_m3: float
    duration_s: float


def rinse_volume(hold_up_m3: ArrayLike, start: ArrayLike, end: ArrayLike) -> Number:
    """Rinse water in m³ to go from concentration `start` to `end` (same unit): `holdup·ln(c0/c)`."""
    hold_up = checked("hold_up_m3", hold_up_m3, 0.0, 100.0, "m³")
    c0 = checked("start", start, 1e-9, 1e9)
    c = checked("end", end, 1e-9, 1e9)
    return plain(hold_up * np.log(np.maximum(c0 / c, 1.0)))


def wash_need(machine: Machine) -> WashNeed:
    """Permeate and time of a wash: rinse, fill, rinse, in the machine's own hold-ups."""
    fills = machine.rinse_before + machine.wash_fill + machine.rinse_after
    return WashNeed(fills * machine.hold_up_m3, machine.wash_s)


def needs_wash(machine: Machine, permeate_since_wash_m3: float) -> bool:
    """The flow has fallen below the machine's limit (0.85 of clean, at the same conditions)."""
    return float(fouling_ratio(machine, permeate_since_wash_m3)) < machine.wash_below


def clean_water_test(
    flow: ArrayLike, temp_c: ArrayLike, flow_when_new: ArrayLike, temp_when_new_c: ArrayLike,
    pressure_pa: ArrayLike = 1.0, pressure_when_new_pa: ArrayLike = 1.0,
) -> Number:
    """Health of a membrane by its flow on clean water: `q / [q0 (P/P0) TCF/TCF0]`.

    Flows in any one unit. 300 at 5 °C against 400 at 10 °C is 0.887, not 0.75.
    """
    q = checked("flow", flow, 0.0, 1e9)
    q0 = checked("flow_when_new", flow_when_new, 1e-12, 1e9)
    pressure = checked("pressure_pa", pressure_pa, 1e-3, 1e8) / checked("pressure_when_new_pa", pressure_when_new_pa, 1e-3, 1e8)
    factor = np.asarray(temperature_factor(temp_c)) / temperature_factor(temp_when_new_c)
    return plain(q / (q0 * pressure * factor))


def sugar_lost_share(volume_ratio: ArrayLike, passage: ArrayLike) -> Number:
    """Share of the sugar that leaves with permeate: `1 − (Q_f/Q_c)^(−s)`; s 0.01 at ratio 8 is 2.06 %."""
    ratio = checked("volume_ratio", volume_ratio, 1.0, 1e4)
    s = checked("passage", passage, 0.0, 0.2)
    return plain(1.0 - ratio ** (-s))
