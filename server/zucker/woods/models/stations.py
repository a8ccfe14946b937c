"""Pump stations: what their gateway says of them, and what was asked of them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...people.models import Operation, Owned
from .network import Bush


class Station(Owned):
    """A pump station as its gateway last told. local : switched to local control, so that nothing is done from afar."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="stations")
    bush = models.ForeignKey(Bush, on_delete=models.SET_NULL, null=True, blank=True, related_name="stations")
    tag = models.CharField(max_length=40)
    running = models.BooleanField()
    local = models.BooleanField(default=False)
    hours = models.FloatField(null=True, blank=True)
    heard_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["operation", "tag"], name="station_tag_once")]


class StationRequest(Owned):
    """A start or stop that somebody asked for. answered : what the station said; nothing within two minutes is no answer."""

    class State(models.TextChoices):
        ASKED = "asked"
        DONE = "done"
        REFUSED = "refused"
        NO_ANSWER = "no answer"

    operation_path = "station__operation"
    station = models.ForeignKey(Station, on_delete=models.CASCADE, related_name="requests")
    action = models.CharField(max_length=5, choices=[("start", "start"), ("stop", "stop")])
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True)
    at = models.DateTimeField()
    state = models.CharField(max_length=10, choices=State, default=State.ASKED)
    answered_at = models.DateTimeField(null=True, blank=True)
    reason = models.CharField(max_length=200, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["station"], condition=models.Q(state="asked"), name="one_request_at_a_time"),
        ]
