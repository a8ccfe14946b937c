"""Evenings simulated a moment ago, so that another price, taste or objective asks for no new simulation."""

from __future__ import annotations

import pickle
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from threading import Lock

from .glance import glance
from .outcome import Outcome, Policies
from .scenario import Prices, Scenario
from .simulate import simulate

Simulation = Callable[[Scenario, Policies], Outcome]
MOST = 6
"""A plan looks at five evenings: at a glance, by the minute, with machines a little other than known, with less and with more
sap. What came of one takes some megabytes."""
MOST_ROWS = 1500
"""An evening with more policies than this is begun anew."""


@dataclass(frozen=True)
class _Known:
    """What came of an evening's policies; `places` : which row is whose."""

    outcome: Outcome
    places: dict[bytes, int]


class Memory:
    """Keeps what came of every policy in the last evenings; may be asked from several threads."""

    def __init__(self, most: int = MOST) -> None:
        self._most, self._kept, self._lock = most, OrderedDict[bytes, _Known](), Lock()

    def simulate(self, scenario: Scenario, policies: Policies) -> Outcome:
        """`simulate`, of policies that it does not know in this evening, at the scenario's prices."""
        return self._known_or(simulate, scenario, policies)

    def glance(self, scenario: Scenario, policies: Policies) -> Outcome:
        """`glance` in the same way."""
        return self._known_or(glance, scenario, policies)

    def _known_or(self, work: Simulation, scenario: Scenario, policies: Policies) -> Outcome:
        evening = pickle.dumps((work.__name__, replace(scenario, prices=Prices())))
        rows = policies.keys(len(scenario.machines), len(scenario.evaporators))
        with self._lock:
            known = self._kept.get(evening)
        if known is not None and len(known.places) > MOST_ROWS:
            known = None
        places = {} if known is None else known.places
        fresh = [k for k, row in enumerate(rows) if row not in places]
        if fresh:
            found = work(scenario, policies.take(fresh))
            places = {**places, **{rows[k]: len(places) + n for n, k in enumerate(fresh)}}
            known = _Known(found if known is None else Outcome.joined([known.outcome, found]), places)
        assert known is not None  # there is at least one policy
        with self._lock:
            self._kept[evening] = known
            self._kept.move_to_end(evening)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return known.outcome.take([places[row] for row in rows]).priced(scenario.prices)
