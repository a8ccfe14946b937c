"""Permeate flow through a machine."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, bisect, checked, plain
from .machine import Machine
from .osmosis import pressure_of


def temperature_factor(temp_c: ArrayLike) -> Number:
    """Flux over that at 25 °C: `exp[2640 (1/298.15 − 1/T_K)]`, 0..45 °C (membrane makers' common correction)."""
    t = checked("temp_c", temp_c, 0.0, 45.0, "°C")
    return plain(np.exp(2640.0 * (1.0 / 298.15 - 1.0 / (t + 273.15))))


def fouling_ratio(machine: Machine, permeate_since_wash_m3: ArrayLike) -> Number:
    """Fouled over clean flow at the same conditions: `e^(−k V)`, V through one element."""
    through_one = checked("permeate_since_wash_m3", permeate_since_wash_m3, 0.0, 1e6, "m³") / machine.elements
    return plain(np.exp(-machine.fouling_per_m3 * through_one))


def log_mean(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Logarithmic mean of two positive arrays."""
    close = np.abs(b - a) < 1e-9 * np.abs(a)
    safe = np.where(close, 2.0 * a, b)
    return np.where(close, 0.5 * (a + b), (safe - a) / np.log(safe / a))


def element_flux(machine: Machine, brix: ArrayLike, temp_c: ArrayLike, pressure_pa: ArrayLike) -> Number:
    """Clean permeate of one m² (m/s) where the effective Brix is `brix`: `a·TCF·(ΔP − σ·π)`; zero when
    osmotic pressure wins. Broadcasts."""
    t = np.asarray(temp_c, float)
    net = np.asarray(pressure_pa, float) - machine.sigma * pressure_of(np.asarray(brix, float), t)
    return plain(machine.permeability * np.asarray(temperature_factor(t)) * np.maximum(net, 0.0))


def clean_permeate_flow(
    machine: Machine, feed_brix: ArrayLike, target_brix: ArrayLike, temp_c: ArrayLike,
    pressure_pa: ArrayLike | None = None,
) -> Number:
    """Permeate in m³/s of the clean machine taking `feed_brix` to `target_brix`; 0 where it cannot. Broadcasts.

    `q = a·TCF·(ΔP − σ·π_eff)`: π_eff is that of the concentrate in a mixed loop, and stage by stage that
    of each stage's own outlet in stages. In a batch each pass raises Brix by the same factor, with π at the
    log-mean of its ends, and the flow is the mean over the passes' times. Fouling scales the answer (`fouling_ratio`).
    """
    given = machine.pressure_pa if pressure_pa is None else pressure_pa
    feed, target, temp, pressure = np.broadcast_arrays(*(np.asarray(x, float) for x in (feed_brix, target_brix, temp_c, given)))
    area = machine.elements * machine.area_m2
    if machine.arrangement == "mixed loop":
        flow = area * np.asarray(element_flux(machine, target, temp, pressure))
    elif machine.arrangement == "stages":
        flow = _staged(machine, feed, target, temp, pressure)
    else:
        flow = _batch(machine, feed, target, temp, pressure)
    reachable = machine.sigma * pressure_of(target, temp) < pressure
    return plain(np.where(reachable & (target > feed), flow, 0.0))


def _batch(machine: Machine, feed: np.ndarray, target: np.ndarray, temp: np.ndarray, pressure: np.ndarray) -> np.ndarray:
    area = machine.elements * machine.area_m2
    removed, time = np.zeros(feed.shape), np.zeros(feed.shape)
    step = (target / feed) ** (1.0 / machine.passes)
    for number in range(machine.passes):
        enters = feed * step**number
        water = 1.0 / enters - 1.0 / (enters * step)
        flow = area * np.asarray(element_flux(machine, log_mean(enters, enters * step), temp, pressure))
        removed = removed + water
        time = time + water / np.maximum(flow, 1e-30)
    return removed / np.maximum(time, 1e-30)


def _staged(machine: Machine, feed: np.ndarray, target: np.ndarray, temp: np.ndarray, pressure: np.ndarray) -> np.ndarray:
    """Total permeate of equal stages in series, each mixed within itself, by bisection on the concentrate flow.

    Marching back from the concentrate every stage is explicit: its permeate depends on its own outlet, and
    what it took in had `B Q` unchanged. More concentrate flow means a sweeter feed could be borne.
    """
    share = machine.elements * machine.area_m2 / machine.stages
    flux_clean = machine.permeability * np.asarray(temperature_factor(temp))

    def needed_feed(concentrate: np.ndarray) -> np.ndarray:
        flow, brix = concentrate, target
        for _ in range(machine.stages):
            net = pressure - machine.sigma * pressure_of(brix, temp)
            flow = flow + share * flux_clean * np.maximum(net, 0.0)
            brix = target * concentrate / flow
        return brix - feed

    most = machine.stages * share * flux_clean * pressure
    ratio = np.maximum(target / feed, 1.0 + 1e-9)
    concentrate = bisect(needed_feed, 1e-6 * most, most / (ratio - 1.0), steps=36)
    return concentrate * (ratio - 1.0)


def linear_stage_area(recovery: ArrayLike, osmotic_share: ArrayLike) -> Number:
    """Closed form of an infinitely staged machine with linear osmotic pressure, to test the stages against.

    `A·A_m·ΔP/Q_f = r − φ0 ln[(1−r−φ0)/(1−φ0)]`, φ0 = π_f/ΔP: φ0 0.1 and r 0.75 give 0.92918.
    """
    r = checked("recovery", recovery, 0.0, 0.999)
    phi = checked("osmotic_share", osmotic_share, 0.0, 0.999)
    checked("recovery", r + phi, 0.0, 0.9999)
    return plain(r - phi * np.log((1.0 - r - phi) / (1.0 - phi)))
