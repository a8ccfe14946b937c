"""Finished syrup: lots, what they were packed in, and where that went."""

from __future__ import annotations

from django.db import models
from simple_history.models import HistoricalRecords

from ..people.models import Operation, Owned, Person
from ..sugarhouse.models import Run


class Finish(models.TextChoices):
    """How the batch was brought to density."""

    THERMOMETER = "thermometer"
    HYDROMETER = "hydrometer"
    REFRACTOMETER = "refractometer"
    APRON = "apron"


class Lot(Owned):
    """Syrup of one density and colour, finished and filtered: from a run's draws, or blended from other lots.

    Transmittance in % at 560 nm over 10 mm. Volume at 20 °C.
    """

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="lots")
    code = models.CharField(max_length=24)
    run = models.ForeignKey(Run, on_delete=models.PROTECT, null=True, blank=True, related_name="lots")
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    volume_m3 = models.FloatField()
    brix = models.FloatField()
    transmittance = models.FloatField()
    off_flavour = models.CharField(max_length=24, blank=True)
    grade = models.CharField(max_length=16)
    finish = models.CharField(max_length=16, choices=Finish)
    filtered = models.BooleanField(default=True)
    note = models.CharField(max_length=400, blank=True)
    history = HistoricalRecords()

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [
            models.UniqueConstraint(fields=["operation", "code"], name="lot_code_once"),
            models.CheckConstraint(condition=models.Q(volume_m3__gt=0), name="lot_volume"),
            models.CheckConstraint(condition=models.Q(transmittance__range=(0, 100)), name="lot_transmittance"),
            models.CheckConstraint(condition=models.Q(finish__in=Finish.values), name="lot_finish"),
        ]


class Part(Owned):
    """What a blended lot took from another."""

    operation_path = "lot__operation"
    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="parts")
    taken_from = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="given_to")
    volume_m3 = models.FloatField()

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(volume_m3__gt=0), name="part_volume"),
            models.UniqueConstraint(fields=["lot", "taken_from"], name="part_once"),
        ]


class Pack(Owned):
    """Containers of one kind filled from a lot: a numbered barrel, or many jugs. Volume of each at 20 °C."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="packs")
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="packs")
    number = models.IntegerField()
    container = models.CharField(max_length=40)
    barrel = models.BooleanField(default=False)
    each_m3 = models.FloatField()
    count = models.IntegerField()
    fill_c = models.FloatField()
    gross_kg = models.FloatField(null=True, blank=True)
    tare_kg = models.FloatField(null=True, blank=True)
    place = models.CharField(max_length=40, blank=True)
    filled_at = models.DateTimeField()
    filled_by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    history = HistoricalRecords()

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["operation", "number"], name="pack_number_once"),
            models.CheckConstraint(condition=models.Q(each_m3__gt=0) & models.Q(count__gte=1), name="pack_size"),
            models.CheckConstraint(condition=models.Q(fill_c__range=(0, 110)), name="pack_fill_temp"),
        ]


class Went(models.TextChoices):
    """What became of packed syrup."""

    MOVED = "moved"
    SOLD = "sold"
    GIVEN = "given away"
    SPILLED = "spilled"
    OPENED = "opened"


class Move(Owned):
    """Some of a pack moved or gone. `price` is for all of it, in the operation's currency."""

    operation_path = "pack__operation"
    pack = models.ForeignKey(Pack, on_delete=models.CASCADE, related_name="moves")
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True)
    went = models.CharField(max_length=12, choices=Went)
    count = models.IntegerField()
    place = models.CharField(max_length=80, blank=True)
    price = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True)
    undone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=models.Q(count__gte=1), name="move_count"),
            models.CheckConstraint(condition=models.Q(went__in=Went.values), name="move_went"),
        ]
