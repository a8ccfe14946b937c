"""A made-up sugarhouse by the minute: tanks, membrane, pans, and the controller's view of them."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from zucker_core import evaporator, membrane, sap, sugar

from .places import HARROW, START, Place
from .weather import Weather

GALLON = 3.785411784e-3


@dataclass(frozen=True)
class Equipment:
    """What stands in the sugarhouse, as the core's parameters."""

    tanks: dict[str, dict[str, Any]]
    evaporator: dict[str, Any]
    evaporator_name: str
    machine: dict[str, Any] | None = None
    machine_name: str = ""
    firing_decay_s: float | None = None
    prices: dict[str, float] = field(default_factory=dict)
    target_brix: float = 12.0


HARROW_EQUIPMENT = Equipment(
    tanks={
        "sap": {"name": "sap tank", "shape": {"kind": "horizontal cylinder", "diameter_m": 2.6, "length_m": 5.6, "dish_m": 0.35},
                "reserve_m3": 0.0},
        "head": {"name": "head tank", "shape": {"kind": "upright cylinder", "diameter_m": 1.75, "height_m": 2.0},
                 "reserve_m3": 0.25},
        "permeate": {"name": "permeate tank", "shape": {"kind": "rectangle", "length_m": 4.0, "width_m": 2.4, "height_m": 2.2},
                     "reserve_m3": 0.0},
    },
    machine={"elements": 4, "arrangement": "mixed loop", "pressure_pa": 3.1e6, "max_brix": 20.0, "recirculation_w": 2200.0,
             "hold_up_m3": 0.12, "permeability": 2.75e-3 / 3600 / 1e5},
    machine_name="four-element loop",
    evaporator={"heat_w": 711e3, "fuel": "oil", "efficiency": 0.75, "preheat_c": 88.0, "hold_up_m3": 0.34, "power_w": 1800.0,
                "idle_fire": 0.12},
    evaporator_name="5 by 14 with steam hood",
    prices={"fuel": 3.85, "power_kwh": 0.19, "labour_hour": 24.0, "wash": 38.0, "syrup_m3": 27.0 / GALLON},
)
VELDHOEK_EQUIPMENT = Equipment(
    tanks={"sap": {"name": "sap tank", "shape": {"kind": "rectangle", "length_m": 2.4, "width_m": 1.5, "height_m": 1.4},
                   "reserve_m3": 0.0},
           "head": {"name": "feed tank", "shape": {"kind": "upright cylinder", "diameter_m": 0.9, "height_m": 1.1},
                    "reserve_m3": 0.05}},
    evaporator={"heat_w": 235e3, "fuel": "wood", "efficiency": 0.55, "hold_up_m3": 0.16, "start_up_s": 2700.0},
    evaporator_name="wood-fired 1 by 3 m", firing_decay_s=900.0,
    prices={"fuel": 240.0, "power_kwh": 0.31, "labour_hour": 22.0, "wash": 0.0, "syrup_m3": 9500.0}, target_brix=0.0,
)
EQUIPMENT = {"harrow-notch": HARROW_EQUIPMENT, "veldhoek": VELDHOEK_EQUIPMENT}


DRAWN_AT, DRAWN_DOWN_TO, DRAW_EVERY_MIN = 67.0, 57.0, 9
PAN_BRIX = np.linspace(56.0, 68.0, 49)
BOILS_ABOVE_K = np.asarray(sugar.boiling_elevation(PAN_BRIX, 97e3))
PRESSURES_PA = np.linspace(88e3, 106e3, 73)
WATER_BOILS_C = np.asarray(sugar.water_boiling_c(PRESSURES_PA))


def true_machine(maker: dict[str, Any], weeks: float = 3.0) -> dict[str, Any]:
    """What a machine really is after some weeks of season, which its maker's figures do not tell."""
    return {**maker, "permeability": maker["permeability"] * (0.93 - 0.028 * weeks), "sigma": 1.27}


class House:
    """State of the sugarhouse. `step` moves it on by one minute."""

    def __init__(self, place: Place, weather: Weather) -> None:
        self.place, self.weather, self.equipment = place, weather, EQUIPMENT[place.slug]
        self.shapes = {role: sap.TankShape(**tank["shape"]) for role, tank in self.equipment.tanks.items()}
        # dipstick tables, so that three weeks of minutes need no root finding
        self.dips = {role: (np.linspace(0, shape.full_depth_m, 400)) for role, shape in self.shapes.items()}
        self.volumes = {role: np.asarray(sap.tank_volume(self.shapes[role], dip)) for role, dip in self.dips.items()}
        self.capacity = {role: float(volumes[-1]) for role, volumes in self.volumes.items()}
        self.sap_m3, self.sap_brix, self.sap_c = 4.0, 2.1, 4.0
        self.head_m3, self.head_brix = 0.2, max(self.equipment.target_brix, 2.1)
        self.permeate_m3 = 4.0
        self.pan_c, self.pan_brix = 8.0, DRAWN_DOWN_TO
        # tables of where water boils and syrup above it, for the same reason
        self.water_boils_c = float(np.interp(sugar.station_pressure(place.elevation_m), PRESSURES_PA, WATER_BOILS_C))
        self.permeate_flow = 0.0
        self.since_wash = 0.0
        self.lit = False
        # the machine as it is: weaker than its maker says
        self.machine = membrane.Machine(**true_machine(self.equipment.machine)) if self.equipment.machine else None
        self.evaporator = evaporator.Evaporator(**self.equipment.evaporator)

    def _evening(self, moment: datetime) -> tuple[bool, bool]:
        """Whether membrane and fire are wanted: from five in the evening, and from earlier on the demo's own day."""
        local = moment - timedelta(hours=4)
        if self.place.slug == HARROW.slug and START - timedelta(minutes=105) <= moment < START + timedelta(hours=10):
            return True, moment >= START - timedelta(minutes=45)
        evening = local.hour >= 17 or local.hour < 3
        return evening, evening and (local.hour != 17 or local.minute >= 30)

    def step(self, moment: datetime, inflow_m3_s: float) -> None:
        """One minute; `inflow_m3_s` is what the releasers send."""
        air = float(self.weather.at("temp_c", moment))
        self.water_boils_c = float(np.interp(self.weather.at("pressure", moment), PRESSURES_PA, WATER_BOILS_C))
        self.sap_c += (np.clip(air, 1.0, 9.0) - self.sap_c) / 600.0
        arriving = inflow_m3_s * 60.0
        local = moment - timedelta(hours=4)
        if self.place.hauled_taps and (local.hour, local.minute) == (15, 40) and inflow_m3_s > 0:
            arriving += 2.6  # the day's load from the hauled lot
        # rich early in the season, thin late, a little up and down by the day
        fresh = 2.15 - 0.01 * (moment - START).total_seconds() / 86_400.0 + 0.12 * np.sin(moment.timetuple().tm_yday)
        room = self.capacity["sap"] - self.sap_m3
        arriving = min(arriving, max(room, 0.0))
        if arriving > 0:
            self.sap_brix = (self.sap_brix * self.sap_m3 + fresh * arriving) / (self.sap_m3 + arriving)
            self.sap_m3 += arriving
        press, fire = self._evening(moment)
        self._press(press)
        self._boil(fire)

    def _press(self, wanted: bool) -> None:
        self.permeate_flow = 0.0
        room = self.capacity["head"] * 0.97 - self.head_m3
        if self.machine is None:
            moved = min(0.05, self.sap_m3, max(room, 0.0)) if wanted else 0.0
            self.sap_m3 -= moved
            self.head_brix = (self.head_brix * self.head_m3 + self.sap_brix * moved) / max(self.head_m3 + moved, 1e-9)
            self.head_m3 += moved
            return
        if not wanted or self.sap_m3 < 0.05 or room <= 0:
            if not wanted and self.since_wash > 4.0:
                self.since_wash = 0.0
                self.permeate_m3 = max(self.permeate_m3 - 1.8, 0.0)
            return
        flows, _ = membrane.run_rate(self.machine, membrane.MembraneState(self.since_wash), self.sap_brix,
                                     self.equipment.target_brix, max(self.sap_c, 0.5))
        if flows is None:
            return
        part = min(1.0, self.sap_m3 / (flows.feed_m3_s * 60.0), room / (flows.concentrate_m3_s * 60.0))
        made = flows.concentrate_m3_s * 60.0 * part
        self.sap_m3 -= flows.feed_m3_s * 60.0 * part
        self.head_brix = (self.head_brix * self.head_m3 + self.equipment.target_brix * made) / max(self.head_m3 + made, 1e-9)
        self.head_m3 += made
        self.permeate_flow = flows.permeate_m3_s * part
        self.since_wash += self.permeate_flow * 60.0
        self.permeate_m3 = min(self.permeate_m3 + self.permeate_flow * 60.0, self.capacity["permeate"])

    def _boil(self, wanted: bool) -> None:
        reserve = self.equipment.tanks["head"]["reserve_m3"]
        self.lit = wanted and (self.head_m3 > reserve if not self.lit else self.head_m3 > reserve * 0.5)
        if not self.lit:
            self.pan_c += (8.0 - self.pan_c) / 90.0
            return
        if self.pan_c > self.water_boils_c - 0.5:
            # the last pan thickens until the draw-off opens, then begins anew
            self.pan_brix += (DRAWN_AT - DRAWN_DOWN_TO) / DRAW_EVERY_MIN
            if self.pan_brix > DRAWN_AT:
                self.pan_brix = DRAWN_DOWN_TO
            self.pan_c = self.water_boils_c + float(np.interp(self.pan_brix, PAN_BRIX, BOILS_ABOVE_K))
            water = float(evaporator.water_rate(self.evaporator, max(self.head_brix, 0.5), 6.0)) * 60.0
            feed = water / (1.0 - self.head_brix / 66.9) / float(sugar.density(self.head_brix, 6.0))
            self.head_m3 = max(self.head_m3 - feed, 0.0)
        else:
            self.pan_c += (self.water_boils_c + 4.0 - self.pan_c) / 7.0

    def readings(self, moment: datetime, rng: np.random.Generator) -> dict[str, tuple[float, str]]:
        """What the controller sends: sensor to (value, unit), in the units that controllers speak."""

        def level(role: str, volume: float) -> tuple[float, str]:
            depth = float(np.interp(volume, self.volumes[role], self.dips[role]))
            return round((depth + rng.normal(0, 0.002)) / 0.0254, 2), "in"

        def fahrenheit(celsius: float, noise: float = 0.1) -> tuple[float, str]:
            return round(celsius * 1.8 + 32 + rng.normal(0, noise), 1), "°F"

        sent = {
            "SAP-LEVEL": level("sap", self.sap_m3), "SAP-BRIX": (round(self.sap_brix + rng.normal(0, 0.03), 2), "°Bx"),
            "SAP-TEMP": fahrenheit(self.sap_c), "HEAD-LEVEL": level("head", self.head_m3),
            "HEAD-BRIX": (round(self.head_brix + rng.normal(0, 0.05), 2), "°Bx"), "HEAD-TEMP": fahrenheit(self.sap_c + 1.0),
            "PAN-TEMP": fahrenheit(self.pan_c, 0.3),
            "BARO": (round(float(self.weather.at("pressure", moment)) / 3386.389 + rng.normal(0, 0.003), 3), "inHg"),
            "AIR-TEMP": fahrenheit(float(self.weather.at("temp_c", moment)), 0.2),
            "WIND": (round(max(float(self.weather.at("wind", moment)) + rng.normal(0, 0.2), 0.0), 1), "m/s"),
        }
        if self.machine is not None:
            sent["PERM-LEVEL"] = level("permeate", self.permeate_m3)
            flow = self.permeate_flow * 3600 / GALLON
            sent["RO-PERM"] = (round(max(flow + rng.normal(0, 3), 0.0), 0) if flow else 0.0, "gph")
            sent["RO-PRESS"] = (round(self.machine.pressure_pa / 6894.757 if self.permeate_flow else 0.0, 0), "psi")
        return sent


SENSORS = {
    "SAP-LEVEL": ("level", "sap tank"), "SAP-BRIX": ("brix", "sap tank"), "SAP-TEMP": ("temperature", "sap tank"),
    "HEAD-LEVEL": ("level", "head tank"), "HEAD-BRIX": ("brix", "head tank"), "HEAD-TEMP": ("temperature", "head tank"),
    "PERM-LEVEL": ("level", "permeate tank"), "RO-PERM": ("flow", "membrane"), "RO-PRESS": ("pressure", "membrane"),
    "PAN-TEMP": ("temperature", "pan"), "BARO": ("pressure", "barometer"), "AIR-TEMP": ("temperature", "outdoors"),
    "WIND": ("wind", "outdoors"),
}
