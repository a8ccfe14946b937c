"""The leak tables of a bush (`vacuum.signatures`), kept until the survey changes; the old one serves meanwhile."""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np
from zucker_core import vacuum
from zucker_core.units import M3_PER_GALLON

from .models import Bush, GaugeState
from .networks import network_of

RATES_M3_S = tuple(gph * M3_PER_GALLON / 3600 for gph in (0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4))
"""Sap flows of a tap for which tables are made; the nearest serves."""
KEPT = 12
TAUGHT_HOURS = 48.0
TAUGHT_ERROR = 0.12
"""What a branch's resistance may still be off by when its gauges have taught it for two days of pumping."""
Key = tuple[int, int, int, tuple[float, ...]]
_tables: OrderedDict[Key, vacuum.Signatures] = OrderedDict()
_changed = threading.Condition()
_making: set[Key] = set()


def table_of(bush: Bush, rate_m3_s: float) -> vacuum.Signatures:
    """The table for the bush as surveyed and taught, about this sap flow. Made here the first time (a second or two for
    460 nodes); afterwards the nearest that is ready serves while another is made."""
    step = min(range(len(RATES_M3_S)), key=lambda i: abs(RATES_M3_S[i] - rate_m3_s))
    taught = _taught(bush)
    key = bush.pk, bush.survey, step, tuple(taught.values())
    with _changed:
        while True:
            if key in _tables:
                _tables.move_to_end(key)
                return _tables[key]
            near = [k for k in _tables if k[:2] == key[:2]]
            if near:
                if key not in _making:
                    _start(bush, key, taught)
                return _tables[min(near, key=lambda k: (k[3] != key[3], abs(k[2] - step)))]
            if not any(k[:2] == key[:2] for k in _making):
                break
            _changed.wait(30.0)  # another thread is at it
        _making.add(key)
    return _make(network_of(bush), key, taught)


def warm(bush: Bush, rate_m3_s: float) -> None:
    """Begin making the bush's table in the background if there is none, so that a hunt need not wait for it."""
    step = min(range(len(RATES_M3_S)), key=lambda i: abs(RATES_M3_S[i] - rate_m3_s))
    with _changed:
        if any(k[:2] == (bush.pk, bush.survey) for k in (*_tables, *_making)):
            return
        taught = _taught(bush)
        _start(bush, (bush.pk, bush.survey, step, tuple(taught.values())), taught)


def _start(bush: Bush, key: Key, taught: dict[str, float]) -> None:
    _making.add(key)
    # the network is loaded here: the thread must not open a connection of its own
    threading.Thread(target=_make, args=(network_of(bush), key, taught), daemon=True).start()


def _taught(bush: Bush) -> dict[str, float]:
    """Resistance of each mainline as its gauges have taught it, in tenths, so that the table is not made anew for
    every small change; empty until all that teach have done so for two days."""
    network = network_of(bush)
    names = vacuum.branches_of(network)
    factors: dict[str, list[float]] = {}
    for row in GaugeState.objects.filter(sensor__nodes__bush=bush).select_related("sensor"):
        node = network.sensors.get(row.sensor.tag)
        if not node or not row.learned:
            continue
        known = vacuum.Learned.from_json(row.learned)
        if known.weight >= TAUGHT_HOURS:
            factors.setdefault(str(names[node]), []).append(known.resistance)
    return {main: round(sum(found) / len(found), 1) for main, found in sorted(factors.items()) if main}


def _make(network: vacuum.Network, key: Key, taught: dict[str, float]) -> vacuum.Signatures:
    try:
        names = vacuum.branches_of(network)
        resistance = np.array([taught.get(str(name), 1.0) for name in names])
        all_taught = bool(taught) and len(taught) >= 0.8 * len(network.mains)
        error = vacuum.ModelError(branch_resistance=TAUGHT_ERROR) if all_taught else vacuum.ModelError()
        conditions = vacuum.Conditions(RATES_M3_S[key[2]], resistance=resistance)
        table = vacuum.signatures(network, conditions=conditions, error=error)
        with _changed:
            _tables[key] = table
            while len(_tables) > KEPT:
                _tables.popitem(last=False)
        return table
    finally:
        with _changed:
            _making.discard(key)
            _changed.notify_all()
