"""The sugarhouse: tanks, machines, prices; plans, runs and what is written down during them."""

from __future__ import annotations

from django.db import models
from simple_history.models import HistoricalRecords

from ..people.models import Operation, Owned, Person


class TankRole(models.TextChoices):
    SAP = "sap"
    HEAD = "head"
    PERMEATE = "permeate"


class Tank(Owned):
    """A tank; `shape` holds the measures of zucker_core.sap.TankShape."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="tanks")
    name = models.CharField(max_length=40)
    role = models.CharField(max_length=12, choices=TankRole)
    shape = models.JSONField()
    reserve_m3 = models.FloatField(default=0.0)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "role"], name="one_tank_a_role"),
            models.CheckConstraint(condition=models.Q(role__in=TankRole.values), name="tank_role"),
            models.CheckConstraint(condition=models.Q(reserve_m3__gte=0), name="tank_reserve"),
        ]


class MembraneMachine(Owned):
    """The operation's membrane machine; `parameters` are those of zucker_core.membrane.Machine."""

    operation = models.OneToOneField(Operation, on_delete=models.CASCADE, related_name="membrane_machine")
    name = models.CharField(max_length=80)
    parameters = models.JSONField()
    permeate_since_wash_m3 = models.FloatField(default=0.0)
    history = HistoricalRecords()


class EvaporatorUnit(Owned):
    """The operation's evaporator; `parameters` are those of zucker_core.evaporator.Evaporator."""

    operation = models.OneToOneField(Operation, on_delete=models.CASCADE, related_name="evaporator")
    name = models.CharField(max_length=80)
    parameters = models.JSONField()
    firing_decay_s = models.FloatField(null=True, blank=True, help_text="wood only: how fast the fire falls, s")
    history = HistoricalRecords()


class PriceList(Owned):
    """Prices in the operation's currency: fuel by its trade unit, power by kWh, labour by hour, syrup by m³."""

    operation = models.OneToOneField(Operation, on_delete=models.CASCADE, related_name="price_list")
    fuel = models.DecimalField(max_digits=10, decimal_places=4, default=0)
    power_kwh = models.DecimalField(max_digits=10, decimal_places=4, default=0)
    labour_hour = models.DecimalField(max_digits=10, decimal_places=2, default=0)
    wash = models.DecimalField(max_digits=10, decimal_places=2, default=0)
    syrup_m3 = models.DecimalField(max_digits=12, decimal_places=2, default=0)
    history = HistoricalRecords()


class Plan(Owned):
    """An evening's plan: what was assumed (SI, as sent) and what the chosen target promised."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="plans")
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    schema = models.IntegerField(default=1)
    assumptions = models.JSONField()
    choice = models.JSONField()

    class Meta:
        ordering = ["-made_at", "-pk"]


class Run(Owned):
    """One day's sap made into syrup. Open until `closed_at`."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="runs")
    number = models.IntegerField()
    plan = models.ForeignKey(Plan, on_delete=models.SET_NULL, null=True, blank=True, related_name="runs")
    started_at = models.DateTimeField()
    started_by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    closed_at = models.DateTimeField(null=True, blank=True)
    taps = models.IntegerField(default=0)
    water_boiling_c = models.FloatField(null=True, blank=True)
    fuel = models.FloatField(null=True, blank=True, help_text="SI units of the evaporator's fuel")
    labour_s = models.FloatField(null=True, blank=True)
    closing = models.JSONField(null=True, blank=True, help_text="the ledger as closed")
    history = HistoricalRecords()

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["operation", "number"], name="run_number_once"),
            models.UniqueConstraint(
                fields=["operation"], condition=models.Q(closed_at__isnull=True), name="one_open_run"),
            models.CheckConstraint(
                condition=models.Q(closed_at__isnull=True) | models.Q(closed_at__gte=models.F("started_at")),
                name="run_ends_after_start"),
        ]


class Instrument(models.TextChoices):
    HYDROMETER = "hydrometer"
    REFRACTOMETER = "refractometer"


class Draw(Owned):
    """Syrup drawn: volume, how its density was read, what that makes truly. Undone draws keep their row."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="draws")
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    volume_m3 = models.FloatField()
    instrument = models.CharField(max_length=16, choices=Instrument)
    reading = models.FloatField()
    temp_c = models.FloatField()
    set_c = models.FloatField()
    true_brix = models.FloatField()
    brix_sd = models.FloatField()
    undone_at = models.DateTimeField(null=True, blank=True)
    history = HistoricalRecords()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.CheckConstraint(condition=models.Q(volume_m3__gte=0), name="draw_volume")]


class EntryKind(models.TextChoices):
    FIRED = "fired"
    LEVEL = "level"
    DEFOAMER = "defoamer"
    NOTE = "note"


class Entry(Owned):
    """One line of the run's log."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="entries")
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    kind = models.CharField(max_length=12, choices=EntryKind)
    text = models.CharField(max_length=2000, blank=True)
    undone_at = models.DateTimeField(null=True, blank=True)
    history = HistoricalRecords()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.CheckConstraint(condition=models.Q(kind__in=EntryKind.values), name="entry_kind")]


class Measure(Owned):
    """One line of a closed run's sugar balance."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="measures")
    name = models.CharField(max_length=80)
    side = models.CharField(max_length=16)
    volume_m3 = models.FloatField()
    volume_sd_m3 = models.FloatField()
    brix = models.FloatField()
    brix_sd = models.FloatField()
    temp_c = models.FloatField()

    class Meta:
        ordering = ["pk"]
