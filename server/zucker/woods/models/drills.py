"""Drills: made-up troubles in a real network. Nothing else in the store refers to them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from ...people.models import Operation, Owned
from .network import Bush


class Drill(Owned):
    """One drill of one person. seed : of everything that is drawn; trouble : what is wrong (`vacuum.Trouble`); falls : what
    the gauges show (Pa); par_min : minutes that following every advice takes; steps : what was done and what it told"""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="drills")
    bush = models.ForeignKey(Bush, on_delete=models.CASCADE, related_name="drills")
    survey = models.IntegerField(help_text="of the bush when it was made: a changed network ends the drill")
    number = models.IntegerField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="drills")
    made_at = models.DateTimeField()
    seed = models.BigIntegerField()
    sap_rate = models.FloatField()
    trouble = models.JSONField()
    falls = models.JSONField()
    par_min = models.FloatField()
    steps = models.JSONField(default=list)
    minutes = models.FloatField(default=0.0)
    position = models.CharField(max_length=40)
    solved = models.BooleanField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["operation", "number"], name="drill_number_once")]
