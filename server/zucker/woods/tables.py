"""The leak tables of a bush (`vacuum.signatures`), kept until the survey changes; the old one serves meanwhile."""

from __future__ import annotations

import threading
from collections import OrderedDict

from zucker_core import vacuum
from zucker_core.units import M3_PER_GALLON

from .models import Bush
from .networks import network_of

RATES_M3_S = tuple(gph * M3_PER_GALLON / 3600 for gph in (0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4))
"""Sap flows of a tap for which tables are made; the nearest serves."""
KEPT = 12
_tables: OrderedDict[tuple[int, int, int], vacuum.Signatures] = OrderedDict()
_lock = threading.Lock()
_making: set[tuple[int, int, int]] = set()


def table_of(bush: Bush, rate_m3_s: float) -> vacuum.Signatures:
    """The table for the bush as surveyed and about this sap flow. Made here the first time (a second or two for 460
    nodes); for another flow the nearest that is ready serves while its own is made."""
    step = min(range(len(RATES_M3_S)), key=lambda i: abs(RATES_M3_S[i] - rate_m3_s))
    key = bush.pk, bush.survey, step
    with _lock:
        if key in _tables:
            _tables.move_to_end(key)
            return _tables[key]
        near = [k for k in _tables if k[:2] == key[:2]]
        if near:
            if key not in _making:
                _making.add(key)
                threading.Thread(target=_make, args=(bush, key), daemon=True).start()
            return _tables[min(near, key=lambda k: abs(k[2] - step))]
    return _make(bush, key)


def _make(bush: Bush, key: tuple[int, int, int]) -> vacuum.Signatures:
    try:
        table = vacuum.signatures(network_of(bush), conditions=vacuum.Conditions(RATES_M3_S[key[2]]))
        with _lock:
            _tables[key] = table
            while len(_tables) > KEPT:
                _tables.popitem(last=False)
        return table
    finally:
        _making.discard(key)
