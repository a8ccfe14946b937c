"""How often the ledger names a planted wrong measurement, and how often it accuses without cause.

`./zucker bench run_ledger`. Runs are made up: sap in, membrane with a feed, concentrate and permeate meter,
head tank, pans, draws, barrels, with every reading's own noise. In half of them one reading is made wrong by six to
twelve standard deviations of its test statistic.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from zucker_core import run, sugar
from zucker_core.run.reconcile import _System

RUNS = 1000
UNMEASURED = (run.Unmeasured("fed to the pans", "head", "pans", "solution"), run.Unmeasured("steam", "pans", run.OUTSIDE))


def kg(volume: float, brix: float, temp: float) -> tuple[float, float]:
    """Sugar and total mass."""
    mass = volume * float(sugar.density(brix, temp))
    return mass * brix / 100, mass


def volume_of(sugar_kg: float, brix: float, temp: float) -> float:
    return sugar_kg / (brix / 100) / float(sugar.density(brix, temp))


def true_run(rng: np.random.Generator, meters: bool) -> tuple[list[run.Measured], tuple[run.Unmeasured, ...]]:
    """A run whose figures balance exactly; the standard deviations are those its readings will have."""
    sap_brix, target, temp = rng.uniform(1.4, 2.8), rng.uniform(7, 20), rng.uniform(1, 6)
    before, came, after = rng.uniform(0, 10), rng.uniform(10, 60), rng.uniform(0.1, 2)
    capacity = rng.uniform(20, 70)
    s_in, m_in = (
        a + b - c for a, b, c in zip(kg(before, sap_brix, temp), kg(came, sap_brix, temp), kg(after, sap_brix, temp), strict=True)
    )
    fed = volume_of(s_in, 100 * s_in / m_in, temp)
    made = volume_of(s_in, target, temp)
    permeate = (m_in - kg(made, target, temp)[1]) / float(sugar.density(0.0, temp))
    head_before, head_after = rng.uniform(0.1, 1.5), rng.uniform(0.05, 0.5)
    to_pans = s_in + kg(head_before, target, temp)[0] - kg(head_after, target, temp)[0]
    pans = rng.uniform(0.1, 0.5)
    pans_before, pans_after = rng.uniform(20, 34), rng.uniform(20, 34)
    drawn_s = to_pans + kg(pans, pans_before, 99)[0] - kg(pans, pans_after, 99)[0]
    drawn = volume_of(drawn_s, 66.9, 93.0)
    packed = volume_of(drawn_s, 66.9, 20.0)

    def line(
        name: str,
        side: str,
        volume: float,
        share: float,
        floor: float,
        brix: float,
        brix_sd: float,
        t: float,
        source: str = "",
        sink: str = "",
    ) -> run.Measured:
        return run.Measured(name, side, volume, float(np.hypot(share * volume, floor)), brix, brix_sd, t, source, sink)

    rows = [
        line("sap at start", "held before", before, 0, 0.01 * capacity, sap_brix, 0.1, temp, run.OUTSIDE, "sap"),
        line("sap come in", "in", came, 0.03, 0, sap_brix, 0.1, temp, run.OUTSIDE, "sap"),
        line("sap at end", "held after", after, 0, 0.01 * capacity, sap_brix, 0.1, temp, "sap", run.OUTSIDE),
        line("head at start", "held before", head_before, 0, 0.03, target, 0.2, temp, run.OUTSIDE, "head"),
        line("head at end", "held after", head_after, 0, 0.03, target, 0.2, temp, "head", run.OUTSIDE),
        line("pans at start", "held before", pans, 0.02, 0, pans_before, 3.0, 99, run.OUTSIDE, "pans"),
        line("pans at end", "held after", pans, 0.02, 0, pans_after, 3.0, 99, "pans", run.OUTSIDE),
        line("drawn", "within", drawn, 0.02, 0, 66.9, 0.2, 93.0, "pans", "syrup"),
        line("barrelled", "out", packed, 0.005, 0, 66.9, 0.15, 20.0, "syrup", run.OUTSIDE),
    ]
    if not meters:
        through = (run.Unmeasured("concentrate", "sap", "head", "solution"), run.Unmeasured("permeate", "sap", run.OUTSIDE))
        return rows, UNMEASURED + through
    rows += [
        line("fed to the membrane", "within", fed, 0.02, 0, 100 * s_in / m_in, 0.1, temp, "sap", "membrane"),
        line("concentrate", "within", made, 0.02, 0, target, 0.2, temp, "membrane", "head"),
        line("permeate", "out", permeate, 0.02, 0, 0.0, 0.02, temp, "membrane", run.OUTSIDE),
    ]
    return rows, UNMEASURED


def read(rows: list[run.Measured], rng: np.random.Generator) -> list[run.Measured]:
    return [
        replace(
            m,
            volume_m3=max(rng.normal(m.volume_m3, m.volume_sd_m3), 0.0),
            brix=float(np.clip(rng.normal(m.brix, m.brix_sd), 0.0, 79.0)),
        )
        for m in rows
    ]


def strength(rows: list[run.Measured], unmeasured: tuple[run.Unmeasured, ...]) -> np.ndarray:
    """What one standard deviation of error in each reading adds to its own test statistic."""
    system = _System(rows, unmeasured)
    _, slope = system.balances(system.readings)
    inverse = np.linalg.pinv(slope @ (system.variance[:, None] * slope.T), rcond=1e-12)
    power = np.einsum("ij,ik,kj->j", slope, inverse, slope)
    return np.sqrt(np.maximum(power * system.variance, 0.0))


def main(seed: int = 11) -> None:
    rng = np.random.default_rng(seed)
    for meters in (True, False):
        named = exact = planted = accused = clean = 0
        sizes = []
        for number in range(RUNS):
            rows, unmeasured = true_run(rng, meters)
            seen = read(rows, rng)
            if number % 2:
                clean += 1
                accused += bool(run.ledger(seen, unmeasured).reconciled.suspects)
                continue
            per_sd = strength(rows, unmeasured)
            able = np.nonzero(per_sd > 0.2)[0]
            which = int(rng.choice(able))
            size = rng.uniform(6, 12) / per_sd[which] * rng.choice([-1, 1])
            m = rows[which // 2]
            field, sd = ("volume_m3", m.volume_sd_m3) if which % 2 == 0 else ("brix", m.brix_sd)
            value = getattr(m, field) + size * sd
            if value < 0 or (field == "brix" and value > 79):
                value = getattr(m, field) - size * sd
            if not 0 <= value <= (79 if field == "brix" else 1e5):
                continue
            planted += 1
            seen[which // 2] = replace(seen[which // 2], **{field: value})
            suspects = run.ledger(seen, unmeasured).reconciled.suspects
            quantity = "volume" if which % 2 == 0 else "Brix"
            found = [(s.name, s.quantity) for s in suspects]
            named += (m.name, quantity) in found
            exact += found[:1] == [(m.name, quantity)]
            sizes.append(len(found))
        print(
            f"{'with meters' if meters else 'tanks and draws only'}: named {named / planted:.1%} of {planted}, "
            f"first {exact / planted:.1%}, set of {np.mean(sizes):.1f}; false accusations {accused / clean:.1%} of {clean}"
        )


if __name__ == "__main__":
    main()
