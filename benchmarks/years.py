"""How quickly Season and the Ledger answer with five years of sixty runs, each with draws and a log. `./zucker bench years`"""

from __future__ import annotations

import statistics
import time
from datetime import UTC, datetime, timedelta

from .database import analyse, own_database, signed_in

TANK = {"kind": "upright cylinder", "diameter_m": 3.0, "height_m": 3.0}
HOUSE = {
    "tanks": {role: {"name": f"{role} tank", "shape": TANK} for role in ("sap", "head", "permeate")},
    "machine": {"elements": 4, "max_brix": 18.0}, "machine_name": "loop", "since_wash_m3": 0.0,
    "evaporator": {"heat_w": 711e3}, "evaporator_name": "pans", "firing_decay_s": None,
    "prices": {"fuel": 3.8, "power_kwh": 0.2, "labour_hour": 24, "wash": 30, "syrup_m3": 7000},
}
YEARS, RUNS, DRAWS, ENTRIES, ROUNDS = 5, 60, 14, 40, 25


def main() -> None:
    with own_database("zucker_years"):
        _fill()
        analyse()
        client = signed_in("boss")

        def took(path: str) -> float:
            begun = time.perf_counter()
            answer = client.get(path)
            assert answer.status_code == 200, answer.content[:200]
            return 1e3 * (time.perf_counter() - begun)

        print(f"{YEARS} years of {RUNS} runs, {DRAWS} draws and {ENTRIES} log lines each")
        for name, path in (("Season", "season"), ("Ledger, all runs", "runs"), ("Tonight, with its forecast", "tonight")):
            took(f"/api/v1/operations/years/{path}")
            pairs = [(took(f"/api/v1/operations/years/{path}"), took("/api/v1/clock")) for _ in range(ROUNDS)]
            times = [a for a, _ in pairs]
            print(f"{name:28}{statistics.median(times):8.0f} ms median {max(times):8.0f} ms worst, "
                  f"{statistics.median(a / b for a, b in pairs):6.1f} times the clock's route")


def _fill() -> None:
    from zucker.people.actions.found_operation import add_member, found_operation
    from zucker.people.models import Role
    from zucker.season.models import WeatherHour
    from zucker.sugarhouse.actions.set_up_house import set_up_house
    from zucker.sugarhouse.models import Draw, Entry, Run

    farm = found_operation({"slug": "years", "name": "Years", "elevation_m": 300.0})
    add_member(farm, "boss", "four-dry-cords", Role.OWNER)
    set_up_house(farm, HOUSE)
    now = datetime.now(UTC)
    runs = Run.objects.bulk_create([
        Run(operation=farm, number=1 + year * RUNS + k, started_at=now - timedelta(days=365 * year + 3 + k),
            closed_at=now - timedelta(days=365 * year + 3 + k) + timedelta(hours=6), taps=3500 - 40 * year, fuel=0.9,
            labour_s=36_000, figures={"sap_m3": 22.0 + k % 7, "sap_brix": 2.0 + 0.01 * k, "syrup_m3": 0.5, "syrup_brix": 66.9,
                                      "hours": 7.0, "feed_brix": 12.0, "index": 40.0 + k % 9, "boil_s": 18_000})
        for year in range(YEARS) for k in range(RUNS)])
    Draw.objects.bulk_create([
        Draw(run=run, at=run.started_at + timedelta(minutes=20 * k), volume_m3=0.035, true_brix=66.9, reading=59.4, temp_c=98.9,
             set_c=103.4, instrument="hydrometer", brix_sd=0.4) for run in runs for k in range(DRAWS)], batch_size=1000)
    Entry.objects.bulk_create([Entry(run=run, at=run.started_at + timedelta(minutes=7 * k), kind="level")
                               for run in runs for k in range(ENTRIES)], batch_size=1000)
    WeatherHour.objects.bulk_create([
        WeatherHour(operation=farm, at=(now + timedelta(hours=h)).replace(minute=0, second=0, microsecond=0),
                    temp_c=4 - 8 * ((h % 24) > 12)) for h in range(-24 * 90, 36)])


if __name__ == "__main__":
    main()
