"""What a membrane gives, loses and needs."""

from __future__ import annotations

from zucker_core import membrane, sugar
from zucker_core.errors import Inconsistent

from ..display import Display
from .answer import Answer, Figure

CAUTION = "Release the pressure before a housing is opened. Permeate is not tested drinking water."


def osmotic(show: Display, brix: float, temp_c: float) -> Answer:
    pressure = float(membrane.osmotic_pressure(brix, temp_c))
    molal = 1000 * brix / (100 - brix) / 342.2965
    real = 1.2 * pressure
    return Answer(
        [Figure("osmotic pressure", pressure, "pressure", 1), Figure("sap's, with minerals", real, "pressure", 1)],
        [f"{brix:.1f} °Bx is {molal:.3f} mol of sugar in a kilogram of water.",
         "φ·m·ρ·R·T, with φ rising from 1 as it thickens.",
         "Minerals and what gathers at the membrane make sap act about 1.2 times as strong."],
        "± 1 % for sugar alone, ± 15 % for sap", source="Robinson and Stokes for sucrose")


def permeate(
    show: Display, elements: float, arrangement: str, steps: float, feed_brix: float, target_brix: float, temp_c: float,
    pressure_pa: float, health: float,
) -> Answer:
    machine = membrane.Machine(
        elements=round(elements), arrangement=arrangement, stages=round(steps), passes=round(steps), max_brix=45.0,
        pressure_pa=pressure_pa, permeability=membrane.Machine(1).permeability * health / 100)
    flows, why = membrane.run_rate(machine, membrane.MembraneState(), feed_brix, target_brix, temp_c)
    if flows is None:
        raise Inconsistent("target_brix", why)
    removed = flows.permeate_m3_s / flows.feed_m3_s
    pi = float(membrane.osmotic_pressure(target_brix, temp_c))
    sweep = {"mixed loop": "All membrane sees the concentrate.", "stages": f"{round(steps)} stages, each mixed within itself.",
             "batch": f"{round(steps)} passes over the tank."}[arrangement]
    return Answer(
        [Figure("permeate", flows.permeate_m3_s, "flow", 0), Figure("sap taken in", flows.feed_m3_s, "flow", 0),
         Figure("concentrate", flows.concentrate_m3_s, "flow", 0), Figure("water taken out", 100 * removed, "percent", 1),
         Figure("electric power", flows.power_w, "watts", 0)],
        [f"{round(elements)} elements of 37.2 m² at {health:.0f} % of new, in a {arrangement}. {sweep}",
         f"Cold slows it: {float(membrane.temperature_factor(temp_c)):.2f} of the flow at 25 °C (77 °F).",
         f"{target_brix:.1f} °Bx pushes back with {show.text(pi, 'pressure')} and a fifth more from minerals, of "
         f"{show.text(pressure_pa, 'pressure', 0)}.", CAUTION],
        "± 15 % with a maker's figures; Tonight uses what your own machine has taught",
        source="flux of an 8 × 40 in element of 3.3 L/m²/h/bar; osmotic pressure by Robinson and Stokes")


def passage(show: Display, volume_m3: float, feed_brix: float, target_brix: float, temp_c: float, passage: float) -> Answer:
    if target_brix <= feed_brix:
        raise Inconsistent("target_brix", f"{target_brix:g} °Brix is not above the sap's own {feed_brix:g}")
    ratio = float(membrane.volume_ratio(feed_brix, target_brix, temp_c, passage / 100))
    share = float(membrane.sugar_lost_share(ratio, passage / 100))
    a_cubic_metre = share * float(sugar.sugar_mass(1.0, feed_brix, temp_c))
    lost = volume_m3 * a_cubic_metre
    return Answer(
        [Figure("sugar lost with permeate", 100 * share, "percent", 2), Figure("in all", lost, "mass", 1),
         Figure("as syrup", lost / float(sugar.sugar_mass(1.0, 66.9)), "smallVolume", 2),
         Figure("permeate holds", 100 * a_cubic_metre / ((1 - 1 / ratio) * 1000), "brix", 3)],
        [f"{ratio:.2f} of sap make one of concentrate.", f"1 − {ratio:.2f}^(−{passage / 100:.4f}) of the sugar goes through.",
         "A refractometer on permeate should show nothing; what it shows is passage or a torn seal."],
        "as good as the passage: measure the permeate", source="passage s: B_c/B_f = (Q_f/Q_c)^(1−s)")


def clean_water(
    show: Display, flow_m3_s: float, temp_c: float, pressure_pa: float, new_flow_m3_s: float, new_temp_c: float,
    new_pressure_pa: float,
) -> Answer:
    health = float(membrane.clean_water_test(flow_m3_s, temp_c, new_flow_m3_s, new_temp_c, pressure_pa, new_pressure_pa))
    cold = float(membrane.temperature_factor(temp_c) / membrane.temperature_factor(new_temp_c))
    what = ("As new." if health > 0.95 else "Fair." if health >= 0.85 else
            "Under 85 % of new: wash it again, longer or warmer as its maker allows, then test again.")
    return Answer(
        [Figure("of new", 100 * health, "percent", 1), Figure("as read, without temperature", 100 * flow_m3_s / new_flow_m3_s,
                                                              "percent", 1)],
        [f"Water at {show.text(temp_c, 'temperature', 0)} passes {cold:.2f} of what it does at "
         f"{show.text(new_temp_c, 'temperature', 0)}.",
         f"Pressure now is {pressure_pa / new_pressure_pa:.2f} of then.", what],
        "± 3 % with a flow meter and a thermometer in the water", source="flux by exp[2640 (1/298.15 − 1/T)] and pressure")


def wash(show: Display, elements: float, hold_up_m3: float, rinse_before: float, wash_fill: float, rinse_after: float) -> Answer:
    machine = membrane.Machine(round(elements), hold_up_m3=hold_up_m3, rinse_before=rinse_before, wash_fill=wash_fill,
                               rinse_after=rinse_after)
    need = membrane.wash_need(machine)
    return Answer(
        [Figure("permeate to keep", need.permeate_m3, "volume", 0),
         Figure("rinse before", rinse_before * hold_up_m3, "volume", 0),
         Figure("fill for the wash", wash_fill * hold_up_m3, "volume", 0),
         Figure("rinse after", rinse_after * hold_up_m3, "volume", 0)],
        [f"{rinse_before:g}, {wash_fill:g} and {rinse_after:g} times what housings and pipes hold.",
         "Goggles and gloves. Alkali and acid are never mixed: rinse to neutral in between.",
         "Follow the membrane's maker and local rules for the drain."],
        "as good as the hold-up: measure it once by draining", source="hold-ups by trade practice; editable")


def rinse(show: Display, hold_up_m3: float, start: float, end: float) -> Answer:
    water = float(membrane.rinse_volume(hold_up_m3, start, end))
    return Answer(
        [Figure("rinse water", water, "volume", 0), Figure("hold-ups", water / hold_up_m3, "plain", 1)],
        [f"{show.text(hold_up_m3, 'volume')} × ln({start:g} / {end:g}).",
         "Each hold-up of water that mixes well leaves 37 % of what was there.",
         "Measure at the drain before you stop: dead corners mix badly."],
        "at least so much: corners that do not mix take more", source="a well-mixed volume, rinsed through")
