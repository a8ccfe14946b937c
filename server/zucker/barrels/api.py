"""Lots, packs, blends, moves, traces and labels."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field, StringConstraints

from ..config.errors import REFUSALS, Errors
from ..config.fields import Id, Money, ShortText, Slug, Strict
from ..people.access import operation_for
from ..people.models import Operation, Person, Role, Units
from ..sugarhouse.models import Run
from . import blend, labels, queries
from .actions.make_lot import LotFacts, blend_lots, make_lot
from .actions.pack_lot import Filling, move_pack, pack_lot, undo_move, unmake_lot, unpack
from .models import Lot, Move, Pack

router = Router(tags=["barrels"], auth=django_auth)


def between(low: float, high: float) -> Any:
    """A finite number within [low, high]."""
    return Field(ge=low, le=high, allow_inf_nan=False)


SyrupBrix = Annotated[float, between(50, 75)]
Percent = Annotated[float, between(0, 100)]
Litres = Annotated[float, between(1e-6, 100)]
Place = Annotated[str, StringConstraints(max_length=80, pattern=r"^[^\x00]*$", strip_whitespace=True)]
Flavour = Literal["", "buddy", "sour", "scorched", "metallic", "other"]


class LotOut(Schema):
    """Volumes at 20 °C; left: neither packed nor blended."""

    id: int
    code: str
    run: int | None
    made_at: datetime
    made_by: str
    volume_m3: float
    left_m3: float
    brix: float
    transmittance: float
    off_flavour: str
    grade: str
    finish: str
    filtered: bool
    note: str


class MoveOut(Schema):
    id: int
    at: datetime
    by: str
    went: str
    count: int
    place: str
    price: float | None


class PackOut(Schema):
    """hot: fine, cool (may not keep) or sand (new sugar sand may fall)."""

    id: int
    number: int
    lot: str
    lot_id: int
    run: int | None
    grade: str
    brix: float
    transmittance: float
    container: str
    barrel: bool
    each_m3: float
    count: int
    there: int
    fill_c: float
    hot: str
    gross_kg: float | None
    tare_kg: float | None
    place: str
    filled_at: datetime
    shrinks: float
    moves: list[MoveOut]


class StockOut(Schema):
    grade: str
    packed_m3: float
    loose_m3: float
    packs: int


class RackOut(Schema):
    lots: list[LotOut]
    packs: list[PackOut]
    stock: list[StockOut]
    sold: float


@router.get("/operations/{operation}/barrels", response={200: RackOut, REFUSALS: Errors})
def read_rack(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """All lots and packs, and the stock by grade."""
    return queries.rack(operation_for(request, operation))


class LotIn(Strict):
    """Finished syrup of a run: volume at 20 °C, true Brix, transmittance % at 560 nm over 10 mm."""

    run: Id
    volume_m3: Litres
    brix: SyrupBrix
    transmittance: Percent
    off_flavour: Flavour = ""
    finish: Literal["thermometer", "hydrometer", "refractometer", "apron"] = "hydrometer"
    filtered: bool = True
    note: Annotated[str, StringConstraints(max_length=400, pattern=r"^[^\x00]*$", strip_whitespace=True)] = ""


@router.post("/operations/{operation}/lots", response={201: LotOut, REFUSALS: Errors})
def add_lot(request: HttpRequest, operation: Slug, payload: LotIn) -> Status:
    """Make a lot of a run's syrup."""
    place = operation_for(request, operation, Role.CREW)
    facts = payload.dict()
    run = Run.objects.of(place).filter(number=facts.pop("run")).first()
    if run is None:
        raise Http404
    return Status(201, queries.lot_out(make_lot(place, _person(request), run, LotFacts(**facts))))


@router.delete("/operations/{operation}/lots/{lot}", response={204: None, REFUSALS: Errors})
def remove_lot(request: HttpRequest, operation: Slug, lot: Id) -> Status:
    """Take back a lot that nothing was made of."""
    unmake_lot(_lot(operation_for(request, operation, Role.CREW), lot))
    return Status(204, None)


class PartIn(Strict):
    lot: Id
    volume_m3: Litres


class LotBlendIn(Strict):
    parts: Annotated[list[PartIn], Field(min_length=2, max_length=20)]
    note: Annotated[str, StringConstraints(max_length=400, pattern=r"^[^\x00]*$", strip_whitespace=True)] = ""


class MixOut(Schema):
    volume_m3: float
    brix: float
    transmittance: float
    grade: str


@router.post("/operations/{operation}/blends/look", response={200: MixOut, REFUSALS: Errors})
def look_at_blend(request: HttpRequest, operation: Slug, payload: LotBlendIn) -> Any:
    """What a blend would be. Nothing is kept."""
    place = operation_for(request, operation)
    return vars(blend.blended([(_lot(place, part.lot), part.volume_m3) for part in payload.parts]))


class RecipeIn(Strict):
    """The blend wanted: at least this transmittance, as near to this Brix as the lots allow."""

    lots: Annotated[list[Id], Field(min_length=1, max_length=20)]
    volume_m3: Litres
    transmittance: Annotated[float, between(0.1, 100)]
    brix: SyrupBrix


class RecipeOut(MixOut):
    parts: list[PartIn]
    on_density: bool


@router.post("/operations/{operation}/blends/recipe", response={200: RecipeOut, REFUSALS: Errors})
def find_recipe(request: HttpRequest, operation: Slug, payload: RecipeIn) -> dict[str, Any]:
    """How much of each lot makes it. Nothing is kept."""
    place = operation_for(request, operation)
    lots = [_lot(place, key) for key in dict.fromkeys(payload.lots)]
    made = blend.recipe([(lot, queries.left_in(lot)) for lot in lots], payload.transmittance, payload.brix, payload.volume_m3)
    used = [(lot, volume) for lot, volume in zip(lots, made.volumes_m3, strict=True) if volume > 0]
    mix = blend.blended(used)
    return {**vars(mix), "on_density": made.on_density, "parts": [{"lot": lot.pk, "volume_m3": volume} for lot, volume in used]}


@router.post("/operations/{operation}/blends", response={201: LotOut, REFUSALS: Errors})
def add_blend(request: HttpRequest, operation: Slug, payload: LotBlendIn) -> Status:
    """Blend lots into a new one."""
    place = operation_for(request, operation, Role.CREW)
    parts = [(_lot(place, part.lot), part.volume_m3) for part in payload.parts]
    return Status(201, queries.lot_out(blend_lots(place, _person(request), parts, payload.note)))


class PackIn(Strict):
    """each_m3: what one container holds as filled; weights for a barrel."""

    lot: Id
    container: ShortText
    barrel: bool = False
    each_m3: Annotated[float, between(1e-6, 2)]
    count: Annotated[int, Field(ge=1, le=100_000)] = 1
    fill_c: Annotated[float, between(0, 107)]
    place: Annotated[str, StringConstraints(max_length=40, pattern=r"^[^\x00]*$", strip_whitespace=True)] = ""
    gross_kg: Annotated[float, between(0, 2000)] | None = None
    tare_kg: Annotated[float, between(0, 500)] | None = None


@router.post("/operations/{operation}/packs", response={201: PackOut, REFUSALS: Errors})
def add_pack(request: HttpRequest, operation: Slug, payload: PackIn) -> Status:
    """Fill containers from a lot."""
    place = operation_for(request, operation, Role.CREW)
    facts = payload.dict()
    lot = _lot(place, facts.pop("lot"))
    facts["container"] = facts["container"][:40]
    return Status(201, queries.pack_out(pack_lot(place, _person(request), lot, Filling(**facts))))


@router.delete("/operations/{operation}/packs/{number}", response={204: None, REFUSALS: Errors})
def remove_pack(request: HttpRequest, operation: Slug, number: Id) -> Status:
    """Take back a fill that nothing has happened to."""
    unpack(_pack(operation_for(request, operation, Role.CREW), number))
    return Status(204, None)


class MoveIn(Strict):
    went: Literal["moved", "sold", "given away", "spilled", "opened"]
    count: Annotated[int, Field(ge=1, le=100_000)]
    place: Place = ""
    price: Money | None = None


@router.post("/operations/{operation}/packs/{number}/moves", response={201: PackOut, REFUSALS: Errors})
def add_move(request: HttpRequest, operation: Slug, number: Id, payload: MoveIn) -> Status:
    """Some of a pack moved, was sold, given away, spilled or opened."""
    place = operation_for(request, operation, Role.CREW)
    move_pack(_pack(place, number), _person(request), payload.went, payload.count, payload.place, payload.price)
    return Status(201, queries.pack_out(_pack(place, number)))


@router.delete("/operations/{operation}/packs/{number}/moves/{move}", response={204: None, REFUSALS: Errors})
def remove_move(request: HttpRequest, operation: Slug, number: Id, move: Id) -> Status:
    """Undo a move."""
    place = operation_for(request, operation, Role.CREW)
    row = Move.objects.of(place).filter(pack__number=number, pk=move).first()
    if row is None:
        raise Http404
    undo_move(row)
    return Status(204, None)


class TracedLot(LotOut):
    share: float


class TracedRun(Schema):
    number: int
    started_at: datetime
    closed_at: datetime | None
    share: float
    sap_brix: float | None


class OtherPack(Schema):
    number: int
    container: str
    lot: str


class TraceOut(Schema):
    """From a pack back to its lots and runs, each with its share of the volume; others: packs of the same lots."""

    pack: PackOut
    lots: list[TracedLot]
    runs: list[TracedRun]
    others: list[OtherPack]


@router.get("/operations/{operation}/packs/{number}", response={200: TraceOut, REFUSALS: Errors})
def read_trace(request: HttpRequest, operation: Slug, number: Id) -> dict[str, Any]:
    """Where a pack comes from."""
    place = operation_for(request, operation)
    return queries.trace(place, _pack(place, number))


@router.get(
    "/operations/{operation}/packs/{number}/labels.pdf",
    response={REFUSALS: Errors},
    openapi_extra={
        "responses": {
            200: {"description": "OK", "content": {"application/pdf": {"schema": {"type": "string", "format": "binary"}}}}
        }
    },
)
def read_labels(
    request: HttpRequest, operation: Slug, number: Id, copies: Annotated[int, Field(ge=1, le=labels.MOST)] | None = None
) -> HttpResponse:
    """Labels of a pack, as many as it has containers unless said otherwise."""
    place = operation_for(request, operation)
    pack = _pack(place, number)
    site = request.build_absolute_uri("/").rstrip("/")
    pages = labels.labels_pdf(place, pack, site, _person(request).units == Units.METRIC, copies or min(pack.count, labels.MOST))
    return HttpResponse(
        pages,
        content_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{place.slug}-pack-{number}.pdf"'},
    )


def _person(request: HttpRequest) -> Person:
    assert isinstance(request.user, Person)
    return request.user


def _lot(place: Operation, key: int) -> Lot:
    found = Lot.objects.of(place).filter(pk=key).select_related("run", "made_by").first()
    if found is None:
        raise Http404
    return found


def _pack(place: Operation, number: int) -> Pack:
    found = Pack.objects.of(place).filter(number=number).select_related("lot__run").first()
    if found is None:
        raise Http404
    return found
