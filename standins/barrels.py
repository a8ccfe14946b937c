"""What was made of the syrup of past runs: lots with their colour, barrels and jugs, and where some of them went."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import numpy as np
from zucker_core import packing

from .places import SEED, Place

GALLON = 3.785411784e-3
BARREL_M3, BARREL_TARE_KG = 40 * GALLON, 24.0
JUGS = {
    False: (("gallon jug", GALLON), ("half gallon jug", GALLON / 2), ("pint bottle", GALLON / 8)),
    True: (("1 L bottle", 1e-3), ("0.5 L bottle", 5e-4), ("0.25 L bottle", 2.5e-4)),
}
HOT_C, DRAWN_C = 85.0, 93.0


def packed_syrup(place: Place, runs: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """One lot a run, most of it in barrels, some of it in jugs, darker as the season goes."""
    rng = np.random.default_rng([SEED, 31])
    found = []
    for k, run in enumerate(runs[:-1]):
        drawn = sum(d["volume_m3"] for d in run["draws"]) * (1 - float(packing.shrinkage(66.9, DRAWN_C)))
        volume = drawn * (1 - rng.uniform(0.004, 0.02))
        light = float(np.clip(84 - 50 * k / max(len(runs) - 1, 1) + rng.normal(0, 4), 12, 92))
        at = datetime.fromisoformat(run["closed_at"]) + timedelta(hours=14)
        packs: list[dict[str, Any]] = []
        left = volume * 0.998
        hold = BARREL_M3 if not place.metric else 0.06
        while left > hold * 1.03 and len(packs) < 8:
            net = hold * rng.uniform(0.99, 1.0)
            packs.append(
                {
                    "container": "barrel" if not place.metric else "keg",
                    "barrel": True,
                    "each_m3": net / 0.972,
                    "count": 1,
                    "fill_c": HOT_C,
                    "place": "cold room",
                    "moves": [],
                }
            )
            left -= net
        kind, size = JUGS[place.metric][k % 3]
        count = int(left * 1.02 / size)
        if k == len(runs) - 2:
            count = 0  # the newest lot still waits to be bottled
        if count > 0:
            gone = int(count * rng.uniform(0.1, 0.7))
            moves = (
                [{"went": "sold", "count": gone, "place": "farm shop", "price": round(gone * size / GALLON * 52.0, 2)}]
                if gone
                else []
            )
            packs.append(
                {
                    "container": kind,
                    "barrel": False,
                    "each_m3": size,
                    "count": count,
                    "fill_c": round(HOT_C + rng.normal(0, 1.2), 1),
                    "place": "shop shelf",
                    "moves": moves,
                }
            )
        found.append(
            {
                "run": run["number"],
                "at": at.isoformat(),
                "volume_m3": volume,
                "brix": round(66.9 + rng.normal(0.05, 0.12), 1),
                "transmittance": round(light, 1),
                "off_flavour": "",
                "finish": "hydrometer",
                "filtered": True,
                "packs": packs,
            }
        )
    return found
