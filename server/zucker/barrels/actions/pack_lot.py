"""Pack a lot into containers, move them, and take either back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

import structlog
from django.db import transaction
from django.db.models import Max
from zucker_core import packing, sugar

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..models import Lot, Move, Pack, Went
from ..queries import left_in, there_of

log = structlog.get_logger()
ROUNDING = 1.002
"""Counted containers may take a little more than was measured of a batch."""


@dataclass(frozen=True)
class Filling:
    """Containers to fill from a lot. each_m3: what one holds, as filled hot; weights in kg for a barrel."""

    container: str
    barrel: bool
    each_m3: float
    count: int
    fill_c: float
    place: str = ""
    gross_kg: float | None = None
    tare_kg: float | None = None


@transaction.atomic
def pack_lot(operation: Operation, person: Person, lot: Lot, filling: Filling, at: datetime | None = None) -> Pack:
    """Fill containers; what they hold is kept at 20 °C, so what shrinks on cooling is not counted twice.

    A barrel weighed gross and tare is booked by its weight. Raises Refused when the lot has not so much left.
    """
    lot = Lot.objects.select_for_update().get(pk=lot.pk)
    cold = (
        filling.each_m3 * (1.0 - float(packing.shrinkage(lot.brix, filling.fill_c, 20.0)))
        if filling.fill_c > 20
        else filling.each_m3
    )
    if filling.gross_kg is not None:
        if filling.tare_kg is None or filling.gross_kg <= filling.tare_kg:
            raise Refused(
                "gross_kg", "the full barrel must weigh more than the empty one: give both weights", value=filling.gross_kg
            )
        if filling.count != 1:
            raise Refused("count", "weights are of one barrel: fill them one by one", value=filling.count)
        cold = (filling.gross_kg - filling.tare_kg) / float(sugar.density(lot.brix, 20.0))
    rest, wanted = left_in(lot), cold * filling.count
    if wanted > rest * ROUNDING:
        raise Refused(
            "count",
            f"{filling.count} of these take {wanted * 1000:.1f} L (at 20 °C), lot {lot.code} has {rest * 1000:.1f} L left",
            value=filling.count,
        )
    number = _next(operation)
    pack = Pack.objects.create(
        operation=operation,
        lot=lot,
        number=number,
        container=filling.container,
        barrel=filling.barrel,
        each_m3=cold,
        count=filling.count,
        fill_c=filling.fill_c,
        gross_kg=filling.gross_kg,
        tare_kg=filling.tare_kg,
        place=filling.place,
        filled_at=at or clock.now(),
        filled_by=person,
    )
    log.info("packed", pack=pack.pk, lot=lot.pk, count=filling.count)
    return pack


def _next(operation: Operation) -> int:
    return (Pack.objects.of(operation).aggregate(last=Max("number"))["last"] or 0) + 1


@transaction.atomic
def move_pack(
    pack: Pack, person: Person, went: str, count: int, place: str, price: float | None, at: datetime | None = None
) -> Move:
    """Note that some of a pack moved or went. Raises Refused when fewer are there."""
    pack = Pack.objects.select_for_update().get(pk=pack.pk)
    there = there_of(pack)
    if count > there:
        raise Refused("count", f"{count} cannot go: {there} of pack {pack.number} are there", value=count)
    if went == Went.MOVED and not place:
        raise Refused("place", "say where it was moved", value="")
    return Move.objects.create(
        pack=pack,
        at=at or clock.now(),
        by=person,
        went=went,
        count=count,
        place=place,
        price=None if price is None else Decimal(str(round(price, 2))),
    )


def undo_move(move: Move) -> None:
    """Take a move back; its row stays."""
    if move.undone_at is not None:
        raise Refused("move", "this is undone already", status=409)
    move.undone_at = clock.now()
    move.save(update_fields=["undone_at"])


@transaction.atomic
def unpack(pack: Pack) -> None:
    """Take back a fill that nothing has happened to; its history stays. Raises Refused."""
    if pack.moves.filter(undone_at__isnull=True).exists():
        raise Refused("pack", "something of this pack has moved: take that back first", status=409)
    pack.delete()


@transaction.atomic
def unmake_lot(lot: Lot) -> None:
    """Take back a lot that nothing was packed or blended from; its history stays. Raises Refused."""
    if lot.packs.exists() or lot.given_to.exists():
        raise Refused("lot", f"lot {lot.code} has been packed or blended: take that back first", status=409)
    lot.delete()
