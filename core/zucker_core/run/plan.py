"""How far to concentrate tonight, and when to light the fire."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..errors import Inconsistent
from ..evaporator import water_rate
from ..membrane import clean_permeate_flow, fouling_ratio, volume_ratio
from ..sugar import density
from .outcome import LIMITS, NEVER, Outcome, Policies
from .scenario import Scenario
from .simulate import simulate

OBJECTIVES = ("cheapest", "earliest finish", "least fuel")
LIGHT_OFFSETS_MIN = (-20.0, 0.0, 12.0, 30.0, 60.0, 110.0)
"""Light-up times tried, about the one at which membrane and fire would end together."""
BAND = 1.02


@dataclass(frozen=True)
class Choice:
    """One target with the best light-up time found for it.

    target_brix : 0 is no membrane; row : into Plan.outcome; light_min : minutes from now
    limit, limit_min : why it is refused and when that would happen; limit is None when it can be done
    cost_per_m3 : money for a m³ of syrup, None when refused
    in_band : within 2 % of the cheapest
    """

    target_brix: float
    row: int
    light_min: float
    limit: str | None
    limit_min: float
    cost_per_m3: float | None
    in_band: bool


@dataclass(frozen=True)
class Plan:
    """choices : one for each target, in the order asked; best : index into choices, None when nothing can be done;
    frontier : indexes of the choices that no other beats on both cost and finish; outcome : all simulated rows."""

    choices: tuple[Choice, ...]
    best: int | None
    frontier: tuple[int, ...]
    outcome: Outcome


def plan(
    scenario: Scenario, objective: str = "cheapest", targets: Sequence[float] | None = None
) -> Plan:
    """Compare target Brix and pick one.

    Parameters
    ----------
    objective : "cheapest" (a gallon of syrup), "earliest finish" or "least fuel"
    targets : °Brix to compare, 0 for boiling the sap as it is; by default 0 and every whole degree from 4 to the
        machine's limit, or 0 alone without a machine

    For each target six light-up times around the one where membrane and fire end together are simulated,
    and the best feasible one is kept; a target with none keeps the least bad one and its reason. Ties within a
    thousandth go to the earlier finish. Raises Inconsistent.
    """
    if objective not in OBJECTIVES:
        raise Inconsistent("objective", f"objective is {objective!r}; it must be one of {', '.join(OBJECTIVES)}")
    if targets is None:
        targets = [0.0]
        if scenario.machine is not None:
            targets += [float(b) for b in range(4, int(scenario.machine.max_brix) + 1)]
    lights = _light_times(scenario, np.array(targets, float))
    rows = [(target, light) for target, times in zip(targets, lights, strict=True) for light in times]
    policies = Policies(
        np.array([target for target, _ in rows]), np.zeros(len(rows)), np.array([light for _, light in rows])
    )
    outcome = simulate(scenario, policies)
    choices = [_choose(objective, outcome, policies, target) for target in targets]
    costs = [c.cost_per_m3 for c in choices if c.cost_per_m3 is not None]
    cheapest = min(costs, default=0.0)
    choices = [
        replace(c, in_band=c.cost_per_m3 is not None and c.cost_per_m3 <= cheapest * BAND + 1e-12) for c in choices
    ]
    done = [i for i, c in enumerate(choices) if c.limit is None]
    best = min(done, key=lambda i: _score(objective, outcome, choices[i].row), default=None)
    return Plan(tuple(choices), best, _frontier(choices, outcome, done), outcome)


def _light_times(scenario: Scenario, targets: np.ndarray) -> list[list[float]]:
    """Candidate light-up times in minutes for each target, earliest first, without repeats."""
    together = np.zeros(len(targets))
    machine, sap, head = scenario.machine, scenario.sap, scenario.head
    if machine is not None:
        flow = np.asarray(clean_permeate_flow(machine, sap.brix, np.clip(targets, 0.1, 45.0), sap.temp_c))
        flow = flow * float(fouling_ratio(machine, scenario.membrane.permeate_since_wash_m3))
        for i in np.nonzero(flow > 0)[0]:
            ratio = volume_ratio(sap.brix, targets[i], sap.temp_c, machine.passage)
            feed = min(flow[i] * ratio / (ratio - 1.0), machine.feed_max_m3_s)
            volume = sap.volume_m3 + float(scenario.inflow_m3_s.sum()) * 60.0
            ro_s = max(volume / feed, scenario.inflow_ends_min * 60.0)
            boil_s = _boil_time(scenario, volume / ratio + head.volume_m3, targets[i])
            fill_s = max(head.reserve_m3 - head.volume_m3, 0.0) / (feed / ratio)
            together[i] = max(ro_s - boil_s - scenario.evaporator.start_up_s, fill_s) / 60.0
    # without a membrane nothing is gained by waiting
    return [
        sorted({round(max(0.0, t + offset)) for offset in LIGHT_OFFSETS_MIN}) if target > 0 else [0.0]
        for target, t in zip(targets, together, strict=True)
    ]


def _boil_time(scenario: Scenario, concentrate_m3: float, brix: float) -> float:
    mass = concentrate_m3 * float(density(brix, scenario.head.temp_c))
    off = mass * (1.0 - brix / scenario.evaporator.syrup_brix)
    return off / float(water_rate(scenario.evaporator, brix, scenario.head.temp_c))


def _score(objective: str, outcome: Outcome, row: int) -> tuple[float, float]:
    finish = float(outcome.finish_min[row])
    syrup = max(float(outcome.syrup_m3[row]), 1e-9)
    value = {
        "cheapest": float(outcome.cost[row]) / syrup, "earliest finish": finish, "least fuel": float(outcome.fuel[row]) / syrup,
    }[objective]
    # to three digits, so that light-up times which only differ by rounding are told apart by the clock
    return (float(f"{value:.3g}"), finish)


def _choose(objective: str, outcome: Outcome, policies: Policies, target: float) -> Choice:
    rows = np.nonzero(policies.target_brix == target)[0]
    able = [int(r) for r in rows if outcome.breach[r] == NEVER]
    if able:
        row = min(able, key=lambda r: _score(objective, outcome, r))
        syrup = float(outcome.syrup_m3[row])
        cost = float(outcome.cost[row]) / syrup if syrup > 0 else None
        return Choice(target, row, float(policies.light_min[row]), None, 0.0, cost, False)
    # the row that got furthest before it broke something tells most
    row = int(max(rows, key=lambda r: outcome.breach_min[r]))
    return Choice(target, row, float(policies.light_min[row]), LIMITS[outcome.breach[row]],
                  float(outcome.breach_min[row]), None, False)


def _frontier(choices: Sequence[Choice], outcome: Outcome, done: Sequence[int]) -> tuple[int, ...]:
    points = {i: (choices[i].cost_per_m3 or 0.0, float(outcome.finish_min[choices[i].row])) for i in done}

    def beaten(mine: tuple[float, float]) -> bool:
        return any(other != mine and other[0] <= mine[0] and other[1] <= mine[1] for other in points.values())

    return tuple(i for i in done if not beaten(points[i]))
