"""A boil of fourteen hours in a real browser, sped up: does the panel stay quick, does memory grow, is every line kept?

Run it while `./zucker demo --pace 60` runs: `./zucker bench boil`. The page's own timers run at the demo's pace, so that it asks
the server as often as in a real night.
"""

from __future__ import annotations

import statistics
import sys
import time

from playwright.sync_api import Page

from .chromium import PLACE, URL, page_of_demo

HOURS, EVERY_MIN = 14, 5
FASTER = """const pace = %f;
for (const name of ['setTimeout', 'setInterval']) {
    const real = window[name].bind(window);
    window[name] = (work, ms = 0, ...rest) => real(work, ms / pace, ...rest);
}"""
KEYS = ("l", "u", "l", "u", "l")


def main(hours: float = HOURS) -> None:
    import httpx

    pace = httpx.get(f"{URL}/api/v1/clock").json()["pace"]
    with page_of_demo(FASTER % pace) as page:
        asked = [0]
        page.on("request", lambda request: asked.__setitem__(0, asked[0] + request.url.endswith("/boil")))
        page.goto(f"{URL}/{PLACE}/boil")
        start = page.get_by_role("button", name="Start without a plan")
        log = page.get_by_role("region", name="Log")
        start.or_(log.get_by_label("Note")).first.wait_for()
        if start.is_visible():
            start.click()
        log.get_by_label("Note").wait_for()
        before = _kept(page)
        session = page.context.new_cdp_session(page)
        session.send("Performance.enable")
        written, waits = 0, []
        begun, next_hour = time.monotonic(), 0.0
        print(f"{'hour':>5}{'asked':>8}{'lines':>7}{'heap MB':>9}{'nodes':>8}{'key to line, ms':>17}")
        while (virtual_h := (time.monotonic() - begun) * pace / 3600) < hours:
            alarm = page.get_by_role("alertdialog")
            if alarm.is_visible():
                alarm.get_by_role("button").click()
                written += 1
            waits.append(_press(page, KEYS[written % len(KEYS)]))
            written += 1
            if virtual_h >= next_hour:
                heap, nodes = _memory(session)
                wait = statistics.median(waits[-10:])
                print(f"{virtual_h:5.1f}{asked[0]:8}{written:7}{heap:9.2f}{nodes:8}{wait:17.0f}", flush=True)
                next_hour += 1
            page.wait_for_timeout(max(EVERY_MIN * 60e3 / pace - waits[-1], 10))
        page.wait_for_timeout(3000)
        print(f"{written} lines written, {_kept(page) - before} at the server")


def _press(page: Page, key: str) -> float:
    """Milliseconds from the key to its line in the log, whatever the server does meanwhile."""
    count = page.locator("section[aria-label=Log] li").count()
    begun = time.perf_counter()
    page.keyboard.press(key)
    page.wait_for_function("n => document.querySelectorAll('section[aria-label=Log] li').length > n", arg=count, timeout=30_000)
    return 1e3 * (time.perf_counter() - begun)


def _kept(page: Page) -> int:
    return len(page.request.get(f"{URL}/api/v1/operations/{PLACE}/boil").json()["entries"])


def _memory(session: object) -> tuple[float, int]:
    """Megabytes of the page's heap after its rubbish is collected, and its DOM nodes."""
    session.send("HeapProfiler.collectGarbage")  # type: ignore[attr-defined]
    found = {m["name"]: m["value"] for m in session.send("Performance.getMetrics")["metrics"]}  # type: ignore[attr-defined]
    return found["JSHeapUsedSize"] / 1e6, int(found["Nodes"])


if __name__ == "__main__":
    main(*(float(word) for word in sys.argv[1:]))
