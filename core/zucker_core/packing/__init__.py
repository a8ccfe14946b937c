"""Packing: what shrinks, what a batch fills, what a blend takes."""

from .blend import Available, Recipe, blend_recipe
from .fill import PACK_FROM_C, PACK_TO_C, SAND_ABOVE_C, Fill, Filled, fill_batch, shrinkage

__all__ = [
    "PACK_FROM_C",
    "PACK_TO_C",
    "SAND_ABOVE_C",
    "Available",
    "Fill",
    "Filled",
    "Recipe",
    "blend_recipe",
    "fill_batch",
    "shrinkage",
]
