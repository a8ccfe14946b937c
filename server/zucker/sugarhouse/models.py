"""The sugarhouse: tanks, machines, prices; plans, runs and what is written down during them."""

from __future__ import annotations

import uuid

from django.db import models
from simple_history.models import HistoricalRecords

from ..people.models import Operation, Owned, Person


class TankRole(models.TextChoices):
    SAP = "sap"
    BETWEEN = "between"
    HEAD = "head"
    PERMEATE = "permeate"


class Tank(Owned):
    """A tank; one between takes what a membrane gives in the first of two passes. `shape` holds the measures of
    zucker_core.sap.TankShape."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="tanks")
    name = models.CharField(max_length=40)
    role = models.CharField(max_length=12, choices=TankRole)
    shape = models.JSONField()
    reserve_m3 = models.FloatField(default=0.0)
    history = HistoricalRecords()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "role", "name"], name="tank_name_once"),
            models.CheckConstraint(condition=models.Q(role__in=TankRole.values), name="tank_role"),
            models.CheckConstraint(condition=models.Q(reserve_m3__gte=0), name="tank_reserve"),
        ]


class MembraneMachine(Owned):
    """A membrane machine; `parameters` are the maker's, of zucker_core.membrane.Machine."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="membrane_machines")
    name = models.CharField(max_length=80)
    parameters = models.JSONField()
    permeate_since_wash_m3 = models.FloatField(default=0.0)
    history = HistoricalRecords()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["operation", "name"], name="machine_name_once")]


class EvaporatorUnit(Owned):
    """An evaporator; `parameters` are the maker's, of zucker_core.evaporator.Evaporator."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="evaporators")
    name = models.CharField(max_length=80)
    parameters = models.JSONField()
    firing_decay_s = models.FloatField(null=True, blank=True, help_text="wood only: how fast the fire falls, s")
    history = HistoricalRecords()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["operation", "name"], name="evaporator_name_once")]


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
    water_boiling_at = models.DateTimeField(null=True, blank=True)
    fuel = models.FloatField(null=True, blank=True, help_text="SI units of the evaporator's fuel")
    labour_s = models.FloatField(null=True, blank=True)
    closing = models.JSONField(null=True, blank=True, help_text="the ledger as closed")
    figures = models.JSONField(default=dict, blank=True, help_text="sap, Brix, syrup and hours of a closed run, SI")
    history = HistoricalRecords()

    class Meta:
        ordering = ["-started_at", "-number"]
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


class Kept(models.Model):
    """A line written beside the pans. `token` is made where it was written, so that sending it again is harmless."""

    token = models.UUIDField(default=uuid.uuid4, editable=False)
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    undone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True


class Draw(Kept, Owned):
    """Syrup drawn: volume, how its density was read, what that makes truly. Undone draws keep their row."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="draws")
    volume_m3 = models.FloatField()
    instrument = models.CharField(max_length=16, choices=Instrument)
    reading = models.FloatField()
    temp_c = models.FloatField()
    set_c = models.FloatField()
    true_brix = models.FloatField()
    brix_sd = models.FloatField()
    history = HistoricalRecords()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=models.Q(volume_m3__gte=0), name="draw_volume"),
            models.UniqueConstraint(fields=["run", "token"], name="draw_written_once"),
        ]


class EntryKind(models.TextChoices):
    LIT = "lit"
    OUT = "out"
    FIRED = "fired"
    CUP = "cup"
    LEVEL = "level"
    DEFOAMER = "defoamer"
    MEMBRANE_ON = "membrane-on"
    MEMBRANE_OFF = "membrane-off"
    ALARM = "alarm"
    NOTE = "note"


class Entry(Kept, Owned):
    """One line of the run's log; `facts` holds the cup test's readings or the alarm that was seen."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="entries")
    kind = models.CharField(max_length=12, choices=EntryKind)
    text = models.CharField(max_length=2000, blank=True)
    facts = models.JSONField(default=dict, blank=True)
    history = HistoricalRecords()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=models.Q(kind__in=EntryKind.values), name="entry_kind"),
            models.UniqueConstraint(fields=["run", "token"], name="entry_written_once"),
        ]


class MembraneLine(Kept, Owned):
    """One line of a membrane's log during a run, SI; `cycle` counts the washes within the run."""

    operation_path = "run__operation"
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="membrane_lines")
    machine = models.ForeignKey(MembraneMachine, on_delete=models.CASCADE, related_name="lines")
    feed_brix = models.FloatField()
    concentrate_brix = models.FloatField()
    temp_c = models.FloatField()
    pressure_pa = models.FloatField()
    permeate_m3_s = models.FloatField()
    since_wash_m3 = models.FloatField()
    cycle = models.IntegerField(default=0)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.UniqueConstraint(fields=["run", "token"], name="membrane_line_written_once")]


class WashStep(Kept, Owned):
    """One step of a membrane's wash: what was done, with what, how warm and how long."""

    operation_path = "machine__operation"
    machine = models.ForeignKey(MembraneMachine, on_delete=models.CASCADE, related_name="wash_steps")
    step = models.CharField(max_length=16)
    chemical = models.CharField(max_length=80, blank=True)
    temp_c = models.FloatField(null=True, blank=True)
    minutes = models.FloatField(null=True, blank=True)
    ph = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.UniqueConstraint(fields=["machine", "token"], name="wash_step_written_once")]


class CleanWaterTest(Kept, Owned):
    """Permeate flow on clean water; `health` is over the flow when new at the same conditions."""

    operation_path = "machine__operation"
    machine = models.ForeignKey(MembraneMachine, on_delete=models.CASCADE, related_name="clean_water_tests")
    flow_m3_s = models.FloatField()
    temp_c = models.FloatField()
    pressure_pa = models.FloatField()
    health = models.FloatField()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.UniqueConstraint(fields=["machine", "token"], name="clean_water_written_once")]


class Lesson(Owned):
    """What closed runs have taught: parameters by machine and evaporator (their keys), and what is worth telling."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="lessons")
    run = models.OneToOneField(Run, on_delete=models.CASCADE, related_name="lesson")
    at = models.DateTimeField()
    schema = models.IntegerField(default=1)
    machines = models.JSONField(default=dict)
    evaporators = models.JSONField(default=dict)
    facts = models.JSONField(default=dict)

    class Meta:
        ordering = ["-at", "-pk"]


class Tick(Owned):
    """One line of a list ticked off for a day."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="ticks")
    day = models.DateField()
    list = models.CharField(max_length=24)
    item = models.CharField(max_length=40)
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["operation", "day", "list", "item"], name="ticked_once")]


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
    source = models.CharField(max_length=24, blank=True)
    sink = models.CharField(max_length=24, blank=True)

    class Meta:
        ordering = ["pk"]
