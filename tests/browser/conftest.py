"""The whole of Zucker as a person meets it: a server of its own, the stand-ins beside it, Debian's Chromium."""

from __future__ import annotations

import fcntl
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from standins import demo_files
from standins.controller import Controller
from standins.gateway import Gateway
from standins.places import HARROW, PASSWORD, VELDHOEK

ROOT = Path(__file__).resolve().parents[2]
WORKER = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0")[2:])
"""Workers run side by side, each with a server, a port and a database of its own."""
PORT = 8468 + WORKER
URL = f"http://127.0.0.1:{PORT}"
DATABASE, LOADED = f"zucker_browser_{WORKER}", "zucker_browser_demo"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]
PATIENCE_MS = 60_000
"""How long a test waits for what must come; a busy machine takes its time."""
expect.set_options(timeout=PATIENCE_MS)
ENV = {
    **os.environ, "ZUCKER_DB_NAME": DATABASE, "ZUCKER_DEMO": "1", "ZUCKER_SECRET_KEY": "for-tests-only",
    "PYTHONPATH": os.pathsep.join(str(ROOT / part) for part in ("core", "server", ".")),
}


def manage(*words: str, database: str) -> None:
    env = {**ENV, "ZUCKER_DB_NAME": database}
    subprocess.run([sys.executable, str(ROOT / "server/manage.py"), *words], env=env, check=True, capture_output=True)


def new_database(name: str, *made_from: str) -> None:
    reach = ["-h", "127.0.0.1", "-p", os.environ["ZUCKER_DB_PORT"], "-U", "zucker"]
    subprocess.run(["dropdb", *reach, "--if-exists", "--force", name], check=True)
    subprocess.run(["createdb", *reach, *made_from, name], check=True)


@pytest.fixture(scope="session")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's files, written and loaded into a database to copy from by the first worker that comes."""
    base = tmp_path_factory.getbasetemp()
    shared = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    found = shared / "demo"
    with (shared / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not found.exists():
            found.mkdir()
            demo_files.write(found)
            new_database(LOADED)
            manage("migrate", database=LOADED)
            manage("load_demo", str(found), database=LOADED)
    return found


@pytest.fixture(scope="session")
def zucker(folder: Path) -> Iterator[str]:
    """A running server with the demo in a database of its own."""
    new_database(DATABASE, "-T", LOADED)
    HOST.start()
    try:
        yield URL
    finally:
        HOST.kill()


class Host:
    """The server's processes, which a test may kill and start again."""

    process: subprocess.Popen | None = None

    def start(self) -> None:
        """Harmless when it runs."""
        if self.process is not None and self.process.poll() is None:
            return
        self.process = subprocess.Popen(
            [sys.executable, "-m", "gunicorn", "zucker.config.wsgi", "--bind", f"127.0.0.1:{PORT}", "--worker-class", "gthread",
             "--workers", "2", "--threads", "4", "--no-control-socket", "--log-level", "error"],
            env=ENV, cwd=ROOT / "server", stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
        for _ in range(200):
            try:
                httpx.get(f"{URL}/api/v1/clock").raise_for_status()
                return
            except httpx.HTTPError:
                time.sleep(0.1)

    def kill(self) -> None:
        """At once, as a power cut would; harmless when it is dead already."""
        if self.process is not None and self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


HOST = Host()


class Bush:
    """The stand-ins in this process: minutes are sent when a test asks for them."""

    def __init__(self, folder: Path) -> None:
        houses = demo_files.load_houses(folder)
        self.gateway = Gateway(HARROW, URL)
        self.controller = Controller(HARROW, URL, houses[HARROW.slug])
        self.camp = Controller(VELDHOEK, URL, houses[VELDHOEK.slug])

    def now(self) -> datetime:
        return self.gateway.server.now()

    def send(self) -> None:
        """Everything up to the clock's present minute."""
        self.gateway.server._clock = self.controller.server._clock = None
        self.gateway.run_to(self.now())
        self.controller.run_to(self.controller.server.now())
        self.camp.run_to(self.camp.server.now())


@pytest.fixture(scope="session")
def bush(zucker: str, folder: Path) -> Bush:
    found = Bush(folder)
    found.send()
    return found


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        running = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield running
        running.close()


@pytest.fixture
def page(browser: Browser, zucker: str, bush: Bush) -> Iterator[Page]:
    """A page of 1280x800; a test fails when the browser's console shows an error."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    context.set_default_timeout(PATIENCE_MS)
    page = context.new_page()
    faults: list[str] = []
    bush.send()  # however long the tests before it took, the gauges are fresh
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
    page.faults = faults  # type: ignore[attr-defined]
    yield page
    context.close()
    # a refused request is told by the browser too, and is meant
    assert not [fault for fault in faults if "Failed to load resource" not in fault], faults


COOKIES: dict[str, list[Any]] = {}


def enter(page: Page, room: str, who: str = "marit") -> None:
    """Go to a room, signed in: the first time by name and password, afterwards by the cookies of that."""
    slug = VELDHOEK.slug if who == "elin" else HARROW.slug
    if who in COOKIES:
        page.context.add_cookies(COOKIES[who])
        page.goto(f"{URL}/{slug}/{room}")
        return
    page.goto(URL)
    page.get_by_label("Name").fill(who)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("navigation", name="The line from woods to barrels").wait_for()
    COOKIES[who] = page.context.cookies()
    page.goto(f"{URL}/{slug}/{room}")
