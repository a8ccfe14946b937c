"""Evenings simulated a moment ago, so that another price, taste or objective asks for no new simulation."""

from __future__ import annotations

import pickle
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from threading import Lock

from .outcome import Outcome, Policies
from .scenario import Prices, Scenario
from .simulate import simulate

Simulation = Callable[[Scenario, Policies], Outcome]
MOST = 8
"""A plan with its doubts and its forecast's spread simulates six or seven times; an outcome takes some megabytes."""


class Memory:
    """Keeps the last outcomes; may be asked from several threads."""

    def __init__(self, most: int = MOST) -> None:
        self._most, self._kept, self._lock = most, OrderedDict[bytes, Outcome](), Lock()

    def simulate(self, scenario: Scenario, policies: Policies) -> Outcome:
        """`simulate`, or what it gave for the same evening and policies, at the scenario's prices."""
        key = pickle.dumps((replace(scenario, prices=Prices()), policies))
        with self._lock:
            known = self._kept.get(key)
            if known is not None:
                self._kept.move_to_end(key)
        if known is not None:
            return known.priced(scenario.prices)
        found = simulate(scenario, policies)
        with self._lock:
            self._kept[key] = found
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return found
