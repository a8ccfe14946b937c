"""What a closed run teaches about the machines, slowly."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .. import evaporator as fire
from .. import membrane
from ..errors import Inconsistent
from ..estimate import Estimate, Z
from .plan import Doubt

FORGET_RUNS = 8.0
"""A run counts half as much as one that came so many runs later."""
BEST_OF = 3
DEFAULT_DOUBT = Doubt(0.05, 0.05, 0.05)


@dataclass(frozen=True)
class RunRecord:
    """One closed run's readings: the membrane's log lines and the evaporator's record, as far as there are any."""

    membrane: Sequence[membrane.Record] = ()
    boil: fire.Record | None = None


@dataclass(frozen=True)
class Learned:
    """machine, evaporator : with what was learned put in; the given ones where the runs could teach nothing
    membrane_fit, evaporator_fit : the fits, None where there were too few records
    membrane_health, evaporator_health : flow at the same conditions, and net heat, of the latest run over the
        best three-run mean so far; None under four runs
    doubt : how well both are known, for `plan`
    """

    machine: membrane.Machine | None
    evaporator: fire.Evaporator
    membrane_fit: membrane.Fit | None
    evaporator_fit: fire.Fit | None
    membrane_health: Estimate | None
    evaporator_health: Estimate | None
    doubt: Doubt


def learn(history: Sequence[RunRecord], machine: membrane.Machine | None, evaporator: fire.Evaporator) -> Learned:
    """Equipment parameters after the runs of `history` (oldest first).

    Wash cycles are renumbered by run, so that each run's cycles keep a fouling of their own. Older runs count
    less (half after 8). `machine` and `evaporator` are the maker's figures, the priors.
    """
    ages = np.arange(len(history))[::-1]
    weights = 0.5 ** (ages / FORGET_RUNS)
    lines, run_of = [], []
    for number, run in enumerate(history):
        for line in run.membrane:
            lines.append(replace(line, cycle=number * 100 + line.cycle % 100, weight=line.weight * weights[number]))
            run_of.append(number)
    boils = [replace(run.boil, weight=run.boil.weight * weights[n]) for n, run in enumerate(history) if run.boil is not None]
    membrane_fit = None
    if machine is not None and len(lines) >= membrane.LEAST_RECORDS:
        membrane_fit = membrane.fit(lines, machine)
    evaporator_fit = fire.fit(boils, evaporator) if len(boils) >= fire.LEAST_RUNS else None
    doubt = DEFAULT_DOUBT
    if membrane_fit is not None:
        doubt = replace(doubt, membrane=_relative(membrane_fit.permeability), sigma=_relative(membrane_fit.sigma))
    if evaporator_fit is not None:
        doubt = replace(doubt, heat=_relative(evaporator_fit.heat_w))
    return Learned(
        membrane_fit.machine if membrane_fit else machine,
        evaporator_fit.evaporator if evaporator_fit else evaporator,
        membrane_fit,
        evaporator_fit,
        _membrane_health(lines, run_of, membrane_fit) if membrane_fit else None,
        drift(
            [
                np.log(b.water_kg / b.boil_s) - np.log(float(fire.water_rate(evaporator, b.feed_brix, b.feed_temp_c)))
                for b in boils
            ],
            [b.water_share for b in boils],
        ),
        doubt,
    )


def _relative(estimate: Estimate) -> float:
    return float(np.clip(estimate.sd / estimate.value, 0.005, 0.2))


def _membrane_health(lines: Sequence[membrane.Record], run_of: Sequence[int], found: membrane.Fit) -> Estimate | None:
    """Drift of the clean flow by run, from each line's flow over what the fitted machine would give."""
    off, spread = [], []
    numbers = np.array(run_of)
    # one fouling for all: a run's own would hide a weaker machine behind a faster fouling
    fouling = float(np.median([k.value for k in found.fouling.values()])) / found.machine.elements
    gaps = np.array(
        [
            np.log(line.permeate_m3_s)
            - np.log(
                max(
                    float(
                        membrane.clean_permeate_flow(
                            found.machine, line.feed_brix, line.concentrate_brix, line.temp_c, line.pressure_pa
                        )
                    ),
                    1e-9,
                )
            )
            + fouling * line.permeate_since_wash_m3
            for line in lines
        ]
    )
    for number in np.unique(numbers):
        mine = gaps[numbers == number]
        off.append(float(np.median(mine)))
        # the readings of one run share their instruments' errors: hardly better than a hundredth
        spread.append(float(np.hypot(0.01, 1.25 * max(mine.std(), 0.02) / np.sqrt(len(mine)))))
    return drift(off, spread)


def drift(logs: Sequence[float], sds: Sequence[float]) -> Estimate | None:
    """The latest of a series (natural logarithms) over its best three-run mean so far, as a ratio with its interval;
    None under four values. Raises Inconsistent when lengths differ."""
    if len(logs) != len(sds):
        raise Inconsistent("sds", f"{len(logs)} values come with {len(sds)} spreads")
    if len(logs) <= BEST_OF:
        return None
    values = np.asarray(logs, float)
    best = np.convolve(values, np.full(BEST_OF, 1.0 / BEST_OF), "valid")
    first = int(best.argmax())
    sd = float(np.hypot(sds[-1], np.sqrt(np.sum(np.square(sds[first : first + BEST_OF]))) / BEST_OF))
    gap = float(values[-1] - best[first])
    ratio = float(np.exp(gap))
    return Estimate(ratio, float(np.exp(gap - Z * sd)), float(np.exp(gap + Z * sd)), ratio * sd)
