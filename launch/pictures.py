"""The pictures in docs/screenshots, from a running demo: `./zucker shots`."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, ViewportSize, sync_playwright

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]
DESK: ViewportSize = {"width": 1280, "height": 800}
PHONE: ViewportSize = {"width": 390, "height": 844}
HOME = "harrow-notch"


def main(url: str) -> None:
    """Walk through the demo as a person would and keep a picture of each room."""
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        context = browser.new_context(viewport=DESK, color_scheme="light", reduced_motion="reduce")
        page = context.new_page()
        page.goto(url)
        page.get_by_text("This is a demo").wait_for()
        _keep(page, "sign-in")
        page.get_by_text("marit").click()
        page.get_by_role("navigation", name="The line from woods to barrels").wait_for()
        _room(page, url, "woods/UN-07", "woods")
        hunt = _hunt(page, url)
        _room(page, url, "bushbook/upper-notch", "bush-book")
        _drill(page, url)
        page.goto(f"{url}/{HOME}/tonight")
        page.get_by_text("With the least").wait_for(timeout=60_000)  # the whole answer, the forecast's spread included
        _keep(page, "tonight")
        page.get_by_role("button", name="Make this tonight's plan").click()
        page.get_by_text("by marit").wait_for()
        _room(page, url, "ledger", "ledger")
        _room(page, url, "barrels", "barrels")
        _room(page, url, "season", "season")
        _room(page, url, "bench/boiling", "bench")
        page.emulate_media(color_scheme="dark")
        page.goto(f"{url}/{HOME}/woods/UN-07")
        page.get_by_text("over time").click()
        page.get_by_role("img", name="Vacuum over time").wait_for()
        _keep(page, "woods-night")
        page.get_by_text("along its way").click()
        _boil(page, url)
        page.set_viewport_size(PHONE)
        _room(page, url, "boil", "boil-phone")
        page.emulate_media(color_scheme="light")
        _room(page, url, "woods", "woods-phone")
        _room(page, url, hunt, "hunt-phone")
        browser.close()


def _keep(page: Page, name: str) -> None:
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(700)
    page.screenshot(path=OUT / f"{name}.png")


def _room(page: Page, url: str, path: str, name: str) -> None:
    page.goto(f"{url}/{HOME}/{path}")
    page.get_by_role("main").get_by_role("heading", level=1).first.wait_for()
    page.wait_for_timeout(900)
    _keep(page, name)


def _hunt(page: Page, url: str) -> str:
    """Open the hunt for the plain leak and look over two saddles; returns its address."""
    page.goto(f"{url}/{HOME}/hunt")
    page.get_by_role("button", name="Hunt it", exact=True).click()
    page.get_by_role("heading", level=1).filter(has_text="Within").wait_for(timeout=60_000)
    for _ in range(2):
        first = page.get_by_role("region", name="What to do next").get_by_role("heading").inner_text()
        page.get_by_role("button", name="Nothing there").click()
        page.get_by_text(first, exact=True).wait_for(state="hidden")
    path = page.url.split(f"/{HOME}/")[1]
    _room(page, url, path, "hunt")
    return path


def _drill(page: Page, url: str) -> None:
    """Begin a drill on a leak and shut one valve."""
    page.goto(f"{url}/{HOME}/drill")
    page.get_by_label("it is").select_option("leak")
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("heading", name="Something is wrong").wait_for(timeout=60_000)
    page.get_by_role("button", name="Shut it").click()
    page.get_by_role("listitem").filter(has_text="Shut ").wait_for()
    _keep(page, "drill")


def _boil(page: Page, url: str) -> None:
    page.goto(f"{url}/{HOME}/boil")
    page.get_by_role("button", name="Start by this plan").click()
    page.get_by_role("button", name="Water boils").click()
    page.get_by_label("water boils in the pan at").fill("209.8")
    page.get_by_role("button", name="Draw by this").click()
    for gallons, shows in (("6.5", "58.3"), ("7.0", "59.6")):
        page.get_by_role("button", name="Drew", exact=True).click()
        form = page.get_by_role("form", name="Draw")
        form.get_by_label("drew").fill(gallons)
        form.get_by_label("the hydrometer shows").fill(shows)
        form.get_by_role("button", name="Keep this draw").click()
        form.wait_for(state="hidden")
    page.get_by_label("Note").fill("float box sticking, freed it")
    page.get_by_role("button", name="Note it").click()
    page.get_by_text("freed it").wait_for()
    _room(page, url, "boil", "boil")


if __name__ == "__main__":
    main(sys.argv[1])
