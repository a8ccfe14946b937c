"""Speed of the core's heavy functions, each beside a fixed piece of numpy work so that machines compare.

The unit of work is sorting a million random doubles; the ratio is what to watch. `./zucker bench core`.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import numpy as np
from zucker_core import run, sugar, vacuum
from zucker_core.membrane import MembraneState

from tests.core.test_evening import SECOND, ahead, state
from tests.core.test_run import STAGED, reference
from tests.core.test_vacuum import GPH, bush

ROUNDS = 7
LOADS = tuple(run.Load(60 * k + 30, 2.0, 2.0 + 0.1 * k) for k in range(4))


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def main() -> None:
    rng = np.random.default_rng(1)
    numbers = rng.random(1_000_000)
    small, large = bush(), bush(conductors=14, branches=10, saddles=18)
    leaks = np.zeros((1000, len(small)))
    leaks[np.arange(1000), rng.integers(1, len(small), 1000)] = 0.3
    brix, temp = rng.uniform(0, 80, 100_000), rng.uniform(0, 107, 100_000)
    mixed, staged = reference(), reference(STAGED)
    double = reference(more_machines=((STAGED, MembraneState()),), more_evaporators=(SECOND,), loads=LOADS)
    lights = np.tile(np.arange(0.0, 500.0, 50.0), 20)
    two_hundred = run.Policies(np.repeat(np.linspace(6.0, 16.0, 20), 10), np.zeros(200), lights)
    now = state(0.00025)
    tasks: list[tuple[str, Callable[[], object]]] = [
        (f"steady, {len(large)} nodes, all choked", lambda: vacuum.steady(large, None, 0.1 * GPH)),
        (f"steady, {len(large)} nodes, by Newton", lambda: vacuum.steady(large, {"C03-9e": 8.0}, 0.1 * GPH)),
        (f"steady, 1,000 scenarios of {len(small)} nodes", lambda: vacuum.steady(small, leaks, 0.1 * GPH)),
        ("plan, all targets, 24 h, mixed loop", lambda: run.plan(mixed)),
        ("plan, all targets, 24 h, staged", lambda: run.plan(staged)),
        ("simulate, 200 policies, 24 h by minutes", lambda: run.simulate(mixed, two_hundred)),
        ("plan, two membranes, two fires, four loads", lambda: run.plan(double)),
        ("balance, four hours ahead", lambda: run.balance(now, ahead())),
        ("density, 100,000 values", lambda: sugar.density(brix, temp)),
    ]
    print(f"{'':46}{'median ms':>10}{'min ms':>10}{'ratio':>8}")
    for name, work in tasks:
        work()
        pairs = [(timed(work), timed(lambda: np.sort(numbers))) for _ in range(ROUNDS)]
        took = [a for a, _ in pairs]
        ratio = statistics.median(a / b for a, b in pairs)
        print(f"{name:46}{1e3 * statistics.median(took):10.1f}{1e3 * min(took):10.1f}{ratio:8.2f}")


if __name__ == "__main__":
    main()
