"""Bushes and what hangs in them: nodes and lines, as surveyed."""

from __future__ import annotations

from django.db import models
from simple_history.models import HistoricalRecords

from ...people.models import Operation, Owned
from ...telemetry.models import Sensor


class Bush(Owned):
    """A stand of trees whose sap comes by pipe to one pump, or by truck."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="bushes")
    slug = models.SlugField(max_length=40)
    name = models.CharField(max_length=80)
    hauled = models.BooleanField(default=False)
    taps = models.IntegerField(default=0)
    contours = models.JSONField(default=list, help_text="[{elevation_m, points: [[lon, lat], …]}, …]")
    survey = models.IntegerField(default=0, help_text="counts up whenever the network changes")
    schematic = models.BooleanField(default=False, help_text="drawn from a list of lengths, not surveyed")

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
    drops_installed = models.IntegerField(null=True, blank=True)
    wet_dry = models.CharField(max_length=12, blank=True)
    coordinates = models.JSONField(default=list)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["bush", "tag"], name="line_tag_once"),
            models.CheckConstraint(
                condition=models.Q(inner_diameter_m__gt=0, length_m__gt=0, taps__gte=0), name="line_measures"),
        ]
