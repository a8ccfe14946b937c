"""`./zucker test` and `./zucker check`."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

from . import packages
from .paths import LOCAL, PYTHON, ROOT, VENV, WEB, python_env, say
from .postgres import TESTS

REPORTS = LOCAL / "reports"
SUITES = {
    "core": "tests/core", "standins": "tests/standins", "launch": "tests/launch", "server": "tests/server",
    "browser": "tests/browser",
}
ALONE = ("core", "standins", "launch")
"""Suites that need neither Django nor a database."""


SHARED = ("core", "server", "browser")
"""Suites whose files are shared out over the processor's cores; each worker has a database, a server and ports of its own."""


def _call(command: list[str | Path], env: dict[str, str], cwd: Path = ROOT) -> int:
    return subprocess.run([str(c) for c in command], cwd=cwd, env={**os.environ, **env}, check=False).returncode


def test(which: list[str]) -> None:
    """All suites, or those named; prints one closing line and ends with 1 on any failure."""
    suites = which or [*SUITES, "web"]
    unknown = [name for name in suites if name not in (*SUITES, "web")]
    if unknown:
        sys.exit(f"zucker: no suite {', '.join(unknown)}; there are {', '.join(SUITES)} and web")
    packages.debian(browser="browser" in suites, broker="server" in suites)
    packages.python_packages(tests=True)
    if "browser" in suites:
        packages.web_build()
    elif "web" in suites:
        packages.web_packages()
    REPORTS.mkdir(parents=True, exist_ok=True)
    for old in REPORTS.glob("*.xml"):
        old.unlink()
    database = any(name in suites for name in ("server", "browser"))
    started = TESTS.start() if database else False
    codes = {}
    try:
        for name in suites:
            say(f"testing: {name}")
            codes[name] = _suite(name)
    finally:
        if started:
            TESTS.stop()
    passed, failed = 0, 0
    for name in suites:
        good, bad = _counts(REPORTS / f"{name}.xml")
        # a suite that ended badly without a failing test still fails
        bad = bad or (1 if codes[name] else 0)
        passed, failed = passed + good, failed + bad
        say(f"{name}: {good} passed, {bad} failed")
    print(f"{passed} passed, {failed} failed", flush=True)
    sys.exit(1 if failed or not passed else 0)


def _suite(name: str) -> int:
    if name == "web":
        path = f"{packages.node() / 'bin'}"
        env = {"PATH": f"{path}{os.pathsep}{os.environ['PATH']}"}
        return _call([packages.node() / "bin" / "node", WEB / "node_modules/vitest/vitest.mjs", "run", "--reporter=default",
                      "--reporter=junit", f"--outputFile.junit={REPORTS / 'web.xml'}"], env, WEB)
    env = python_env() if name in ALONE else python_env(ZUCKER_TESTING="1", **TESTS.environment())
    words: list[str | Path] = [PYTHON, "-m", "pytest", SUITES[name], f"--junitxml={REPORTS / name}.xml"]
    if name in SHARED:
        words += ["-n", "auto", "--maxprocesses", "4", "--dist", "loadscope"]
    if name in ALONE:
        words += ["-o", "addopts=-q -p no:cacheprovider -p no:django"]
    return _call(words, env)


def _counts(report: Path) -> tuple[int, int]:
    if not report.exists():
        return 0, 1
    suites = ElementTree.parse(report).getroot().iter("testsuite")
    total = bad = skipped = 0
    for suite in suites:
        total += int(suite.get("tests", 0))
        bad += int(suite.get("failures", 0)) + int(suite.get("errors", 0))
        skipped += int(suite.get("skipped", 0) or 0)
    return total - bad - skipped, bad


def check() -> None:
    """Style, types, import contracts, generated files, locks: quick enough for every commit."""
    packages.python_packages(tests=True)
    packages.web_packages()
    env = python_env()
    node = packages.node() / "bin" / "node"
    steps: list[tuple[str, list[str | Path], Path]] = [
        ("style of Python", [VENV / "bin" / "ruff", "check", "."], ROOT),
        ("types of Python", [VENV / "bin" / "mypy", "core/zucker_core", "server/zucker", "standins", "launch"], ROOT),
        ("import contracts", [VENV / "bin" / "lint-imports"], ROOT),
        ("migrations", [PYTHON, "server/manage.py", "makemigrations", "--check", "--dry-run"], ROOT),
        ("types of the interface", [node, WEB / "node_modules/typescript/bin/tsc", "--noEmit"], WEB),
        ("style of the interface", [node, WEB / "node_modules/@biomejs/biome/bin/biome", "check", "src"], WEB),
    ]
    failed = [name for name, command, cwd in steps if _quiet(name, command, env, cwd)]
    failed += [name for name, wrong in (("API schema", _schema_is_old(env)), ("locks", _locks_hold_addresses())) if wrong]
    say("all is well" if not failed else f"failed: {', '.join(failed)}")
    sys.exit(1 if failed else 0)


def _quiet(name: str, command: list[str | Path], env: dict[str, str], cwd: Path) -> bool:
    words = [str(part) for part in command]
    done = subprocess.run(words, cwd=cwd, env={**os.environ, **env}, capture_output=True, text=True, check=False)
    if done.returncode:
        print(f"--- {name}\n{done.stdout}{done.stderr}")
    return done.returncode != 0


def write_schema(env: dict[str, str], target: Path) -> None:
    """The API's OpenAPI document, and from it the interface's types in `target`."""
    document = LOCAL / "openapi.json"
    subprocess.run(
        [str(PYTHON), "server/manage.py", "export_openapi_schema", "--api", "zucker.config.api.api", "--output", str(document)],
        cwd=ROOT, env={**os.environ, **env}, check=True, capture_output=True)
    subprocess.run(
        [str(packages.node() / "bin" / "node"), str(WEB / "node_modules/openapi-typescript/bin/cli.js"), str(document), "-o",
         str(target)], cwd=WEB, check=True, capture_output=True)


def _schema_is_old(env: dict[str, str]) -> bool:
    fresh = LOCAL / "schema.d.ts"
    write_schema(env, fresh)
    if fresh.read_text() == (WEB / "src/lib/schema.d.ts").read_text():
        return False
    print("--- API schema\nweb/src/lib/schema.d.ts does not match the API: run ./zucker schema")
    return True


def _locks_hold_addresses() -> bool:
    wrong = []
    for lock in (ROOT / "requirements/serve.txt", ROOT / "requirements/test.txt", WEB / "pnpm-lock.yaml"):
        wrong += [f"{lock.name}: {line}" for line in lock.read_text().splitlines()
                  if re.search(r"https?://|--(extra-)?index-url|tarball:", line)]
    if wrong:
        print("--- locks\n" + "\n".join(wrong[:5]))
    return bool(wrong)
