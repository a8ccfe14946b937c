"""What the gauges have taught, and what is wrong now."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...people.models import Operation, Owned
from ...telemetry.models import Sensor
from .network import Bush


class GaugeState(Owned):
    """What one vacuum gauge has taught, and how its watch stands (`zucker_core.vacuum`: learn, detect)."""

    operation_path = "sensor__operation"
    sensor = models.OneToOneField(Sensor, on_delete=models.CASCADE, related_name="gauge_state")
    learned = models.JSONField(default=dict)
    learned_to = models.DateTimeField(null=True, blank=True)
    total_pa = models.FloatField(default=0.0)
    base_pa = models.FloatField(default=0.0)
    rising_min = models.FloatField(default=0.0)
    long_run_pa2 = models.FloatField(null=True, blank=True)
    watched_to = models.DateTimeField(null=True, blank=True)
    fallen = models.BooleanField(default=False)


class Alarm(Owned):
    """Something is wrong at one place: one alarm for as long as it lasts, whatever it repeats.

    place : the mainline, or "" for the whole bush; causes : probability by cause; facts : the evidence;
    sap_lost_m3, money_lost : what it has cost so far
    """

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="alarms")
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="alarms")
    place = models.CharField(max_length=40, blank=True)
    opened_at = models.DateTimeField()
    seen_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    cause = models.CharField(max_length=12)
    causes = models.JSONField(default=dict)
    facts = models.JSONField(default=list)
    gauges = models.JSONField(default=list)
    point = models.CharField(max_length=40, blank=True, help_text="valve or node that the likeliest cause points at")
    fall_pa = models.FloatField(default=0.0)
    sap_lost_m3 = models.FloatField(default=0.0)
    money_lost = models.DecimalField(max_digits=12, decimal_places=2, default=0)
    acknowledged_at = models.DateTimeField(null=True, blank=True)
    acknowledged_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["bush", "place"], condition=models.Q(closed_at__isnull=True), name="alarm_open_once"),
        ]
        indexes = [models.Index(fields=["operation", "opened_at"])]
