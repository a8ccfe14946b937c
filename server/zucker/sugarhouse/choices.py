"""A plan's choices as the API shows them."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from zucker_core import run
from zucker_core.evaporator import FUELS

from .equipment import House

TRACE_EVERY_MIN = 10


def choice_out(choice: run.Choice, index: int, found: run.Plan, scenario: run.Scenario, house: House) -> dict[str, Any]:
    """One target: its figures when it can be done, its limit when not."""
    out, r, way, evaporator = found.outcome, choice.row, choice.candidate, scenario.evaporator
    facts: dict[str, Any] = {
        "target_brix": choice.target_brix, "light_min": choice.light_min, "limit": choice.limit, "limit_min": choice.limit_min,
        "cost_per_m3": choice.cost_per_m3, "taste_per_m3": choice.taste_per_m3, "in_band": choice.in_band,
        "daring": choice.daring, "ways": _ways(way, house), "beyond_log": _beyond_log(choice.target_brix, house),
    }
    if choice.limit is not None:
        return facts
    end = int(out.finish_min[r]) + 1
    every = slice(0, end + TRACE_EVERY_MIN, TRACE_EVERY_MIN)

    def trace(values: np.ndarray) -> list[float]:
        return [round(float(v), 3) for v in values[every, r]]

    why = run.why_not(found, index)
    return facts | {
        "ro_start_min": way.ro_start_min, "lights_min": [x if np.isfinite(x) else None for x in way.lights],
        "ro_min": float(out.ro_min[r]), "ro_end_min": float(out.ro_end_min[r]), "boil_min": float(out.boil_min[r]),
        "boil_end_min": float(out.boil_end_min[r]), "finish_min": float(out.finish_min[r]), "washes": int(out.washes[r]),
        "concentrate_m3": float(out.concentrate_m3[r]), "permeate_m3": float(out.permeate_m3[r]),
        "permeate_left_m3": float(out.permeate_left_m3[r]), "syrup_m3": float(out.syrup_m3[r]),
        "fuel": float(out.fuel[r]) / FUELS[evaporator.fuel].trade_size, "power_kwh": float(out.power_j[r]) / 3.6e6,
        "labour_h": float(out.labour_s[r]) / 3600.0, "cost": float(out.cost[r]), "fuel_cost": float(out.fuel_cost[r]),
        "power_cost": float(out.power_cost[r]), "labour_cost": float(out.labour_cost[r]), "wash_cost": float(out.wash_cost[r]),
        "lost_cost": float(out.lost_cost[r]),
        "why": {"cost_more": why.cost_more, "fuel_cost_more": why.fuel_cost_more, "labour_cost_more": why.labour_cost_more,
                "other_cost_more": why.other_cost_more, "later_min": why.later_min},
        "trace_min": TRACE_EVERY_MIN, "sap_trace": trace(out.sap_trace), "head_trace": trace(out.head_trace),
        "permeate_trace": trace(out.permeate_trace), "syrup_trace": trace(out.syrup_trace),
        "wash_spans": _spans(out.wash_trace[:, r]), "ro_spans": _spans(out.ro_trace[:, r]),
        "fire_spans": _spans(out.fire_trace[:, r]),
        "people_spans": _steps(scenario.people.busy(np.maximum(out.ro_trace, out.wash_trace)[:, r], out.fire_trace[:, r])),
    }


def _ways(way: run.Candidate, house: House) -> list[str]:
    """What is out of the ordinary about a way, in words."""
    said = []
    if way.at_pace:
        said.append("membrane no faster than the pans")
    if way.two_passes:
        said.append("in two passes")
    if way.idle:
        said.append("fire turned down while the head tank is low")
    if way.wash_below == 0:
        said.append("washed only at the end")
    elif way.wash_below is not None:
        said.append("washed early on the way")
    if way.target_brix > 0:
        said += [f"without {row.name}" for row, on in zip(house.machine_rows, way.machines_on, strict=True) if not on]
    said += [f"{row.name} stays cold" for row, x in zip(house.evaporator_rows, way.lights, strict=True) if not np.isfinite(x)]
    return said


def _beyond_log(target: float, house: House) -> bool:
    """The target lies beyond what the membrane's log has shown; its flow there is the maker's word."""
    seen = house.lesson.facts.get("logged_brix") if house.lesson else None
    return bool(seen and target > 0 and not seen[0] <= target <= seen[1])


def _spans(share: np.ndarray) -> list[list[int]]:
    """[start, end) minutes in which something ran."""
    on = np.concatenate([[0], (share > 0).astype(int), [0]])
    change = np.diff(on)
    return [[int(a), int(b)] for a, b in zip(np.nonzero(change == 1)[0], np.nonzero(change == -1)[0], strict=True)]


def _steps(values: np.ndarray) -> list[dict[str, float]]:
    """Spans of minutes in which a value stays the same, without those in which it is nothing."""
    starts = np.concatenate([[0], np.nonzero(np.diff(values))[0] + 1, [len(values)]])
    return [{"from_min": int(a), "until_min": int(b), "people": float(values[a])}
            for a, b in pairwise(starts) if b > a and values[a] > 0]
