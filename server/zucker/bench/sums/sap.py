"""Sap: what a tank holds, what vacuum and weather give, ice, and how long it keeps."""

from __future__ import annotations

import numpy as np
from zucker_core import sap, sugar
from zucker_core.errors import Inconsistent
from zucker_core.run.spoil import hold_time_h
from zucker_core.units import PA_PER_INHG

from ..display import Display
from .answer import Answer, Figure


def tank(show: Display, lying: bool, diameter_m: float, length_m: float, depth_m: float) -> Answer:
    shape = (sap.TankShape("horizontal cylinder", diameter_m=diameter_m, length_m=length_m) if lying
             else sap.TankShape("upright cylinder", diameter_m=diameter_m, height_m=length_m))
    if depth_m > shape.full_depth_m:
        raise Inconsistent("depth_m", f"the tank is full at {show.text(shape.full_depth_m, 'length', 2)}")
    volume = float(sap.tank_volume(shape, depth_m))
    return Answer(
        [Figure("in the tank", volume, "volume", 0), Figure("full", shape.capacity_m3, "volume", 0),
         Figure("room left", shape.capacity_m3 - volume, "volume", 0)],
        [f"A {'lying' if lying else 'standing'} round tank, {show.text(diameter_m, 'length', 2)} across and"
         f" {show.text(length_m, 'length', 2)} {'long' if lying else 'high'}, with flat ends.",
         f"At {show.text(depth_m, 'length', 2)} on the stick it is {100 * volume / shape.capacity_m3:.0f} % full."],
        "as good as the measures: 1 % on the diameter is 2 % on the volume", source="geometry of a cylinder")


def box(show: Display, length_m: float, width_m: float, height_m: float, depth_m: float) -> Answer:
    shape = sap.TankShape("rectangle", length_m=length_m, width_m=width_m, height_m=height_m)
    if depth_m > height_m:
        raise Inconsistent("depth_m", f"the tank is full at {show.text(height_m, 'length', 2)}")
    volume = float(sap.tank_volume(shape, depth_m))
    return Answer(
        [Figure("in the tank", volume, "volume", 0), Figure("full", shape.capacity_m3, "volume", 0),
         Figure("room left", shape.capacity_m3 - volume, "volume", 0)],
        [f"{show.text(length_m, 'length', 2)} by {show.text(width_m, 'length', 2)}, "
         f"{show.text(depth_m, 'length', 2)} on the stick: each {show.text(0.0254, 'length', 2)} is "
         f"{show.text(length_m * width_m * 0.0254, 'volume', 1)}."],
        "as good as the measures", source="geometry of a box")


def vacuum_loss(show: Display, taps: float, bare_m3_s: float, fall_pa: float, vacuum_pa: float, gain: float) -> Answer:
    inhg, fall = vacuum_pa / PA_PER_INHG, fall_pa / PA_PER_INHG
    if fall > inhg:
        raise Inconsistent("fall_pa", f"vacuum cannot fall by more than the {show.text(vacuum_pa, 'vacuum', 1)} there is")
    at = float(sap.yield_factor(inhg, gain / 100))
    lost = taps * bare_m3_s * gain / 100 * fall
    return Answer(
        [Figure("sap lost", lost, "flow", 1), Figure("of what runs", 100 * lost / (taps * bare_m3_s * at), "percent", 1),
         Figure("full vacuum gives, of none", at, "ratio", 2)],
        [f"Each {show.text(PA_PER_INHG, 'vacuum', 1)} adds {gain:.1f} % of what a tap gives without vacuum.",
         f"{taps:.0f} taps × {show.flow(bare_m3_s, 2)} × {gain / 100:.3f} × {fall:.1f} inHg."],
        "± 20 %: 5 to 7 % an inHg is the usual range", source="linear yield of vacuum, 5 to 7 % an inHg")


def run_index(
    show: Display, frost_c: float, frost_h: float, thaw_c: float, thaw_h: float, taps: float, per_hundred_m3: float
) -> Answer:
    hours = np.concatenate([np.full(round(frost_h), frost_c), np.full(round(thaw_h), thaw_c)])
    index = sap.run_index(hours)
    enough = "enough to charge the trees" if -frost_c * frost_h >= 20 else "less than the 20 that charge a tree in full"
    line = (f"{frost_h:.0f} h at {show.text(frost_c, 'temperature')} are {-frost_c * frost_h:.0f} degree-hours (°C), {enough}."
            if frost_h >= 4 else "A frost of under four hours starts no run.")
    sap_m3 = taps * per_hundred_m3 * index / 100
    return Answer(
        [Figure("run index", index, "plain", 0), Figure("sap from it", sap_m3, "volume", 0)],
        [line, f"Each hour of thaw counts its warmth, up to {show.text(8.0, 'temperature')}.",
         f"At {show.text(per_hundred_m3, 'volume', 2)} a tap for an index of 100, {taps:.0f} taps give "
         f"{show.text(sap_m3, 'volume', 0)}."],
        "half to double: trees differ; Season learns your own figure from five runs on",
        source="frost degree-hours times degrees of thaw, a convention of this program")


def ice(show: Display, volume_m3: float, brix: float, ice_m3: float) -> Answer:
    left = sap.take_ice(volume_m3, brix, ice_m3)
    lost = float(left.sugar_lost_kg) / float(sugar.sugar_mass(volume_m3, brix, 0.0))
    return Answer(
        [Figure("what is left holds", float(left.brix), "brix", 2), Figure("left", float(left.volume_m3), "volume", 0),
         Figure("sugar thrown out", 100 * lost, "percent", 1)],
        [f"{show.text(ice_m3, 'volume', 0)} of ice is {show.text(ice_m3 * sap.ICE_KG_M3, 'mass', 0)} of nearly pure water.",
         f"The sugar stays in {show.text(float(left.volume_m3), 'volume', 0)}.",
         f"Sap clings to the ice as if its melt were {sap.ICE_BRIX} °Bx."],
        "± 0.2 °Bx: measure what is left", source="balance of water and sugar; ice at 917 kg/m³")


def keeps(show: Display, concentrate: bool, temp_c: float) -> Answer:
    what = "concentrate" if concentrate else "sap"
    hours = float(hold_time_h(temp_c, what))
    return Answer(
        [Figure("hours it keeps", hours, "plain", 0),
         Figure("at the freezing point", float(hold_time_h(0.0, what)), "plain", 0)],
        [f"At {show.text(4.0, 'temperature', 0)} {what} keeps {hold_time_h(4.0, what):.0f} h; "
         f"{show.difference(10.0, 0)} more divide that by 3.5."],
        "± 50 %: it depends on how clean tanks and lines are", source="trade practice, a convention of this program")
