"""The crew in the woods: who is out, who tapped what."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...people.models import Operation, Owned
from .network import Bush


class Walk(Owned):
    """Somebody is out alone: where, and when due back."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="walks")
    token = models.UUIDField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="walks")
    place = models.CharField(max_length=200)
    since = models.DateTimeField()
    due_at = models.DateTimeField()
    back_at = models.DateTimeField(null=True, blank=True)
    back_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "token"], name="walk_once"),
            models.CheckConstraint(condition=models.Q(due_at__gt=models.F("since")), name="walk_due_later"),
        ]


class Tapping(Owned):
    """Taps set on one mainline (or one lateral of it) by one person. depth_m : of the holes; soft : with soft or dark
    shavings, the first suspects of a leak that nobody finds."""

    class Spout(models.TextChoices):
        NEW = "new"
        CHECK_VALVE = "check-valve"
        STAINLESS = "stainless"

    operation_path = "bush__operation"
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="tappings")
    token = models.UUIDField()
    main = models.CharField(max_length=40)
    lateral = models.CharField(max_length=40, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True)
    taps = models.IntegerField()
    soft = models.IntegerField(default=0)
    depth_m = models.FloatField(null=True, blank=True)
    spout = models.CharField(max_length=12, choices=Spout, default=Spout.NEW)
    note = models.CharField(max_length=200, blank=True)
    undone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["bush", "token"], name="tapping_once"),
            models.CheckConstraint(condition=models.Q(taps__range=(1, 2000), soft__gte=0, soft__lte=models.F("taps")),
                                   name="tapping_counts"),
        ]
