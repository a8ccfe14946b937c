"""What each sum asks for, SI, with the range of every field."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from ..config.fields import Brix, SapBrix, Strict, Text, Volume
from .display import Display


def _between(low: float, high: float) -> object:
    return Field(ge=low, le=high, allow_inf_nan=False)


LiquidTemp = Annotated[float, _between(0, 107)]
Light = Annotated[float, _between(0.000001, 100)]
SyrupBrix = Annotated[float, _between(50, 75)]
WaterBoils = Annotated[float, _between(86, 104.7)]
SapTemp = Annotated[float, _between(0, 45)]
PumpPressure = Annotated[float, _between(1e5, 1e7)]
Flow = Annotated[float, _between(1e-7, 1)]
HoldUp = Annotated[float, _between(0.001, 100)]
Side = Annotated[float, _between(0.05, 40)]
Container = Annotated[float, _between(0.000001, 2)]


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


class DrawoffIn(Sum):
    """set_c: draw-off temperature in force; cup_sd: one standard deviation of the cup's Brix."""

    set_c: Annotated[float, _between(85, 125)]
    cup_brix: SyrupBrix
    cup_sd: Annotated[float, _between(0.01, 5)] = 0.5
    target_brix: SyrupBrix = 66.9
    water_boiling_c: WaterBoils


class FromBoilingIn(Sum):
    temp_c: Annotated[float, _between(86, 130)]
    water_boiling_c: WaterBoils


class PansIn(Sum):
    feed_brix: Annotated[float, _between(0.1, 50)]
    syrup_brix: Annotated[float, _between(51, 80)] = 66.9
    volume_m3: Volume


class OsmoticIn(Sum):
    brix: Annotated[float, _between(0, 45)]
    temp_c: SapTemp = 4.0


class PermeateIn(Sum):
    """steps: stages or passes; health: percent of a new membrane's flow."""

    elements: Annotated[float, _between(1, 200)]
    arrangement: Literal["mixed loop", "stages", "batch"] = "mixed loop"
    steps: Annotated[float, _between(1, 12)] = 1
    feed_brix: SapBrix
    target_brix: Annotated[float, _between(0.2, 45)]
    temp_c: SapTemp = 4.0
    pressure_pa: PumpPressure
    health: Annotated[float, _between(5, 150)] = 100.0


class PassageIn(Sum):
    """passage: percent."""

    volume_m3: Volume
    feed_brix: SapBrix
    target_brix: Annotated[float, _between(0.2, 45)]
    temp_c: SapTemp = 4.0
    passage: Annotated[float, _between(0, 20)]


class CleanWaterSumIn(Sum):
    flow_m3_s: Flow
    temp_c: SapTemp
    pressure_pa: PumpPressure
    new_flow_m3_s: Flow
    new_temp_c: SapTemp
    new_pressure_pa: PumpPressure


class WashIn(Sum):
    """rinse_before, wash_fill, rinse_after: in hold-ups."""

    elements: Annotated[float, _between(1, 200)] = 1
    hold_up_m3: HoldUp
    rinse_before: Annotated[float, _between(0, 50)] = 5.0
    wash_fill: Annotated[float, _between(0, 50)] = 1.0
    rinse_after: Annotated[float, _between(0, 50)] = 9.0


class RinseIn(Sum):
    """start, end: strength in any one unit."""

    hold_up_m3: HoldUp
    start: Annotated[float, _between(1e-6, 1e6)]
    end: Annotated[float, _between(1e-6, 1e6)]


class TankIn(Sum):
    """length_m: of a lying tank, or the height of a standing one."""

    lying: bool = True
    diameter_m: Annotated[float, _between(0.05, 20)]
    length_m: Annotated[float, _between(0.05, 40)]
    depth_m: Annotated[float, _between(0, 40)]


class BoxIn(Sum):
    length_m: Side
    width_m: Side
    height_m: Side
    depth_m: Annotated[float, _between(0, 40)]


class VacuumLossIn(Sum):
    """bare_m3_s: of one tap without vacuum; gain: percent of that for each inHg."""

    taps: Annotated[float, _between(1, 100_000)]
    bare_m3_s: Annotated[float, _between(1e-9, 1e-5)]
    fall_pa: Annotated[float, _between(0, 101_000)]
    vacuum_pa: Annotated[float, _between(0, 101_000)]
    gain: Annotated[float, _between(4, 8)] = 6.0


class RunIndexIn(Sum):
    """per_hundred_m3: what a tap gives for an index of 100."""

    frost_c: Annotated[float, _between(-40, 0)]
    frost_h: Annotated[float, _between(0, 240)]
    thaw_c: Annotated[float, _between(0, 30)]
    thaw_h: Annotated[float, _between(0, 240)]
    taps: Annotated[float, _between(1, 100_000)]
    per_hundred_m3: Annotated[float, _between(1e-5, 0.1)]


class IceIn(Sum):
    volume_m3: Volume
    brix: SapBrix
    ice_m3: Volume


class KeepsIn(Sum):
    concentrate: bool = False
    temp_c: Annotated[float, _between(0, 40)]


class PipeSizeIn(Sum):
    """taps: taps on the mainline; grade: percent."""

    taps: Annotated[float, _between(1, 5000)]
    length_m: Annotated[float, _between(10, 3000)]
    grade: Annotated[float, _between(0, 50)]
    inner_diameter_m: Annotated[float, _between(0.008, 0.08)]


class TapsIn(Sum):
    diameter_m: Annotated[float, _between(0.05, 3)]


class BottlesIn(Sum):
    """first_count of first_m3 each are filled before the others."""

    volume_m3: Volume
    brix: Brix = 66.9
    fill_c: Annotated[float, _between(20, 107)] = 85.0
    container_m3: Container
    first_m3: Container = 3.785411784e-3
    first_count: Annotated[int, Field(ge=0, le=100_000)] = 0


class ShrinkageIn(Sum):
    volume_m3: Volume
    brix: Brix = 66.9
    fill_c: LiquidTemp = 85.0
    to_c: LiquidTemp = 20.0


class LabelIn(Sum):
    container_m3: Container
    brix: SyrupBrix = 66.9
    fill_c: Annotated[float, _between(20, 107)] = 85.0
    transmittance: Light
