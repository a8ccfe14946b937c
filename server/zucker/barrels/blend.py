"""Blends of lots as the core computes them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zucker_core import packing, sugar

from .models import Lot


@dataclass(frozen=True)
class Mix:
    """volume m³ at 20 °C, °Brix, transmittance %, grade."""

    volume_m3: float
    brix: float
    transmittance: float
    grade: str


def blended(parts: Sequence[tuple[Lot, float]]) -> Mix:
    """What these volumes of these lots make: mass is balanced, colour mixes by absorbance. Raises CoreError."""
    volumes = [volume for _, volume in parts]
    volume, brix = sugar.blend(volumes, [lot.brix for lot, _ in parts])
    colour = sugar.blend_transmittance(volumes, [max(lot.transmittance, 0.1) for lot, _ in parts])
    off = next((lot.off_flavour for lot, used in parts if lot.off_flavour and used > 0), None)
    return Mix(volume, brix, colour, sugar.grade(colour, off))


def recipe(lots: Sequence[tuple[Lot, float]], transmittance: float, brix: float, volume_m3: float) -> packing.Recipe:
    """How much of each lot, with what is left of it, reaches a colour and a density. Raises CoreError."""
    return packing.blend_recipe(
        [packing.Available(left, lot.brix, max(lot.transmittance, 0.1)) for lot, left in lots], transmittance, brix, volume_m3
    )
