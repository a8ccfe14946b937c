"""Make a lot of finished syrup: from a run's draws, or blended from other lots."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import structlog
from django.db import transaction
from zucker_core import sugar

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ...sugarhouse.models import Run
from ..blend import blended
from ..models import Lot, Part
from ..queries import left_in

log = structlog.get_logger()
HEAVIEST_BRIX, LIGHTEST_BRIX = 68.9, 66.0


@dataclass(frozen=True)
class LotFacts:
    """What is known of a lot: volume at 20 °C, true Brix, transmittance %, off-flavour or "", how it was finished."""

    volume_m3: float
    brix: float
    transmittance: float
    off_flavour: str
    finish: str
    filtered: bool
    note: str = ""


@transaction.atomic
def make_lot(operation: Operation, person: Person, run: Run, facts: LotFacts, at: datetime | None = None) -> Lot:
    """Finished syrup of a run; `at` when it was taken over from before. Raises Refused for a density that may not be packed."""
    check_density(facts.brix)
    lot = Lot.objects.create(
        operation=operation,
        run=run,
        code=_code(operation, f"{run.started_at:%y}-{run.number:03d}"),
        made_at=at or clock.now(),
        made_by=person,
        volume_m3=facts.volume_m3,
        brix=facts.brix,
        transmittance=facts.transmittance,
        off_flavour=facts.off_flavour,
        grade=sugar.grade(facts.transmittance, facts.off_flavour or None),
        finish=facts.finish,
        filtered=facts.filtered,
        note=facts.note,
    )
    log.info("lot made", lot=lot.pk, run=run.pk)
    return lot


@transaction.atomic
def blend_lots(operation: Operation, person: Person, parts: Sequence[tuple[Lot, float]], note: str = "") -> Lot:
    """A lot of other lots, each giving a volume (m³ at 20 °C). Raises Refused when one has not so much left."""
    if len({lot.pk for lot, _ in parts}) < 2:
        raise Refused("parts", "a blend needs at least two different lots")
    for lot, volume in sorted(parts, key=lambda part: part[0].pk):
        locked = Lot.objects.select_for_update().get(pk=lot.pk)
        rest = left_in(locked)
        if volume > rest * (1 + 1e-9):
            raise Refused("parts", f"lot {lot.code} has {rest * 1000:.1f} L left, {volume * 1000:.1f} L were asked", value=volume)
    mix = blended([(lot, volume) for lot, volume in parts])
    check_density(mix.brix)
    off = next((lot.off_flavour for lot, _ in parts if lot.off_flavour), "")
    blend = Lot.objects.create(
        operation=operation,
        code=_code(operation, f"{clock.now():%y}-B"),
        made_at=clock.now(),
        made_by=person,
        volume_m3=mix.volume_m3,
        brix=mix.brix,
        transmittance=mix.transmittance,
        off_flavour=off,
        grade=sugar.grade(mix.transmittance, off or None),
        finish=parts[0][0].finish,
        filtered=all(lot.filtered for lot, _ in parts),
        note=note,
    )
    Part.objects.bulk_create([Part(lot=blend, taken_from=lot, volume_m3=volume) for lot, volume in parts])
    log.info("lots blended", lot=blend.pk, parts=len(parts))
    return blend


def check_density(brix: float) -> None:
    """Raises Refused outside what may be packed as syrup."""
    if brix > HEAVIEST_BRIX:
        raise Refused(
            "brix", f"{brix:.1f} °Brix is above {HEAVIEST_BRIX}: it would crystallise and may not be packed; thin it", value=brix
        )
    if brix < LIGHTEST_BRIX - 1.0:
        raise Refused("brix", f"{brix:.1f} °Brix is far below {LIGHTEST_BRIX}: it would ferment; boil it further", value=brix)


def _code(operation: Operation, stem: str) -> str:
    """The stem with the next free letter: 26-014-A, 26-014-B, …"""
    count = Lot.objects.of(operation).filter(code__startswith=f"{stem}-").count()
    letters = ""
    while True:
        letters = chr(65 + count % 26) + letters
        count = count // 26 - 1
        if count < 0:
            return f"{stem}-{letters}"
