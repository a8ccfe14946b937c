"""The whole of Zucker as a person meets it: a server of its own, the stand-ins beside it, Debian's Chromium."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, sync_playwright

from standins import demo_files
from standins.controller import Controller
from standins.gateway import Gateway
from standins.places import HARROW, PASSWORD, VELDHOEK

ROOT = Path(__file__).resolve().parents[2]
PORT = 8468
URL = f"http://127.0.0.1:{PORT}"
DATABASE = "zucker_browser"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]
ENV = {
    **os.environ, "ZUCKER_DB_NAME": DATABASE, "ZUCKER_DEMO": "1", "ZUCKER_SECRET_KEY": "for-tests-only",
    "PYTHONPATH": os.pathsep.join(str(ROOT / part) for part in ("core", "server", ".")),
}


def manage(*words: str) -> None:
    subprocess.run([sys.executable, str(ROOT / "server/manage.py"), *words], env=ENV, check=True, capture_output=True)


@pytest.fixture(scope="session")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's files, written anew."""
    found = tmp_path_factory.mktemp("demo")
    demo_files.write(found)
    return found


@pytest.fixture(scope="session")
def zucker(folder: Path) -> Iterator[str]:
    """A running server with the demo in a database of its own."""
    reach = ["-h", "127.0.0.1", "-p", os.environ["ZUCKER_DB_PORT"], "-U", "zucker"]
    subprocess.run(["dropdb", *reach, "--if-exists", "--force", DATABASE], check=True)
    subprocess.run(["createdb", *reach, DATABASE], check=True)
    manage("migrate")
    manage("load_demo", str(folder))
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "zucker.config.wsgi", "--bind", f"127.0.0.1:{PORT}", "--worker-class", "gthread",
         "--workers", "2", "--threads", "4", "--no-control-socket", "--log-level", "error"],
        env=ENV, cwd=ROOT / "server", stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    for _ in range(200):
        try:
            httpx.get(f"{URL}/api/v1/clock").raise_for_status()
            break
        except httpx.HTTPError:
            time.sleep(0.1)
    yield URL
    server.terminate()
    server.wait()


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
    context.set_default_timeout(10_000)
    page = context.new_page()
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
    page.faults = faults  # type: ignore[attr-defined]
    yield page
    context.close()
    # a refused request is told by the browser too, and is meant
    assert not [fault for fault in faults if "Failed to load resource" not in fault], faults


def enter(page: Page, room: str, who: str = "marit") -> None:
    """Sign in by name and password, and go to a room."""
    page.goto(URL)
    page.get_by_label("Name").fill(who)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("navigation", name="The line from woods to barrels").wait_for()
    slug = VELDHOEK.slug if who == "elin" else HARROW.slug
    page.goto(f"{URL}/{slug}/{room}")
