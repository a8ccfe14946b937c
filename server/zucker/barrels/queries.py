"""Reads of lots, packs and stock."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, Sum
from zucker_core import packing, sugar

from ..people.models import Operation
from .models import Lot, Move, Pack, Part, Went

GONE = (Went.SOLD, Went.GIVEN, Went.SPILLED, Went.OPENED)


def left_in(lot: Lot) -> float:
    """What of a lot is neither packed nor blended, m³ at 20 °C."""
    packed = sum(pack.each_m3 * pack.count for pack in lot.packs.all())
    given = sum(part.volume_m3 for part in lot.given_to.all())
    return max(lot.volume_m3 - packed - given, 0.0)


def there_of(pack: Pack) -> int:
    """How many of a pack are still there."""
    return pack.count - sum(m.count for m in pack.moves.all() if m.undone_at is None and m.went in GONE)


def lot_out(lot: Lot) -> dict[str, Any]:
    """A lot as shown."""
    return {
        "id": lot.pk,
        "code": lot.code,
        "run": lot.run.number if lot.run else None,
        "made_at": lot.made_at,
        "made_by": lot.made_by.username if lot.made_by else "",
        "volume_m3": lot.volume_m3,
        "left_m3": left_in(lot),
        "brix": lot.brix,
        "transmittance": lot.transmittance,
        "off_flavour": lot.off_flavour,
        "grade": lot.grade,
        "finish": lot.finish,
        "filtered": lot.filtered,
        "note": lot.note,
    }


def pack_out(pack: Pack) -> dict[str, Any]:
    """A pack as shown. shrinks: what of it is lost on cooling; hot: whether it was filled hot enough, and not too hot."""
    hot = "fine"
    if pack.fill_c < packing.PACK_FROM_C:
        hot = "cool"
    elif pack.fill_c > packing.SAND_ABOVE_C:
        hot = "sand"
    moves = [m for m in pack.moves.all() if m.undone_at is None]
    place = next((m.place for m in reversed(moves) if m.went == Went.MOVED), pack.place)
    return {
        "id": pack.pk,
        "number": pack.number,
        "lot": pack.lot.code,
        "lot_id": pack.lot_id,
        "run": pack.lot.run.number if pack.lot.run else None,
        "grade": pack.lot.grade,
        "brix": pack.lot.brix,
        "transmittance": pack.lot.transmittance,
        "container": pack.container,
        "barrel": pack.barrel,
        "each_m3": pack.each_m3,
        "count": pack.count,
        "there": there_of(pack),
        "fill_c": pack.fill_c,
        "hot": hot,
        "gross_kg": pack.gross_kg,
        "tare_kg": pack.tare_kg,
        "place": place,
        "filled_at": pack.filled_at,
        "shrinks": float(packing.shrinkage(pack.lot.brix, pack.fill_c)) if pack.fill_c > 20 else 0.0,
        "moves": [
            {
                "id": m.pk,
                "at": m.at,
                "by": m.by.username if m.by else "",
                "went": m.went,
                "count": m.count,
                "place": m.place,
                "price": None if m.price is None else float(m.price),
            }
            for m in moves
        ],
    }


def rack(operation: Operation) -> dict[str, Any]:
    """Everything that the Barrels room shows."""
    lots = list(Lot.objects.of(operation).select_related("run", "made_by").prefetch_related("packs", "given_to"))
    packs = list(Pack.objects.of(operation).select_related("lot__run").prefetch_related("moves__by"))
    stock: dict[str, dict[str, float]] = {}
    for grade in sugar.Grade:
        stock[grade] = {"packed_m3": 0.0, "loose_m3": 0.0, "packs": 0}
    for pack in packs:
        there = there_of(pack)
        stock[pack.lot.grade]["packed_m3"] += there * pack.each_m3
        stock[pack.lot.grade]["packs"] += there
    for lot in lots:
        stock[lot.grade]["loose_m3"] += left_in(lot)
    sold = Move.objects.of(operation).filter(undone_at__isnull=True, went=Went.SOLD).aggregate(money=Sum("price"))["money"]
    return {
        "lots": [lot_out(lot) for lot in lots],
        "packs": [pack_out(pack) for pack in packs],
        "stock": [{"grade": grade, **facts} for grade, facts in stock.items()],
        "sold": float(sold or 0),
    }


def trace(operation: Operation, pack: Pack) -> dict[str, Any]:
    """From a bottle back to its runs: the lots it came from, each with its share of the volume, and theirs."""
    shares: dict[int, float] = {}
    lots: dict[int, Lot] = {}

    def follow(lot: Lot, share: float) -> None:
        lots[lot.pk] = lot
        shares[lot.pk] = shares.get(lot.pk, 0.0) + share
        parts = list(Part.objects.filter(lot=lot).select_related("taken_from__run", "taken_from__made_by"))
        total = sum(part.volume_m3 for part in parts)
        for part in parts:
            follow(part.taken_from, share * part.volume_m3 / total)

    follow(pack.lot, 1.0)
    runs = [
        {
            "number": lot.run.number,
            "started_at": lot.run.started_at,
            "closed_at": lot.run.closed_at,
            "share": shares[key],
            "sap_brix": lot.run.figures.get("sap_brix"),
        }
        for key, lot in lots.items()
        if lot.run is not None
    ]
    others = Pack.objects.of(operation).filter(lot_id__in=lots).filter(~Q(pk=pack.pk)).select_related("lot").order_by("number")
    return {
        "pack": pack_out(pack),
        "lots": [{**lot_out(lot), "share": shares[key]} for key, lot in lots.items()],
        "runs": runs,
        "others": [{"number": other.number, "container": other.container, "lot": other.lot.code} for other in others[:200]],
    }
