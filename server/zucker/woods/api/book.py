"""The Bush book: features in tables, files in and out, ages, cut lists, gauges, history; a bush from a list."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field
from zucker_core import vacuum

from ...config.errors import REFUSALS, Errors, Refused
from ...config.fields import ShortText, Slug, Strict, Tag
from ...people.access import operation_for
from ...people.models import Operation, Role
from .. import book
from ..actions.draw_bush import add_bush, draw_bush
from ..actions.edit_network import edit_network
from ..actions.import_lines import import_lines
from ..formats import FORMATS
from ..models import Bush

router = Router(tags=["bush book"], auth=django_auth)
Name = Literal["geojson", "gpx", "kml", "csv"]
Small = Annotated[float, Field(ge=2, le=300, allow_inf_nan=False)]
Year = Annotated[int, Field(ge=1950, le=2100)]
Word = Annotated[str, Field(max_length=40, pattern=r"^[^\x00]*$")]


class BushRow(Schema):
    slug: str
    name: str
    hauled: bool
    taps: int
    surveyed: bool
    schematic: bool


class MainRow(Schema):
    main: str
    taps: int
    length_m: float
    grade: float
    laterals: int
    lateral_m: float
    gauges: list[str]
    oldest: int | None


class PointRow(Schema):
    tag: str
    kind: str
    lon: float
    lat: float
    elevation_m: float | None
    sensor: str | None
    by_hand: bool


class LineRow(Schema):
    tag: str
    kind: str
    main: str
    from_tag: str
    to_tag: str
    inner_diameter_m: float
    length_m: float
    taps: int
    installed: int | None
    drops_installed: int | None


class RemarkRow(Schema):
    """name: uphill, flat, taps_a_lateral, main_too_small or vacuum_at_end; value and limit in SI."""

    line: str
    name: str
    value: float
    limit: float


class BookOut(Schema):
    slug: str
    name: str
    hauled: bool
    schematic: bool
    taps: int
    mains: list[MainRow]
    points: list[PointRow]
    lines: list[LineRow]
    remarks: list[RemarkRow]
    warnings: list[str]


class BushIn(Strict):
    slug: Slug
    name: ShortText
    hauled: bool = False
    taps: Annotated[int, Field(ge=0, le=200_000)] = 0


class PumpIn(Strict):
    """Its curve: the vacuum it reaches with everything shut, and its air at one vacuum."""

    ultimate_inhg: Annotated[float, Field(ge=5, le=29.9, allow_inf_nan=False)]
    flow_cfm: Annotated[float, Field(ge=0.5, le=2000, allow_inf_nan=False)]
    at_inhg: Annotated[float, Field(ge=0, le=29, allow_inf_nan=False)]


class MainIn(Strict):
    """at_m: where it leaves the conductor; gauge: the tag of the gauge at its far end."""

    name: Tag
    length_m: Annotated[float, Field(allow_inf_nan=False)]
    taps: Annotated[int, Field(ge=-1_000_000, le=1_000_000)]
    inner_diameter_mm: Annotated[float, Field(allow_inf_nan=False)] = 25.4
    at_m: Annotated[float, Field(allow_inf_nan=False)] = 30.0
    grade: Annotated[float, Field(allow_inf_nan=False)] = 0.04
    gauge: Tag | None = None


class SketchIn(Strict):
    """by_hand: the gauges are dials, read on rounds; pump_gauge: the tag of the one at the pump."""

    pump: PumpIn
    pump_gauge: Tag | None = None
    conductor_mm: Small = 50.8
    by_hand: bool = True
    mains: Annotated[list[MainIn], Field(min_length=1, max_length=60)]


class SizesIn(Strict):
    mainline_mm: Small = 25.4
    lateral_mm: Small = 7.75
    conductor_mm: Small = 38.1


class ImportIn(Strict):
    """text: the file; sizes: inner diameters where it gives none; apply: keep it if nothing is wrong."""

    format: Name
    text: Annotated[str, Field(max_length=3_500_000)]
    sizes: SizesIn = SizesIn()
    apply: bool = False


class FeatureFault(Schema):
    feature: str
    message: str


class ImportOut(Schema):
    """What the file would change, or has changed; faults by feature, nothing is kept while there is one."""

    applied: bool
    faults: list[FeatureFault]
    warnings: list[str]
    points: int
    lines: int
    taps: int
    added: list[str]
    changed: list[str]
    removed: list[str]


class Values(Strict):
    """Properties of a feature as in the file format; null takes one away."""

    tag: Tag | None = None
    kind: Word | None = None
    main: Word | None = None
    sensor: Word | None = None
    gauge: Literal["hand"] | None = None
    elevation_m: Annotated[float, Field(ge=-500, le=9000, allow_inf_nan=False)] | None = None
    inner_diameter_mm: Annotated[float, Field(allow_inf_nan=False)] | None = None
    length_m: Annotated[float, Field(allow_inf_nan=False)] | None = None
    taps: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] | None = None
    installed: Year | None = None
    drops_installed: Year | None = None


class Change(Strict):
    what: Literal["point", "line"]
    tag: Tag
    set: Values = Values()
    remove: bool = False


class ChangesIn(Strict):
    changes: Annotated[list[Change], Field(min_length=1, max_length=2000)]


class FieldChange(Schema):
    name: str
    before: str
    after: str


class ChangeRow(Schema):
    at: datetime
    by: str | None
    tag: str
    kind: str
    what: str
    fields: list[FieldChange]


class DueRow(Schema):
    main: str
    part: str
    year: int
    length_m: float
    taps: int


class PieceRow(Schema):
    line: str
    length_m: float


class CutRow(Schema):
    spool_m: float
    left_m: float
    pieces: list[PieceRow]


class NextGauge(Schema):
    node: str
    blurred_m: float


class GaugesOut(Schema):
    """blurred_m: length of main in which a leak of 1 SCFM stays hidden, on average, now and with one more gauge."""

    blurred_m: float | None
    groups: list[list[str]]
    next: list[NextGauge]


class ExportQuery(Schema):
    format: Name = "geojson"


class DueQuery(Schema):
    until: Annotated[int, Field(ge=1950, le=2200)]


class CutQuery(Schema):
    kind: Literal["lateral", "mainline", "conductor"] = "lateral"
    main: list[str] = Query([], max_length=60)
    spool_m: float = Query(152.4, ge=10, le=2000, allow_inf_nan=False)


def bush_of(operation: Operation, slug: str, *, surveyed: bool = True) -> Bush:
    """A bush of the operation by its slug. Raises Http404, or Refused where it has no lines yet."""
    bush = get_object_or_404(Bush.objects.of(operation).select_related("operation"), slug=slug)
    if surveyed and (bush.hauled or not bush.survey):
        raise Refused("bush", f"{bush.name} has no lines yet: list or import them first", 409)
    return bush


@router.get("/operations/{operation}/bushes", response={200: list[BushRow], REFUSALS: Errors})
def list_bushes(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """Every bush, by pipe or by truck."""
    return [
        {"slug": b.slug, "name": b.name, "hauled": b.hauled, "taps": b.taps, "surveyed": b.survey > 0, "schematic": b.schematic}
        for b in Bush.objects.of(operation_for(request, operation)).order_by("pk")
    ]


@router.post("/operations/{operation}/bushes", response={201: BookOut, REFUSALS: Errors})
def create_bush(request: HttpRequest, operation: Slug, payload: BushIn) -> Status:
    """A new bush, without lines yet."""
    bush = add_bush(operation_for(request, operation, Role.OWNER), payload.slug, payload.name, payload.hauled, payload.taps)
    return Status(201, book.book_of(bush))


@router.get("/operations/{operation}/bushes/{bush}", response={200: BookOut, REFUSALS: Errors})
def read_book(request: HttpRequest, operation: Slug, bush: Slug) -> dict[str, Any]:
    """Points, lines, mainlines summed, and what deserves a look."""
    return book.book_of(bush_of(operation_for(request, operation), bush, surveyed=False))


@router.put("/operations/{operation}/bushes/{bush}/sketch", response={200: BookOut, REFUSALS: Errors})
def sketch_bush(request: HttpRequest, operation: Slug, bush: Slug, payload: SketchIn) -> dict[str, Any]:
    """Lines from a list: a pump, mainlines with lengths, sizes and taps, a gauge at each end. Replaces an earlier list."""
    found = bush_of(operation_for(request, operation, Role.OWNER), bush, surveyed=False)
    mains = [vacuum.MainSketch(**main.model_dump()) for main in payload.mains]
    draw_bush(found, payload.pump.model_dump(), mains, payload.pump_gauge, payload.conductor_mm, by_hand=payload.by_hand)
    return book.book_of(bush_of(found.operation, bush))


@router.post("/operations/{operation}/bushes/{bush}/import", response={200: ImportOut, REFUSALS: Errors})
def import_file(request: HttpRequest, operation: Slug, bush: Slug, payload: ImportIn) -> dict[str, Any]:
    """Read a file of lines; say what is wrong by feature and what would change; keep it when asked and all is well."""
    found = bush_of(operation_for(request, operation, Role.OWNER), bush, surveyed=False)
    return import_lines(found, payload.format, payload.text, vacuum.Sizes(**payload.sizes.model_dump()), apply=payload.apply)


@router.get("/operations/{operation}/bushes/{bush}/export", response={200: str, REFUSALS: Errors})
def export_file(request: HttpRequest, operation: Slug, bush: Slug, query: Query[ExportQuery]) -> HttpResponse:
    """The lines as a file."""
    found = bush_of(operation_for(request, operation), bush)
    form = FORMATS[query.format]
    answer = HttpResponse(book.written(found, query.format), content_type=f"{form.content_type}; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{found.slug}.{form.suffix}"'
    return answer


@router.patch("/operations/{operation}/bushes/{bush}/features", response={200: BookOut, REFUSALS: Errors})
def change_features(request: HttpRequest, operation: Slug, bush: Slug, payload: ChangesIn) -> dict[str, Any]:
    """Change or remove features. The whole network is checked first; all or nothing."""
    found = bush_of(operation_for(request, operation, Role.OWNER), bush)
    changes: list[dict[str, Any]] = [
        {"what": c.what, "tag": c.tag, "remove": c.remove, "set": c.set.model_dump(include=c.set.model_fields_set)}
        for c in payload.changes
    ]
    edit_network(found, changes)
    return book.book_of(bush_of(found.operation, bush))


@router.get("/operations/{operation}/bushes/{bush}/changes", response={200: list[ChangeRow], REFUSALS: Errors})
def list_changes(request: HttpRequest, operation: Slug, bush: Slug) -> list[dict[str, Any]]:
    """What was changed in the lines, by whom, with what stood there before."""
    return book.changes_of(bush_of(operation_for(request, operation), bush, surveyed=False))


@router.get("/operations/{operation}/bushes/{bush}/due", response={200: list[DueRow], REFUSALS: Errors})
def list_due(request: HttpRequest, operation: Slug, bush: Slug, query: Query[DueQuery]) -> list[dict[str, Any]]:
    """What is due for renewal up to a year."""
    return book.due_in(bush_of(operation_for(request, operation), bush), query.until)


@router.get("/operations/{operation}/bushes/{bush}/cuts", response={200: list[CutRow], REFUSALS: Errors})
def list_cuts(request: HttpRequest, operation: Slug, bush: Slug, query: Query[CutQuery]) -> list[dict[str, Any]]:
    """Which pieces to cut from which spool."""
    return book.cuts_for(bush_of(operation_for(request, operation), bush), query.kind, query.main, query.spool_m)


@router.get("/operations/{operation}/bushes/{bush}/gauges", response={200: GaugesOut, REFUSALS: Errors})
def read_gauges(request: HttpRequest, operation: Slug, bush: Slug) -> dict[str, Any]:
    """What the present gauges cannot tell apart, and where one more would help most. Takes seconds the first time."""
    return book.gauges_for(bush_of(operation_for(request, operation), bush))
