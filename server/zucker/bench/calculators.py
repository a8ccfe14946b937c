"""The calculators: each answers with its figures, its working and what it may be off by."""

from __future__ import annotations

from dataclasses import dataclass, field

from zucker_core import packing, sap, sugar, vacuum
from zucker_core.errors import Inconsistent
from zucker_core.taps import SCHOOLS, taps_for
from zucker_core.units import PA_PER_INHG

from .display import Display


@dataclass(frozen=True)
class Figure:
    """One answer, SI; `dimension` tells the interface how to show it."""

    label: str
    value: float
    dimension: str
    digits: int


@dataclass(frozen=True)
class Answer:
    """figures, the first of which is the answer; working, line by line; uncertainty in words."""

    figures: list[Figure]
    working: list[str]
    uncertainty: str
    grade: str | None = None
    source: str = field(default="")


def hydrometer(show: Display, reading: float, temp_c: float, graduated_at_c: float) -> Answer:
    brix = sugar.hydrometer_true_brix(reading, temp_c, graduated_at_c)
    expected = sugar.hydrometer_expected_reading(66.9, temp_c, graduated_at_c)
    off = sugar.hydrometer_uncertainty(temp_c)
    stem = sugar.density(reading, graduated_at_c)
    liquid = stem / (1 + 25e-6 * (temp_c - graduated_at_c))
    return Answer(
        [Figure("true density", brix, "brix", 2), Figure("syrup of 66.9 would show", expected, "brix", 2)],
        [f"The stem at {reading:.1f} °Bx stands for {show.text(stem, 'density')} at {show.text(graduated_at_c, 'temperature')}.",
         f"The glass has grown with the heat: the liquid's density is {show.text(liquid, 'density')}.",
         f"Sugar water of that density at {show.text(temp_c, 'temperature')} holds {brix:.2f} % sugar."],
        f"± {off:.2f} °Bx" + (" in a hot cup; read at once" if off > 0.2 else " when spun free of bubbles"),
        source="buoyancy with the expansion of glass; densities from the sucrose tables",
    )


def refractometer(show: Display, reading: float, temp_c: float, compensated: bool) -> Answer:
    brix = sugar.refractometer_true_brix(reading, temp_c, compensated)
    line = "The instrument corrects for temperature itself: nothing is added." if compensated else (
        f"At {show.text(temp_c, 'temperature')} the table adds {brix - reading:+.2f} °Bx to the reading.")
    return Answer(
        [Figure("true density", brix, "brix", 2), Figure("correction", brix - reading, "brix", 2)],
        [line, "Correcting an instrument that corrects itself is the classic mistake."], "± 0.1 °Bx, zeroed on water",
        source="correction table of 1974 for sucrose at 20 °C",
    )


def boiling(
    show: Display, pressure_pa: float, elevation_m: float, temp_c: float, reduced_to_sea_level: bool, target_brix: float
) -> Answer:
    station = sugar.station_from_sea_level(pressure_pa, elevation_m, temp_c) if reduced_to_sea_level else pressure_pa
    water_c = sugar.water_boiling_c(station)
    draw = sugar.drawoff_temperature(target_brix, water_c)
    working = [
        f"Water boils at {show.text(water_c, 'temperature', 2)} under {show.text(station, 'pressure')}.",
        f"{target_brix:.1f} °Bx boils {show.difference(draw - water_c)} above that.",
    ]
    if reduced_to_sea_level:
        here = show.text(station, "pressure")
        working.insert(0, f"The report is for sea level; at {show.text(elevation_m, 'length')} the air weighs {here}.")
    return Answer(
        [Figure("draw off at", draw, "temperature", 2), Figure("water boils at", water_c, "temperature", 2),
         Figure("pressure at the pan", station, "pressure", 2), Figure("above water", draw - water_c, "difference", 2)],
        working, f"± {show.difference(0.083, 2)} above 60 °Bx; a boiling test of water in the pan is better than any barometer",
        source="steam tables and the Norrish equation for sucrose",
    )


def sap_to_syrup(show: Display, sap_brix: float, syrup_brix: float, volume_m3: float) -> Answer:
    ratio = sugar.sap_per_syrup(sap_brix, syrup_brix)
    old, newer = sugar.rule_of_86(sap_brix), sugar.rule_of_88(sap_brix)
    return Answer(
        [Figure("sap for one of syrup", ratio, "ratio", 2), Figure("syrup from it", volume_m3 / ratio, "volume", 2),
         Figure("86 / Brix says", old, "ratio", 2), Figure("88.2 / Brix − 0.32 says", newer, "ratio", 2)],
        [f"Sugar in {show.text(1.0, 'volume', 1)} of sap: {show.text(sugar.sugar_mass(1.0, sap_brix), 'mass', 1)}.",
         f"The same of syrup holds {show.text(sugar.sugar_mass(1.0, syrup_brix), 'mass', 1)}: {ratio:.2f} times as much.",
         f"86/B is off by {100 * (old / ratio - 1):+.1f} %, 88.2/B − 0.32 by {100 * (newer / ratio - 1):+.1f} %."],
        f"± {100 * 0.1 / sap_brix:.0f} % for 0.1 °Bx in the sap",
        source="mass of sugar, no losses",
    )


def adjust(show: Display, volume_m3: float, brix: float, target_brix: float, with_brix: float) -> Answer:
    mass = volume_m3 * sugar.density(brix, 20.0)
    if brix >= target_brix:
        added = sugar.thin(volume_m3, brix, target_brix, with_brix)
        total, _ = sugar.blend([volume_m3, added], [brix, with_brix])
        what = "water" if with_brix == 0 else f"liquid of {with_brix:.1f} °Bx"
        return Answer(
            [Figure(f"add {what}", added, "volume", 3), Figure("makes", total, "volume", 2)],
            [f"The batch weighs {show.text(mass, 'mass')} and holds {show.text(mass * brix / 100, 'mass')} of sugar.",
             f"At {target_brix:.1f} °Bx that sugar goes round {show.text(total * sugar.density(target_brix, 20.0), 'mass')}.",
             f"The difference is {what}: {show.text(added, 'volume', 3)}."],
            "as good as the two Brix readings", source="mass balance at 20 °C; volumes do not simply add up")
    done = sugar.thicken(volume_m3, brix, target_brix)
    return Answer(
        [Figure("boil off", done.water_kg, "mass", 2), Figure("leaves", done.volume_m3, "volume", 2)],
        [f"The batch weighs {show.text(mass, 'mass')} and holds {show.text(mass * brix / 100, 'mass')} of sugar.",
         f"At {target_brix:.1f} °Bx it weighs {show.text(mass - done.water_kg, 'mass')}.",
         f"The difference leaves as steam: {show.text(done.water_kg, 'mass')}."],
        "as good as the two Brix readings", source="mass balance at 20 °C")


def blend(show: Display, volumes_m3: list[float], brix: list[float], transmittance: list[float] | None) -> Answer:
    total, mixed = sugar.blend(volumes_m3, brix)
    working = [f"{show.text(v, 'volume')} at {b:.1f} °Bx holds {show.text(sugar.sugar_mass(v, b), 'mass')} of sugar."
               for v, b in zip(volumes_m3, brix, strict=True)]
    figures = [Figure("blend", mixed, "brix", 2), Figure("volume", total, "volume", 2)]
    name = None
    if transmittance is not None:
        if len(transmittance) != len(volumes_m3):
            raise Inconsistent("transmittance", "give the light of every batch, or of none")
        light = sugar.blend_transmittance(volumes_m3, transmittance)
        name = sugar.grade(light).value
        figures.append(Figure("light through 10 mm", light, "percent", 1))
        working.append(f"Absorbances add up by volume: {light:.1f} % of the light passes, which is {name}.")
    return Answer(figures, working, "as good as the readings", grade=name, source="mass balance; Beer-Lambert for colour")


def density(show: Display, brix: float, temp_c: float) -> Answer:
    rho = sugar.density(brix, temp_c)
    return Answer(
        [Figure("density", rho, "density", 2), Figure("Baumé", sugar.baume(brix), "plain", 2),
         Figure("specific gravity 20/20", sugar.specific_gravity(brix), "plain", 4),
         Figure("boils above water by", sugar.boiling_elevation(brix), "difference", 2)],
        [f"Water and {brix:.1f} % sugar at {show.text(temp_c, 'temperature')}: {show.text(rho, 'density')}.",
         "Baumé is 145 − 145 / specific gravity."],
        "± 0.02 kg/m³ at 20 °C, ± 6 kg/m³ near boiling", source="sucrose tables; water by Kell")


def overweight(show: Display, volume_m3: float, brix: float, target_brix: float, price: float, sold_by: str) -> Answer:
    cost = sugar.overdensity_cost(volume_m3, brix, target_brix, price, sold_by)
    extra = sugar.overdensity_cost(volume_m3, brix, target_brix, 1.0, "volume")
    return Answer(
        [Figure("given away", cost, "money", 2), Figure("could have filled", volume_m3 + extra, "volume", 2),
         Figure("more by", 100 * extra / volume_m3 if volume_m3 else 0.0, "percent", 2)],
        [f"{show.text(volume_m3, 'volume')} at {brix:.1f} °Bx holds "
         f"{show.text(sugar.sugar_mass(volume_m3, brix), 'mass')} of sugar.",
         f"At {target_brix:.1f} °Bx that fills {show.text(volume_m3 + extra, 'volume')}."],
        "as good as the Brix reading" + ("; light syrup may ferment" if brix < target_brix else ""),
        source="mass balance at 20 °C")


def grade(show: Display, transmittance: float, path_mm: float, off_flavour: str) -> Answer:
    light = sugar.transmittance_at_10mm(transmittance, path_mm)
    name = sugar.grade(light, off_flavour or None)
    working = [f"{transmittance:.1f} % through {path_mm:.0f} mm is {light:.1f} % through 10 mm.",
               "Golden from 75 %, amber from 50, dark from 25, very dark below."]
    if off_flavour:
        working.append("An off-flavour makes it processing syrup whatever its colour.")
    return Answer([Figure("light through 10 mm", light, "percent", 1)], working, "as good as the meter and its blank",
                  grade=name.value, source="transmittance at 560 nm against glycerol")


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


def pipe_size(show: Display, taps: float, length_m: float, grade: float, inner_diameter_m: float) -> Answer:
    size = vacuum.main_size(round(taps), length_m, grade / 100, inner_diameter_m)
    flood = "It floods: sap fills it and air cannot pass." if size.floods else (
        f"Sap fills {100 * size.sap_share:.0f} % of what the pipe could carry at its lower end.")
    return Answer(
        [Figure("vacuum lost to the end", size.lost_pa, "pressure", 2),
         Figure("taps it serves well", size.most_taps, "plain", 0)],
        [f"{round(taps)} taps spread evenly over {show.text(length_m, 'length')} at {grade:.0f} % in a strong run of 0.3 gal"
         " (1.1 L) an hour from each tap.", flood,
         f"Served well: no more than {show.text(PA_PER_INHG, 'pressure', 1)} lost, and not flooded."],
        "± 25 %: fittings, sags and leaks differ from line to line",
        source="friction by Churchill (1977), sap by Manning, each tap leaking a little")


def taps_a_tree(show: Display, diameter_m: float) -> Answer:
    counts = {name: int(taps_for(diameter_m, school)) for name, school in SCHOOLS.items()}
    return Answer(
        [Figure(f"{name} school", count, "plain", 0) for name, count in counts.items()],
        [f"{name}: one tap from {', more from '.join(f'{m / 0.0254:.0f} in ({100 * m:.0f} cm)' for m in school.least_m)}."
         for name, school in SCHOOLS.items()],
        "a choice, not a measurement: leave out what looks sick", source="trade practice; schools differ")


def bottles(show: Display, volume_m3: float, brix: float, fill_c: float, container_m3: float) -> Answer:
    [filled], left = packing.fill_batch(volume_m3, [packing.Fill("container", container_m3)])
    shrinks = float(packing.shrinkage(brix, fill_c, min(20.0, fill_c)))
    hot = "Hot enough to keep, not so hot that sugar sand falls."
    if fill_c < packing.PACK_FROM_C:
        hot = "Too cool to keep: pack at 180 to 190 °F (82 to 88 °C)."
    elif fill_c > packing.SAND_ABOVE_C:
        hot = "Above 195 °F (90.6 °C) new sugar sand falls: pack at 180 to 190 °F (82 to 88 °C)."
    elif fill_c > packing.PACK_TO_C:
        hot = "Hotter than it need be: 180 to 190 °F (82 to 88 °C) is enough."
    return Answer(
        [Figure("filled", filled.count, "plain", 0), Figure("left over", left, "smallVolume", 2),
         Figure("room that cooling leaves", 100 * shrinks, "percent", 2)],
        [f"{show.text(volume_m3, 'volume')} hot, {show.text(container_m3, 'volume', 3)} into each, to the brim.",
         f"From {show.text(fill_c, 'temperature')} to {show.text(20.0, 'temperature')} syrup of {brix:.1f} °Bx shrinks by"
         f" {100 * shrinks:.2f} %.",
         hot, "Hot glass and hot syrup burn: gloves, warm the glass first. Follow local code."],
        "± 0.1 % of volume", source="densities from the sucrose tables")
