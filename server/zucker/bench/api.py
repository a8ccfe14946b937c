"""The Bench: a quick sum with its working. Needs a session, belongs to no operation, keeps nothing."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth
from pydantic import Field

from ..config.errors import REFUSALS, Errors
from ..config.fields import Brix, Strict, Text, Volume
from . import calculators
from .calculators import Answer
from .display import Display

router = Router(tags=["bench"], auth=django_auth)


class FigureOut(Schema):
    label: str
    value: float
    dimension: str
    digits: int


class AnswerOut(Schema):
    figures: list[FigureOut]
    working: list[str]
    uncertainty: str
    grade: str | None
    source: str


RESPONSES = {200: AnswerOut, REFUSALS: Errors}


def _between(low: float, high: float) -> object:
    return Field(ge=low, le=high, allow_inf_nan=False)


LiquidTemp = Annotated[float, _between(0, 107)]
Light = Annotated[float, _between(0.000001, 100)]


class Sum(Strict):
    """units: in which the working is told; values are SI all the same."""

    units: Literal["us", "metric"] = "us"

    @property
    def show(self) -> Display:
        return Display(self.units == "metric")

    def inputs(self) -> dict[str, Any]:
        return self.dict(exclude={"units"})


class HydrometerIn(Sum):
    reading: Brix
    temp_c: LiquidTemp
    graduated_at_c: Annotated[float, _between(0, 60)] = 15.56


class RefractometerIn(Sum):
    reading: Brix
    temp_c: Annotated[float, _between(0, 40)]
    compensated: bool = True


class BoilingIn(Sum):
    pressure_pa: Annotated[float, _between(60_000, 120_000)]
    elevation_m: Annotated[float, _between(-400, 4000)] = 0.0
    temp_c: Annotated[float, _between(-40, 40)] = 5.0
    reduced_to_sea_level: bool = True
    target_brix: Annotated[float, _between(50, 75)] = 66.9


class SapToSyrupIn(Sum):
    sap_brix: Annotated[float, _between(0.1, 50)]
    syrup_brix: Annotated[float, _between(51, 80)] = 66.9
    volume_m3: Volume = 1.0


class AdjustIn(Sum):
    volume_m3: Volume
    brix: Annotated[float, _between(0.1, 80)]
    target_brix: Annotated[float, _between(0.1, 80)] = 66.9
    with_brix: Brix = 0.0


class BlendIn(Sum):
    volumes_m3: Annotated[list[Volume], Field(min_length=1, max_length=12)]
    brix: Annotated[list[Brix], Field(min_length=1, max_length=12)]
    transmittance: Annotated[list[Light], Field(min_length=1, max_length=12)] | None = None


class DensityIn(Sum):
    brix: Brix
    temp_c: LiquidTemp = 20.0


class OverweightIn(Sum):
    """price: money for a m³, or for a kg when sold by weight."""

    volume_m3: Volume
    brix: Annotated[float, _between(50, 80)]
    target_brix: Annotated[float, _between(50, 80)] = 66.9
    price: Annotated[float, _between(0, 1e7)]
    sold_by: Literal["volume", "weight"] = "volume"


class GradeIn(Sum):
    transmittance: Light
    path_mm: Annotated[float, _between(0.5, 200)] = 10.0
    off_flavour: Text = ""


class TankIn(Sum):
    """length_m: of a lying tank, or the height of a standing one."""

    lying: bool = True
    diameter_m: Annotated[float, _between(0.05, 20)]
    length_m: Annotated[float, _between(0.05, 40)]
    depth_m: Annotated[float, _between(0, 40)]


class PipeSizeIn(Sum):
    """taps: taps on the mainline; grade: percent."""

    taps: Annotated[float, _between(1, 5000)]
    length_m: Annotated[float, _between(10, 3000)]
    grade: Annotated[float, _between(0, 50)]
    inner_diameter_m: Annotated[float, _between(0.008, 0.08)]


class TapsIn(Sum):
    diameter_m: Annotated[float, _between(0.05, 3)]


class BottlesIn(Sum):
    volume_m3: Volume
    brix: Brix = 66.9
    fill_c: Annotated[float, _between(20, 107)] = 85.0
    container_m3: Annotated[float, _between(0.000001, 2)]


@router.post("/hydrometer", response=RESPONSES)
def hydrometer(request: HttpRequest, payload: HydrometerIn) -> Answer:
    """True Brix from a hydrometer."""
    return calculators.hydrometer(payload.show, **payload.inputs())


@router.post("/refractometer", response=RESPONSES)
def refractometer(request: HttpRequest, payload: RefractometerIn) -> Answer:
    """True Brix from a refractometer."""
    return calculators.refractometer(payload.show, **payload.inputs())


@router.post("/boiling", response=RESPONSES)
def boiling(request: HttpRequest, payload: BoilingIn) -> Answer:
    """Boiling point of water and draw-off temperature today."""
    return calculators.boiling(payload.show, **payload.inputs())


@router.post("/sap-to-syrup", response=RESPONSES)
def sap_to_syrup(request: HttpRequest, payload: SapToSyrupIn) -> Answer:
    """How much sap makes how much syrup."""
    return calculators.sap_to_syrup(payload.show, **payload.inputs())


@router.post("/adjust", response=RESPONSES)
def adjust(request: HttpRequest, payload: AdjustIn) -> Answer:
    """Thin or thicken a batch to a density."""
    return calculators.adjust(payload.show, **payload.inputs())


@router.post("/blend", response=RESPONSES)
def blend(request: HttpRequest, payload: BlendIn) -> Answer:
    """Mix batches."""
    return calculators.blend(payload.show, **payload.inputs())


@router.post("/density", response=RESPONSES)
def density(request: HttpRequest, payload: DensityIn) -> Answer:
    """Density, Baumé and boiling elevation of a solution."""
    return calculators.density(payload.show, **payload.inputs())


@router.post("/overweight", response=RESPONSES)
def overweight(request: HttpRequest, payload: OverweightIn) -> Answer:
    """What packing too heavy gives away."""
    return calculators.overweight(payload.show, **payload.inputs())


@router.post("/grade", response=RESPONSES)
def grade(request: HttpRequest, payload: GradeIn) -> Answer:
    """Colour class of a syrup."""
    return calculators.grade(payload.show, **payload.inputs())


@router.post("/tank", response=RESPONSES)
def tank(request: HttpRequest, payload: TankIn) -> Answer:
    """What is in a round tank."""
    return calculators.tank(payload.show, **payload.inputs())


@router.post("/pipe-size", response=RESPONSES)
def pipe_size(request: HttpRequest, payload: PipeSizeIn) -> Answer:
    """What a mainline of a size can serve."""
    return calculators.pipe_size(payload.show, **payload.inputs())


@router.post("/taps", response=RESPONSES)
def taps_a_tree(request: HttpRequest, payload: TapsIn) -> Answer:
    """How many taps a tree takes, by each school."""
    return calculators.taps_a_tree(payload.show, **payload.inputs())


@router.post("/bottles", response=RESPONSES)
def bottles(request: HttpRequest, payload: BottlesIn) -> Answer:
    """How many containers a batch fills."""
    return calculators.bottles(payload.show, **payload.inputs())
