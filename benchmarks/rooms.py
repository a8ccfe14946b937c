"""Answer times of the rooms' routes at the server, with the demo's network, beside the clock's route.

Run it while `./zucker demo` runs: `./zucker bench rooms`.
"""

from __future__ import annotations

import os
import statistics
import time

import httpx

URL = f"http://127.0.0.1:{os.environ.get('ZUCKER_PORT', '8460')}"
HOME = "/api/v1/operations/harrow-notch"
ROUNDS = 15


def main() -> None:
    with httpx.Client(base_url=URL, timeout=30) as client:
        client.get("/api/v1/session")

        def headers() -> dict[str, str]:
            return {"X-CSRFToken": client.cookies["csrftoken"]}

        marit = {"username": "marit", "password": "sugar-on-snow"}
        client.post("/api/v1/session", json=marit, headers=headers()).raise_for_status()
        assumed = client.get(f"{HOME}/tonight").json()["assumptions"]

        def took(path: str, body: object = None) -> float:
            begun = time.perf_counter()
            answer = client.get(path) if body is None else client.post(path, json=body, headers=headers())
            answer.raise_for_status()
            return time.perf_counter() - begun

        print(f"{'':28}{'median ms':>10}{'max ms':>10}{'ratio':>8}")
        for name, path, body in (
            ("Woods", f"{HOME}/woods", None), ("its map", f"{HOME}/woods/map", None),
            ("a profile", f"{HOME}/woods/mains/UN-07/profile", None),
            ("the Line", f"{HOME}/line", None), ("Boil", f"{HOME}/boil", None),
            ("Tonight, all targets", f"{HOME}/tonight/compare", assumed),
            ("Ledger, all runs", f"{HOME}/runs", None), ("Season", f"{HOME}/season", None), ("Barrels", f"{HOME}/barrels", None),
            ("the membrane's session", f"{HOME}/membrane", None),
        ):
            took(path, body)
            pairs = [(took(path, body), took("/api/v1/clock")) for _ in range(ROUNDS)]
            times = [1e3 * a for a, _ in pairs]
            ratio = statistics.median(a / b for a, b in pairs)
            print(f"{name:28}{statistics.median(times):10.1f}{max(times):10.1f}{ratio:8.1f}")


if __name__ == "__main__":
    main()
