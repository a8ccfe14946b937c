"""Range checks and root finding that work alike on floats and on arrays."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from .errors import OutOfRange

Number = Any
"""A float in, a float out; an array in, an array out."""


def checked(name: str, value: ArrayLike, low: float, high: float, unit: str = "") -> np.ndarray:
    """`value` as a float array, every element of it finite and within [low, high].

    Raises OutOfRange naming the first element that is not.
    """
    array = np.asarray(value, dtype=float)
    inside = (array >= low) & (array <= high)  # NaN compares false, so it is refused too
    if not inside.all():
        raise OutOfRange(name, float(array[~inside].flat[0]) if array.ndim else float(array), low, high, unit)
    return array


def plain(array: ArrayLike) -> Number:
    """A float when the array has no dimension, otherwise the array itself."""
    array = np.asarray(array)
    return float(array) if array.ndim == 0 else array


def bisect(function: Callable[[np.ndarray], np.ndarray], low: ArrayLike, high: ArrayLike, steps: int = 52) -> np.ndarray:
    """Root of an increasing function between `low` and `high`, element by element.

    After 52 halvings the bracket is at the resolution of a double. Where the function has
    no sign change the nearer end is returned: callers check their ranges first.
    """
    low, high = np.broadcast_arrays(np.asarray(low, float), np.asarray(high, float))
    low, high = low.copy(), high.copy()
    for _ in range(steps):
        middle = 0.5 * (low + high)
        below = function(middle) < 0
        low = np.where(below, middle, low)
        high = np.where(below, high, middle)
    return 0.5 * (low + high)
