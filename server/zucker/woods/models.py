"""Bushes and what hangs in them: nodes and lines, as surveyed."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from simple_history.models import HistoricalRecords

from ..people.models import Operation, Owned
from ..telemetry.models import Sensor


class Bush(Owned):
    """A stand of trees whose sap comes by pipe to one pump, or by truck."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="bushes")
    slug = models.SlugField(max_length=40)
    name = models.CharField(max_length=80)
    hauled = models.BooleanField(default=False)
    taps = models.IntegerField(default=0)
    contours = models.JSONField(default=list, help_text="[{elevation_m, points: [[lon, lat], …]}, …]")
    survey = models.IntegerField(default=0, help_text="counts up whenever the network changes")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "slug"], name="bush_slug_once"),
            models.CheckConstraint(condition=models.Q(taps__gte=0), name="bush_taps"),
        ]


class Node(Owned):
    """A pump, junction, saddle, valve or end."""

    operation_path = "bush__operation"
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="nodes")
    tag = models.CharField(max_length=40)
    kind = models.CharField(max_length=12)
    lon = models.FloatField()
    lat = models.FloatField()
    elevation_m = models.FloatField(null=True, blank=True)
    sensor = models.ForeignKey(Sensor, on_delete=models.SET_NULL, null=True, blank=True, related_name="nodes")
    properties = models.JSONField(default=dict)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["bush", "tag"], name="node_tag_once"),
            models.CheckConstraint(condition=models.Q(lon__range=(-180, 180), lat__range=(-90, 90)), name="node_place"),
        ]


class Line(Owned):
    """A pipe between two nodes; `main` names the mainline that it is part of."""

    operation_path = "bush__operation"
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="lines")
    tag = models.CharField(max_length=40)
    kind = models.CharField(max_length=12)
    main = models.CharField(max_length=40, blank=True)
    downstream = models.ForeignKey(Node, on_delete=models.CASCADE, related_name="upstream_lines")
    upstream = models.ForeignKey(Node, on_delete=models.CASCADE, related_name="downstream_lines")
    inner_diameter_m = models.FloatField()
    length_m = models.FloatField()
    taps = models.IntegerField(default=0)
    installed = models.IntegerField(null=True, blank=True)
    wet_dry = models.CharField(max_length=12, blank=True)
    coordinates = models.JSONField(default=list)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["bush", "tag"], name="line_tag_once"),
            models.CheckConstraint(
                condition=models.Q(inner_diameter_m__gt=0, length_m__gt=0, taps__gte=0), name="line_measures"),
        ]


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


class LeakCase(Owned):
    """The hunt for one leak, from suspicion to proof.

    number : counts up in the operation; drops : fall of each gauge (Pa) by tag when it was opened; sap_rate : then, of
    one tap, m³/s; main : the line suspected, which says which leak it is when the readings ask for several
    """

    class State(models.TextChoices):
        SUSPECTED = "suspected"
        NARROWING = "narrowing"
        FOUND = "found"
        REPAIRED = "repaired"
        PROVEN = "proven"
        WAITING = "waiting"  # not found: comes back by itself when it runs harder
        DROPPED = "dropped"

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="cases")
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="cases")
    alarm = models.ForeignKey(Alarm, on_delete=models.SET_NULL, null=True, blank=True, related_name="cases")
    number = models.IntegerField()
    state = models.CharField(max_length=12, choices=State, default=State.SUSPECTED)
    main = models.CharField(max_length=40, blank=True)
    opened_at = models.DateTimeField()
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True)
    closed_at = models.DateTimeField(null=True, blank=True)
    drops = models.JSONField(default=dict)
    noise_pa = models.FloatField()
    sap_rate = models.FloatField(default=0.0)
    found_at = models.CharField(max_length=40, blank=True)
    found_cause = models.CharField(max_length=24, blank=True)
    repaired_at = models.DateTimeField(null=True, blank=True)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "number"], name="case_number_once"),
            models.CheckConstraint(
                condition=models.Q(state__in=["suspected", "narrowing", "found", "repaired", "proven", "waiting", "dropped"]),
                name="case_state"),
        ]


class CaseStep(Owned):
    """One thing done in a hunt. `token` comes from the phone that wrote it, so that sending it twice is harmless."""

    operation_path = "case__operation"
    case = models.ForeignKey(LeakCase, on_delete=models.CASCADE, related_name="steps")
    token = models.UUIDField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True)
    kind = models.CharField(max_length=12)
    place = models.CharField(max_length=40, blank=True)
    facts = models.JSONField(default=dict)
    undone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["case", "token"], name="case_step_once")]
