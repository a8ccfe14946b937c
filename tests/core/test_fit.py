"""Learning machines from logs: truth within its interval, honest refusals, drift."""

from dataclasses import replace

import numpy as np
import pytest
from zucker_core import evaporator as fire
from zucker_core import membrane, run
from zucker_core.errors import CoreError, Inconsistent, OutOfRange

MAKER = membrane.Machine(4, pressure_pa=30e5)


def log(true, rng, *, brix=(8, 15), pressure=(0.85, 1.0), count=24, cycles=2, noise=1.0, sap=2.0):
    rows = []
    for cycle in range(cycles):
        through = 0.0
        for _ in range(count):
            target, share = rng.uniform(*brix), rng.uniform(*pressure)
            flow = float(membrane.clean_permeate_flow(true, sap, target, 4.0, true.pressure_pa * share))
            flow *= float(membrane.fouling_ratio(true, through))
            rows.append(
                membrane.Record(
                    sap + noise * rng.normal(0, 0.05),
                    target + noise * rng.normal(0, 0.15),
                    4.0 + noise * rng.normal(0, 0.3),
                    true.pressure_pa * share * (1 + noise * rng.normal(0, 0.01)),
                    flow * float(np.exp(noise * rng.normal(0, 0.03))),
                    through,
                    cycle,
                )
            )
            through += flow * 900
    return rows


def other(**changes):
    return replace(MAKER, permeability=MAKER.permeability * 0.8, sigma=1.35, fouling_per_m3=MAKER.fouling_per_m3 * 1.6, **changes)


@pytest.mark.parametrize(
    "machine", [MAKER, replace(MAKER, arrangement="stages", stages=3), replace(MAKER, arrangement="batch", passes=3)]
)
def test_without_noise_the_machine_is_found(machine):
    true = replace(machine, permeability=machine.permeability * 0.8, sigma=1.35, fouling_per_m3=machine.fouling_per_m3 * 1.6)
    rows = [
        replace(r, flow_share=0.002, brix_sd=0.005, pressure_share=0.001, temp_sd=0.01)
        for r in log(true, np.random.default_rng(1), noise=0.0)
    ]
    found = membrane.fit(rows, machine)
    assert found.permeability.value == pytest.approx(true.permeability, rel=0.01)
    assert found.sigma.value == pytest.approx(1.35, abs=0.02)
    assert found.fouling[0].value == pytest.approx(true.fouling_per_m3, rel=0.05)
    assert found.told_apart
    assert found.machine.permeability == pytest.approx(true.permeability, rel=0.01)


def test_intervals_hold_the_truth():
    rng = np.random.default_rng(7)
    true = other()
    held = []
    for _ in range(40):
        found = membrane.fit(log(true, rng), MAKER)
        held += [
            found.permeability.low <= true.permeability <= found.permeability.high,
            found.sigma.low <= 1.35 <= found.sigma.high,
        ]
        held += [k.low <= true.fouling_per_m3 <= k.high for k in found.fouling.values()]
    assert 0.82 <= np.mean(held) <= 0.98


def test_an_outlier_does_not_rule():
    rng = np.random.default_rng(3)
    rows = log(other(), rng)
    wild = [replace(r, permeate_m3_s=r.permeate_m3_s * 3) if k % 16 == 5 else r for k, r in enumerate(rows)]
    assert membrane.fit(wild, MAKER).permeability.value == pytest.approx(membrane.fit(rows, MAKER).permeability.value, rel=0.06)


def test_one_brix_and_one_pressure_cannot_tell_a_from_sigma():
    found = membrane.fit(log(other(), np.random.default_rng(2), brix=(11.9, 12.1), pressure=(1.0, 1.0)), MAKER)
    assert not found.told_apart
    assert "cannot be told apart" in found.told
    assert found.sigma.from_prior
    # where it was logged the flow is known all the same
    near = found.flow(2.0, 12.0, 4.0)
    assert near.source == "log"
    assert near.low <= float(membrane.clean_permeate_flow(other(), 2.0, 12.0, 4.0)) <= near.high
    far = found.flow(2.0, 18.0, 4.0)
    assert far.source == "maker"
    assert "18 °Brix is beyond what was logged" in far.reason
    assert far.value == pytest.approx(float(membrane.clean_permeate_flow(MAKER, 2.0, 18.0, 4.0)))
    assert far.high / far.low > 2


@pytest.mark.parametrize(("temp", "pressure", "word"), [(25.0, 30e5, "temperature"), (4.0, 12e5, "pressure")])
def test_extrapolation_is_refused_by_name(temp, pressure, word):
    found = membrane.fit(log(other(), np.random.default_rng(2)), MAKER)
    assert word in found.flow(2.0, 12.0, temp, pressure).reason


def test_bad_records_are_named():
    with pytest.raises(Inconsistent, match="too few"):
        membrane.fit(log(other(), np.random.default_rng(1))[:3], MAKER)
    with pytest.raises(OutOfRange, match="feed_brix"):
        membrane.Record(0.0, 8.0, 4.0, 3e6, 1e-4, 0.0)
    with pytest.raises(Inconsistent, match="not above its feed"):
        membrane.Record(8.0, 8.0, 4.0, 3e6, 1e-4, 0.0)
    with pytest.raises(Inconsistent, match="too few"):
        fire.fit([], fire.Evaporator(5e5))
    with pytest.raises(OutOfRange, match="boil_s"):
        fire.Record(500, 0.0, 8, 4)


def boils(true, rng, count, noise=0.03):
    rows = []
    for _ in range(count):
        brix, seconds = rng.uniform(6, 18), rng.uniform(2, 9) * 3600
        water = float(fire.water_rate(true, brix, 4.0)) * seconds
        fuel = true.fuel_rate * (seconds + true.start_up_fire * (true.start_up_s + true.shut_down_s))
        rows.append(
            fire.Record(
                water * float(np.exp(rng.normal(0, noise))), seconds, brix, 4.0, fuel * float(np.exp(rng.normal(0, noise)))
            )
        )
    return rows


def test_evaporator_intervals_hold_the_truth():
    rng, held = np.random.default_rng(9), []
    maker = fire.Evaporator(6e5, efficiency=0.7)
    for _ in range(60):
        share = rng.uniform(0.1, 0.35)
        true = replace(
            maker,
            heat_w=6e5 * float(np.exp(rng.uniform(-0.3, 0.3))),
            efficiency=rng.uniform(0.58, 0.82),
            start_up_fire=share,
            shut_down_fire=share,
        )
        found = fire.fit(boils(true, rng, 6), maker)
        held += [
            found.heat_w.low <= true.heat_w <= found.heat_w.high,
            found.efficiency.low <= true.efficiency <= found.efficiency.high,
        ]
    assert 0.83 <= np.mean(held) <= 0.98
    assert found.evaporator.heat_w == pytest.approx(found.heat_w.value)


def test_fuel_that_nobody_measured_leaves_the_efficiency_to_the_maker():
    rng, maker = np.random.default_rng(1), fire.Evaporator(6e5, efficiency=0.7)
    found = fire.fit([replace(r, fuel=None) for r in boils(replace(maker, heat_w=5e5), rng, 5)], maker)
    assert found.efficiency.from_prior
    assert found.efficiency.value == pytest.approx(0.7)
    assert found.heat_w.value == pytest.approx(5e5, rel=0.05)


def test_learning_forgets_slowly_and_sees_drift():
    rng, maker = np.random.default_rng(4), fire.Evaporator(6e5)
    history = []
    for number in range(14):
        worn = replace(other(), permeability=other().permeability * (1.0 if number < 8 else 0.8))
        history.append(run.RunRecord(log(worn, rng, count=16, cycles=1), boils(maker, rng, 1)[0]))
    early, late = run.learn(history[:8], MAKER, maker), run.learn(history, MAKER, maker)
    assert early.membrane_fit.permeability.value == pytest.approx(other().permeability, rel=0.06)
    assert late.membrane_fit.permeability.value < 0.93 * early.membrane_fit.permeability.value
    assert late.membrane_health.value == pytest.approx(0.8, abs=0.05)
    assert late.membrane_health.low <= 0.8 <= late.membrane_health.high
    assert late.evaporator_health.low <= 1.0
    assert late.doubt.membrane < run.learn([], MAKER, maker).doubt.membrane
    nothing = run.learn([], MAKER, maker)
    assert nothing.machine == MAKER
    assert nothing.membrane_fit is None


def test_drift_needs_four_runs():
    assert run.drift([0.0, 0.1, 0.0], [0.02] * 3) is None
    assert run.drift([0.0, 0.0, 0.0, -0.2], [0.02] * 4).value == pytest.approx(np.exp(-0.2))
    with pytest.raises(CoreError):
        run.drift([0.0], [])
