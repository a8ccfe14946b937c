"""How well `vacuum.locate` finds made-up leaks in bushes it has not seen. `./zucker bench vacuum_locate`."""

from __future__ import annotations

import sys
import time

import numpy as np
from zucker_core import vacuum
from zucker_core.units import SCFM_KG_S

from .bushes import GPH, INHG, bush, falls, home_of, random_place, truth

SEED = 90_210
BUSHES = 12


def single(rng: np.random.Generator, sensors: str, size: float, leaks: int, bushes: int, **wrong: float) -> dict[str, float]:
    """Shares over `leaks` leaks of one size, in as many bushes."""
    tally: dict[str, list[float]] = {name: [] for name in ("branch", "stretch3", "saddle3", "held", "size", "metres", "ms")}
    for _ in range(bushes):
        network = bush(rng, sensors)
        rate = rng.uniform(0.05, 0.3) * GPH
        table = vacuum.signatures(network, conditions=vacuum.Conditions(rate))
        vacuum.locate(network, dict.fromkeys(table.sensors, 0.0), 0.10 * INHG / np.sqrt(10), table=table, most=1)
        for _ in range(leaks // bushes):
            true = truth(network, rng, rate, **wrong)
            place = random_place(network, rng)
            saddle, branch, stretch = home_of(network, place)
            scfm = size if size else float(rng.choice([1.0, 2.0, 4.0]))
            drops = falls(true, {place: scfm}, rng, 0.10 * INHG)
            begun = time.perf_counter()
            found = vacuum.locate(network, drops, 0.10 * INHG / np.sqrt(10), table=table, most=1)
            tally["ms"].append(1e3 * (time.perf_counter() - begun))
            leak = found.leaks[0]
            tally["branch"].append(next(iter(leak.branches)) == branch)
            tally["stretch3"].append(stretch in list(leak.stretches)[:3])
            tally["saddle3"].append(saddle in list(leak.nodes)[:3])
            tally["held"].append(saddle in leak.credible())
            real = true.real.solve(network, {place: scfm}).leak_kg_s[network.index[place]] / SCFM_KG_S
            tally["size"].append(abs(leak.size_scfm() / real - 1) < 0.2)
            tally["metres"].append(leak.credible_m())
    return {name: float(np.mean(values)) if values else float("nan") for name, values in tally.items()}


def pairs(rng: np.random.Generator, sensors: str, count: int, bushes: int) -> tuple[float, float, float]:
    """Share of two-leak cases whose pair of branches is named exactly; mean and longest seconds."""
    right, took = [], []
    for _ in range(bushes):
        network = bush(rng, sensors)
        rate = rng.uniform(0.05, 0.3) * GPH
        table = vacuum.signatures(network, conditions=vacuum.Conditions(rate))
        for _ in range(count // bushes):
            true = truth(network, rng, rate)
            places = [random_place(network, rng)]
            while len(places) < 2:
                other = random_place(network, rng)
                if home_of(network, other)[1] != home_of(network, places[0])[1]:
                    places.append(other)
            sizes = rng.uniform(0.5, 2.0, 2)
            drops = falls(true, dict(zip(places, sizes, strict=True)), rng, 0.10 * INHG)
            begun = time.perf_counter()
            found = vacuum.locate(network, drops, 0.10 * INHG / np.sqrt(10), table=table, most=2)
            took.append(time.perf_counter() - begun)
            named = {next(iter(leak.branches)) for leak in found.leaks}
            right.append(named == {home_of(network, place)[1] for place in places})
    return float(np.mean(right)), float(np.mean(took)), float(np.max(took))


def invented(rng: np.random.Generator, count: int, bushes: int) -> float:
    """Share of single leaks for which a second one is made up."""
    extra = []
    for _ in range(bushes):
        network = bush(rng, "ends")
        rate = rng.uniform(0.05, 0.3) * GPH
        table = vacuum.signatures(network, conditions=vacuum.Conditions(rate))
        for _ in range(count // bushes):
            true = truth(network, rng, rate)
            drops = falls(true, {random_place(network, rng): float(rng.uniform(0.5, 3))}, rng, 0.10 * INHG)
            extra.append(len(vacuum.locate(network, drops, 0.10 * INHG / np.sqrt(10), table=table).leaks) > 1)
    return float(np.mean(extra))


def main(seed: int = SEED, leaks: int = 300, bushes: int = BUSHES) -> None:
    rng = np.random.default_rng(seed)
    print(f"seed {seed}, {leaks} leaks each in {bushes} bushes")
    print(f"{'gauges':12}{'SCFM':>6}{'branch':>8}{'stretch':>9}{'saddle':>8}{'held':>7}{'size':>7}{'metres':>8}{'ms':>6}")
    ends = [("ends", size) for size in (0.25, 0.5, 1.0, 0.0)]
    for sensors, size in (*ends, ("junctions", 1.0), ("second", 1.0), ("pump", 1.0)):
        got = single(rng, sensors, size, leaks, bushes)
        print(f"{sensors:12}{size if size else '1-4':>6}{got['branch']:8.3f}{got['stretch3']:9.3f}{got['saddle3']:8.3f}"
              f"{got['held']:7.3f}{got['size']:7.3f}{got['metres']:8.0f}{got['ms']:6.0f}", flush=True)
    for factor in (1.5, 0.67):
        got = single(rng, "ends", 1.0, leaks, bushes, resistance=factor)
        print(f"all pipes {factor:g} times as narrow as told: 90 % set holds {got['held']:.3f}", flush=True)
    for sensors in ("ends", "junctions"):
        right, mean, longest = pairs(rng, sensors, leaks // 2, bushes)
        print(f"two leaks, {sensors}: exact pair {right:.3f}, {mean:.2f} s, longest {longest:.2f} s", flush=True)
    print(f"single leaks given a second one: {invented(rng, leaks // 2, bushes):.3f}")


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
