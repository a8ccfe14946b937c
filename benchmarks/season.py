"""A season at full size: 500 gauges in ten bushes, a reading a minute for 60 days, 43 million rows. How long it takes to roll
them up, and how quickly a gauge's season and the Woods answer then. `./zucker bench season`; needs 8 GB of disk and some minutes.

The rows are made inside the database, which no gauge could do; `./zucker bench ingest` measures the way in.
"""

from __future__ import annotations

import statistics
import sys
import time
from datetime import UTC, datetime, timedelta

from .database import analyse, own_database, signed_in

BUSHES, GAUGES, DAYS = 10, 50, 60
ROUNDS = 25


def main(days: int = DAYS) -> None:
    with own_database("zucker_season"):
        _measure(days)


def _measure(days: int) -> None:
    from zucker.telemetry.actions.roll_up import roll_up
    from zucker.telemetry.models import Reading, Sensor
    from zucker.telemetry.partitions import ensure_months

    until = datetime.now(UTC).replace(second=0, microsecond=0)
    since = until - timedelta(days=days)
    farm = _farm()
    ensure_months(since, until)
    tags = list(Sensor.objects.filter(kind="vacuum").order_by("pk").values_list("pk", "tag"))
    begun = time.perf_counter()
    for day in range(days):
        _fill(since + timedelta(days=day), min(since + timedelta(days=day + 1), until))
    made = time.perf_counter() - begun
    analyse()
    rows = Reading.objects.count()
    print(
        f"{rows:,} readings of {len(tags)} gauges in {made:.0f} s, {rows / made:,.0f} a second (made in the database)", flush=True
    )
    begun, written = time.perf_counter(), 0
    for day in range(days):
        written += roll_up(since + timedelta(days=day), min(since + timedelta(days=day + 1), until))
    took = time.perf_counter() - begun
    print(f"rolled up into {written:,} rows in {took:.0f} s: a day in {took / days:.1f} s", flush=True)
    analyse()
    middle = tags[len(tags) // 2][1]
    client = signed_in("boss")
    for name, path in (
        ("a gauge's season", f"sensors/{middle}/history?hours={24 * days}"),
        ("a gauge's day", f"sensors/{middle}/history?hours=24"),
        ("a gauge's hour", f"sensors/{middle}/history?hours=1"),
        ("Woods", "woods"),
        ("sap by line", "woods/sap?days=30"),
    ):
        times = [_timed(client, farm, path) for _ in range(ROUNDS)]
        print(
            f"{name:18} {statistics.median(times):7.0f} ms median {max(times[1:]):7.0f} ms worst of {ROUNDS},"
            f" the first {times[0]:.0f}"
        )


def _farm() -> str:
    """Ten bushes of twelve mainlines with 50 gauges each: one at every end, the rest along the mains."""
    from zucker.people.actions.found_operation import add_member, found_operation
    from zucker.people.models import Role
    from zucker.woods.actions.survey_network import survey_network
    from zucker.woods.models import Bush
    from zucker_core import vacuum

    farm = found_operation({"slug": "season", "name": "Season", "elevation_m": 300.0})
    add_member(farm, "boss", "four-dry-cords", Role.OWNER)
    pump = {"ultimate_inhg": 27.5, "flow_cfm": 95, "at_inhg": 25}
    for number in range(BUSHES):
        mains = [
            vacuum.MainSketch(f"B{number}-{m:02d}", 400.0, 300, 25.4, 30.0 + 30 * (m // 2), 0.06, f"B{number}-{m:02d}E")
            for m in range(12)
        ]
        drawn = vacuum.schematic(pump, mains, gauge=f"B{number}-P")
        bare = [f["properties"] for f in drawn["features"] if f["properties"]["kind"] == "saddle"]
        left = GAUGES - 13
        for k, properties in enumerate(bare[:: max(len(bare) // left, 1)][:left]):
            properties["sensor"] = f"B{number}-S{k:02d}"
        survey_network(Bush.objects.create(operation=farm, slug=f"b{number}", name=f"Bush {number}"), drawn)
    return str(farm.slug)


def _fill(since: datetime, until: datetime) -> None:
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO telemetry_reading (sensor_id, at, value)"
            " SELECT s.id, t.at, 80000 + 1500 * sin(extract(epoch FROM t.at) / 9000 + s.id) + 300 * random()"
            " FROM telemetry_sensor s, generate_series(%s::timestamptz, %s::timestamptz - interval '1 minute',"
            " interval '1 minute') AS t(at) WHERE s.kind = 'vacuum'",
            [since, until],
        )
        cursor.execute("UPDATE telemetry_sensor SET last_at = %s, last_value = 80000 WHERE kind = 'vacuum'", [until])


def _timed(client: object, farm: str, path: str) -> float:
    begun = time.perf_counter()
    answer = client.get(f"/api/v1/operations/{farm}/{path}")  # type: ignore[attr-defined]
    assert answer.status_code == 200, answer.content[:200]
    return 1e3 * (time.perf_counter() - begun)


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
