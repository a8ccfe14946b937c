"""The three weeks before the demo starts: readings of every sensor and the runs that were made."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import numpy as np
from zucker_core import membrane, sugar
from zucker_core.evaporator import FUELS, Evaporator, fuel_per_syrup

from .bush import survey
from .gauges import Gauges, seconds_of
from .house import EQUIPMENT, House, true_machine
from .places import HISTORY_DAYS, SEED, START, Place
from .weather import Weather

MEASURED = ("name", "side", "volume_m3", "volume_sd_m3", "brix", "brix_sd", "temp_c")
METER_WRONG_IN = 20
COARSE_MIN, FINE_MIN, FINE_HOURS = 5, 1, 24


def taps_of(place: Place) -> int:
    """Taps on pipe."""
    return sum(int(f["properties"].get("taps", 0)) for valley in place.valleys for f in survey(place, valley)["features"])


def sampling(place: Place) -> np.ndarray:
    """Moments of the history in seconds since the weather's origin: every five minutes, every minute at the end."""
    end = seconds_of(START)
    fine = end - FINE_HOURS * 3600
    return np.concatenate(
        [np.arange(end - HISTORY_DAYS * 86_400, fine, COARSE_MIN * 60.0), np.arange(fine, end + 1, FINE_MIN * 60.0)]
    )


def woods_history(place: Place, weather: Weather) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Seconds and SI values of each gauge and releaser."""
    seconds, found = sampling(place), {}
    rng = np.random.default_rng([SEED, 3])
    for valley in place.valleys:
        gauges = Gauges(place, valley, weather)
        # pressures change slowly but for leaks: solve at every moment of the last day, every half hour before
        found.update({tag: _sent(seconds, values) for tag, values in gauges.series(seconds, rng).items()})
        flow = np.asarray(weather.at("sap", seconds)) * gauges.taps * (1 + rng.normal(0, 0.02, seconds.size))
        found[f"{valley.prefix}-FLOW"] = (seconds, np.maximum(flow, 0.0))
    return found


def _sent(seconds: np.ndarray, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    good = np.isfinite(values)
    return seconds[good], values[good]


def house_history(place: Place, weather: Weather) -> tuple[dict[str, list[tuple[datetime, float, str]]], House]:
    """What the controller sent, and the house as it stands at the demo's start."""
    house, taps = House(place, weather), taps_of(place)
    rng = np.random.default_rng([SEED, 5])
    sent: dict[str, list[tuple[datetime, float, str]]] = {}
    moment = START - timedelta(days=HISTORY_DAYS)
    while moment <= START:
        house.step(moment, float(weather.at("sap", moment)) * taps)
        minutes_left = (START - moment).total_seconds() / 60
        if minutes_left <= FINE_HOURS * 60 or int(minutes_left) % COARSE_MIN == 0:
            for tag, (value, unit) in house.readings(moment, rng).items():
                sent.setdefault(tag, []).append((moment, value, unit))
        moment += timedelta(minutes=1)
    return sent, house


def past_runs(place: Place, weather: Weather) -> list[dict[str, Any]]:
    """One run for each day that gave enough sap, with draws, firings, notes and closing measures. SI."""
    rng = np.random.default_rng([SEED, 9])
    equipment = EQUIPMENT[place.slug]
    evaporator = Evaporator(**equipment.evaporator)
    taps = taps_of(place) + place.hauled_taps
    capacity = sum(1 for _ in place.valleys) * 16.0
    runs: list[dict[str, Any]] = []
    for day in range(HISTORY_DAYS, 0, -1):
        noon = START - timedelta(days=day)
        hours = [noon + timedelta(hours=h) for h in range(-14, 10)]
        volume = sum(float(weather.at("sap", h)) for h in hours) * 3600 * taps
        if volume < 1.9e-3 * taps:
            continue
        volume = min(volume, capacity * taps / 3500)
        brix = 2.15 - 0.01 * -day + 0.12 * np.sin(noon.timetuple().tm_yday)
        runs.append(
            _run(len(runs) + 1, noon, volume, float(brix), equipment.target_brix or float(brix), evaporator, place, taps, rng)
        )
    return runs


def earlier_years(place: Place, years: int = 4) -> str:
    """CSV of the runs of earlier springs, as somebody's notebook had them: gallons or litres, dates, sums."""
    rng = np.random.default_rng([SEED, 21])
    equipment, taps = EQUIPMENT[place.slug], taps_of(place) + place.hauled_taps
    us = not place.metric
    fuel = FUELS[equipment.evaporator["fuel"]]
    rows = [f"Date,Sap ({'gal' if us else 'L'}),Sap Brix,Syrup ({'gal' if us else 'L'}),Fuel,Hours,Taps,Concentrate"]
    size = 3.785411784e-3 if us else 1e-3
    for back in range(years, 0, -1):
        spring = START.replace(year=START.year - back, month=2, day=22) + timedelta(days=int(rng.integers(-6, 8)))
        count, hung = int(rng.integers(23, 31)), round(taps * (1 - 0.06 * back))
        for k in range(count):
            day = spring + timedelta(days=round(k * 46 / count + rng.uniform(0, 2)))
            volume = hung * rng.uniform(2.2e-3, 8.2e-3)
            brix = 2.2 - 0.35 * k / count + rng.normal(0, 0.08)
            syrup = float(sugar.sugar_mass(volume, brix, 4.0)) * 0.985 / (float(sugar.density(66.9, 20.0)) * 0.669)
            feed = equipment.target_brix or brix
            burnt = (
                syrup
                * float(fuel_per_syrup(feed, 6.0, fuel, equipment.evaporator["efficiency"]))
                / fuel.trade_size
                * rng.normal(1.06, 0.03)
            )
            hours = 1.5 + burnt * fuel.trade_size / Evaporator(**equipment.evaporator).fuel_rate / 3600
            rows.append(
                f"{day:%Y-%m-%d},{volume / size:.0f},{brix:.1f},{syrup / size:.1f},{burnt:.4g},{hours:.1f},{hung},"
                f"{equipment.target_brix or '':}"
            )
    return "\n".join(rows) + "\n"


def _membrane_log(
    machine: dict[str, Any],
    start: datetime,
    sap_brix: float,
    target: float,
    permeate_m3: float,
    age: float,
    rng: np.random.Generator,
) -> list[dict[str, Any]]:
    """What the boiler noted of the membrane every twenty minutes: a machine a little weaker than its maker says, and
    weaker by the week."""
    own = membrane.Machine(**true_machine(machine, age / 7))
    lines: list[dict[str, Any]] = []
    through, at = 0.0, start - timedelta(minutes=100)
    while through < permeate_m3 and len(lines) < 40:
        aimed, temp = target + rng.uniform(-1.2, 1.2), rng.uniform(3.0, 6.0)
        pressure = own.pressure_pa * rng.uniform(0.93, 1.0)
        flow = float(membrane.clean_permeate_flow(own, sap_brix, aimed, temp, pressure)) * float(
            membrane.fouling_ratio(own, through)
        )
        lines.append(
            {
                "at": at.isoformat(),
                "feed_brix": round(sap_brix + rng.normal(0, 0.05), 2),
                "concentrate_brix": round(aimed + rng.normal(0, 0.12), 1),
                "temp_c": round(temp + rng.normal(0, 0.3), 1),
                "pressure_pa": round(pressure * rng.normal(1, 0.008)),
                "permeate_m3_s": flow * float(np.exp(rng.normal(0, 0.025))),
                "since_wash_m3": through,
                "cycle": 0,
            }
        )
        through += flow * 1200
        at += timedelta(minutes=20)
    return lines


def _run(
    number: int,
    noon: datetime,
    volume: float,
    brix: float,
    feed: float,
    evaporator: Evaporator,
    place: Place,
    taps: int,
    rng: np.random.Generator,
) -> dict[str, Any]:
    equipment = EQUIPMENT[place.slug]
    sugar_kg = float(sugar.sugar_mass(volume, brix, 4.0))
    kept = sugar_kg * (1 - abs(rng.normal(0.012, 0.008)))
    syrup_kg_m3 = float(sugar.density(66.9, 20.0)) * 0.669
    syrup = kept / syrup_kg_m3
    hot = float(sugar.density(66.9, 20.0) / sugar.density(66.9, 93.0))  # draws are measured hot
    fuel = FUELS[evaporator.fuel]
    burnt = syrup * float(fuel_per_syrup(feed, 6.0, fuel, evaporator.efficiency, preheat_c=evaporator.preheat_c))
    burnt *= rng.normal(1.03, 0.02)
    boil_h = burnt / evaporator.fuel_rate / 3600
    start = noon.replace(hour=21, minute=int(rng.integers(5, 50)))
    end = start + timedelta(hours=boil_h + 1.6)
    count = int(np.clip(round(syrup / 0.055), 3, 26))
    set_c = 103.55
    draws: list[dict[str, Any]] = []
    for k in range(count):
        true = 66.9 + rng.normal(0.15, 0.45)
        cup_c = 99.0 + rng.normal(0, 1.0)
        draws.append(
            {
                "at": (start + (end - start) * (0.12 + 0.83 * (k + rng.uniform(0.2, 0.8)) / count)).isoformat(),
                "volume_m3": round(syrup * hot / count * rng.uniform(0.85, 1.15), 4),
                "instrument": "hydrometer",
                "reading": round(float(sugar.hydrometer_expected_reading(true, cup_c)), 1),
                "temp_c": round(cup_c, 1),
                "set_c": round(set_c + rng.normal(0, 0.08), 2),
            }
        )
    drawn = sum(d["volume_m3"] for d in draws)
    packed = drawn / hot * 0.992
    notes: list[tuple[float, str, str]] = [
        (0.05, "note", "pans sweetened, float box checked"),
        (0.55, "defoamer", ""),
        (0.9, "note", "last of the sap, chasing with permeate"),
    ]
    if evaporator.fuel == "wood":
        notes += [(float(x), "fired", "") for x in np.arange(0.05, 0.9, 0.04)]
    sap_sd, brix_sd = 0.012 * volume, 0.05
    measures = [
        ("sap come in", "in", volume * rng.normal(1, 0.01), sap_sd, brix + rng.normal(0, brix_sd / 2), brix_sd, 4.0),
        ("syrup drawn", "within", drawn, 0.015 * drawn, 66.9 + rng.normal(0.1, 0.1), 0.15, 93.0),
        (
            "barrelled and bottled",
            "out",
            packed * rng.normal(1, 0.004),
            0.006 * packed,
            66.9 + rng.normal(0.05, 0.08),
            0.12,
            20.0,
        ),
        ("left in pans and lines", "held after", 0.02 * drawn + 0.01, 0.01, 40.0, 5.0, 40.0),
    ]
    ways = [("", "sap"), ("pans", "syrup"), ("syrup", ""), ("pans", "")]
    if equipment.machine:
        # on one night the permeate meter was read a fifth too high
        wrong = 1.2 if number == METER_WRONG_IN else 1.0
        gone = volume * (1 - brix / feed)
        measures.append(("permeate", "out", gone * wrong * rng.normal(1, 0.02), 0.03 * gone, 0.0, 0.05, 4.0))
        ways.append(("sap", ""))
        made = sugar_kg / (float(sugar.density(feed, 4.0)) * feed / 100.0)
        measures.append(("concentrate", "within", made * rng.normal(1, 0.02), 0.03 * made, feed + rng.normal(0, 0.15), 0.2, 4.0))
        ways.append(("sap", "pans"))
    return {
        "number": number,
        "started_at": start.isoformat(),
        "closed_at": end.isoformat(),
        "taps": taps,
        "draws": draws,
        "water_boiling_c": round(98.6 + rng.normal(0, 0.3), 1),
        "entries": [
            {"at": (start + (end - start) * float(x)).isoformat(), "kind": kind, "text": text} for x, kind, text in notes
        ],
        "boil_s": boil_h * 3600,
        "membrane_lines": _membrane_log(equipment.machine, start, brix, feed, volume * (1 - brix / feed), number, rng)
        if equipment.machine
        else [],
        "measures": [
            dict(zip((*MEASURED, "source", "sink"), (*row, *way), strict=True)) for row, way in zip(measures, ways, strict=True)
        ],
        "fuel": burnt,
        "labour_s": (end - start).total_seconds() * 1.3,
        "plan": {
            "target_brix": feed if feed > 3 else 0.0,
            "light_min": 20.0,
            "ro_min": boil_h * 55,
            "ro_end_min": boil_h * 55,
            "boil_min": boil_h * 58,
            "boil_end_min": boil_h * 62,
            "finish_min": (boil_h + 1.5) * 60,
            "concentrate_m3": volume * brix / feed,
            "permeate_m3": volume * (1 - brix / feed),
            "syrup_m3": sugar_kg / syrup_kg_m3,
            "fuel": burnt / fuel.trade_size * rng.normal(0.98, 0.01),
            "power_kwh": 60.0,
            "labour_h": (boil_h + 1.5) * 1.3,
            "cost": 0.0,
            "cost_per_m3": None,
            "washes": 1,
        },
    }
