"""Density, boiling, mixing and colour."""

from __future__ import annotations

from zucker_core import sugar, water
from zucker_core.errors import Inconsistent

from ..display import Display
from .answer import Answer, Figure


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
        f"Water boils at {show.text(water_c, 'temperature', 2)} under {show.text(station, 'vacuum')}.",
        f"{target_brix:.1f} °Bx boils {show.difference(draw - water_c)} above that.",
    ]
    if reduced_to_sea_level:
        here = show.text(station, "vacuum")
        working.insert(0, f"The report is for sea level; at {show.text(elevation_m, 'length')} the air weighs {here}.")
    return Answer(
        [Figure("draw off at", draw, "temperature", 2), Figure("water boils at", water_c, "temperature", 2),
         Figure("pressure at the pan", station, "vacuum", 2), Figure("above water", draw - water_c, "difference", 2)],
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


def drawoff(
    show: Display, set_c: float, cup_brix: float, cup_sd: float, target_brix: float, water_boiling_c: float
) -> Answer:
    pressure = float(water.saturation_pressure(water_boiling_c))
    first = float(sugar.drawoff_temperature(target_brix, water_boiling_c))
    point = sugar.drawoff_correction(set_c, cup_brix, cup_sd, target_brix, pressure)
    slope = float(sugar.boiling_elevation(target_brix + 0.5, pressure) - sugar.boiling_elevation(target_brix - 0.5, pressure))
    limit = f"One step is never more than {show.difference(1 / 1.8)}, so draw again before going on." if point.limited else (
        "Another cup will tell more: each is weighed by its own uncertainty.")
    return Answer(
        [Figure("draw off at", point.set_c, "temperature", 2), Figure("the cup asks for", point.wanted_c, "temperature", 2),
         Figure("by the boiling point alone", first, "temperature", 2)],
        [f"Drawn at {show.text(set_c, 'temperature', 2)} the cup showed {cup_brix:.1f} °Bx; {target_brix:.1f} was wanted.",
         f"Near syrup {show.difference(slope)} is one °Bx.", limit],
        f"± {show.difference(point.uncertainty_k)} from this one cup",
        source="Norrish equation for sucrose at today's boiling point of water, moved by the cup")


def from_boiling(show: Display, temp_c: float, water_boiling_c: float) -> Answer:
    pressure = float(water.saturation_pressure(water_boiling_c))
    brix = float(sugar.brix_from_boiling(temp_c, pressure))
    near = min(max(brix, 0.5), 79.5)
    slope = float(sugar.boiling_elevation(near + 0.5, pressure) - sugar.boiling_elevation(near - 0.5, pressure))
    return Answer(
        [Figure("it holds", brix, "brix", 1), Figure("above water", temp_c - water_boiling_c, "difference", 2)],
        [f"It boils {show.difference(temp_c - water_boiling_c)} above water, which boils at "
         f"{show.text(water_boiling_c, 'temperature', 2)} today.",
         f"There {show.difference(slope)} is one °Bx."],
        f"± {0.083 / slope:.1f} °Bx for {show.difference(0.083)}, which is as far as the formula is known",
        source="steam tables and the Norrish equation for sucrose")


def pans(show: Display, feed_brix: float, syrup_brix: float, volume_m3: float) -> Answer:
    mean = float(sugar.mean_pan_brix(feed_brix, syrup_brix))
    held = float(sugar.sugar_mass(volume_m3, mean, 90.0))
    syrup = held / float(sugar.sugar_mass(1.0, syrup_brix))
    return Answer(
        [Figure("mean of the pans", mean, "brix", 1), Figure("sugar in them", held, "mass", 1),
         Figure("syrup it would make", syrup, "smallVolume", 1)],
        [f"Evaporating evenly from {feed_brix:.1f} to {syrup_brix:.1f} °Bx the mean is "
         "feed × ln(syrup / feed) / (1 − feed / syrup).",
         f"{show.text(volume_m3, 'volume')} of it, hot, holds {show.text(held, 'mass')} of sugar."],
        "± 10 %: pans do not boil evenly, and foam hides the level", source="mass balance over pans in line")
