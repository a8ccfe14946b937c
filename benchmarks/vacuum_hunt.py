"""Minutes that hunts by `vacuum.hunt` take in made-up bushes, beside halving by valves in map order and walking it
all. `./zucker bench vacuum_hunt`."""

from __future__ import annotations

import sys
import time

import numpy as np
from zucker_core import vacuum
from zucker_core.vacuum.hunt import Pace, Search, hunt

from .bushes import GPH, INHG, Truth, bush, falls, home_of, random_place, truth

SEED = 51_515
NOTICE = 0.9
GIVE_UP_MIN = 1500.0


def shut_off(
    true: Truth, leak: dict[str, float], valve: str, rng: np.random.Generator
) -> tuple[dict[str, float], dict[str, float]]:
    """What the gauges show when a valve is shut: rises (Pa, four-minute means of 0.10 noise) of those connected, and
    how fast one behind loses vacuum (Pa/s)."""
    network = true.network
    before = true.real.solve(network, leak)
    after = true.real.solve(network, leak, [valve])
    node = network.index[valve]
    rises, holds = {}, {}
    for tag, i in network.sensors.items():
        if node <= i < network.last[node]:
            inside = slice(node, int(network.last[node]))
            volume = (np.pi / 4 * network.diameter_m[inside] ** 2 * network.length_m[inside]).sum()
            rate = before.leak_kg_s[inside].sum() * 287.05 * 276.15 / volume
            holds[tag] = float(rate * np.exp(rng.normal(0, 0.25)) + rng.normal(0, 0.2 * INHG / 60))
        else:
            rises[tag] = float(before.pressure_pa[i] - after.pressure_pa[i] + rng.normal(0, 0.10 * INHG / 2))
    return rises, holds


def by_advice(
    table: vacuum.Signatures, true: Truth, place: str, scfm: float, rng: np.random.Generator
) -> tuple[float, list[float]]:
    """Minutes until found, and the milliseconds of each choice."""
    drops = falls(true, {place: scfm}, rng, 0.10 * INHG)
    leak = vacuum.locate(true.network, drops, 0.10 * INHG / np.sqrt(10), table=table, most=1).leaks[0]
    search, minutes, took = Search.begin(leak), 0.0, []
    home = home_of(true.network, place)[0]
    while minutes < GIVE_UP_MIN:
        begun = time.perf_counter()
        advice = hunt(search, most=1)[0]
        took.append(1e3 * (time.perf_counter() - begun))
        minutes += advice.minutes
        if advice.action == "look":
            if advice.at == home and rng.random() < NOTICE:
                break
            search = search.after_look(advice.at, NOTICE)
        else:
            search = search.after_shut(advice.at, *shut_off(true, {place: scfm}, advice.at, rng))
    return minutes, took


def by_walking(table: vacuum.Signatures, true: Truth, place: str, rng: np.random.Generator, inside: str | None = None,
               start: str | None = None) -> float:
    """Minutes to find it walking mains and laterals in the map's order, again and again, behind a node."""
    network, pace = true.network, Pace()
    search = Search.begin(vacuum.LeakFound(table, np.ones((len(table.candidates), len(table.sizes_scfm)))), start)
    ground = search.ground
    home, at = network.index[home_of(network, place)[0]], network.index[search.position]
    first = network.index[inside] if inside else 0
    minutes = 0.0
    while minutes < GIVE_UP_MIN:
        for node in ground.places[(ground.places >= first) & (ground.places < network.last[first])]:
            minutes += (ground.distance_from(at)[node] + 2 * ground.lateral_m[node]) / pace.walk_m_s / 60
            at = int(node)
            if at == home and rng.random() < NOTICE:
                return minutes
    return minutes


def by_halving(table: vacuum.Signatures, true: Truth, place: str, scfm: float, rng: np.random.Generator) -> float:
    """Minutes when valves are shut in the map's order so as to halve what is left, by the pump's gauge, then walking."""
    network, pace = true.network, Pace()
    uniform = vacuum.LeakFound(table, np.ones((len(table.candidates), len(table.sizes_scfm))))
    ground = Search.begin(uniform).ground
    leaving, minutes, at = set(range(len(ground.places))), 0.0, 0
    last = ""
    while True:
        sizes = [(len(leaving & set(np.flatnonzero(row))), v) for v, row in enumerate(ground.behind)]
        sizes = [(abs(n - len(leaving) / 2), v) for n, v in sizes if 0 < n < len(leaving)]
        if not sizes:
            break
        number = min(sizes)[1]
        node = int(ground.valves[number])
        minutes += ground.distance_from(at)[node] / pace.walk_m_s / 60 + pace.settle_min
        at, last = node, network.nodes[node].tag
        rise = shut_off(true, {place: scfm}, last, rng)[0]["P"]
        expected = ground.usual_rise(number)[0] + 0.19 * scfm * INHG
        behind = set(np.flatnonzero(ground.behind[number]))
        leaving = leaving & behind if rise > expected else leaving - behind
    home, order = network.index[home_of(network, place)[0]], sorted(leaving)
    while minutes < GIVE_UP_MIN:
        for c in order:
            node = int(ground.places[c])
            minutes += (ground.distance_from(at)[node] + 2 * ground.lateral_m[node]) / pace.walk_m_s / 60
            at = node
            if node == home and rng.random() < NOTICE:
                return minutes
        order = list(range(len(ground.places)))  # it is not where the tests said: walk it all
    return minutes


def hunts(rng: np.random.Generator, sensors: str, scfm: float, count: int, bushes: int) -> dict[str, np.ndarray]:
    """Minutes of each hunt by advice, by halving and by walking."""
    tally: dict[str, list[float]] = {"advice": [], "halving": [], "walking": [], "ms": []}
    for _ in range(bushes):
        network = bush(rng, sensors)
        rate = rng.uniform(0.05, 0.3) * GPH
        table = vacuum.signatures(network, conditions=vacuum.Conditions(rate))
        for _ in range(count // bushes):
            true = truth(network, rng, rate)
            place = random_place(network, rng)
            minutes, took = by_advice(table, true, place, scfm, rng)
            tally["advice"].append(minutes)
            tally["ms"] += took[1:]
            tally["halving"].append(by_halving(table, true, place, scfm, rng))
            tally["walking"].append(by_walking(table, true, place, rng))
    return {name: np.array(values) for name, values in tally.items()}


def main(seed: int = SEED, count: int = 200, bushes: int = 10) -> None:
    rng = np.random.default_rng(seed)
    print(f"seed {seed}, {count} hunts each in {bushes} bushes; minutes: median and nine in ten within")
    print(f"{'gauges':10}{'SCFM':>6}{'advice':>14}{'halving':>14}{'walking':>14}{'a choice, ms':>14}")
    for sensors in ("ends", "three", "pump"):
        for scfm in (0.5, 1.0, 2.0):
            got = hunts(rng, sensors, scfm, count, bushes)
            shown = "".join(f"{np.median(got[k]):8.0f}{np.quantile(got[k], 0.9):6.0f}" for k in ("advice", "halving", "walking"))
            print(f"{sensors:10}{scfm:6}{shown}{np.median(got['ms']):9.1f}{np.quantile(got['ms'], 0.99):5.0f}", flush=True)


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
