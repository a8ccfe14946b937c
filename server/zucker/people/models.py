"""Who works here, for which sugarmaker, and in what role."""

from __future__ import annotations

from typing import ClassVar, Self

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    OWNER = "owner"
    CREW = "crew"
    VIEWER = "viewer"


RANK = {Role.VIEWER: 0, Role.CREW: 1, Role.OWNER: 2}


class Units(models.TextChoices):
    US = "us"
    METRIC = "metric"


class Theme(models.TextChoices):
    DEVICE = "device"
    DAY = "day"
    NIGHT = "night"


class Person(AbstractUser):
    """Someone who signs in. Units and theme are theirs, wherever they sign in."""

    units = models.CharField(max_length=8, choices=Units, default=Units.US)
    theme = models.CharField(max_length=8, choices=Theme, default=Theme.DEVICE)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(units__in=Units.values), name="person_units"),
            models.CheckConstraint(condition=models.Q(theme__in=Theme.values), name="person_theme"),
        ]


class Operation(models.Model):
    """One sugarmaker: every other row belongs to one."""

    slug = models.SlugField(max_length=40, unique=True)
    name = models.CharField(max_length=80)
    place = models.CharField(max_length=120, blank=True)
    elevation_m = models.FloatField()
    zone = models.CharField(max_length=40, default="UTC")
    currency = models.CharField(max_length=3, default="USD")
    syrup_brix = models.FloatField(default=66.9)
    hydrometer_graduated_c = models.FloatField(default=15.56)
    refractometer_compensated = models.BooleanField(default=True)
    members = models.ManyToManyField(Person, through="Membership", related_name="operations")

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(elevation_m__range=(-400, 4000)), name="operation_elevation"),
            models.CheckConstraint(condition=models.Q(syrup_brix__range=(60, 70)), name="operation_syrup_brix"),
        ]

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A person's role in an operation."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="memberships")
    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=8, choices=Role)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["person", "operation"], name="one_role_a_person"),
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="membership_role"),
        ]


class OwnedQuerySet(models.QuerySet):
    """Rows that belong to an operation. `of` is the only way in for requests."""

    def of(self, operation: Operation) -> Self:
        path = self.model.operation_path  # type: ignore[attr-defined]  # every Owned model has it
        return self.filter(**{path: operation})


class Owned(models.Model):
    """Abstract: a row that belongs to one operation, directly or by `operation_path`."""

    operation_path: ClassVar[str] = "operation"
    objects = OwnedQuerySet.as_manager()

    class Meta:
        abstract = True
