"""Closing a run: sugar in against sugar out, with what measurement can and cannot explain."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import Inconsistent
from ..estimate import Z
from .measured import LINE, Measured, Unmeasured, whole_line
from .reconcile import Reconciled, reconcile


@dataclass(frozen=True)
class Ledger:
    """The run's sugar.

    sugar_in_kg, sugar_out_kg : what was there or came, what left or still stands there
    unaccounted_kg, sd_kg : their difference and its standard deviation
    closure, closure_low, closure_high : out over in with its 90 % interval (0 when nothing came in)
    explained : the difference is within two standard deviations, so it need not mean anything
    largest : name of the measurement with the greatest share of the uncertainty
    reconciled : all readings made to agree, what is suspicious, what nothing checks
    """

    sugar_in_kg: float
    sugar_out_kg: float
    unaccounted_kg: float
    sd_kg: float
    closure: float
    closure_low: float
    closure_high: float
    explained: bool
    largest: str
    reconciled: Reconciled


def ledger(measurements: Sequence[Measured], unmeasured: Sequence[Unmeasured] | None = None) -> Ledger:
    """The sugar balance of a run with propagated uncertainty (independent errors), reconciled.

    unmeasured : what flows without being measured; left out, the whole line is one part that loses water as
        permeate and steam. Measurements within the line only take part in the reconciliation.
    Raises Inconsistent when there is nothing to balance.
    """
    outer = [m for m in measurements if m.side != "within"]
    if not outer:
        raise Inconsistent("measurements", "there is nothing to balance: no measurement")
    names = [m.name for m in measurements]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice is not None:
        raise Inconsistent("name", f"two measurements are called {twice!r}: each needs a name of its own")
    if unmeasured is None:
        one_part = all(LINE in (m.source, m.sink) for m in measurements)
        unmeasured = whole_line() if one_part else ()
    came = sum(m.sugar_kg for m in outer if m.side in ("in", "held before"))
    went = sum(m.sugar_kg for m in outer if m.side in ("out", "held after"))
    sd = float(np.sqrt(sum(m.sugar_sd_kg**2 for m in outer)))
    missing = came - went
    largest = max(outer, key=lambda m: m.sugar_sd_kg).name
    closure = went / came if came > 0 else 0.0
    reach = Z * sd / came if came > 0 else 0.0
    return Ledger(came, went, missing, sd, closure, closure - reach, closure + reach, abs(missing) <= 2 * sd, largest,
                  reconcile(measurements, unmeasured))
