"""An evening at a glance: worked out in longer steps, for a first answer while its minutes are still counted."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np

from .outcome import NOT_LIT, Outcome, Policies
from .scenario import People, Scenario
from .simulate import simulate
from .tanks import MINUTE_S

STEP_MIN = 5
"""So many minutes a step. Times come out to about as much, money to a hundredth."""
LEAST_STEPS = 12
ENDS = ("finish_min", "ro_end_min", "boil_end_min")
"""Figures of an outcome that are told at the end of a step: what they stand for ended somewhere within it."""
RUNNING = ("ro_trace", "wash_trace", "fire_trace")


def glance(scenario: Scenario, policies: Policies, step_min: int = STEP_MIN) -> Outcome:
    """`simulate` in steps of some minutes: as good to a step, and quicker in proportion.

    What depends on the clock is told in steps, and the outcome back in minutes: levels on straight lines in between, shares
    of running over the whole step. A night shorter than a dozen steps is simulated by minutes. Raises Inconsistent.
    """
    if scenario.horizon_min < LEAST_STEPS * step_min:
        return simulate(scenario, policies)
    found = simulate(_in_steps(scenario, step_min), _ways_in_steps(policies, step_min), step_s=step_min * MINUTE_S)
    return _in_minutes(found, step_min, scenario.horizon_min // step_min).priced(scenario.prices)


def _in_steps(scenario: Scenario, step: int) -> Scenario:
    """Moments go to the nearest step, so that they come neither sooner nor later in the mean."""
    flow = scenario.inflow_m3_s
    padded = np.concatenate([flow, np.zeros(-len(flow) % step)])
    return replace(
        scenario,
        horizon_min=scenario.horizon_min // step,
        inflow_m3_s=padded.reshape(-1, step).mean(axis=1),
        loads=tuple(replace(x, at_min=x.at_min / step, unload_min=max(x.unload_min / step, 1.0)) for x in scenario.loads),
        events=tuple(replace(x, start_min=round(x.start_min / step), end_min=round(x.end_min / step)) for x in scenario.events),
        people=People(scenario.people.membrane, scenario.people.fire,
                      tuple((round(start / step), round(end / step)) for start, end in scenario.people.hours
                            if round(start / step) < round(end / step))),
        finish_by_min=None if scenario.finish_by_min is None else scenario.finish_by_min / step,
    )


def _ways_in_steps(policies: Policies, step: int) -> Policies:
    lights = np.where(np.isfinite(policies.light_min), np.round(policies.light_min / step), NOT_LIT)
    return replace(policies, ro_start_min=np.round(policies.ro_start_min / step), light_min=lights)


def _in_minutes(found: Outcome, step: int, horizon: int) -> Outcome:
    steps = len(found.sap_trace) - 1
    told = {"breach_min": found.breach_min * step}
    for name in ENDS:
        end = getattr(found, name)
        told[name] = end * step - np.where((end > 0) & (end < horizon), (step - 1) / 2.0, 0.0)
    place = np.arange(steps * step + 1) / step
    for name in (field.name for field in fields(found)):
        trace = getattr(found, name)
        if trace.ndim != 2 or not len(trace):
            continue
        if name in RUNNING or name == "power_trace":
            share = step if name == "power_trace" else 1
            # the last row is the state at the end: nothing runs in it
            told[name] = np.concatenate([np.repeat(trace[:-1], step, axis=0) / share, trace[-1:]])
        else:
            before = np.minimum(place.astype(int), max(steps - 1, 0))
            part = (place - before)[:, None]
            told[name] = trace[before] * (1.0 - part) + trace[np.minimum(before + 1, steps)] * part
    return replace(found, **told)
