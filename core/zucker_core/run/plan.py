"""How far to concentrate tonight, and when to light the fire."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent
from .candidates import Candidate, first_candidates, lit_later, policies_of, variants
from .glance import glance
from .memory import Simulation
from .outcome import LIMITS, NEVER, Outcome
from .scenario import Scenario
from .simulate import simulate

OBJECTIVES = ("cheapest", "earliest finish", "least fuel")
BAND = 1.02
REFINED_TARGETS = 5
"""So many of the best targets, and those only refused for their timing, are tried with every variant."""
TIMING_LIMITS = {4, 5, 6, 7, 8, 9, 10, 11, 12}
SURE_ROWS, LATEST_ROWS = 3, 2
AT_ONCE = 600
"""So many ways are simulated between two steps: a cancelled plan stops within one of them."""


@dataclass(frozen=True)
class Preference:
    """The user's own taste: a target between `low` and `high` °Brix costs nothing, outside of it each °Brix is
    felt as `cost_per_m3_brix` for a m³ of syrup."""

    low: float
    high: float
    cost_per_m3_brix: float

    def __post_init__(self) -> None:
        checked("low", self.low, 0.0, 45.0, "°Brix")
        checked("high", self.high, self.low, 45.0, "°Brix")
        checked("cost_per_m3_brix", self.cost_per_m3_brix, 0.0, 1e5)

    def cost(self, target_brix: float) -> float:
        """For a m³ of syrup."""
        return self.cost_per_m3_brix * max(self.low - target_brix, target_brix - self.high, 0.0)


@dataclass(frozen=True)
class Doubt:
    """How far the machines may be from what is known, one standard deviation, relative: a plan must also stand
    with a membrane slower and a fire stronger by twice that, and σ higher by once `sigma`."""

    membrane: float = 0.0
    heat: float = 0.0
    sigma: float = 0.0

    def __post_init__(self) -> None:
        checked("membrane", self.membrane, 0.0, 0.4)
        checked("heat", self.heat, 0.0, 0.4)
        checked("sigma", self.sigma, 0.0, 0.4)


@dataclass(frozen=True)
class Choice:
    """One target with the best way found to reach it.

    target_brix : 0 is no membrane; row : into Plan.outcome; candidate : how it is done
    limit, limit_min : why it is refused and when that would happen; limit is None when it can be done
    cost_per_m3 : money for a m³ of syrup, taste included, None when refused; taste_per_m3 : that part of it
    in_band : within 2 % of the cheapest
    daring : it only stands if the machines are no worse than known; never the best when another stands anyway
    """

    target_brix: float
    row: int
    candidate: Candidate
    limit: str | None
    limit_min: float
    cost_per_m3: float | None
    taste_per_m3: float
    in_band: bool
    daring: bool = False

    @property
    def light_min(self) -> float:
        """Minutes from now until the first fire is lit."""
        return min(self.candidate.lights)


@dataclass(frozen=True)
class Plan:
    """choices : one for each target, in the order asked; best : index into choices, None when nothing can be done;
    frontier : indexes of the choices that no other beats on both cost and finish; outcome : all simulated rows."""

    choices: tuple[Choice, ...]
    best: int | None
    frontier: tuple[int, ...]
    outcome: Outcome


@dataclass(frozen=True)
class Why:
    """Why a target is not the chosen one: refused (limit and minute), or what it has more than the chosen one:
    money for a m³ of syrup in its parts, minutes later, fuel for a m³ of syrup."""

    limit: str | None
    limit_min: float
    cost_more: float
    fuel_cost_more: float
    labour_cost_more: float
    other_cost_more: float
    later_min: float
    in_band: bool


def planning(
    scenario: Scenario,
    objective: str = "cheapest",
    targets: Sequence[float] | None = None,
    *,
    preference: Preference | None = None,
    doubt: Doubt | None = None,
    work: Simulation = simulate,
    look: Simulation = glance,
) -> Generator[tuple[float, Plan | None], None, Plan]:
    """`plan` in steps: yields the share of the work that is done, with the plan at a glance once every target has been looked
    at, and returns the whole Plan; closing it cancels. `work` simulates and `look` glances; a `Memory` does it once for all
    prices."""
    if objective not in OBJECTIVES:
        raise Inconsistent("objective", f"objective is {objective!r}; it must be one of {', '.join(OBJECTIVES)}")
    if targets is None:
        targets = [0.0]
        if scenario.machine is not None:
            targets += [float(b) for b in range(4, int(scenario.machine.max_brix) + 1)]
    first, seen = first_candidates(scenario, targets), _Search(scenario, objective, preference, look)
    yield 0.0, None
    seen.try_all(first)
    yield 0.15, seen.plan(targets)
    # a glance is good enough to say what is worth a closer look, never what is chosen
    refined = seen.worth_refining(targets)
    search, ways = _Search(scenario, objective, preference, work), [*first, *variants(scenario, refined)]
    for start in range(0, len(ways), AT_ONCE):
        search.try_all(ways[start : start + AT_ONCE])
        yield 0.15 + 0.6 * min(1.0, (start + AT_ONCE) / len(ways)), None
    missed = variants(scenario, search.overlooked(targets, refined))
    for start in range(0, len(missed), AT_ONCE):
        search.try_all(missed[start : start + AT_ONCE])
        yield 0.75 + 0.05 * min(1.0, (start + AT_ONCE) / len(missed)), None
    if doubt is not None and (doubt.membrane > 0 or doubt.heat > 0):
        search.drop_the_daring(targets, doubt)
        yield 0.9, None
        safer = search.safer(targets)
        if safer:
            search.try_all(safer)
            search.drop_the_daring(targets, doubt)
            yield 0.95, None
    return search.plan(targets)


def plan(
    scenario: Scenario,
    objective: str = "cheapest",
    targets: Sequence[float] | None = None,
    *,
    preference: Preference | None = None,
    doubt: Doubt | None = None,
) -> Plan:
    """Compare target Brix and pick one.

    Parameters
    ----------
    objective : "cheapest" (a gallon of syrup), "earliest finish" or "least fuel"; to be in bed by some time set
        the scenario's `finish_by_min`
    targets : °Brix to compare, 0 for boiling the sap as it is; by default 0 and every whole degree from 4 to the
        machine's limit, or 0 alone without a machine
    preference : the user's taste; doubt : how well the machines are known

    For each target light-up times around the one where membrane and fire end together are looked at (`glance`). All of them
    are then simulated by the minute, the best targets also with finer times, membranes at the pans' pace or later, two passes,
    a fire turned down, washes moved, machines left out. A target that cannot be done keeps the least bad way and its reason. Ties
    within a thousandth go to the earlier finish. Raises Inconsistent.
    """
    steps = planning(scenario, objective, targets, preference=preference, doubt=doubt)
    while True:
        try:
            next(steps)
        except StopIteration as done:
            found: Plan = done.value
            return found


def with_inflow(scenario: Scenario, found: Plan, inflow_m3_s: np.ndarray, look: Simulation = glance) -> Outcome:
    """What becomes of every choice of a plan, carried out as planned, when other sap comes than was expected; at a glance,
    for a forecast is not good to the minute.

    inflow_m3_s : by minute, 1-d; row k of the outcome is choice k
    """
    other = replace(scenario, inflow_m3_s=np.asarray(inflow_m3_s, float))
    return look(other, policies_of([choice.candidate for choice in found.choices]))


def why_not(found: Plan, index: int) -> Why:
    """What speaks against one of the plan's choices, beside the best. Raises Inconsistent when nothing can be done."""
    choice = found.choices[index]
    if choice.limit is not None:
        return Why(choice.limit, choice.limit_min, 0.0, 0.0, 0.0, 0.0, 0.0, False)
    if found.best is None:
        raise Inconsistent("plan", "there is no plan to compare with")
    best, out = found.choices[found.best], found.outcome

    def a_syrup(values: np.ndarray, row: int) -> float:
        # so little sap that the pans keep it makes none
        return float(values[row] / out.syrup_m3[row]) if out.syrup_m3[row] > 0 else 0.0

    def more(values: np.ndarray) -> float:
        return a_syrup(values, choice.row) - a_syrup(values, best.row)

    total = (choice.cost_per_m3 or 0.0) - (best.cost_per_m3 or 0.0)
    fuel, labour = more(out.fuel_cost), more(out.labour_cost)
    return Why(
        None,
        0.0,
        total,
        fuel,
        labour,
        total - fuel - labour,
        float(out.finish_min[choice.row] - out.finish_min[best.row]),
        choice.in_band,
    )


class _Search:
    """All candidates tried so far with what came of them."""

    def __init__(self, scenario: Scenario, objective: str, preference: Preference | None, work: Simulation) -> None:
        self.scenario, self.objective, self.preference, self.work = scenario, objective, preference, work
        self.candidates: list[Candidate] = []
        self.outcomes: list[Outcome] = []
        self.daring: set[int] = set()
        self.unsure: set[float] = set()
        self.stands: dict[int, bool] = {}

    def try_all(self, candidates: Sequence[Candidate]) -> None:
        """Simulate them."""
        known = set(self.candidates)
        fresh = [c for c in dict.fromkeys(candidates) if c not in known]
        if fresh:
            self.outcomes.append(self.work(self.scenario, policies_of(fresh)))
            self.candidates += fresh

    @property
    def outcome(self) -> Outcome:
        if len(self.outcomes) > 1:
            self.outcomes = [Outcome.joined(self.outcomes)]
        return self.outcomes[0]

    def taste(self, target: float) -> float:
        return self.preference.cost(target) if self.preference else 0.0

    def score(self, row: int) -> tuple[float, float]:
        """Smaller is better; to three digits, so that what only differs by rounding is told apart by the clock."""
        out = self.outcome
        finish, syrup = float(out.finish_min[row]), max(float(out.syrup_m3[row]), 1e-9)
        value = {
            "cheapest": float(out.cost[row]) / syrup + self.taste(self.candidates[row].target_brix),
            "earliest finish": finish,
            "least fuel": float(out.fuel[row]) / syrup,
        }[self.objective]
        return (float(f"{value:.3g}"), finish) if self.objective != "cheapest" else (value, finish)

    def rows_of(self, target: float) -> list[int]:
        return [row for row, c in enumerate(self.candidates) if c.target_brix == target]

    def able(self, target: float) -> list[int]:
        """Rows of a target that break no limit, the best first."""
        out = self.outcome
        rows = [r for r in self.rows_of(target) if out.breach[r] == NEVER and r not in self.daring]
        return sorted(rows, key=self.score)

    def worth_refining(self, targets: Sequence[float]) -> list[tuple[Candidate, int]]:
        """The best way so far of the best targets, and the longest-lived one of those refused for their timing; each with
        the limit that it breaks, or NEVER."""
        best = sorted((rows[0] for t in targets if (rows := self.able(t))), key=self.score)[:REFINED_TARGETS]
        out = self.outcome
        refused = [
            max(self.rows_of(t), key=lambda r: out.breach_min[r])
            for t in targets
            if not self.able(t) and any(out.breach[r] in TIMING_LIMITS for r in self.rows_of(t))
        ]
        return [(self.candidates[r], int(out.breach[r])) for r in [*best, *refused]]

    def overlooked(self, targets: Sequence[float], refined: Sequence[tuple[Candidate, int]]) -> list[tuple[Candidate, int]]:
        """What a glance did not show: targets that it took to be able and the minutes refuse, and the best when it was not
        among the refined."""
        limits = {one.target_brix: limit for one, limit in refined}
        best = min((t for t in targets if self.able(t)), key=lambda t: self.score(self.able(t)[0]), default=None)
        return [
            (one, limit) for one, limit in self.worth_refining(targets)
            if (limit == NEVER and one.target_brix == best and best not in limits)
            or (limit != NEVER and limits.get(one.target_brix, NEVER) == NEVER)]

    def drop_the_daring(self, targets: Sequence[float], doubt: Doubt) -> None:
        """Refuse ways that would let the head tank run low if the machines are a little other than known."""
        best = sorted((t for t in targets if self.able(t)), key=lambda t: self.score(self.able(t)[0]))
        rows = []
        for place, target in enumerate(best):
            able = self.able(target)
            # of the best targets all ways; of others the best, and those lit latest, which have most in hand
            latest = sorted(able[SURE_ROWS:], key=lambda r: -min(self.candidates[r].lights))[:LATEST_ROWS]
            rows += able if place < REFINED_TARGETS else able[:SURE_ROWS] + latest
        self._doubt(rows, doubt)
        for target in best:
            safe = {r for r in rows if self.candidates[r].target_brix == target and self.stands[r]}
            if safe:
                self.daring |= set(self.able(target)) - safe
                self.unsure.discard(target)
            else:
                # a target keeps its ways when none of them is safe: the live advice will say when it comes to it
                self.unsure.add(target)

    def _doubt(self, rows: Sequence[int], doubt: Doubt) -> None:
        """Note of each way whether it also stands with a membrane slower and a fire stronger than known."""
        fresh = [r for r in rows if r not in self.stands]
        if not fresh:
            return
        weaker = 1 - 2 * doubt.membrane
        slow = [
            (replace(m, permeability=m.permeability * weaker, sigma=min(m.sigma * (1 + doubt.sigma), 3.0)), state)
            for m, state in self.scenario.machines
        ]
        strong = [replace(e, heat_w=e.heat_w * (1 + 2 * doubt.heat)) for e in self.scenario.evaporators]
        adverse = replace(
            self.scenario,
            machine=slow[0][0] if slow else None,
            more_machines=tuple(slow[1:]),
            evaporator=strong[0],
            more_evaporators=tuple(strong[1:]),
            finish_by_min=None,
        )
        out = self.work(adverse, policies_of([self.candidates[r] for r in fresh]))
        self.stands |= {r: breach not in (2, 4) for r, breach in zip(fresh, out.breach, strict=True)}

    def safer(self, targets: Sequence[float]) -> list[Candidate]:
        """Later light-ups for targets of which no way stands with machines other than known, though they would be better than
        the best that does."""
        standing = [self.score(self.able(t)[0]) for t in targets if self.able(t) and t not in self.unsure]
        worth = [t for t in sorted(self.unsure, key=lambda t: self.score(self.able(t)[0]))
                 if not standing or self.score(self.able(t)[0]) < min(standing)]
        return [later for t in worth[:REFINED_TARGETS] for later in lit_later(self.candidates[self.able(t)[0]])]

    def plan(self, targets: Sequence[float]) -> Plan:
        """Pick."""
        choices = [self._choose(target) for target in targets]
        # the band is about ways that stand; daring ones only count where there is nothing else
        standing = [c for c in choices if c.cost_per_m3 is not None and not c.daring] or choices
        cheapest = min((c.cost_per_m3 for c in standing if c.cost_per_m3 is not None), default=0.0)
        choices = [replace(c, in_band=c.cost_per_m3 is not None and c.cost_per_m3 <= cheapest * BAND + 1e-12) for c in choices]
        done = [i for i, c in enumerate(choices) if c.limit is None]
        best = min(done, key=lambda i: (choices[i].daring, self.score(choices[i].row)), default=None)
        return Plan(tuple(choices), best, _frontier(choices, self.outcome, done), self.outcome)

    def _choose(self, target: float) -> Choice:
        out, able, taste = self.outcome, self.able(target), self.taste(target)
        if able:
            # equal to a thousandth: the one that ends first
            least = self.score(able[0])[0]
            row = min((r for r in able if self.score(r)[0] <= least * 1.001 + 1e-12), key=lambda r: self.score(r)[1])
            syrup = float(out.syrup_m3[row])
            cost = float(out.cost[row]) / syrup + taste if syrup > 0 else None
            return Choice(target, row, self.candidates[row], None, 0.0, cost, taste, False, target in self.unsure)
        # the row that got furthest before it broke something tells most
        row = max(self.rows_of(target), key=lambda r: out.breach_min[r])
        return Choice(target, row, self.candidates[row], LIMITS[out.breach[row]], float(out.breach_min[row]), None, taste, False)


def _frontier(choices: Sequence[Choice], outcome: Outcome, done: Sequence[int]) -> tuple[int, ...]:
    points = {i: (choices[i].cost_per_m3 or 0.0, float(outcome.finish_min[choices[i].row])) for i in done}

    def beaten(mine: tuple[float, float]) -> bool:
        return any(other != mine and other[0] <= mine[0] and other[1] <= mine[1] for other in points.values())

    return tuple(i for i in done if not beaten(points[i]))
