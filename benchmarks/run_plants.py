"""How well plans come true on plants that the planner knows only by their maker's figures and five runs' readings.

`./zucker bench run_plants`. Two hundred made-up plants: membrane and evaporator differ from the maker's figures by up to
a third, every reading carries noise. After five learned runs the sixth is planned; its finish and fuel are compared
with what the true machines do under the same plan, and its cost with the best found by brute force with full knowledge.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from zucker_core import evaporator as fire
from zucker_core import membrane, run
from zucker_core.run.candidates import Candidate, policies_of
from zucker_core.units import M3_PER_GALLON as G

PLANTS, RUNS = 200, 5
TOLERANCE, COST_TOLERANCE = 0.05, 0.02


@dataclass
class Plant:
    machine: membrane.Machine
    maker: membrane.Machine
    evaporator: fire.Evaporator
    maker_evaporator: fire.Evaporator
    size_m3: float
    prices: run.Prices
    people: run.People


def made_up(rng: np.random.Generator) -> Plant:
    """A plant whose parts fit together, drawn from wide ranges."""
    arrangement = str(rng.choice(["mixed loop", "stages", "batch"]))
    elements = int(rng.integers(1, 9))
    maker = membrane.Machine(
        elements,
        permeability=rng.uniform(2.2, 4.4) * 1e-3 / 3600 / 1e5,
        arrangement=arrangement,
        stages=int(rng.integers(2, 5)) if arrangement == "stages" else 1,
        passes=int(rng.integers(2, 5)) if arrangement == "batch" else 1,
        pressure_pa=rng.uniform(18, 40) * 1e5,
        max_brix=float(rng.integers(10, 21)),
        hold_up_m3=0.02 * elements,
        fouling_per_m3=rng.uniform(0.002, 0.012),
        wash_s=rng.uniform(3600, 7200),
    )
    machine = replace(
        maker,
        permeability=maker.permeability * float(np.exp(rng.uniform(-0.3, 0.3))),
        sigma=rng.uniform(1.0, 1.45),
        fouling_per_m3=maker.fouling_per_m3 * rng.uniform(0.4, 2.0),
    )
    clean = float(membrane.clean_permeate_flow(machine, 2.0, 8.0, 4.0))
    size = clean * rng.uniform(4, 9) * 3600
    fuel = str(rng.choice(["oil", "propane", "wood"]))
    # the fire boils the concentrate of such a night at 10 °Brix in three to eight hours
    boiled = size / 5 * 1000 * 0.85
    heat = boiled / (rng.uniform(3, 8) * 3600) * 2.6e6
    maker_fire = fire.Evaporator(
        heat,
        fuel=fuel,
        efficiency=rng.uniform(0.55, 0.8),
        preheat_c=float(rng.choice([0.0, 70.0, 88.0])) or None,
        hold_up_m3=rng.uniform(0.1, 0.4) * size / 30,
        start_up_s=rng.uniform(900, 2700),
        shut_down_s=rng.uniform(900, 2400),
        start_up_fire=0.2,
        shut_down_fire=0.2,
    )
    share = rng.uniform(0.1, 0.35)
    evaporator = replace(
        maker_fire,
        heat_w=heat * float(np.exp(rng.uniform(-0.3, 0.3))),
        efficiency=float(np.clip(maker_fire.efficiency * np.exp(rng.uniform(-0.15, 0.15)), 0.3, 0.95)),
        start_up_fire=share,
        shut_down_fire=share,
    )
    heat_price = {"oil": 3.6 / G, "propane": 2.6 / G, "wood": 220.0}[fuel]
    prices = run.Prices(
        fuel=heat_price * rng.uniform(0.7, 1.4),
        power_j=rng.uniform(0.08, 0.3) / 3.6e6,
        labour_s=rng.uniform(0, 35) / 3600,
        wash=rng.uniform(0, 60),
        syrup_m3=27 / G,
    )
    return Plant(machine, maker, evaporator, maker_fire, size, prices, run.People(rng.uniform(0, 1), rng.uniform(0.5, 1.5)))


def evening(plant: Plant, rng: np.random.Generator) -> dict[str, object]:
    """Tonight's sap, known to both: stocks, what still comes, prices."""
    volume = plant.size_m3 * rng.uniform(0.5, 1.1)
    brix, temp = rng.uniform(1.5, 2.6), rng.uniform(2, 6)
    coming = rng.uniform(0, 0.4) * volume * rng.integers(0, 2)
    minutes = int(rng.integers(60, 240))
    return {
        "sap": run.Stock(volume, brix, temp, (volume + coming) * 1.5),
        "head": run.Stock(0.0, 8.0, temp, volume / 4, reserve_m3=volume / 200),
        "permeate_capacity_m3": volume,
        "prices": plant.prices,
        "people": plant.people,
        "inflow_m3_s": np.full(minutes, coming / minutes / 60),
        "inflow_brix": brix,
        "horizon_min": 2160,
    }


def readings(plant: Plant, night: dict[str, object], target: float, out: run.Outcome, rng: np.random.Generator) -> run.RunRecord:
    """What would stand in the logs of a run: a line of the membrane's every quarter of an hour, and the boil."""
    sap: run.Stock = night["sap"]  # type: ignore[assignment]
    lines, through = [], 0.0
    for _ in range(int(out.ro_min[0] // 15)):
        aimed, feed = target + rng.uniform(-0.8, 0.8), sap.brix
        pressure, temp = plant.machine.pressure_pa * rng.uniform(0.92, 1.0), sap.temp_c + rng.uniform(-0.5, 0.5)
        flow = float(membrane.clean_permeate_flow(plant.machine, feed, aimed, temp, pressure))
        flow *= float(membrane.fouling_ratio(plant.machine, through))
        if flow <= 0:
            continue
        read = aimed + rng.normal(0, membrane.BRIX_SD)
        if read > feed + 0.5:
            lines.append(
                membrane.Record(
                    max(feed + rng.normal(0, 0.1), 0.3),
                    read,
                    max(temp + rng.normal(0, 0.4), 0.0),
                    pressure * (1 + rng.normal(0, 0.01)),
                    flow * float(np.exp(rng.normal(0, 0.03))),
                    through,
                    brix_sd=membrane.BRIX_SD,
                )
            )
        through += flow * 900
    boil_s = float(out.boil_min[0]) * 60
    boil = None
    if boil_s > 300:
        water = float(fire.water_rate(plant.evaporator, target, sap.temp_c)) * boil_s
        boil = fire.Record(
            water * float(np.exp(rng.normal(0, 0.03))),
            boil_s,
            target,
            sap.temp_c,
            float(out.fuel[0]) * float(np.exp(rng.normal(0, 0.03))),
        )
    return run.RunRecord(lines, boil)


def best_by_force(scenario: run.Scenario) -> float:
    """Cost of a m³ of syrup in the best of a close grid of targets and light-up times."""
    machine = scenario.machine
    assert machine is not None
    coarse = _cheapest(scenario, np.arange(4.0, machine.max_brix + 0.01, 1.0), np.arange(0.0, 961.0, 30.0))
    if coarse is None:
        return float("nan")
    _, target, light = coarse
    fine = _cheapest(
        scenario,
        np.clip(target + np.arange(-1.0, 1.01, 0.25), 4.0, machine.max_brix),
        np.maximum(light + np.arange(-28.0, 29.0, 4.0), 0.0),
    )
    return min(coarse[0], fine[0] if fine else np.inf)


def _cheapest(scenario: run.Scenario, targets: np.ndarray, lights: np.ndarray) -> tuple[float, float, float] | None:
    rows = [
        Candidate(float(t), (float(x),), at_pace=pace, machines_on=(True,))
        for t in targets
        for x in lights
        for pace in (False, True)
    ]
    best = None
    for start in range(0, len(rows), 400):
        some = rows[start : start + 400]
        out = run.simulate(scenario, policies_of(some))
        cost = np.where(out.breach == -1, out.cost / np.maximum(out.syrup_m3, 1e-9), np.inf)
        k = int(cost.argmin())
        if np.isfinite(cost[k]) and (best is None or cost[k] < best[0]):
            best = (float(cost[k]), some[k].target_brix, some[k].lights[0])
    return best


def one_plant(seed: int) -> dict[str, float] | None:
    """Five runs, then the sixth planned and carried out; None where nothing can be done with this plant's night."""
    rng = np.random.default_rng(seed)
    plant = made_up(rng)
    history: list[run.RunRecord] = []
    known = run.learn(history, plant.maker, plant.maker_evaporator)
    for _ in range(RUNS):
        night = evening(plant, rng)
        found = run.plan(run.Scenario(evaporator=known.evaporator, machine=known.machine, **night), doubt=known.doubt)
        if found.best is None:
            continue
        choice = found.choices[found.best]
        if choice.target_brix <= 0:
            continue
        out = run.simulate(
            run.Scenario(evaporator=plant.evaporator, machine=plant.machine, **night), policies_of([choice.candidate])
        )
        history.append(readings(plant, night, choice.target_brix, out, rng))
        known = run.learn(history, plant.maker, plant.maker_evaporator)
    night = evening(plant, rng)
    promised = run.plan(run.Scenario(evaporator=known.evaporator, machine=known.machine, **night), doubt=known.doubt)
    if promised.best is None:
        return None
    choice = promised.choices[promised.best]
    truth = run.Scenario(evaporator=plant.evaporator, machine=plant.machine, **night)
    out = run.simulate(truth, policies_of([choice.candidate]))
    force = best_by_force(truth)
    row = choice.row
    cost = float(out.cost[0] / max(out.syrup_m3[0], 1e-9))
    return {
        "stood": float(out.breach[0] == -1),
        "breach": float(out.breach[0]),
        "finish": float(promised.outcome.finish_min[row] / out.finish_min[0] - 1),
        "fuel": float(promised.outcome.fuel[row] / max(out.fuel[0], 1e-12) - 1),
        "cost": cost / force - 1,
        "target": choice.target_brix,
        "seed": float(seed),
    }


def main(first: int = 1000, plants: int = PLANTS) -> None:
    with ProcessPoolExecutor(2) as pool:
        rows = [r for r in pool.map(one_plant, range(first, first + plants), chunksize=5) if r is not None]
    stood = np.array([r["stood"] for r in rows]) > 0
    for name, limit in (("finish", TOLERANCE), ("fuel", TOLERANCE)):
        off = np.abs([r[name] for r in rows])
        print(
            f"{name} within {limit:.0%}: {np.mean((off <= limit) & stood):.1%} of {len(rows)}; median {np.median(off):.2%}, "
            f"nine in ten {np.quantile(off, 0.9):.2%}"
        )
    cost = np.array([r["cost"] for r in rows])
    fair = np.isfinite(cost)
    print(
        f"cost within {COST_TOLERANCE:.0%} of the best by force: "
        f"{np.mean((cost[fair] <= COST_TOLERANCE) & stood[fair]):.1%} of {fair.sum()}; "
        f"median {np.median(cost[fair]):.2%}, nine in ten {np.quantile(cost[fair], 0.9):.2%}"
    )
    print(
        f"plans that broke a limit on the true machines: {np.mean(~stood):.1%}; "
        + ", ".join(
            f"{run.LIMITS[int(b)]} {n}"
            for b, n in zip(*np.unique([r["breach"] for r in rows], return_counts=True), strict=True)
            if b >= 0
        )
    )
    if "-v" in sys.argv:
        for r in rows:
            if not r["stood"] or abs(r["finish"]) > 0.05 or abs(r["fuel"]) > 0.05 or r["cost"] > 0.02:
                print({k: round(v, 3) for k, v in r.items()})


if __name__ == "__main__":
    main()
