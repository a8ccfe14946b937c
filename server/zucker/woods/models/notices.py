"""Whom alarms are told, and what was told."""

from __future__ import annotations

from django.db import models

from ...people.models import Operation, Owned
from .crew import Walk
from .watching import Alarm


class Contact(Owned):
    """An e-mail address or a web address to which alarms are told. quiet_from, quiet_to : hours of the local day in which
    nothing is sent but a person overdue (equal: none)."""

    class Kind(models.TextChoices):
        EMAIL = "email"
        WEBHOOK = "webhook"

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="contacts")
    kind = models.CharField(max_length=8, choices=Kind)
    address = models.CharField(max_length=300)
    quiet_from = models.IntegerField(default=0)
    quiet_to = models.IntegerField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "kind", "address"], name="contact_once"),
            models.CheckConstraint(condition=models.Q(quiet_from__range=(0, 23), quiet_to__range=(0, 23)), name="contact_hours"),
        ]


class Notice(Owned):
    """One thing told to one contact: an alarm, or a walk overdue. An alarm that repeats is one notice."""

    operation_path = "contact__operation"
    contact = models.ForeignKey(Contact, on_delete=models.CASCADE, related_name="notices")
    alarm = models.ForeignKey(Alarm, on_delete=models.CASCADE, null=True, blank=True, related_name="notices")
    walk = models.ForeignKey(Walk, on_delete=models.CASCADE, null=True, blank=True, related_name="notices")
    made_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True, blank=True)
    tries = models.IntegerField(default=0)
    fault = models.CharField(max_length=200, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["contact", "alarm"], name="alarm_told_once"),
            models.UniqueConstraint(fields=["contact", "walk"], name="walk_told_once"),
            models.CheckConstraint(
                condition=models.Q(alarm__isnull=False, walk__isnull=True) | models.Q(alarm__isnull=True, walk__isnull=False),
                name="notice_of_one_thing"),
        ]
