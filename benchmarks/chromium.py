"""A page of the running demo in Debian's Chromium, signed in."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, sync_playwright

URL = f"http://127.0.0.1:{os.environ.get('ZUCKER_PORT', '8460')}"
PLACE = "harrow-notch"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync", "--js-flags=--expose-gc"]


@contextmanager
def page_of_demo(before: str = "") -> Iterator[Page]:
    """1280x800; `before` is a script that runs before the page's own."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        if before:
            page.add_init_script(before)
        page.goto(URL)
        page.get_by_label("Name").fill("marit")
        page.get_by_label("Password").fill("sugar-on-snow")
        page.get_by_role("button", name="Sign in", exact=True).click()
        page.get_by_role("navigation", name="The line from woods to barrels").wait_for()
        yield page
        browser.close()
