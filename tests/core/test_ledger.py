"""Reconciliation: balances kept, the wrong reading named, nothing accused without cause."""

from dataclasses import replace

import numpy as np
import pytest
from zucker_core import run
from zucker_core.errors import Inconsistent

from benchmarks.run_ledger import UNMEASURED, read, strength, true_run


def exact():
    return true_run(np.random.default_rng(3), True)[0]


def test_exact_readings_are_left_alone():
    found = run.ledger(exact(), UNMEASURED)
    assert found.reconciled.misfit == pytest.approx(0.0, abs=1e-6)
    assert found.reconciled.balances >= 6
    assert found.reconciled.suspects == ()
    for before, after in zip(exact(), found.reconciled.values, strict=True):
        assert after.volume_m3 == pytest.approx(before.volume_m3, rel=1e-6)


def test_reconciled_readings_balance_and_are_surer():
    seen = read(exact(), np.random.default_rng(4))
    found = run.ledger(seen, UNMEASURED).reconciled
    again = [replace(m, volume_m3=v.volume_m3, brix=v.brix) for m, v in zip(seen, found.values, strict=True)]
    assert run.ledger(again, UNMEASURED).reconciled.misfit < 1e-3
    for before, after in zip(seen, found.values, strict=True):
        assert after.volume_sd_m3 <= before.volume_sd_m3 * (1 + 1e-9)
        assert after.brix_sd <= before.brix_sd * (1 + 1e-9)


def test_reconciliation_brings_readings_nearer_the_truth():
    rng, before, after = np.random.default_rng(12), 0.0, 0.0
    for _ in range(30):
        rows, unmeasured = true_run(rng, True)
        seen = read(rows, rng)
        for true, m, v in zip(rows, seen, run.ledger(seen, unmeasured).reconciled.values, strict=True):
            before += ((m.volume_m3 - true.volume_m3) / true.volume_sd_m3) ** 2
            after += ((v.volume_m3 - true.volume_m3) / true.volume_sd_m3) ** 2
    assert after < 0.8 * before


@pytest.mark.parametrize(
    ("name", "field", "quantity"),
    [("permeate", "volume_m3", "volume"), ("concentrate", "brix", "Brix"), ("drawn", "volume_m3", "volume")],
)
def test_a_wrong_reading_is_named(name, field, quantity):
    rows = exact()
    k = next(i for i, m in enumerate(rows) if m.name == name)
    which = 2 * k + (field == "brix")
    sd = rows[k].volume_sd_m3 if field == "volume_m3" else rows[k].brix_sd
    seen = read(rows, np.random.default_rng(5))
    seen[k] = replace(seen[k], **{field: getattr(rows[k], field) + 8 * sd / strength(rows, UNMEASURED)[which]})
    suspects = run.ledger(seen, UNMEASURED).reconciled.suspects
    assert (name, quantity) in [(s.name, s.quantity) for s in suspects]
    assert suspects[0].statistic > 4
    assert sum(s.probability for s in suspects) > 0.9


def test_false_accusations_are_rare():
    rng = np.random.default_rng(6)
    accused = 0
    for _ in range(150):
        rows, unmeasured = true_run(rng, True)
        accused += bool(run.ledger(read(rows, rng), unmeasured).reconciled.suspects)
    assert accused <= 0.08 * 150


def test_what_nothing_checks_is_said():
    alone = run.Measured("pump", "within", 3.0, 0.1, 2.0, 0.1, 4.0, "sap", "yard")
    unchecked = run.ledger(
        [*exact(), alone],
        (*UNMEASURED, run.Unmeasured("x", "yard", run.OUTSIDE, "solution"), run.Unmeasured("y", run.OUTSIDE, "sap", "solution")),
    ).reconciled.unchecked
    assert ("pump", "volume") in unchecked
    assert ("permeate", "volume") not in unchecked


def test_the_whole_line_as_one_part_checks_only_its_sugar():
    sap = run.Measured("sap", "in", 30.0, 0.3, 2.0, 0.1)
    syrup = run.Measured("syrup", "out", 0.5, 0.01, 66.9, 0.15)
    found = run.ledger([sap, syrup])
    assert found.reconciled.balances == 1
    assert found.closure_low < found.closure < found.closure_high
    assert not found.explained
    assert {s.name for s in found.reconciled.suspects} == {"sap", "syrup"}


@pytest.mark.parametrize(
    ("lines", "word"),
    [([run.Measured("a", "in", 1, 0, 2, 0), run.Measured("a", "out", 1, 0, 2, 0)], "called 'a'"), ([], "nothing to balance")],
)
def test_ledgers_refuse_what_cannot_be_balanced(lines, word):
    with pytest.raises(Inconsistent, match=word):
        run.ledger(lines)


def test_measurements_refuse_what_cannot_be():
    with pytest.raises(Inconsistent, match="parts it goes from"):
        run.Measured("x", "within", 1, 0, 2, 0)
    with pytest.raises(Inconsistent, match="two different parts"):
        run.Measured("x", "within", 1, 0, 2, 0, 20, "sap", "sap")
    with pytest.raises(Inconsistent, match="carries"):
        run.Unmeasured("x", "sap", "head", "milk")


def test_what_stands_in_a_tank_is_taken_for_neither_steam_nor_permeate():
    """A tank gauged at the end leaves its part as steam and permeate do: with it, exact readings still agree."""
    rows = exact()
    flows = run.between_parts(rows)
    assert {(f.source, f.sink) for f in flows} == {("head", "pans"), ("pans", run.OUTSIDE)}
    assert run.ledger(rows, flows).reconciled.misfit == pytest.approx(0.0, abs=1e-6)
    without = [m for m in rows if m.source != "membrane" and m.sink != "membrane"]
    flows = run.between_parts(without)
    assert ("sap", run.OUTSIDE) in {(f.source, f.sink) for f in flows}
    found = run.ledger(without, flows).reconciled
    assert found.suspects == ()
    assert found.misfit == pytest.approx(0.0, abs=1e-6)
