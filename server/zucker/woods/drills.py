"""Reads of drills: what the player may see while it runs, and everything when it is over."""

from __future__ import annotations

from typing import Any

from zucker_core import vacuum
from zucker_core.vacuum import drill

from .actions.play_drill import NOTICE, search_of
from .hunts import advice_of, leak_shape, strip
from .models import Drill
from .networks import network_of
from .queries import state_of

SPREAD_PA = float(vacuum.spread_of(0.0))


def summary(made: Drill) -> dict[str, Any]:
    """A line of the list."""
    over = made.solved is not None
    return {
        "number": made.number,
        "who": made.person.username,
        "bush": made.bush.slug,
        "made_at": made.made_at,
        "minutes": made.minutes,
        "par_min": made.par_min if over else None,
        "solved": made.solved,
        "cause": made.trouble["cause"] if over else None,
        "at": made.trouble["at"] if over else None,
        "steps": len(made.steps),
    }


def drill_view(made: Drill) -> dict[str, Any]:
    """Everything that the Drill room shows. What is wrong, and what each step was worth beside the best, only when it is over."""
    over = made.solved is not None
    view = summary(made) | {
        "size": made.trouble["size"] if over else None,
        "frost": made.trouble["cause"] == "frozen" or made.seed % 3 == 0,
        "position": made.position,
        "gauges": [],
        "valves": [],
        "places": [],
        "strip": [],
        "leak": None,
        "hints": [],
        "log": [_step(step, over) for step in made.steps],
    }
    if made.bush.survey != made.survey:
        return view
    network = network_of(made.bush)
    names = vacuum.branches_of(network)
    view["gauges"] = sorted(
        (
            {"gauge": tag, "main": str(names[network.sensors[tag]]), "fall_pa": fall, "state": state_of(fall, SPREAD_PA)}
            for tag, fall in made.falls.items()
        ),
        key=lambda row: -row["fall_pa"],
    )
    view["valves"] = [n.tag for n in network.nodes if n.kind == "valve"]
    view["places"] = [
        {"tag": network.nodes[i].tag, "main": str(names[i])}
        for i in vacuum.candidates_of(network)
        if network.nodes[i].kind != "valve"
    ]
    search = search_of(made).moved_to(made.position)
    view["strip"] = strip(search, next(iter(search.leak.branches), ""))
    view["leak"] = leak_shape(search)
    if over:
        return view
    view["hints"] = advice_of(search, NOTICE, [], most=1)
    return view


def _step(step: dict[str, Any], over: bool) -> dict[str, Any]:
    rises = step.get("rises_pa") or {}
    gauge = max(rises, key=rises.__getitem__, default=None)
    return {
        "action": step["action"],
        "at": step["at"],
        "minutes": step["minutes"],
        "cause": step.get("cause"),
        "right": step.get("right"),
        "found": step.get("found"),
        "gauge": gauge,
        "rise_pa": rises.get(gauge) if gauge else None,
        "metres": step.get("metres"),
        "worth": drill.worth(step["bits"], step["minutes"], step["best"]) if over and "best" in step else None,
        "best": step.get("best") if over else None,
    }
