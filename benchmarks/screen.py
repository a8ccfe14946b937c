"""From a key pressed in an assumption to the new answer on the screen, in a real browser with the demo's sugarhouse.

Run it while `./zucker demo` runs: `./zucker bench screen`. The pause after the last key, which keeps half a number from being
worked out, is part of it.
"""

from __future__ import annotations

import statistics

from .chromium import PLACE, URL, page_of_demo

ROUNDS, STILL_MS = 15, 2500
TYPE = """async ([label, value, still]) => {
    const field = [...document.querySelectorAll('label')].find((one) => one.textContent === label);
    const input = document.getElementById(field.htmlFor);
    const told = () => document.querySelector('section[aria-label="Plan and assumptions"] h1').parentElement.textContent;
    // the whole answer to the key before must have come, or it would be taken for the first to this one
    let before = told();
    for (let since = performance.now(); performance.now() - since < still; ) {
        await new Promise((soon) => setTimeout(soon, 50));
        if (told() !== before) { before = told(); since = performance.now(); }
    }
    const begun = performance.now();
    Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(input, value);
    input.dispatchEvent(new Event('input', {bubbles: true}));
    await new Promise((seen) => {
        const look = () => {
            if (told() !== before) requestAnimationFrame(seen);
            else requestAnimationFrame(look);
        };
        requestAnimationFrame(look);
    });
    return performance.now() - begun;
}"""


def main() -> None:
    with page_of_demo() as page:
        page.goto(f"{URL}/{PLACE}/tonight")
        page.get_by_role("heading", level=1).filter(has_text="a gallon").wait_for()
        for label, values in (("sap tank", ("4000", "4700")), ("oil", ("3.10", "4.20"))):
            times = [page.evaluate(TYPE, [label, f"{float(values[k % 2]) + k / 100:.2f}", STILL_MS]) for k in range(ROUNDS)]
            print(f"{label:10} {statistics.median(times):6.0f} ms median {max(times):6.0f} ms worst of {ROUNDS}")


if __name__ == "__main__":
    main()
