"""Hunts: cases, their steps, the photos taken on them."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from simple_history.models import HistoricalRecords

from ...people.models import Operation, Owned
from .network import Bush
from .watching import Alarm


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


class Photo(Owned):
    """A picture taken on a hunt, made small and plain before it is kept (no place, no maker's notes)."""

    operation_path = "step__case__operation"
    step = models.OneToOneField(CaseStep, on_delete=models.CASCADE, related_name="photo")
    width = models.IntegerField()
    height = models.IntegerField()
    jpeg = models.BinaryField()
