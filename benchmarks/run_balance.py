"""How early and how rightly the live advice warns of a dry head tank.

`./zucker bench run_balance`. Made-up evenings, minute by minute, on machines up to a tenth other than the advice believes:
a fire that grows or fades, a membrane that fouls faster than known, one that stops, a wash in mid-run, sap that comes to its end.
Levels are read once a minute with waves. Nobody acts on a warning, so that each can be judged.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor

import numpy as np
from zucker_core import evaporator as fire
from zucker_core import membrane, run
from zucker_core.sugar import density

EVENINGS, EVERY_MIN = 300, 3
EARLY_MIN, SOON_MIN = 20.0, 60.0


def one_evening(seed: int) -> dict[str, float]:
    """Minutes of warning before the tank is dry (NaN if it never is), and false warnings."""
    rng = np.random.default_rng(seed)
    machine = membrane.Machine(int(rng.integers(2, 8)), pressure_pa=rng.uniform(22, 36) * 1e5)
    target, brix, temp = rng.uniform(7, 13), rng.uniform(1.6, 2.4), rng.uniform(2, 6)
    clean = float(membrane.clean_permeate_flow(machine, brix, target, temp))
    ratio = float(membrane.volume_ratio(brix, target, temp))
    made = clean / (ratio - 1)
    per_heat = (
        float(fire.water_rate(fire.Evaporator(1e6), target, temp)) / 1e6 / (1 - target / 66.9) / float(density(target, temp))
    )
    believed = fire.Evaporator(made * rng.uniform(0.8, 1.3) / per_heat)
    # the truth, minute by minute
    takes0 = believed.heat_w * per_heat * rng.uniform(0.9, 1.1)
    drift, wave = rng.uniform(-0.1, 0.25), rng.uniform(0, 0.04)
    gives0, fouling = made * rng.uniform(0.9, 1.1), rng.uniform(0, 6e-4)
    minutes = 420
    capacity = takes0 * 60 * rng.uniform(90, 200)
    reserve = takes0 * 60 * rng.uniform(12, 20)
    head = rng.uniform(0.35, 0.9) * capacity
    sap_volume = made * ratio * 60 * rng.uniform(120, 400)
    kind = str(rng.choice(["none", "trip", "wash", "none", "fire"]))
    at = int(rng.uniform(40, 240))
    noise = rng.uniform(0.002, 0.01)
    levels: list[float] = []
    dry = None
    episodes: list[int] = []
    warned = False
    touched: list[int] = []
    running, wash_left, hit = True, 0.0, False
    sap = sap_volume
    for t in range(minutes):
        takes = takes0 * (1 + drift * t / minutes + wave * np.sin(t / 9))
        if hit and kind == "fire":
            takes *= 1.15
        # a machine stops when there is still something in hand: with less, nobody could warn in time
        if t >= at and not hit and head > reserve + takes * 60 * 14:
            hit = True
            if kind == "trip":
                running = False
            if kind == "wash":
                wash_left = 75.0
        wash_left = max(wash_left - 1, 0.0)
        on = running and wash_left <= 0 and sap > 0
        made_now = gives0 * np.exp(-fouling * t) if on else 0.0
        if head >= capacity:
            made_now = min(made_now, takes)
        head = min(head + (made_now - takes) * 60, capacity)
        sap = max(sap - made_now * ratio * 60, 0.0)
        if head <= reserve:
            touched.append(t)
        if head <= 0:
            dry = t
            break
        levels.append(max(head + rng.normal(0, noise), 0.0))
        if t >= 15 and t % EVERY_MIN == 0:
            forecast = run.Scenario(
                sap=run.Stock(sap, brix, temp, sap_volume * 2),
                head=run.Stock(head, target, temp, capacity, reserve),
                evaporator=believed,
                machine=machine,
                fire_lit=True,
                permeate_capacity_m3=50.0,
                permeate_m3=10.0,
            )
            state = run.State(
                np.arange(16) * 60.0, np.array(levels[-16:]), target, membrane_on=on, wash_left_min=wash_left, level_sd_m3=0.005
            )
            now = run.balance(state, forecast).warn
            if now and not warned:
                episodes.append(t)
            warned = now
    false = sum(not any(t <= x <= t + SOON_MIN for x in touched) for t in episodes)
    last = episodes[-1] if episodes and dry is not None else None
    lead = np.nan if dry is None else (dry - last if last is not None and warned else -1.0)
    return {"lead": float(lead), "false": float(false), "dry": float(dry is not None), "seed": seed}


def main(first: int = 1, evenings: int = EVENINGS) -> None:
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(one_evening, range(first, first + evenings), chunksize=5))
    dry = [r for r in rows if r["dry"]]
    lead = np.array([r["lead"] for r in dry])
    print(
        f"{len(dry)} of {len(rows)} evenings ran dry; warned {EARLY_MIN:g} min before: {np.mean(lead >= EARLY_MIN):.1%}, median "
        f"{np.median(lead):.0f} min; false warnings {np.mean([r['false'] for r in rows]):.2f} an evening"
    )
    for r in dry:
        if r["lead"] < EARLY_MIN:
            print(r)


if __name__ == "__main__":
    main()
