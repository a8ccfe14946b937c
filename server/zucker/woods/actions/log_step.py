"""Write one step of a hunt: a test, a look, a note, a finding, a repair. Undo one."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import transaction

from ...config.errors import Refused
from ...telemetry.models import Kind
from ...telemetry.queries import latest_of, sensors_by_part
from ..hunts import conditions_of, rises_between
from ..models import CaseStep, LeakCase
from ..tables import table_of

log = structlog.get_logger()
FOUND_CAUSES = (
    "chew", "loose spout", "cracked fitting", "limb", "ice", "tree", "end ring", "open drop", "split hole", "saddle", "other",
)
AFTER = {
    "going": "narrowing", "shut": "narrowing", "look": "narrowing", "found": "found", "repaired": "repaired",
    "not_found": "waiting", "dropped": "dropped",
}
ALLOWED_IN = {
    "suspected": {"going", "shut", "look", "found", "not_found", "note", "photo", "dropped"},
    "narrowing": {"going", "shut", "look", "found", "not_found", "note", "photo", "dropped"},
    "waiting": {"going", "shut", "look", "found", "not_found", "note", "photo", "dropped"},
    "found": {"repaired", "note", "photo", "found"}, "repaired": {"note", "photo"}, "proven": {"note", "photo"},
    "dropped": {"note", "photo"},
}
FUTURE = timedelta(minutes=10)


@transaction.atomic
def log_step(
    case: LeakCase, person: Any, kind: str, place: str, facts: dict[str, Any], at: datetime, token: uuid.UUID,
    now: datetime,
) -> CaseStep:
    """Check, write, move the case on. A token that is known already returns the step it made, so that a phone may
    send again. Raises Refused naming the field."""
    case = LeakCase.objects.select_for_update().select_related("bush", "operation").get(pk=case.pk)
    known = CaseStep.objects.filter(case=case, token=token).first()
    if known is not None:
        return known
    if kind not in ALLOWED_IN[case.state]:
        takes = ", ".join(sorted(ALLOWED_IN[case.state]))
        raise Refused("kind", f"a case that is {case.state} takes no “{kind}”; it takes {takes}", 409, kind)
    if at > now + FUTURE:
        raise Refused("at", f"lies in the future; the latest is {now + FUTURE:%H:%M} UTC", value=at.isoformat())
    network = table_of(case.bush, case.sap_rate).network
    if kind in ("shut", "look", "found", "going") and place not in network.index:
        raise Refused("place", f"there is no point {place!r} in {case.bush.name}", value=place)
    if kind == "shut":
        facts = _shut(case, place, facts, at)
    elif kind == "look":
        facts = {"notice": conditions_of(case.operation, at).notice}
        if network.lines[network.index[place]] is not None and network.lines[network.index[place]].kind == "lateral":  # type: ignore[union-attr]
            raise Refused("place", f"{place} is on a lateral; name its saddle on the main", value=place)
    elif kind == "found":
        if facts.get("cause") not in FOUND_CAUSES:
            raise Refused("facts.cause", f"is one of {', '.join(FOUND_CAUSES)}", value=facts.get("cause"))
        case.found_at, case.found_cause = place, facts["cause"]
    elif kind == "repaired":
        case.repaired_at = at
    elif kind == "not_found":
        flow = latest_of(sensors_by_part(case.operation).get((f"releaser {case.bush.slug}", Kind.FLOW)))
        facts = {**facts, "sap_rate": (flow.value if flow else 0.0) / max(case.bush.taps, 1)}
    step = CaseStep.objects.create(case=case, token=token, at=at, by=person, kind=kind, place=place, facts=facts)
    case.state = AFTER.get(kind, case.state)
    if kind == "dropped":
        case.closed_at = at
    case.save()
    log.info("case step", case=case.pk, kind=kind)
    return step


def _shut(case: LeakCase, valve: str, facts: dict[str, Any], at: datetime) -> dict[str, Any]:
    network = table_of(case.bush, case.sap_rate).network
    if network.nodes[network.index[valve]].kind != "valve":
        raise Refused("place", f"{valve} is no valve", value=valve)
    if facts.get("rose") is not None:
        return {"rose": bool(facts["rose"])}
    began = facts.get("began_at")
    if began is None:
        raise Refused("facts.began_at", "say when the valve was shut, or whether the vacuum elsewhere rose")
    if not timedelta(minutes=2) <= at - began <= timedelta(hours=1):
        raise Refused("facts.began_at", "the valve must have been shut for 2 to 60 minutes", value=began.isoformat())
    rises, holds = rises_between(case, valve, began, at)
    if not rises:
        raise Refused("facts.rose", "too few readings came while the valve was shut: say yourself whether the vacuum rose")
    return {"rises_pa": rises, "holds_pa_s": holds, "minutes": (at - began) / timedelta(minutes=1)}


@transaction.atomic
def undo_step(case: LeakCase, step: CaseStep, now: datetime) -> None:
    """Take a step back; it stays in the log, struck through. Only the last step that counts can be undone."""
    case = LeakCase.objects.select_for_update().get(pk=case.pk)
    last = case.steps.filter(undone_at__isnull=True).order_by("-at", "-pk").first()
    if last is None or last.pk != step.pk:
        raise Refused("step", "only the last step can be undone", 409)
    if step.kind in ("proven", "reopened", "back"):
        raise Refused("step", "this step was made by the readings; it cannot be undone", 409)
    step.undone_at = now
    step.save()
    rest = [s.kind for s in case.steps.filter(undone_at__isnull=True).order_by("at", "pk")]
    states = [AFTER[kind] for kind in rest if kind in AFTER]
    case.state = states[-1] if states else LeakCase.State.SUSPECTED
    if step.kind == "found":
        case.found_at = case.found_cause = ""
    if step.kind == "repaired":
        case.repaired_at = None
    case.closed_at = None
    case.save()
    log.info("case step undone", case=case.pk, kind=step.kind)
