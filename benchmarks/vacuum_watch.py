"""False alarms and delays of `vacuum.detect`, and whether `vacuum.watch` names the cause. `./zucker bench vacuum_watch`."""

from __future__ import annotations

import sys
from collections import Counter
from dataclasses import dataclass, replace

import numpy as np
from zucker_core import vacuum
from zucker_core.vacuum.detect import Watch, detect, long_run_variance
from zucker_core.vacuum.pump import CurvePump
from zucker_core.vacuum.watch import Surroundings, watch

from .bushes import GPH, INHG, Truth, bush, random_place, truth

SEED = 618_033
WEEK_MIN = 7 * 24 * 60
NOISE = 0.10 * INHG


def noise(rng: np.random.Generator, minutes: int, gauges: int, carried: float) -> np.ndarray:
    """Readings' noise, of which `carried` goes over to the next minute."""
    out = rng.normal(0, 1, (minutes, gauges))
    for i in range(1, minutes):
        out[i] = carried * out[i - 1] + np.sqrt(1 - carried**2) * out[i]
    return out


def false_alarms(rng: np.random.Generator, size: float, carried: float, weeks: int = 4) -> float:
    """A week, for 50 gauges."""
    state, count = Watch.begin(50), 0
    long_run = long_run_variance(noise(rng, 3 * 1440, 50, carried) * size)
    series = noise(rng, weeks * WEEK_MIN, 50, carried) * size
    for row in series:
        state, alarm = detect(state, row, long_run)
        if alarm.any():
            count += int(alarm.sum())
            state = Watch(np.where(alarm, 0.0, state.total_pa), state.base_pa, state.rising_min)
    return count / weeks


def delays(rng: np.random.Generator, step_pa: float, size: float, carried: float, count: int = 2000) -> tuple[float, float]:
    """Minutes from a step to the alarm: median, and that of 95 in a hundred."""
    long_run = long_run_variance(noise(rng, 3 * 1440, count, carried) * size)
    state = Watch.begin(count)
    series = noise(rng, 200, count, carried) * size
    first = np.full(count, np.inf)
    for minute, row in enumerate(series):
        state, alarm = detect(state, row + (step_pa if minute >= 150 else 0.0), long_run)
        first = np.where(alarm & (minute >= 150) & np.isinf(first), minute - 149, first)
    return float(np.median(first)), float(np.quantile(first, 0.95))


@dataclass
class Made:
    """A made-up case: falls (T, S) as the program would see them, what it knows besides, and the truth."""

    falls: np.ndarray
    around: Surroundings
    cause: str


def _ramp(minutes: int, onset: int, after: np.ndarray, before: np.ndarray, tau: float) -> np.ndarray:
    t = np.maximum(np.arange(minutes) - onset, 0.0)[:, None]
    return before + (after - before) * (1 - np.exp(-t / tau)) * (np.arange(minutes)[:, None] >= onset)


def _minutes_to_fill(true: Truth, node: int) -> float:
    """How long a branch cut off at this node would take to lose all its vacuum at its first rate."""
    network, inside = true.network, slice(node, int(true.network.last[node]))
    volume = (np.pi / 4 * network.diameter_m[inside] ** 2 * network.length_m[inside]).sum()
    leaking = true.real.solve(network).leak_kg_s[inside].sum()
    return float(27 * INHG * volume / (leaking * 287.05 * true.real.temp_k) / 60)


def case(true: Truth, cause: str, rng: np.random.Generator, minutes: int = 120) -> Made:
    """Two hours, the trouble beginning 12 to 40 minutes before the end."""
    network, real = true.network, true.real
    at = np.array(list(network.sensors.values()))
    onset = minutes - int(rng.integers(12, 41))
    sound = real.solve(network).pressure_pa[at]
    atmosphere = real.atmosphere_pa
    cold = rng.random() < (0.97 if cause == "frozen" else 0.4)
    air = np.full(minutes, rng.uniform(1.0, 6.0)) + np.linspace(0, 1.5, minutes)
    sap = np.full(minutes, true.model.sap_rate * network.taps.sum())
    dumps = float(rng.uniform(0.7, 1.4))
    pressure = np.broadcast_to(sound, (minutes, len(at))).copy()
    if cause == "leak":
        size = float(np.exp(rng.uniform(np.log(0.3), np.log(4.0))))
        leaking = real.solve(network, {random_place(network, rng): size}).pressure_pa[at]
        pressure = _ramp(minutes, onset, leaking, sound, 1.5)
    elif cause == "pump":
        pump = real.pump
        assert isinstance(pump, CurvePump)
        if rng.random() < 0.4:  # stopped: the lines fill at the background rate
            pressure = _ramp(minutes, onset, np.full(len(at), atmosphere), sound, rng.uniform(8, 25))
            dumps = float(rng.uniform(0, 0.6))
        else:
            weak = CurvePump(pump.ultimate_pa * rng.uniform(1.1, 1.6), pump.rated_m3_s * rng.uniform(0.5, 0.85), pump.rated_pa)
            pressure = _ramp(minutes, onset, replace(real, pump=weak).solve(network).pressure_pa[at], sound, rng.uniform(2, 8))
    elif cause == "releaser":
        filling = _ramp(minutes, onset, np.full(len(at), atmosphere), sound, rng.uniform(10, 40))
        alone = _ramp(minutes, onset, np.full(len(at), true.table_dead_head), sound, 2.0)
        pressure = np.where(at == 0, alone, filling)
        dumps = float(rng.uniform(0, 0.25)) if rng.random() < 0.8 else float(rng.uniform(3.2, 6))
    elif cause in ("valve", "frozen"):
        valves = [i for i, node in enumerate(network.nodes) if node.kind == "valve"
                  and ((at >= i) & (at < network.last[i])).any()]
        number = int(rng.integers(1, 5)) if cause == "frozen" else 1
        chosen = rng.choice(valves, min(number, len(valves)), replace=False)
        after = real.solve(network, None, [network.nodes[i].tag for i in chosen]).pressure_pa[at]
        pressure = _ramp(minutes, onset, after, sound, 2.0)
        for i in chosen:
            inside = (at >= i) & (at < network.last[i])
            empty = _ramp(minutes, onset, np.full(int(inside.sum()), atmosphere), sound[inside],
                          _minutes_to_fill(true, int(i)) * rng.uniform(0.6, 1.5))
            pressure[:, inside] = empty
        if cause == "frozen":
            air = np.linspace(rng.uniform(-3, 0.5), rng.uniform(0.5, 3), minutes)
            dumps = float(rng.uniform(0.1, 1.0))
    elif cause == "sag":
        valves = [i for i, node in enumerate(network.nodes) if node.kind == "valve"
                  and ((at >= i) & (at < network.last[i])).any()]
        i = int(rng.choice(valves))
        inside = (at >= i) & (at < network.last[i])
        rising = np.clip(np.linspace(0.3, 1.2, minutes) + 0.05 * rng.normal(size=minutes), 0.2, 1.4)
        sap = sap * rising
        pressure[:, inside] += (rng.uniform(0.8, 3.0) * INHG * np.maximum(rising - 0.4, 0.0))[:, None]
    elif cause == "sensor":
        one = int(rng.integers(0, len(at)))
        if rng.random() < 0.5:
            pressure[:, one] += rng.choice([-1, 1]) * np.linspace(0, rng.uniform(0.6, 2.5), minutes) * INHG
        else:
            pressure[onset:, one] = atmosphere - rng.uniform(0, 22) * INHG
    read = pressure + noise(rng, minutes, len(at), 0.4) * NOISE
    if cause == "sensor" and rng.random() < 0.5 and "one" in locals():
        read[onset:, one] = read[onset, one]  # dead: the same figure again and again
    usual = true.model.solve(network).pressure_pa[at] + true.offset_pa
    read = np.where(rng.random(read.shape) < 0.01, np.nan, np.round(read / (0.05 * INHG)) * 0.05 * INHG)
    around = Surroundings(air_c=air, before_c=float(rng.uniform(-8, -1)) if cold else float(rng.uniform(0.5, 4)), sap_m3_s=sap,
                          dumps_h=60 * dumps, usual_dumps_h=60.0)
    return Made(read - usual, around, cause)


def learned(true: Truth, rng: np.random.Generator) -> Truth:
    """What the usual has learned when all was sound: each gauge's offset, to within 0.04 inHg."""
    at = list(true.network.sensors.values())
    real, model = true.real.solve(true.network), true.model.solve(true.network)
    true.offset_pa = (real.pressure_pa - model.pressure_pa)[at] + rng.normal(0, 0.04 * INHG, len(at))
    pump = true.real.pump
    assert pump is not None
    true.table_dead_head = float(pump.pressure_for(0.0))
    return true


KINDS = ("leak", "pump", "frozen", "releaser", "valve", "sag", "sensor")


def causes(rng: np.random.Generator, sensors: str, count: int, bushes: int) -> dict[str, Counter[str]]:
    """Named cause by true cause."""
    named = {kind: Counter[str]() for kind in KINDS}
    for _ in range(bushes):
        network = bush(rng, sensors)
        rate = rng.uniform(0.05, 0.3) * GPH
        table = vacuum.signatures(network, conditions=vacuum.Conditions(rate))
        for kind in KINDS:
            for _ in range(count // bushes):
                true = learned(truth(network, rng, rate), rng)
                made = case(true, kind, rng)
                named[kind][watch(table, made.falls, NOISE, made.around).cause] += 1
    return named


def main(seed: int = SEED, count: int = 200, bushes: int = 8) -> None:
    rng = np.random.default_rng(seed)
    print(f"seed {seed}; false alarms a week for 50 gauges; minutes to an alarm, median and 95 in a hundred")
    for size, carried in ((0.05, 0.0), (0.10, 0.0), (0.10, 0.3), (0.10, 0.6), (0.15, 0.3)):
        found = [delays(rng, step * INHG, size * INHG, carried) for step in (0.5, 1.0)]
        print(f"noise {size:.2f} inHg, carried over {carried:.1f}: {false_alarms(rng, size * INHG, carried):5.2f} a week;"
              f" step 0.5: {found[0][0]:.0f} {found[0][1]:.0f};  1.0: {found[1][0]:.0f} {found[1][1]:.0f}", flush=True)
    for sensors in ("ends", "junctions"):
        print(f"cause named, {count} cases each, gauges at {sensors}")
        for kind, tally in causes(rng, sensors, count, bushes).items():
            whole = sum(tally.values())
            print(f"  {kind:10}" + "  ".join(f"{name} {n / whole:.2f}" for name, n in tally.most_common(4)), flush=True)


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
