"""Readings a second through HTTP in batches of 1,000, beside a raw COPY of the same rows.

Run it against a throw-away database: `./zucker bench ingest`.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import psycopg

ROOT = Path(__file__).resolve().parent.parent
PORT, DATABASE = 8467, "zucker_bench"
SENSORS, BATCHES, BATCH, SENDERS, ROUNDS = 50, 60, 1000, 2, 5


def main() -> None:
    reach = ["-h", "127.0.0.1", "-p", os.environ["ZUCKER_DB_PORT"], "-U", "zucker"]
    subprocess.run(["dropdb", *reach, "--if-exists", "--force", DATABASE], check=True)
    subprocess.run(["createdb", *reach, DATABASE], check=True)
    env = {**os.environ, "ZUCKER_DB_NAME": DATABASE}
    manage = [sys.executable, str(ROOT / "server/manage.py")]
    subprocess.run([*manage, "migrate"], env=env, check=True, capture_output=True)
    made = subprocess.run([*manage, "shell", "-v", "0", "-c", SET_UP], env=env, check=True, capture_output=True, text=True)
    token = made.stdout.strip().splitlines()[-1]
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "zucker.config.wsgi", "--bind", f"127.0.0.1:{PORT}", "--worker-class", "gthread",
         "--workers", "2", "--threads", "2", "--no-control-socket", "--log-level", "error"],
        env=env, cwd=ROOT / "server", stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        _wait()
        rates, copies = [], []
        with psycopg.connect(f"host=127.0.0.1 port={reach[3]} user=zucker dbname={DATABASE}") as connection:
            for number in range(ROUNDS):
                rates.append(_through_http(token, number))
                copies.append(_by_copy(connection, number))
    finally:
        server.terminate()
        server.wait()
    rate, copy = statistics.median(rates), statistics.median(copies)
    print(f"through HTTP   {rate:10,.0f} readings a second (median of {ROUNDS} rounds of {BATCHES * BATCH:,})")
    print(f"raw COPY       {copy:10,.0f} rows a second")
    print(f"ratio          {rate / copy:10.3f}")


SET_UP = f"""
from zucker.people.actions.found_operation import found_operation
from zucker.telemetry.actions.register_device import register_device
from zucker.telemetry.models import Sensor
farm = found_operation({{"slug": "bench", "name": "Bench", "elevation_m": 100.0}})
Sensor.objects.bulk_create([Sensor(operation=farm, tag=f"S{{i}}", kind="vacuum") for i in range({SENSORS})])
print(register_device(farm, "bench")[1])
"""


def _wait() -> None:
    for _ in range(200):
        try:
            httpx.get(f"http://127.0.0.1:{PORT}/api/v1/clock").raise_for_status()
            return
        except httpx.HTTPError:
            time.sleep(0.1)
    sys.exit("the server did not start")


def _moments(number: int) -> list[datetime]:
    start = datetime.now(UTC).replace(microsecond=0) - timedelta(days=20 - number)
    return [start + timedelta(seconds=i) for i in range(BATCHES * BATCH // SENSORS)]


def _through_http(token: str, number: int) -> float:
    rows = [{"sensor": f"S{s}", "at": at.isoformat(), "value": 24.1, "unit": "inHg"}
            for at in _moments(number) for s in range(SENSORS)]
    bodies = [json.dumps({"readings": rows[i:i + BATCH]}) for i in range(0, len(rows), BATCH)]
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    url = f"http://127.0.0.1:{PORT}"
    with httpx.Client(base_url=url, headers=headers, timeout=60) as client, ThreadPoolExecutor(SENDERS) as pool:
        begun = time.perf_counter()
        taken = sum(pool.map(lambda body: client.post("/api/v1/readings", content=body).json()["taken"], bodies))
        took = time.perf_counter() - begun
    if taken != len(rows):
        sys.exit(f"only {taken} of {len(rows)} were taken")
    return taken / took


def _by_copy(connection: psycopg.Connection, number: int) -> float:
    rows = [(10_000 + s, at, 81_000.0) for at in _moments(number) for s in range(SENSORS)]
    begun = time.perf_counter()
    with connection.cursor() as cursor, cursor.copy("COPY telemetry_reading (sensor_id, at, value) FROM STDIN") as copy:
        for row in rows:
            copy.write_row(row)
    connection.commit()
    return len(rows) / (time.perf_counter() - begun)


if __name__ == "__main__":
    main()
