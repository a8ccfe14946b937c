"""Hot syrup into containers."""

from __future__ import annotations

from zucker_core import packing, sugar

from ..display import Display
from .answer import Answer, Figure

HANDS = "Hot glass and hot syrup burn: gloves, warm the glass first. Follow local code."


def _hot_enough(fill_c: float) -> str:
    if fill_c < packing.PACK_FROM_C:
        return "Too cool to keep: pack at 180 to 190 °F (82 to 88 °C)."
    if fill_c > packing.SAND_ABOVE_C:
        return "Above 195 °F (90.6 °C) new sugar sand falls: pack at 180 to 190 °F (82 to 88 °C)."
    if fill_c > packing.PACK_TO_C:
        return "Hotter than it need be: 180 to 190 °F (82 to 88 °C) is enough."
    return "Hot enough to keep, not so hot that sugar sand falls."


def bottles(
    show: Display, volume_m3: float, brix: float, fill_c: float, container_m3: float, first_m3: float, first_count: int
) -> Answer:
    wanted = [packing.Fill("first", first_m3, first_count), packing.Fill("then", container_m3)]
    (first, then), left = packing.fill_batch(volume_m3, wanted)
    shrinks = packing.shrinkage(brix, fill_c)
    working = [f"{show.text(container_m3, 'volume', 3)} into each, to the brim.",
               f"From {show.text(fill_c, 'temperature')} to {show.text(20.0, 'temperature')} syrup of {brix:.1f} °Bx shrinks by"
               f" {100 * shrinks:.2f} %.", _hot_enough(fill_c), HANDS]
    if first_count:
        short = f", {first.short} short" if first.short else ""
        working.insert(0, f"First {first.count} of {show.text(first_m3, 'volume', 3)}: "
                          f"{show.text(first.used_m3, 'volume')} of the batch{short}.")
    return Answer(
        [Figure("filled", then.count, "plain", 0), Figure("left over", left, "smallVolume", 2),
         Figure("room that cooling leaves", 100 * shrinks, "percent", 2)],
        working, "± 0.1 % of volume", source="densities from the sucrose tables")


def shrinkage(show: Display, volume_m3: float, brix: float, fill_c: float, to_c: float) -> Answer:
    share = float(packing.shrinkage(brix, fill_c, to_c))
    return Answer(
        [Figure("shrinks by", 100 * share, "percent", 2), Figure("cold it is", volume_m3 * (1 - share), "smallVolume", 3),
         Figure("hot for that much cold", volume_m3 / (1 - share), "smallVolume", 3)],
        [f"{show.text(sugar.density(brix, fill_c), 'density')} at {show.text(fill_c, 'temperature', 0)}, "
         f"{show.text(sugar.density(brix, to_c), 'density')} at {show.text(to_c, 'temperature', 0)}.",
         "The mass stays, so the volumes go as the densities. Glass itself shrinks by less than 0.2 %."],
        "± 0.1 % of volume", source="densities from the sucrose tables")


def label(show: Display, container_m3: float, brix: float, fill_c: float, transmittance: float) -> Answer:
    mass = container_m3 * float(sugar.density(brix, fill_c))
    cold = mass / float(sugar.density(brix, 20.0))
    name = sugar.grade(transmittance).value
    weak = ["Under 66.0 °Bx it may ferment."] if brix < 66.0 else ["Over 68.9 °Bx it may crystallise."] if brix > 68.9 else []
    return Answer(
        [Figure("net weight", mass, "mass", 2), Figure("net at 20 °C (68 °F)", cold, "smallVolume", 3),
         Figure("sugar in it", mass * brix / 100, "mass", 2)],
        [f"{show.text(container_m3, 'volume', 3)} filled at {show.text(fill_c, 'temperature', 0)} weighs "
         f"{show.text(mass, 'mass')}.",
         f"{transmittance:.0f} % of the light through 10 mm is {name}.", *weak, _hot_enough(fill_c),
         "What a label must say is for local rules; Barrels prints lot, grade and volume with a code."],
        "± 0.1 % of volume, and as good as the Brix reading", grade=name, source="densities from the sucrose tables")
