"""The commands of `./zucker`."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from pathlib import Path

from . import packages, testing
from .paths import LOCAL, PORT, PYTHON, ROOT, WEB, once, python_env, run, say
from .ports import require_free
from .postgres import POSTGRES_BIN, SERVE, TESTS
from .services import Services, environment, manage, start_server, start_standins

DEMO = LOCAL / "demo"
BENCHES = ("core", "ingest", "season", "rooms", "vacuum_locate", "vacuum_hunt", "vacuum_watch", "vacuum_gas",
           "run_plants", "run_ledger", "run_balance", "years", "screen", "boil")
CLUSTERED = ("ingest", "season", "years")


def main(words: list[str]) -> None:
    """Parse and do."""
    parser = argparse.ArgumentParser(prog="./zucker", description="Zucker: from the woods to the barrel.")
    commands = parser.add_subparsers(dest="command", required=True)
    demo_words = commands.add_parser("demo", help="set everything up and start it with demo data")
    demo_words.add_argument("--pace", type=float, default=1.0, help="seconds of the demo's clock for a real one")
    demo_words.add_argument("--fresh", action="store_true", help="begin the demo anew")
    commands.add_parser("serve", help="set everything up and start it for real work")
    test_words = commands.add_parser("test", help="run all tests, or only the suites named")
    test_words.add_argument("suites", nargs="*")
    commands.add_parser("check", help="style, types, import contracts, locks")
    commands.add_parser("shots", help="make the pictures in docs/screenshots from demo data")
    commands.add_parser("schema", help="write the interface's API types anew")
    commands.add_parser("bench", help="timings as ratios, and accuracy").add_argument("name", choices=BENCHES)
    mqtt_words = commands.add_parser("mqtt", help="take an operation's readings from an MQTT broker")
    mqtt_words.add_argument("rest", nargs=argparse.REMAINDER, help="OPERATION and where the broker is (docs/formats.md)")
    commands.add_parser("manage", help="run a command of Django's").add_argument("rest", nargs=argparse.REMAINDER)
    commands.add_parser("backup", help="write the database to a file").add_argument("file", type=Path)
    commands.add_parser("restore", help="replace the database by a backup").add_argument("file", type=Path)
    asked = parser.parse_args(words)
    os.chdir(ROOT)
    LOCAL.mkdir(exist_ok=True)
    if asked.command == "test":
        testing.test(asked.suites)
    elif asked.command == "check":
        testing.check()
    elif asked.command == "demo":
        demo(asked.pace, fresh=asked.fresh)
    elif asked.command == "shots":
        shots()
    elif asked.command == "bench":
        bench(asked.name)
    elif asked.command == "schema":
        packages.python_packages(tests=True)
        packages.web_packages()
        testing.write_schema(python_env(), WEB / "src/lib/schema.d.ts")
    else:
        {"serve": serve, "manage": lambda: command_of_django(asked.rest),
         "mqtt": lambda: command_of_django(["bridge_mqtt", *asked.rest]), "backup": lambda: backup(asked.file),
         "restore": lambda: restore(asked.file)}[asked.command]()


def _ready(**more: str) -> dict[str, str]:
    """Packages, interface, database and its tables."""
    packages.debian()
    packages.python_packages()
    packages.web_build()
    SERVE.start()
    env = environment(**more)
    migrations = sorted((ROOT / "server/zucker").glob("*/migrations"))
    once("migrate", [*migrations, ROOT / "requirements/serve.txt"], lambda: manage("migrate", env=env))
    return env


def demo(pace: float, *, fresh: bool = False) -> None:
    """Everything with demo data, until Ctrl-C."""
    require_free()
    env = _ready(ZUCKER_DEMO="1")
    services = Services()
    load_demo(env, pace, fresh=fresh)
    try:
        start_server(services, env)
        start_standins(services, env)
        say(f"ready at http://localhost:{PORT}  (Ctrl-C stops it; sign in as marit, password sugar-on-snow)")
        services.watch()
    finally:
        services.stop()
        SERVE.stop()


def load_demo(env: dict[str, str], pace: float, *, fresh: bool) -> None:
    """Write the demo's files if its makers changed, and load what is not in the database yet."""

    def write() -> None:
        say("simulating three weeks of season")
        run([PYTHON, "-m", "standins", "--folder", DEMO, "write"], env=env, quiet=True)

    once("demo-files", [ROOT / "standins", ROOT / "core"], write, DEMO)
    if fresh:
        manage("flush", "--no-input", env=env)
    manage("load_demo", str(DEMO), "--pace", str(pace), env=env)


def serve() -> None:
    """For real work, until Ctrl-C: web and worker on this machine (docs/operate.md for more)."""
    require_free()
    env = _ready()
    services = Services()
    try:
        start_server(services, env)
        say(f"ready at http://localhost:{PORT}")
        services.watch()
    finally:
        services.stop()
        SERVE.stop()


def shots() -> None:
    """Pictures of the rooms, from a fresh demo at its first minutes."""
    require_free()
    packages.debian(browser=True)
    packages.python_packages(tests=True)
    env = _ready(ZUCKER_DEMO="1")
    services = Services()
    try:
        load_demo(env, 1.0, fresh=True)
        start_server(services, env)
        start_standins(services, env)
        run([PYTHON, "-m", "launch.pictures", f"http://127.0.0.1:{PORT}"], env=env)
    finally:
        services.stop()
        SERVE.stop()


def bench(name: str) -> None:
    """One of benchmarks/: those in CLUSTERED use the tests' cluster, `rooms`, `screen` and `boil` a running demo."""
    packages.debian()
    packages.python_packages(tests=True)
    if name == "vacuum_gas":
        packages.gas_solver()
    started = TESTS.start() if name in CLUSTERED else False
    env = python_env(**(TESTS.environment() if name in CLUSTERED else {}))
    try:
        run([PYTHON, "-m", f"benchmarks.{name}"], env=env)
    finally:
        if started:
            TESTS.stop()


def command_of_django(words: list[str]) -> None:
    """With the database running."""
    env = _ready()
    run([PYTHON, ROOT / "server/manage.py", *words], env=env)


def _reach() -> tuple[list[str], dict[str, str]]:
    password = SERVE.environment()["ZUCKER_DB_PASSWORD"]
    return ["-h", "127.0.0.1", "-p", str(SERVE.port), "-U", "zucker"], {**os.environ, "PGPASSWORD": password}


def backup(file: Path) -> None:
    """The whole database in PostgreSQL's own format."""
    SERVE.start()
    reach, env = _reach()
    subprocess.run([POSTGRES_BIN / "pg_dump", *reach, "-Fc", "-f", file, "zucker"], env=env, check=True)
    say(f"written: {file}")


def restore(file: Path) -> None:
    """Replace the database by a backup."""
    if not file.exists():
        sys.exit(f"zucker: there is no file {file}")
    SERVE.start()
    reach, env = _reach()
    for words in (["dropdb", *reach, "--if-exists", "zucker"], ["createdb", *reach, "zucker"],
                  ["pg_restore", *reach, "-d", "zucker", str(file)]):
        subprocess.run([POSTGRES_BIN / words[0], *words[1:]], env=env, check=True)
    say(f"restored from {file}")
