"""Write the demo's files: one folder an operation, read by `manage.py load_demo`."""

from __future__ import annotations

import csv
import json
import pickle
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
from zucker_core.units import to_si

from . import landscape
from .barrels import packed_syrup
from .bush import survey
from .house import EQUIPMENT, SENSORS, House
from .places import HISTORY_DAYS, PASSWORD, PLACES, SEED, START, TOKENS, Place
from .season import earlier_years, house_history, past_runs, woods_history
from .weather import ORIGIN, Weather, weather_file

DIMENSION = {
    "level": "length", "temperature": "temperature", "brix": "brix", "flow": "flow", "pressure": "pressure", "wind": "speed",
}


def write(folder: Path) -> None:
    """All operations, below `folder`."""
    for place in PLACES:
        _write_place(folder / place.slug, place)


def _write_place(folder: Path, place: Place) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    weather = Weather(place)
    house_sent, house = house_history(place, weather)
    (folder / "house.pickle").write_bytes(pickle.dumps(house))
    (folder / "weather.csv").write_text(weather_file(place, START, HISTORY_DAYS + 3))
    with (folder / "readings.csv").open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["sensor", "at", "si"])
        for tag, (seconds, values) in woods_history(place, weather).items():
            writer.writerows(
                (tag, (ORIGIN + timedelta(seconds=s)).isoformat(), f"{v:.7g}")
                for s, v in zip(seconds.tolist(), values.tolist(), strict=True))
        for tag, rows in house_sent.items():
            dimension = DIMENSION[SENSORS[tag][0]]
            writer.writerows((tag, at.isoformat(), f"{to_si(value, unit, dimension):.7g}") for at, value, unit in rows)
    (folder / "operation.json").write_text(json.dumps(_facts(place, house, weather), default=float))


def _facts(place: Place, house: House, weather: Weather) -> dict[str, Any]:
    equipment = EQUIPMENT[place.slug]
    bushes: list[dict[str, Any]] = []
    for valley in place.valleys:
        x, y = landscape.point(valley, 300, 0)
        reach = 750 if valley.mains > 6 else 480
        bushes.append({
            "slug": valley.slug, "name": valley.name, "geojson": survey(place, valley),
            "contours": landscape.contours(place, (x - reach, y - reach), (x + reach, y + reach)) if not bushes else [],
        })
    if len(place.valleys) > 1:
        bushes[0]["contours"] = landscape.contours(place, (-1100, -380), (1150, 1150))
    if place.hauled_taps:
        bushes.append({"slug": "fennick-lot", "name": "Fennick lot", "hauled": True, "taps": place.hauled_taps})
    sensors: list[dict[str, Any]] = [{"tag": tag, "kind": kind, "part": part} for tag, (kind, part) in SENSORS.items()
               if house.machine is not None or tag not in ("PERM-LEVEL", "RO-PERM", "RO-PRESS")]
    sensors += [{"tag": f"{v.prefix}-FLOW", "kind": "flow", "part": f"releaser {v.slug}", "dump_m3": 0.019}
                for v in place.valleys]
    return {
        "start": START.isoformat(), "slug": place.slug, "name": place.name, "place": place.county, "zone": place.zone,
        "elevation_m": place.elevation_m, "metric": place.metric, "currency": "EUR" if place.metric else "USD",
        "people": [list(person) for person in place.people], "password": PASSWORD, "token": TOKENS[place.slug],
        "bushes": bushes, "tappings": _tappings(place, bushes), "sensors": sensors, "runs": (runs := past_runs(place, weather)),
        "lots": packed_syrup(place, runs), "earlier_years": earlier_years(place),
        "equipment": {
            "tanks": equipment.tanks, "machine": equipment.machine, "machine_name": equipment.machine_name,
            "evaporator": equipment.evaporator, "evaporator_name": equipment.evaporator_name,
            "firing_decay_s": equipment.firing_decay_s, "prices": equipment.prices, "since_wash_m3": house.since_wash,
        },
    }


def _tappings(place: Place, bushes: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Who tapped what in the weeks before the season, lateral by lateral; two lines of the far bush are not done."""
    rng = np.random.default_rng([SEED, 21])
    found: list[dict[str, Any]] = []
    crew = [name for name, role in place.people if role != "viewer"]
    at = START - timedelta(days=33, hours=5)
    for bush in bushes:
        lines = [f["properties"] for f in bush.get("geojson", {"features": []})["features"] if f["properties"].get("taps")]
        mains = sorted({line["main"] for line in lines})
        left = mains[-2:] if bush["slug"] == place.valleys[-1].slug and len(mains) > 6 else []
        for line in (line for line in lines if line["main"] not in left):
            at += timedelta(minutes=int(line["taps"]) * 1.1)
            if at.hour >= 21:  # four in the afternoon there
                at += timedelta(hours=16)
            found.append({
                "bush": bush["slug"], "by": crew[len(found) // 40 % len(crew)], "at": at.isoformat(), "main": line["main"],
                "lateral": line["tag"], "taps": line["taps"], "soft": int(rng.random() < 0.03), "depth_m": 0.044,
                "spout": "check-valve" if line["main"].endswith(("3", "7")) else "new"})
    return found


def load_houses(folder: Path) -> dict[str, House]:
    """The houses as the written history left them."""
    return {place.slug: pickle.loads((folder / place.slug / "house.pickle").read_bytes()) for place in PLACES}
