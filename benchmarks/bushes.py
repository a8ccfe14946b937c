"""Bushes made up at random, with a truth that differs from what the model is told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from zucker_core import vacuum
from zucker_core.units import M3_PER_GALLON, PA_PER_INHG
from zucker_core.vacuum.pump import CurvePump
from zucker_core.vacuum.signatures import Conditions, branches_of, main_node_of, stretches_of, weight_of

GPH = M3_PER_GALLON / 3600
INHG = PA_PER_INHG
PUMP = {"ultimate_inhg": 27.5, "flow_cfm": 60, "at_inhg": 15}


def bush(
    rng: np.random.Generator, sensors: str = "ends", mains: tuple[int, int] = (10, 14), saddles: int = 212
) -> vacuum.Network:
    """About nine taps a saddle, 1,900 in all, on 3/4 in mainlines along one or two conductors; mainlines fork into spurs.

    sensors : "pump"; "three" (three far ends); "second" (every second mainline's far end); "ends" (of every
    mainline); "junctions" (those and every junction and spur)
    """
    pump = vacuum.pump_from_properties(PUMP)
    nodes = {"P": vacuum.Node("P", "pump", elevation_m=0.0, pump=pump, sensor="P", properties=PUMP)}
    lines: list[vacuum.Line] = []

    def add(tag: str, kind: str, height: float, sensor: bool) -> None:
        nodes[tag] = vacuum.Node(tag, kind, elevation_m=height, sensor=f"{tag}s" if sensor else None)

    def run(main: str, below: str, first: int, last: int, mark: str) -> str:
        """Saddles from `first` to `last` up a main, each with its lateral; a valve where it begins."""
        for k in range(first, last):
            tag = f"{main}{mark}.{k}"
            length = rng.uniform(16, 30)
            height = float(nodes[below].elevation_m or 0.0) + length * rng.uniform(0.02, 0.09)
            add(tag, "valve" if k == first else "saddle", height, False)
            lines.append(vacuum.Line(f"m{tag}", "mainline", below, tag, 0.0189, length, main=main))
            add(f"{tag}x", "end", height + rng.uniform(2, 8), False)
            lines.append(vacuum.Line(f"l{tag}", "lateral", tag, f"{tag}x", 0.0076, rng.uniform(40, 80),
                                     taps=int(rng.integers(6, 13)), main=main))
            below = tag
        return below

    def become(tag: str, kind: str, sensor: bool) -> None:
        add(tag, kind, float(nodes[tag].elevation_m or 0.0), sensor)

    count = int(rng.integers(*mains, endpoint=True))
    total = int(rng.integers(round(saddles * 0.94), round(saddles * 1.06)))
    legs = int(rng.integers(1, 3))
    tops = ["P"] * legs
    for number in range(count):
        leg = number % legs
        if number % (2 * legs) < legs:  # mains leave to both sides of a junction
            tag, length = f"J{number}", rng.uniform(60, 110)
            height = float(nodes[tops[leg]].elevation_m or 0.0) + length * rng.uniform(0.02, 0.06)
            add(tag, "junction", height, sensors == "junctions")
            lines.append(vacuum.Line(f"c{tag}", "conductor", tops[leg], tag, 0.0508 if legs == 1 else 0.0381, length))
            tops[leg] = tag
        main, at, left = f"M{number}", tops[leg], max(6, round(total / count * rng.uniform(0.75, 1.25)))
        for piece in range(int(rng.integers(0, 3))):  # a spur leaves, the main goes on
            step, spur = int(rng.integers(3, 6)), int(rng.integers(2, 5))
            if left < step + spur + 3:
                break
            at = run(main, at, 0, step, f"p{piece}")
            become(at, "junction", sensors == "junctions")
            become(run(main, at, 0, spur, f"s{piece}"), "end", sensors == "junctions")
            left -= step + spur
        chosen = {"ends": True, "junctions": True, "second": number // legs % 2 == 0, "three": number % (count // 3) == 1}
        become(run(main, at, 0, left, ""), "end", chosen.get(sensors, False))
    return vacuum.Network(nodes.values(), lines)


@dataclass
class Truth:
    """How the bush really is: the model's errors drawn anew, each gauge's drift, and the day's sap."""

    network: vacuum.Network
    model: Conditions
    real: Conditions
    drift_pa: np.ndarray
    shift_pa: float
    offset_pa: np.ndarray | float = 0.0
    table_dead_head: float = 0.0


def truth(network: vacuum.Network, rng: np.random.Generator, rate: float, *, resistance: float = 1.0) -> Truth:
    """Errors as in docs/accuracy.md, `rate` being the sap flow that the model is told; `resistance` on all pipes
    that nobody told the model of."""
    names = branches_of(network)
    branch = {name: np.exp(rng.normal(0, 0.25)) for name in dict.fromkeys(names)}
    friction = np.array([branch[name] for name in names]) * np.exp(rng.normal(0, 0.15, len(network))) * resistance
    pump = network.pump
    assert isinstance(pump, CurvePump)
    weaker = CurvePump(pump.ultimate_pa, pump.rated_m3_s * np.exp(rng.normal(0, 0.05)), pump.rated_pa)
    background = vacuum.BACKGROUND_SCFM_PER_TAP * np.exp(rng.normal(0, 0.05))
    return Truth(
        network, Conditions(rate), Conditions(rate * np.exp(rng.normal(0, 0.10)), weaker, background, friction),
        rng.normal(0, 0.03 * INHG, len(network.sensors)), rng.normal(0, 0.04 * INHG))


def falls(true: Truth, leaks: dict[str, float], rng: np.random.Generator, noise_pa: float, minutes: int = 10) -> dict[str, float]:
    """Each gauge's fall below its usual as means over some minutes, usual being what it showed when sound."""
    at = list(true.network.sensors.values())
    fall = (true.real.solve(true.network, leaks).pressure_pa - true.real.solve(true.network).pressure_pa)[at]
    read = fall + true.drift_pa + true.shift_pa + rng.normal(0, noise_pa / np.sqrt(minutes), len(at))
    return dict(zip(true.network.sensors, np.round(read / (0.05 * INHG) * 10) * 0.005 * INHG, strict=True))


def random_place(network: vacuum.Network, rng: np.random.Generator) -> str:
    """A node to leak at: by length of pipe and taps, within a lateral as often as its taps and length say."""
    weight = weight_of(network)
    at = int(rng.choice(vacuum.candidates_of(network), p=weight / weight.sum()))
    lateral = [i for i, line in enumerate(network.lines) if line and line.kind == "lateral" and network.parent[i] == at]
    share = sum(network.length_m[i] + 5 * network.taps[i] for i in lateral)
    main = weight[list(vacuum.candidates_of(network)).index(at)] - share
    return network.nodes[int(rng.choice(lateral)) if lateral and rng.random() < share / (share + main) else at].tag


def home_of(network: vacuum.Network, tag: str) -> tuple[str, str, str]:
    """Saddle, branch and stretch that a leak at this node belongs to."""
    node = int(main_node_of(network)[network.index[tag]])
    return network.nodes[node].tag, str(branches_of(network)[node]), str(stretches_of(network)[node])
