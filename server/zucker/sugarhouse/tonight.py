"""Tonight: what each target would mean."""

from __future__ import annotations

from collections.abc import Generator
from typing import Any

from zucker_core import run

from ..config.errors import Refused
from ..people.models import Operation
from .assumptions import known_now
from .choices import choice_out
from .equipment import House
from .models import Plan
from .scenario import inflow, scenario_of, without_ice

SAME_M3 = 1e-3
EVENINGS = run.Memory()
"""Whoever changes a price, the taste or the objective asks for the same evening again."""


def _preference(a: dict[str, Any]) -> run.Preference | None:
    if a["taste_low"] is not None and a["taste_high"] is not None and a["taste_high"] < a["taste_low"]:
        raise Refused("taste_high", f"{a['taste_high']:g} °Brix is below {a['taste_low']:g}", value=a["taste_high"])
    if a["taste_low"] is None or a["taste_high"] is None or a["taste_cost"] <= 0:
        return None
    return run.Preference(a["taste_low"], a["taste_high"], a["taste_cost"])


Steps = Generator[tuple[float, dict[str, Any] | None], None, dict[str, Any]]


def comparing(operation: Operation, a: dict[str, Any], *, lit: bool = False) -> Steps:
    """`compare` in steps: yields the share done with the comparison as far as it goes, returns the whole; closing cancels."""
    scenario, house = scenario_of(operation, a, lit=lit)
    steps = run.planning(
        scenario, a["objective"], preference=_preference(a), doubt=house.doubt, work=EVENINGS.simulate, look=EVENINGS.glance)
    while True:
        try:
            share, so_far = next(steps)
        except StopIteration as done:
            return _comparison(a, done.value, scenario, house)
        yield share, None if so_far is None else _comparison(a, so_far, scenario, house, whole=False)


def _comparison(
    a: dict[str, Any], found: run.Plan, scenario: run.Scenario, house: House, *, whole: bool = True
) -> dict[str, Any]:
    """The plan as the API shows it; the whole one with what the forecast's spread would make of it."""
    choices = [choice_out(choice, k, found, scenario, house) for k, choice in enumerate(found.choices)]
    if whole:
        for key, volume in (("with_less", a["coming_low_m3"]), ("with_more", a["coming_high_m3"])):
            for choice, otherwise in zip(choices, _otherwise(a, volume, found, scenario), strict=True):
                choice[key] = otherwise if choice["limit"] is None else None
    return {
        "choices": choices, "best": found.best, "frontier": list(found.frontier),
        "without_ice": without_ice(a) if a["ice_m3"] else None,
    }


def _otherwise(
    a: dict[str, Any], volume_m3: float | None, found: run.Plan, scenario: run.Scenario
) -> list[dict[str, Any] | None]:
    """What becomes of every choice when so much sap comes instead; nothing where that is what is planned for."""
    if volume_m3 is None or not a["coming_h"] or abs(volume_m3 - a["coming_m3"]) < SAME_M3:
        return [None] * len(found.choices)
    out = run.with_inflow(scenario, found, inflow(a, volume_m3), EVENINGS.glance)
    return [
        {"coming_m3": volume_m3, "finish_min": float(out.finish_min[k]), "limit_min": float(out.breach_min[k]),
         "limit": None if out.breach[k] == run.NEVER else run.LIMITS[out.breach[k]]}
        for k in range(len(found.choices))]


def compare(operation: Operation, a: dict[str, Any], *, lit: bool = False) -> dict[str, Any]:
    """What each target would mean under these assumptions; `lit` when the fires burn already."""
    steps = comparing(operation, a, lit=lit)
    while True:
        try:
            next(steps)
        except StopIteration as done:
            answer: dict[str, Any] = done.value
            return answer


def replanned(operation: Operation, planned: Plan | None) -> dict[str, Any]:
    """A comparison from where things stand, with the fires lit. Raises CoreError."""
    known = known_now(operation, planned)
    return compare(operation, known, lit=True) | {"assumptions": known}
