"""Begin a drill and play it, step by step, against the simulator. Nothing here touches readings, alarms or cases."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max
from zucker_core import vacuum
from zucker_core.units import M3_PER_GALLON
from zucker_core.vacuum import drill

from ...config.errors import Refused
from ...people.models import Operation
from ..models import Bush, Drill
from ..networks import network_of
from ..tables import table_of

NOTICE = 0.9
USUAL_RATE_M3_S = 0.15 * M3_PER_GALLON / 3600
TROUBLE, FIELD, READINGS, PAR = 1, 2, 3, 4
"""Streams of chance of one seed; steps take those from STEPS on."""
STEPS = 100


def field_of(made: Drill) -> drill.Field:
    """How the drill's bush really is. Raises Refused when its network has changed since."""
    if made.bush.survey != made.survey:
        raise Refused("drill", "the lines were changed since this drill began; begin a new one", 409)
    trouble = vacuum.Trouble(**made.trouble)
    table = table_of(made.bush, made.sap_rate)
    return drill.field_of(network_of(made.bush), trouble, table.bench.conditions, np.random.default_rng([made.seed, FIELD]))


def search_of(made: Drill) -> vacuum.Search:
    """The belief after the drill's steps, as the Hunt would have it."""
    table = table_of(made.bush, made.sap_rate)
    known = {tag: fall for tag, fall in made.falls.items() if tag in table.sensors}
    search = vacuum.Search.begin(vacuum.locate(table.network, known, vacuum.MEAN_NOISE_PA, table=table, most=1).leaks[0])
    for step in made.steps:
        if step["action"] == "look" and not step["found"]:
            search = search.after_look(step["at"], NOTICE)
        elif step["action"] == "shut":
            search = search.after_shut(step["at"], step["rises_pa"], step["holds_pa_s"])
    return search


@transaction.atomic
def begin_drill(
    operation: Operation, bush: Bush, person: Any, causes: Sequence[str], now: datetime, seed: int | None = None
) -> Drill:
    """Draw a trouble, what the gauges show of it, and how long following every advice takes."""
    bush = Bush.objects.select_for_update().get(pk=bush.pk)
    seed = secrets.randbelow(2**40) if seed is None else seed
    network, table = network_of(bush), table_of(bush, USUAL_RATE_M3_S)
    trouble = drill.invent(network, np.random.default_rng([seed, TROUBLE]), causes)
    field = drill.field_of(network, trouble, table.bench.conditions, np.random.default_rng([seed, FIELD]))
    falls = drill.readings(field, np.random.default_rng([seed, READINGS]))
    number = (Drill.objects.filter(operation=operation).aggregate(last=Max("number"))["last"] or 0) + 1
    return Drill.objects.create(
        operation=operation,
        bush=bush,
        survey=bush.survey,
        number=number,
        person=person,
        made_at=now,
        seed=seed,
        sap_rate=USUAL_RATE_M3_S,
        trouble={"cause": trouble.cause, "at": trouble.at, "size": trouble.size},
        falls=falls,
        par_min=drill.par(field, table, np.random.default_rng([seed, PAR]), NOTICE),
        position=network.nodes[0].tag,
    )


@transaction.atomic
def play_step(made: Drill, action: str, at: str, cause: str) -> Drill:
    """Shut a valve, look over a saddle, say what it is, or give up. Raises Refused for what cannot be done."""
    made = Drill.objects.select_for_update(of=("self",)).select_related("bush").get(pk=made.pk)
    if made.solved is not None:
        raise Refused("drill", "this drill is over", 409)
    field = field_of(made)
    rng = np.random.default_rng([made.seed, STEPS + len(made.steps)])
    if action == "give_up":
        made.solved = False
        step: dict[str, Any] = {"minutes": 0.0}
    elif action == "say":
        step = _say(made, field, cause)
    else:
        step = _go(made, field, action, at, rng)
    made.minutes += step["minutes"]
    made.steps = [*made.steps, {"action": action, "at": at, **step}]
    made.save()
    return made


def _say(made: Drill, field: drill.Field, cause: str) -> dict[str, Any]:
    if cause not in drill.CAUSES:
        raise Refused("cause", f"is one of {', '.join(drill.CAUSES)}", value=cause)
    right = field.trouble.cause == cause
    if right and cause != "leak":
        made.solved = True
    return {"cause": cause, "right": right, "minutes": drill.SAY_MIN if right else drill.WRONG_MIN}


def _go(made: Drill, field: drill.Field, action: str, at: str, rng: np.random.Generator) -> dict[str, Any]:
    search = search_of(made).moved_to(made.position)
    chosen, best = drill.advice_for(search, action, at, NOTICE)
    step: dict[str, Any] = {
        "minutes": chosen.minutes,
        "bits": chosen.bits,
        "best": {"action": best.action, "at": best.at, "minutes": best.minutes, "bits": best.bits},
    }
    if action == "look":
        step["found"] = drill.found_by_look(field, at, NOTICE, rng)
        if step["found"]:
            made.solved = True
        after = search if step["found"] else search.after_look(at, NOTICE)
    else:
        rises, holds = drill.shut(field, at, rng)
        step |= {"rises_pa": rises, "holds_pa_s": holds}
        after = search.after_shut(at, rises, holds)
    made.position = at
    step["metres"] = after.leak.credible_m()
    return step
