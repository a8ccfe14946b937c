"""Devices, their sensors, and readings."""

from __future__ import annotations

import hashlib

from django.contrib.postgres.indexes import BrinIndex
from django.db import models

from ..people.models import Operation, Owned


class Kind(models.TextChoices):
    """What a sensor measures; values are stored in the SI unit named."""

    VACUUM = "vacuum"  # Pa below the atmosphere
    PRESSURE = "pressure"  # Pa, absolute for a barometer, over the membrane for a machine
    LEVEL = "level"  # m of liquid
    TEMPERATURE = "temperature"  # °C
    FLOW = "flow"  # m³/s
    BRIX = "brix"  # °Brix
    WIND = "wind"  # m/s


DIMENSION = {
    Kind.VACUUM: "pressure", Kind.PRESSURE: "pressure", Kind.LEVEL: "length", Kind.TEMPERATURE: "temperature",
    Kind.FLOW: "flow", Kind.BRIX: "brix", Kind.WIND: "speed",
}
PLAUSIBLE = {
    Kind.VACUUM: (-5e3, 1.02e5), Kind.PRESSURE: (-1e5, 1e7), Kind.LEVEL: (-0.1, 20.0), Kind.TEMPERATURE: (-60.0, 150.0),
    Kind.FLOW: (-0.01, 1.0), Kind.BRIX: (-1.0, 85.0), Kind.WIND: (0.0, 90.0),
}


class Device(Owned):
    """A gateway or controller that sends readings. Only the hash of its token is kept."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="devices")
    name = models.CharField(max_length=80)
    token_hash = models.CharField(max_length=64, unique=True)
    created_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True, blank=True)

    @staticmethod
    def hash_of(token: str) -> str:
        """SHA-256: tokens are 32 random bytes, so nothing slower is needed."""
        return hashlib.sha256(token.encode()).hexdigest()


class Sensor(Owned):
    """One measured place. The last reading is kept here so that screens need not search for it.

    part : what it belongs to outside the woods: "sap tank", "head tank", "permeate tank", "membrane", "pan",
        "barometer", "outdoors", "releaser" (or empty)
    """

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="sensors")
    tag = models.CharField(max_length=40)
    kind = models.CharField(max_length=12, choices=Kind)
    part = models.CharField(max_length=24, blank=True)
    by_hand = models.BooleanField(default=False, help_text="a dial that somebody reads on a gauge round")
    dump_m3 = models.FloatField(null=True, blank=True, help_text="of a flow told in dumps: what one dump of the releaser holds")
    last_at = models.DateTimeField(null=True, blank=True)
    last_value = models.FloatField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "tag"], name="sensor_tag_once"),
            models.CheckConstraint(condition=models.Q(kind__in=Kind.values), name="sensor_kind"),
            models.CheckConstraint(
                condition=models.Q(dump_m3__isnull=True) | models.Q(dump_m3__gt=0, kind="flow"), name="sensor_dump"),
        ]

    def __str__(self) -> str:
        return self.tag


class Reading(models.Model):
    """One value at one moment, SI. Partitioned by month; (sensor, at) makes sending twice harmless."""

    pk = models.CompositePrimaryKey("sensor", "at")
    sensor = models.ForeignKey(Sensor, on_delete=models.DO_NOTHING, db_constraint=False, related_name="readings")
    at = models.DateTimeField()
    value = models.FloatField()

    class Meta:
        indexes = [BrinIndex(fields=["at"], name="reading_at_brin")]


class Rollup(models.Model):
    """Readings of one sensor over ten minutes or an hour."""

    sensor = models.ForeignKey(Sensor, on_delete=models.CASCADE, related_name="rollups")
    width_s = models.IntegerField(choices=[(600, "ten minutes"), (3600, "hour")])
    start = models.DateTimeField()
    count = models.IntegerField()
    low = models.FloatField()
    mean = models.FloatField()
    high = models.FloatField()
    last = models.FloatField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["sensor", "width_s", "start"], name="rollup_once"),
            models.CheckConstraint(condition=models.Q(count__gt=0), name="rollup_count"),
        ]


class DemoClock(models.Model):
    """One row: at `anchor_real` the demo's clock stood at `anchor_demo` and ran `pace` times as fast."""

    anchor_real = models.DateTimeField()
    anchor_demo = models.DateTimeField()
    pace = models.FloatField(default=1.0)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(pace__range=(0, 3600)), name="clock_pace")]
