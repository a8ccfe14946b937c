"""Alarms: what is wrong now, what was, and who has seen it."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Schema
from ninja.security import django_auth

from ... import clock
from ...config.errors import REFUSALS, Errors
from ...config.fields import Id, Slug
from ...people.access import operation_for
from ...people.models import Role
from ..actions.acknowledge_alarm import acknowledge_alarm
from ..models import Alarm, LeakCase

router = Router(tags=["alarms"], auth=django_auth)


class FactOut(Schema):
    """One piece of evidence: its name, a value in SI where it has one, the causes it favours, the gauges it is about."""

    name: str
    value: float | None
    favours: list[str]
    gauges: list[str]


class AlarmOut(Schema):
    """causes: probability by cause, likeliest first; place: the mainline, empty for the whole bush; case: its hunt."""

    id: int
    bush: str
    place: str
    cause: str
    causes: dict[str, float]
    facts: list[FactOut]
    gauges: list[str]
    point: str
    fall_pa: float
    opened_at: datetime
    seen_at: datetime
    closed_at: datetime | None
    sap_lost_m3: float
    money_lost: float
    acknowledged_at: datetime | None
    acknowledged_by: str | None
    case: int | None


class AlarmQuery(Schema):
    days: float = Query(3.0, ge=0.0, le=366.0, allow_inf_nan=False)


def shaped(alarms: list[Alarm]) -> list[dict[str, Any]]:
    """Alarms with the number of the hunt that each has."""
    cases = dict(LeakCase.objects.filter(alarm__in=alarms).order_by("pk").values_list("alarm_id", "number"))
    return [
        {"id": a.pk, "bush": a.bush.slug, "place": a.place, "cause": a.cause,
         "causes": dict(sorted(a.causes.items(), key=lambda item: -item[1])), "facts": a.facts, "gauges": a.gauges,
         "point": a.point, "fall_pa": a.fall_pa, "opened_at": a.opened_at, "seen_at": a.seen_at, "closed_at": a.closed_at,
         "sap_lost_m3": a.sap_lost_m3, "money_lost": float(a.money_lost), "acknowledged_at": a.acknowledged_at,
         "acknowledged_by": a.acknowledged_by.username if a.acknowledged_by else None, "case": cases.get(a.pk)}
        for a in alarms
    ]


@router.get("/operations/{operation}/alarms", response={200: list[AlarmOut], REFUSALS: Errors})
def list_alarms(request: HttpRequest, operation: Slug, query: Query[AlarmQuery]) -> list[dict[str, Any]]:
    """Open alarms, and those that ended within the last days; the newest first."""
    since = clock.now() - timedelta(days=query.days)
    found = Alarm.objects.of(operation_for(request, operation)).select_related("bush", "acknowledged_by")
    return shaped(list(found.exclude(closed_at__lt=since).order_by("-opened_at")[:500]))


@router.post("/operations/{operation}/alarms/{alarm}/seen", response={200: AlarmOut, REFUSALS: Errors})
def see_alarm(request: HttpRequest, operation: Slug, alarm: Id) -> dict[str, Any]:
    """Somebody has seen it: who and when is kept, the first time only."""
    found = get_object_or_404(Alarm.objects.of(operation_for(request, operation, Role.CREW)), pk=alarm)
    return shaped([acknowledge_alarm(found, request.user, clock.now())])[0]
