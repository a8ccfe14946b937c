"""Where a leak is likelier before any gauge is read: old tubing, taps noted as soft, leaks found there before."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from .network import Network
from .signatures import main_node_of

FACTOR_A_DECADE = 1.5
"""Tubing of twice the trouble at some seventeen years: brittle from the sun. A convention, not a measurement."""
SOFT_TAP = 2.0
"""A saddle with one tap of soft wood counts so many times; two taps, that squared, up to MOST."""
FOUND_BEFORE = 2.0
MOST = 8.0


def prior(
    network: Network,
    year: int | None = None,
    soft: Mapping[str, int] | None = None,
    past: Iterable[str] = (),
) -> dict[str, float]:
    """How many times likelier than its length and taps say a leak is, by the tag of each candidate: for `locate`.

    Parameters
    ----------
    network : the bush
    year : now; each decade that the tubing at a candidate is old raises it by half (None leaves age out)
    soft : taps noted with soft or dark shavings, by the tag of a lateral's line, of its end or of its saddle
    past : tags at which leaks were found before
    Tags that the network does not have are passed over: a survey may have changed them.
    Source: docs: models, section 2 (prior raised by age, notes taken when tapping, past leaks).
    """
    home = main_node_of(network)
    raised = np.ones(len(network))
    if year is not None:
        ages = [[] for _ in range(len(network))]  # type: list[list[float]]
        for i, line in enumerate(network.lines):
            if line is not None and line.installed:
                ages[home[i]].append(max(year - line.installed, 0))
        for i, known in enumerate(ages):
            if known:
                raised[i] *= FACTOR_A_DECADE ** (sum(known) / len(known) / 10.0)
    lines = {line.tag: i for i, line in enumerate(network.lines) if line is not None}

    def at(tag: str) -> int | None:
        found = network.index.get(tag, lines.get(tag))
        return None if found is None else int(home[found])

    for tag, count in (soft or {}).items():
        node = at(tag)
        if node is not None and count > 0:
            raised[node] *= min(SOFT_TAP**count, MOST)
    for tag in set(past):
        node = at(tag)
        if node is not None:
            raised[node] *= FOUND_BEFORE
    raised = np.minimum(raised, MOST)
    return {network.nodes[i].tag: float(raised[i]) for i in np.flatnonzero(np.abs(raised - 1.0) > 1e-9) if home[i] == i}
