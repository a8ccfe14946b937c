"""Ask a pump station to start or stop; take what its gateway says."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import transaction

from ...config.errors import Refused
from ...people.models import Operation
from ..models import Bush, Station, StationRequest

log = structlog.get_logger()
SILENT = timedelta(minutes=5)
PATIENCE = timedelta(minutes=2)
FUTURE = timedelta(minutes=10)


@transaction.atomic
def ask_station(station: Station, person: Any, action: str, now: datetime) -> StationRequest:
    """Raises Refused in local control, for a silent station, while a request waits, and where it is so already."""
    station = Station.objects.select_for_update().get(pk=station.pk)
    give_up_waiting(now)
    if now - station.heard_at > SILENT:
        raise Refused(
            "station", f"{station.tag} has not been heard from since {station.heard_at:%H:%M} UTC: somebody has to go there", 409
        )
    if station.local:
        raise Refused("station", f"{station.tag} is switched to local control: only somebody standing there may turn it", 409)
    if StationRequest.objects.filter(station=station, state=StationRequest.State.ASKED).exists():
        raise Refused("station", f"{station.tag} has been asked already; wait for its answer", 409)
    if station.running == (action == "start"):
        raise Refused("action", f"{station.tag} {'runs' if station.running else 'stands'} already", 409, action)
    request = StationRequest.objects.create(station=station, action=action, by=person, at=now)
    log.info("station asked", station=station.pk, action=action)
    return request


def give_up_waiting(now: datetime) -> int:
    """Requests that nobody answered in two minutes become "no answer"."""
    late = StationRequest.objects.filter(state=StationRequest.State.ASKED, at__lt=now - PATIENCE)
    return late.update(state=StationRequest.State.NO_ANSWER, answered_at=now)


@transaction.atomic
def hear_stations(operation: Operation, told: list[dict[str, Any]], now: datetime) -> list[StationRequest]:
    """What a gateway says of its stations; returns what they are asked to do. A new tag becomes a station."""
    bushes = {bush.slug: bush for bush in Bush.objects.of(operation)}
    tags = []
    for one in told:
        if one["at"] > now + FUTURE:
            raise Refused("at", "lies more than ten minutes in the future", value=one["at"].isoformat())
        bush = bushes.get(one.get("bush") or "")
        facts = {"running": one["running"], "local": one["local"], "hours": one["hours"], "heard_at": one["at"]}
        if bush is not None:
            facts["bush"] = bush
        station, made = Station.objects.get_or_create(operation=operation, tag=one["tag"], defaults=facts)
        if not made and one["at"] >= station.heard_at:
            Station.objects.filter(pk=station.pk).update(**facts)
        tags.append(one["tag"])
    give_up_waiting(now)
    return list(
        StationRequest.objects.filter(
            station__operation=operation, station__tag__in=tags, state=StationRequest.State.ASKED
        ).select_related("station")
    )


@transaction.atomic
def answer_request(request: StationRequest, done: bool, reason: str, now: datetime) -> StationRequest:
    """The station did it, or refused and says why. An answer after the two minutes still counts; the first one stays."""
    request = StationRequest.objects.select_for_update().get(pk=request.pk)
    if request.state in (StationRequest.State.ASKED, StationRequest.State.NO_ANSWER):
        request.state = StationRequest.State.DONE if done else StationRequest.State.REFUSED
        request.reason, request.answered_at = reason, now
        request.save()
        log.info("station answered", station=request.station_id, state=request.state)
    return request
