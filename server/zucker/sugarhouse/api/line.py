"""The Line."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth

from ...config.errors import REFUSALS, Errors
from ...config.fields import Slug
from ...people.access import operation_for
from .. import line
from .common import Facts

router = Router(auth=django_auth)


class WoodsStation(Schema):
    sap_m3_s: float
    money_lost_s: float
    losing: int
    silent: int
    mains: int


class SapStation(Schema):
    volume_m3: float | None
    capacity_m3: float
    brix: float | None
    stale: bool


class MembraneStation(Schema):
    permeate_m3_s: float | None
    running: bool
    known: bool
    head_m3: float | None
    head_brix: float | None


class PansStation(Schema):
    set_c: float
    pan_c: float | None
    boiling: bool
    run: int | None


class BarrelsStation(Schema):
    syrup_m3: float
    syrup_brix: float


class LineOut(Schema):
    woods: WoodsStation
    sap: SapStation | None
    membrane: MembraneStation
    pans: PansStation
    barrels: BarrelsStation


@router.get("/operations/{operation}/line", response={200: LineOut, REFUSALS: Errors})
def read_line(request: HttpRequest, operation: Slug) -> Facts:
    """The five stations' headline figures."""
    return line.line_now(operation_for(request, operation))
