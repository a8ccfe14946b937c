"""Packing: what a hot fill shrinks by, and how far a batch goes."""

from .fill import PACK_FROM_C, PACK_TO_C, SAND_ABOVE_C, Fill, Filled, fill_batch, shrinkage

__all__ = ["PACK_FROM_C", "PACK_TO_C", "SAND_ABOVE_C", "Fill", "Filled", "fill_batch", "shrinkage"]
